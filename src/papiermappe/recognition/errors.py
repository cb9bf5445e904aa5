"""Errors of recognisers.

RecogniserError
├── RecogniserAbsent    it is not installed
│   └── LanguageAbsent  the data of a language is not installed
├── RecogniserFailed    it crashed, or took too long
└── ReadingCancelled    it was cancelled
"""

from typing import Any

from papiermappe.errors import PapiermappeError


class RecogniserError(PapiermappeError):
    """Base class of these errors."""


class RecogniserAbsent(RecogniserError):
    """The recogniser, or its data for detecting orientation, is not installed."""


class LanguageAbsent(RecogniserAbsent):
    """The data of a language is not installed."""

    def __init__(self, language: str) -> None:
        super().__init__("language_absent", language=language, package=f"tesseract-ocr-{language.replace('_', '-')}")


class ReadingCancelled(RecogniserError):
    """The reading was cancelled."""


class RecogniserFailed(RecogniserError):
    """The recogniser crashed, or took too long.

    Args:
        code: of the message.
        status: its exit status; None if it was stopped because it took too long.
        said: what it wrote to its standard error, for the log.
    """

    def __init__(self, code: str, status: int | None, said: str, **params: Any) -> None:
        super().__init__(code, **params)
        self.status = status
        self.said = said
