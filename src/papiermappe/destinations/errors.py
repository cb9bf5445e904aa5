"""Why a document could not be delivered.

DestinationError
├── NameTaken           something else has the name there
├── DestinationFull     there is no room
├── DestinationAway     it does not answer, or not now: later it may
│   └── DestinationPartly   some there have it, others get it later
└── DestinationRefused  it does not exist, or will not take it
"""

from typing import Any

from papiermappe.errors import PapiermappeError


class DestinationError(PapiermappeError):
    """The root of delivery errors."""


class NameTaken(DestinationError):
    """Something else has the name there; another name may be free."""


class DestinationFull(DestinationError):
    """There is no room."""


class DestinationAway(DestinationError):
    """It does not answer, or not now: the same is tried again later."""


class DestinationPartly(DestinationAway):
    """Some of those there have it; the others may get it later.

    Args:
        code: names the sentence.
        got: who has it.
        params: what the sentence needs.
    """

    def __init__(self, code: str, got: tuple[str, ...], **params: Any) -> None:
        super().__init__(code, got=", ".join(got), **params)
        self.got = got


class DestinationRefused(DestinationError):
    """It does not exist, or will not take it: a person has to see to it."""
