"""All operations as types, told apart by their `kind`."""

from typing import Annotated

from pydantic import Field, TypeAdapter

from papiermappe.core.operations.arranging import BringBack, Move, MoveToMappe, Nudge, SetAside, SortByNumbers
from papiermappe.core.operations.interleaving import Interleave
from papiermappe.core.operations.taking import TakeAgain
from papiermappe.core.operations.treating import Crop, SetTone, Straighten, Turn

Operation = Annotated[
    BringBack | Crop | Interleave | Move | MoveToMappe | Nudge | SetAside | SetTone | SortByNumbers | Straighten | Turn,
    Field(discriminator="kind"),
]

Journaled = Annotated[Operation | TakeAgain, Field(discriminator="kind")]
"""What the journal knows: also what windows cannot send."""

JOURNALED: TypeAdapter[Journaled] = TypeAdapter(Journaled)
