"""Giving a page another capture: a person has it scanned again. Windows cannot send it; a run does it for them."""

from collections.abc import Sequence
from typing import Literal

from papiermappe.core.operations.model import BaseOperation, Changes, PageState
from papiermappe.core.treatment import Treatment


class TakeAgain(BaseOperation):
    """Put a new capture in the place of a page's old one. Its treatment begins anew, to be found again."""

    kind: Literal["take_again"] = "take_again"
    capture_id: int

    def apply(self, pages: Sequence[PageState]) -> Changes:
        """Return the new capture and the untouched treatment; nobody has looked at it yet."""
        fields = {"capture_id": self.capture_id, "accepted": [], **Treatment().model_dump(mode="json")}
        return {page.id: fields for page in self.named(pages)}
