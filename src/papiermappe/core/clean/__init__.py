"""What the machine sees in a capture, and what it makes of it."""

from papiermappe.core.clean.blank import BlankEstimate, judge_blank
from papiermappe.core.clean.colour import ColourEstimate, ColourKind, judge_colour
from papiermappe.core.clean.gutter import FoldKind, Gutter, find_gutter, split_spread
from papiermappe.core.clean.sheet import SheetFrame, find_sheet, find_sheets
from papiermappe.core.clean.skew import SkewEstimate, estimate_skew
from papiermappe.core.clean.upright import TurnEstimate, find_upright

__all__ = [
    "BlankEstimate",
    "ColourEstimate",
    "ColourKind",
    "FoldKind",
    "Gutter",
    "SheetFrame",
    "SkewEstimate",
    "TurnEstimate",
    "estimate_skew",
    "find_gutter",
    "find_sheet",
    "find_sheets",
    "find_upright",
    "judge_blank",
    "judge_colour",
    "split_spread",
]
