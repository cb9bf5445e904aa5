"""All operations as one type, told apart by their `kind`."""

from typing import Annotated

from pydantic import Field, TypeAdapter

from papiermappe.core.operations.arranging import BringBack, Move, MoveToMappe, Nudge, SetAside, SortByNumbers
from papiermappe.core.operations.treating import Crop, SetTone, Straighten, Turn

Operation = Annotated[
    BringBack | Crop | Move | MoveToMappe | Nudge | SetAside | SetTone | SortByNumbers | Straighten | Turn,
    Field(discriminator="kind"),
]

OPERATION: TypeAdapter[Operation] = TypeAdapter(Operation)
