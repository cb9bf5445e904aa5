"""Why a document could not be delivered.

DestinationError
├── NameTaken           something else has the name there
├── DestinationFull     there is no room
├── DestinationAway     it does not answer, or not now: later it may
└── DestinationRefused  it does not exist, or will not take it
"""

from papiermappe.errors import PapiermappeError


class DestinationError(PapiermappeError):
    """The root of delivery errors."""


class NameTaken(DestinationError):
    """Something else has the name there; another name may be free."""


class DestinationFull(DestinationError):
    """There is no room."""


class DestinationAway(DestinationError):
    """It does not answer, or not now: the same is tried again later."""


class DestinationRefused(DestinationError):
    """It does not exist, or will not take it: a person has to see to it."""
