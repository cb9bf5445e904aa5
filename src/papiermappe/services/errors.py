"""Why a request cannot be carried out.

ServiceError
├── NotFound            what was asked for is not there
├── ChangedMeanwhile    someone else has changed the same thing since it was seen
├── NotPossible         it cannot be done in the present state
├── LinkOver            the link by which a phone came opens nothing, or nothing any more
├── RunHeld             another worker is receiving the run
└── Stopped             it was stopped because somebody asked for it
"""

from papiermappe.errors import PapiermappeError


class ServiceError(PapiermappeError):
    """The root of these errors."""


class NotFound(ServiceError):
    """What was asked for is not there."""


class ChangedMeanwhile(ServiceError):
    """Someone else has changed the same thing since it was seen."""


class NotPossible(ServiceError):
    """It cannot be done in the present state."""


class LinkOver(ServiceError):
    """The link by which a phone came opens nothing, or nothing any more."""


class RunHeld(ServiceError):
    """Another worker is receiving the run."""


class Stopped(ServiceError):
    """It was stopped because somebody asked for it."""
