"""What goes wrong with a recogniser.

RecogniserError
├── RecogniserAbsent    it is not installed
│   └── LanguageAbsent  what it needs to know of a language is not installed
├── RecogniserFailed    it broke off, or took too long
└── ReadingCancelled    it was stopped because it was asked to
"""

from typing import Any

from papiermappe.errors import PapiermappeError


class RecogniserError(PapiermappeError):
    """The root of what goes wrong with a recogniser."""


class RecogniserAbsent(RecogniserError):
    """The recogniser, or what it needs for the way up, is not installed."""


class LanguageAbsent(RecogniserAbsent):
    """What the recogniser needs to know of a language is not installed."""

    def __init__(self, language: str) -> None:
        super().__init__("language_absent", language=language, package=f"tesseract-ocr-{language.replace('_', '-')}")


class ReadingCancelled(RecogniserError):
    """The recogniser was stopped because it was asked to."""


class RecogniserFailed(RecogniserError):
    """The recogniser broke off, or took too long.

    Args:
        code: what happened.
        status: its exit status, None where it was stopped because it took too long.
        said: what it wrote to its standard error, for the log.
    """

    def __init__(self, code: str, status: int | None, said: str, **params: Any) -> None:
        super().__init__(code, **params)
        self.status = status
        self.said = said
