"""What a person can do to pages, as values: sent by windows, kept in the journal, replayed by routines.

`apply` is pure. It says which fields of which pages become what, and names no field that stays as it is.
"""

from papiermappe.core.operations.aligning import AlignMargins, MoveText
from papiermappe.core.operations.arranging import (
    BringBack,
    CopyToMappe,
    JoinMappe,
    Move,
    MoveToMappe,
    Nudge,
    Reverse,
    SetAside,
    SortByArrival,
    SortByFiles,
    SortByNumbers,
)
from papiermappe.core.operations.checking import AcceptWarnings
from papiermappe.core.operations.cutting import Cut, CutIntoMappen, PartInto, Uncut
from papiermappe.core.operations.flattening import MakeFlat, Uncurl
from papiermappe.core.operations.found import UseFound
from papiermappe.core.operations.framing import MoveSides, SetPageSize, SetSkew
from papiermappe.core.operations.interleaving import Interleave, SheetSides
from papiermappe.core.operations.model import Changes, OperationRefused, PageState
from papiermappe.core.operations.rims import CleanBorders
from papiermappe.core.operations.running import RunRoutine
from papiermappe.core.operations.splitting import Halves, SetGutter, SplitSpreads
from papiermappe.core.operations.taking import TakeAgain
from papiermappe.core.operations.treating import Adjust, Crop, KeepAs, SetTone, Straighten, Turn
from papiermappe.core.operations.union import JOURNALED, Journaled, Operation
from papiermappe.core.operations.zoning import DrawnZone, PutZones, RemoveZones

__all__ = [
    "JOURNALED",
    "AcceptWarnings",
    "Adjust",
    "AlignMargins",
    "BringBack",
    "Changes",
    "CleanBorders",
    "CopyToMappe",
    "Crop",
    "Cut",
    "CutIntoMappen",
    "DrawnZone",
    "Halves",
    "Interleave",
    "JoinMappe",
    "Journaled",
    "KeepAs",
    "MakeFlat",
    "Move",
    "MoveSides",
    "MoveText",
    "MoveToMappe",
    "Nudge",
    "Operation",
    "OperationRefused",
    "PageState",
    "PartInto",
    "PutZones",
    "RemoveZones",
    "Reverse",
    "RunRoutine",
    "SetAside",
    "SetGutter",
    "SetPageSize",
    "SetSkew",
    "SetTone",
    "SheetSides",
    "SortByArrival",
    "SortByFiles",
    "SortByNumbers",
    "SplitSpreads",
    "Straighten",
    "TakeAgain",
    "Turn",
    "Uncurl",
    "Uncut",
    "UseFound",
]
