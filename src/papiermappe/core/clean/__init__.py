"""What the machine sees in a capture, and what it makes of it."""

from papiermappe.core.clean.blank import BlankEstimate, judge_blank
from papiermappe.core.clean.clearing import Areas, clear
from papiermappe.core.clean.colour import ColourEstimate, ColourKind, judge_colour
from papiermappe.core.clean.findings import Finding, FindingKind
from papiermappe.core.clean.gutter import FoldKind, Gutter, find_gutter
from papiermappe.core.clean.margins import TextBlock, find_text_block
from papiermappe.core.clean.originals import find_originals
from papiermappe.core.clean.quality import judge_quality
from papiermappe.core.clean.sheet import find_sheet, find_sheets
from papiermappe.core.clean.sheet_frame import SheetFrame
from papiermappe.core.clean.skew import SkewEstimate, estimate_skew
from papiermappe.core.clean.specks import despeckle
from papiermappe.core.clean.spread import Spread, find_spread
from papiermappe.core.clean.stray_light import stray_light
from papiermappe.core.clean.tone import binarise
from papiermappe.core.clean.upright import TurnEstimate, find_upright
from papiermappe.core.clean.whitening import whiten

__all__ = [
    "Areas",
    "BlankEstimate",
    "ColourEstimate",
    "ColourKind",
    "Finding",
    "FindingKind",
    "FoldKind",
    "Gutter",
    "SheetFrame",
    "SkewEstimate",
    "Spread",
    "TextBlock",
    "TurnEstimate",
    "binarise",
    "clear",
    "despeckle",
    "estimate_skew",
    "find_gutter",
    "find_originals",
    "find_sheet",
    "find_sheets",
    "find_spread",
    "find_text_block",
    "find_upright",
    "judge_blank",
    "judge_colour",
    "judge_quality",
    "stray_light",
    "whiten",
]
