"""What goes wrong with a recogniser.

RecogniserError
├── RecogniserAbsent    it, or what it needs to know of a language, is not installed
└── RecogniserFailed    it broke off, or took too long
"""

from papiermappe.errors import PapiermappeError


class RecogniserError(PapiermappeError):
    """The root of what goes wrong with a recogniser."""


class RecogniserAbsent(RecogniserError):
    """The recogniser, or what it needs to know of a language, is not installed."""


class RecogniserFailed(RecogniserError):
    """The recogniser broke off, or took too long.

    Args:
        message: for the person.
        status: its exit status, None where it was stopped because it took too long.
        said: what it wrote to its standard error, for the log.
    """

    def __init__(self, message: str, status: int | None, said: str) -> None:
        super().__init__(message)
        self.status = status
        self.said = said
