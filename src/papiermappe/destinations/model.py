"""The protocol of destinations."""

from typing import BinaryIO, NamedTuple, Protocol


class Parcel(NamedTuple):
    """A document to be delivered."""

    file: BinaryIO
    """Open for reading; may be read more than once."""
    file_name: str
    sha256: str
    idempotency_key: str
    """The same however often the delivery is tried."""


class Destination(Protocol):
    """A place that takes documents. Delivering the same parcel again does not duplicate it."""

    def deliver(self, parcel: Parcel) -> str:
        """Put a document there, whole or not at all, and never over something else.

        Returns:
            Where it lies now.

        Raises:
            NameTaken: something else has the name.
            DestinationError: it cannot be delivered.
        """
        ...
