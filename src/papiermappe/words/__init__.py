"""The words people read: made here, of codes and their parameters, and nowhere else in Python."""

from papiermappe.words.translator import Words

__all__ = ["Words"]
