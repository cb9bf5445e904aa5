"""What a person can do to pages, as values: sent by windows, kept in the journal, replayed by routines.

`apply` is pure. It says which fields of which pages become what, and names no field that stays as it is.
"""

from papiermappe.core.operations.arranging import BringBack, Move, MoveToMappe, Nudge, SetAside, SortByNumbers
from papiermappe.core.operations.interleaving import Interleave, SheetSides
from papiermappe.core.operations.model import Changes, PageState
from papiermappe.core.operations.taking import TakeAgain
from papiermappe.core.operations.treating import Crop, SetTone, Straighten, Turn
from papiermappe.core.operations.union import JOURNALED, Operation

__all__ = [
    "JOURNALED",
    "BringBack",
    "Changes",
    "Crop",
    "Interleave",
    "Move",
    "MoveToMappe",
    "Nudge",
    "Operation",
    "PageState",
    "SetAside",
    "SetTone",
    "SheetSides",
    "SortByNumbers",
    "Straighten",
    "TakeAgain",
    "Turn",
]
