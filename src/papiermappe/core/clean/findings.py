"""What the machine noticed on a page and a person should check."""

from enum import StrEnum
from typing import Annotated

from pydantic import BaseModel, ConfigDict, Field

from papiermappe.core.zones import Zone


class FindingKind(StrEnum):
    """What was noticed."""

    BLANK = "blank"
    BLURRED = "blurred"
    FAINT = "faint"
    CUT_OFF = "cut_off"
    TOO_BRIGHT = "too_bright"
    TOO_DARK = "too_dark"
    DUST_LINE = "dust_line"
    DIRTY = "dirty"
    DOUBLED = "doubled"
    FOLD = "fold"
    GLARE = "glare"
    """A lamp is mirrored on a photo."""
    FINGER = "finger"
    SMALL_PRINT = "small_print"
    """On a photo, for it to be read well."""
    SAME_AGAIN = "same_again"
    """It is the page before it, taken again."""
    NOT_ANALYSED = "not_analysed"
    """The page could not be analysed: nothing is known of it."""


class Finding(BaseModel):
    """One thing to check. A false alarm is tolerable, a false all-clear is not."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    kind: FindingKind
    params: dict[str, int | str] = {}
    """What the words about it need: `longer_mm`, `edge`, `specks` or `px`."""
    confidence: Annotated[float, Field(ge=0, le=1)]
    zone: Zone | None = None
    """Where on the picture that was judged; None: all of it."""
