"""What keeps a document from its destination.

DestinationError
├── NameTaken           something else has the name there
├── DestinationFull     there is no room
└── DestinationRefused  it is not there, or does not let itself be written to
"""

from papiermappe.errors import PapiermappeError


class DestinationError(PapiermappeError):
    """The root of what keeps a document from its destination."""


class NameTaken(DestinationError):
    """Something else has the name there; another name may be free."""


class DestinationFull(DestinationError):
    """There is no room."""


class DestinationRefused(DestinationError):
    """It is not there, or does not let itself be written to."""
