"""What the machine sees in a capture: where the sheet lies, and how much its content is turned."""

from papiermappe.core.clean.sheet import SheetFrame, find_sheet
from papiermappe.core.clean.skew import SkewEstimate, estimate_skew

__all__ = ["SheetFrame", "SkewEstimate", "estimate_skew", "find_sheet"]
