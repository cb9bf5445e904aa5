"""All operations as types, told apart by their `kind`."""

from typing import Annotated

from pydantic import Field, TypeAdapter

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
from papiermappe.core.operations.cutting import Cut, CutIntoMappen, Uncut
from papiermappe.core.operations.flattening import MakeFlat, Uncurl
from papiermappe.core.operations.found import UseFound
from papiermappe.core.operations.framing import MoveSides, SetPageSize, SetSkew
from papiermappe.core.operations.interleaving import Interleave
from papiermappe.core.operations.rims import CleanBorders
from papiermappe.core.operations.running import RunRoutine
from papiermappe.core.operations.splitting import SetGutter, SplitSpreads
from papiermappe.core.operations.taking import TakeAgain
from papiermappe.core.operations.treating import Adjust, Crop, KeepAs, SetTone, Straighten, Turn
from papiermappe.core.operations.zoning import PutZones, RemoveZones

Operation = Annotated[
    AcceptWarnings
    | Adjust
    | AlignMargins
    | BringBack
    | CleanBorders
    | Crop
    | KeepAs
    | Cut
    | Interleave
    | MakeFlat
    | Move
    | MoveSides
    | MoveText
    | MoveToMappe
    | Nudge
    | PutZones
    | RemoveZones
    | Reverse
    | SetAside
    | SetGutter
    | SetPageSize
    | SetSkew
    | SetTone
    | SortByArrival
    | SortByFiles
    | SortByNumbers
    | Straighten
    | Turn
    | Uncurl
    | Uncut
    | UseFound,
    Field(discriminator="kind"),
]

Journaled = Annotated[
    Operation | TakeAgain | CopyToMappe | CutIntoMappen | JoinMappe | RunRoutine | SplitSpreads,
    Field(discriminator="kind"),
]
"""What the journal knows: also what windows cannot send."""

JOURNALED: TypeAdapter[Journaled] = TypeAdapter(Journaled)
