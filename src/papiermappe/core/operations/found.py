"""The operation that goes back to what the machine has found: the station Tidy."""

from collections.abc import Mapping, Sequence
from typing import Any, ClassVar, Literal

from papiermappe.core.operations.flattening import flattened
from papiermappe.core.operations.model import BaseOperation, Changes, PageState
from papiermappe.core.treatment import FOUND_ON_SHEET


class UseFound(BaseOperation):
    """Go back to what the machine has found of a page; with its crop also to the sheet that it found on a photo."""

    kind: Literal["use_found"] = "use_found"
    by_captures: ClassVar[bool] = True
    step: Literal["straighten", "crop", "turn", "margins"]

    def apply(self, pages: Sequence[PageState]) -> Changes:
        """Return the found values, where they are known and others are in use."""
        changes: dict[int, Mapping[str, Any]] = {}
        for page in self.named(pages):
            if page.found is None:
                continue
            if self.step == "turn" or page.found.corners == page.treatment.corners:
                names: set[str] = {"quarter_turns", "turn_origin"} if self.step == "turn" else {self.step}
                now, found = (value.model_dump(mode="json", include=names) for value in (page.treatment, page.found))
                if now != found:
                    changes[page.id] = found
            elif self.step == "crop":
                changes.update(self._flat_again(page))
            # else: what was found on the one plane says nothing of the other
        return changes

    def _flat_again(self, page: PageState) -> Changes:
        """Return what changes where a photo is made flat by the corners that were found; nothing of other captures."""
        found, size = page.found, page.capture_size
        if found is None or found.corners is None or size is None or page.treatment.part is not None:
            return {}
        fields = flattened(page.treatment, found.corners, size)
        return {page.id: fields | found.model_dump(mode="json", include=set(FOUND_ON_SHEET))}

    @property
    def step_code(self) -> str:
        """The code of what it does as a step of a routine."""
        return f"use_found_{self.step}"
