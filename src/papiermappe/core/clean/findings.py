"""What the machine noticed on a page and a person should look at."""

from enum import StrEnum
from typing import Annotated

from pydantic import BaseModel, ConfigDict, Field

from papiermappe.core.zones import Zone


class FindingKind(StrEnum):
    """What was noticed."""

    BLANK = "blank"
    BLURRED = "blurred"
    FAINT = "faint"
    CUT_OFF = "cut off"
    TOO_BRIGHT = "too bright"
    TOO_DARK = "too dark"
    DUST_LINE = "dust line"
    DIRTY = "dirty"
    DOUBLED = "doubled"
    FOLD = "fold"


class Finding(BaseModel):
    """One thing to look at. A false alarm may happen, a false all-clear should not."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    kind: FindingKind
    message: str
    """For the person: a short half sentence."""
    confidence: Annotated[float, Field(ge=0, le=1)]
    zone: Zone | None = None
    """Where on the picture that was judged; None: all of it."""
