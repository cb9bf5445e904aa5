"""What is found on a capture when it arrives, and the treatment that follows from it."""

from papiermappe.core.analysis.analysing import analyse
from papiermappe.core.analysis.found import Analysis, SpreadFound

__all__ = ["Analysis", "SpreadFound", "analyse"]
