"""Protocols of recognisers."""

import threading
from collections.abc import Sequence
from typing import Protocol

from papiermappe.core.clean.upright import TurnEstimate
from papiermappe.core.encode.plain import Readable
from papiermappe.core.reading.page_text import PageText, RecognitionMode


class OrientationDetector(Protocol):
    """Finds which way up a page is."""

    def find_upright(self, picture: bytes, dpi: float) -> TurnEstimate:
        """Return the turn that puts a page (PNM, PNG or JPEG) upright. Raises RecogniserError."""
        ...


class TextRecogniser(Protocol):
    """Recognises text."""

    def in_background(self) -> "TextRecogniser":
        """Return a recogniser that runs at low priority."""
        ...

    def languages(self) -> frozenset[str]:
        """Return the codes of the languages it can read. Raises RecogniserError."""
        ...

    def read(
        self, page: Readable, languages: Sequence[str], mode: RecognitionMode, cancelled: threading.Event | None = None
    ) -> PageText:
        """Return the text of a page; set `cancelled` to stop. Raises RecogniserError."""
        ...


class Recogniser(OrientationDetector, TextRecogniser, Protocol):
    """Finds orientation and recognises text."""
