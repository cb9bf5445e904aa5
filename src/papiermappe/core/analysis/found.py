"""What was found on a capture, as it is kept with its page."""

from pydantic import BaseModel, ConfigDict

from papiermappe.core.clean.colour import ColourKind
from papiermappe.core.clean.findings import Finding, FindingKind
from papiermappe.core.geometry import Quad
from papiermappe.core.halves import GutterLine
from papiermappe.core.order.codes import PageCode
from papiermappe.core.photo_sheet import PhotoSheet
from papiermappe.core.treatment import SURE, Treatment


class SpreadFound(BaseModel):
    """Two pages beside each other, as they were found."""

    model_config = ConfigDict(frozen=True)

    gutter: GutterLine
    confidence: float
    """0 to 1; below 0.5 a person should look first."""


class Analysis(BaseModel):
    """What was found on a capture."""

    model_config = ConfigDict(frozen=True)

    treatment: Treatment
    """What follows from it; what the machine is not sure of is proposed but switched off."""
    findings: tuple[Finding, ...]
    """Their places are on the page that the treatment makes."""
    colour: ColourKind
    turn_confidence: float = 1.0
    """0 to 1: how sure the way up is; below 0.5 the page is left as it lies."""
    has_letters: bool = True
    """Whether there are enough of what may be letters for others to tell the way up."""
    codes: tuple[PageCode, ...] = ()
    """That are printed on it."""
    spread: SpreadFound | None = None
    """Where it would be split; None where it is no spread."""
    printed_area: Quad | None = None
    """The corners of its text block, on the capture; None where nothing is printed."""
    dark_rims: tuple[Quad, ...] = ()
    """Outlines of what is dark along its edges and can be wiped, on the capture."""
    photo_sheet: PhotoSheet | None = None
    """Where the sheet lies on a photo; None where the capture is a scan."""

    @property
    def is_blank(self) -> bool:
        """Whether nothing is on the page."""
        return any(finding.kind is FindingKind.BLANK for finding in self.findings)

    @property
    def is_surely_spread(self) -> bool:
        """Whether it is two pages beside each other, without a person having to look."""
        return self.spread is not None and self.spread.confidence >= SURE

    def unsure_steps(self, treatment: Treatment) -> tuple[str, ...]:
        """Return what was found but is left undone by a treatment since it is not sure.

        That is `crop` and `straighten`; of a photo as it came it is the `sheet`, without which the others say nothing.
        """
        is_unsure_photo = self.photo_sheet is not None and not self.photo_sheet.is_sure
        if is_unsure_photo and treatment.corners is None and "crop" in treatment.unsure_steps:
            return ("sheet",)
        return treatment.unsure_steps

    def findings_told(self, treatment: Treatment) -> tuple[Finding, ...]:
        """Return what was found on a page; nothing of a photo as it came, since the table was looked at as well."""
        return () if "sheet" in self.unsure_steps(treatment) else self.findings

    @property
    def way_up_open(self) -> bool:
        """Whether the page has print whose way up is not clear."""
        return self.turn_confidence < SURE and self.has_letters and not self.is_blank
