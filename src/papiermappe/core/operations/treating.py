"""Operations that change how pages look: the station Tidy."""

from collections.abc import Sequence
from typing import Annotated, Literal

from pydantic import Field

from papiermappe.core.encode.encoded import MadeOf
from papiermappe.core.operations.model import BaseOperation, Changes, PageState
from papiermappe.core.treatment import Adjustment, Origin, Tone
from papiermappe.message import Message


class Turn(BaseOperation):
    """Turn pages by quarters.

    >>> Turn(pages=(1,), quarter_turns=-1).kind
    'turn'
    """

    kind: Literal["turn"] = "turn"
    quarter_turns: Annotated[int, Field(ge=-3, le=3)]
    """Counter-clockwise."""

    def apply(self, pages: Sequence[PageState]) -> Changes:
        """Return the new turns, marked as made by hand; empty for a full turn."""
        if self.quarter_turns % 4 == 0:
            return {}
        return {
            page.id: {
                "quarter_turns": (page.treatment.quarter_turns + self.quarter_turns) % 4,
                "turn_origin": Origin.BY_HAND.value,
            }
            for page in self.named(pages)
        }

    def message(self, count: int) -> Message:
        """Return a message that names the direction."""
        return Message(code="turn", params={"count": count, "degrees": self.quarter_turns % 4 * 90})


class Straighten(BaseOperation):
    """Switch straightening on or off, where the skew is known."""

    kind: Literal["straighten"] = "straighten"
    on: bool

    def apply(self, pages: Sequence[PageState]) -> Changes:
        """Return the steps that are switched."""
        return {
            page.id: {"straighten": step.model_copy(update={"on": self.on}).model_dump(mode="json")}
            for page in self.named(pages)
            if (step := page.treatment.straighten) is not None and step.on is not self.on
        }

    def message(self, count: int) -> Message:
        """Return a message that tells whether it was switched on."""
        return Message(code="straighten_on" if self.on else "straighten_off", params={"count": count})


class Crop(BaseOperation):
    """Switch cropping on or off, where the sheet is known."""

    kind: Literal["crop"] = "crop"
    on: bool

    def apply(self, pages: Sequence[PageState]) -> Changes:
        """Return the steps that are switched."""
        return {
            page.id: {"crop": step.model_copy(update={"on": self.on}).model_dump(mode="json")}
            for page in self.named(pages)
            if (step := page.treatment.crop) is not None and step.on is not self.on
        }

    def message(self, count: int) -> Message:
        """Return a message that tells whether it was switched on."""
        return Message(code="crop_on" if self.on else "crop_off", params={"count": count})


class SetTone(BaseOperation):
    """Choose how ink and paper are shown."""

    kind: Literal["set_tone"] = "set_tone"
    tone: Tone

    def apply(self, pages: Sequence[PageState]) -> Changes:
        """Return the new tones."""
        return {
            page.id: {"tone": self.tone.value} for page in self.named(pages) if page.treatment.tone is not self.tone
        }

    def message(self, count: int) -> Message:
        """Return a message that names the tone."""
        return Message(code="set_tone", params={"count": count, "tone": self.tone.value})


class KeepAs(BaseOperation):
    """Say what pages are made of in files, whatever their content."""

    kind: Literal["keep_as"] = "keep_as"
    made_of: MadeOf | None
    """None: as the content asks."""

    def apply(self, pages: Sequence[PageState]) -> Changes:
        """Return what is said of those of which something else was."""
        return {
            page.id: {"kept_as": self.made_of.value if self.made_of else None}
            for page in self.named(pages)
            if page.treatment.kept_as is not self.made_of
        }

    def message(self, count: int) -> Message:
        """Return a message that names what they are made of."""
        return Message(code=self.step_code, params={"count": count})

    @property
    def step_code(self) -> str:
        """The code of what it does as a step of a routine."""
        return f"keep_as_{self.made_of.value if self.made_of else 'by_content'}"


class Adjust(BaseOperation):
    """Set how pages are toned; what is None stays as it is on each."""

    kind: Literal["adjust"] = "adjust"
    brightness: Adjustment | None = None
    contrast: Adjustment | None = None
    ink_more: Adjustment | None = None
    without_specks: bool | None = None
    without_show_through: bool | None = None

    def apply(self, pages: Sequence[PageState]) -> Changes:
        """Return the values that change."""
        wanted = self.model_dump(exclude={"kind", "pages"}, exclude_none=True)
        changes = {}
        for page in self.named(pages):
            differing = {name: value for name, value in wanted.items() if getattr(page.treatment, name) != value}
            if differing:
                changes[page.id] = differing
        return changes
