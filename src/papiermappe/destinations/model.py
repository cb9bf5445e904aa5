"""The protocol of destinations."""

from typing import BinaryIO, NamedTuple, Protocol


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


class Destination(Protocol):
    """A place that takes documents. Delivering the same parcel again does not duplicate it."""

    def deliver(self, parcel: Parcel) -> str:
        """Put a document there, whole or not at all, and never over something else.

        Returns:
            Where it lies now.

        Raises:
            NameTaken: something else has the name.
            DestinationAway: it cannot be delivered now.
            DestinationError: it cannot be delivered.
        """
        ...

    def try_out(self) -> None:
        """See whether documents could be delivered, and leave nothing behind. Raises DestinationError."""
        ...
