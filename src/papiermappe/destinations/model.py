"""The protocol of destinations."""

from collections.abc import Iterator
from itertools import count
from typing import BinaryIO, NamedTuple, Protocol

from papiermappe.core.encode.options import Attachment


class Parcel(NamedTuple):
    """A document to be delivered."""

    file: BinaryIO
    """Open for reading; may be read more than once."""
    file_name: str
    """With the folders that it lies in, a slash between them; each a name that file systems take."""
    sha256: str
    idempotency_key: str
    """The same however often the delivery is tried."""
    media_type: str = "application/pdf"
    title: str = ""
    pages: int = 1
    slip: Attachment | None = None
    """Its record, that lies beside it."""
    got_by: tuple[str, ...] = ()
    """Who has it from a try before, where several get it."""

    def slip_names(self, ending: str) -> Iterator[str]:
        """Yield names for its slip, with its folders: the next one where something else has the first."""
        stem = self.file_name.rpartition(".")[0]
        for number in count(1):
            yield f"{stem}{f'_{number}' if number > 1 else ''}{ending}"


class Destination(Protocol):
    """A place that takes documents. Delivering the same parcel again does not duplicate it."""

    def deliver(self, parcel: Parcel) -> str:
        """Put a document there, whole or not at all, and never over something else.

        Returns:
            Where it lies now.

        Raises:
            NameTaken: something else has the name.
            DestinationPartly: not all who get it have it now; who does is told.
            DestinationAway: it cannot be delivered now.
            DestinationError: it cannot be delivered.
        """
        ...

    def try_out(self) -> None:
        """See whether documents could be delivered, and leave nothing behind. Raises DestinationError."""
        ...
