"""Why a document could not be delivered.

DestinationError
├── NameTaken           something else has the name there
├── DestinationFull     there is no room
└── DestinationRefused  it does not exist, or may not be written to
"""

from papiermappe.errors import PapiermappeError


class DestinationError(PapiermappeError):
    """The root of delivery errors."""


class NameTaken(DestinationError):
    """Something else has the name there; another name may be free."""


class DestinationFull(DestinationError):
    """There is no room."""


class DestinationRefused(DestinationError):
    """It does not exist, or may not be written to."""
