"""What recognisers do."""

import threading
from collections.abc import Sequence
from typing import Protocol

from papiermappe.core.clean.upright import TurnEstimate
from papiermappe.core.encode.plain import Readable
from papiermappe.core.reading.page_text import PageText, RecognitionMode


class OrientationDetector(Protocol):
    """Recognises print well enough to tell which way up it stands."""

    def find_upright(self, picture: bytes, dpi: float) -> TurnEstimate:
        """Return how a page, PNM, PNG or JPEG, has to be turned. Raises RecogniserError."""
        ...


class TextRecogniser(Protocol):
    """TextRecogniser print."""

    def in_background(self) -> "TextRecogniser":
        """Return one that leaves the machine to everything else."""
        ...

    def languages(self) -> frozenset[str]:
        """Return the codes of the languages that it can read. Raises RecogniserError."""
        ...

    def read(
        self, page: Readable, languages: Sequence[str], mode: RecognitionMode, cancelled: threading.Event | None = None
    ) -> PageText:
        """Return what is written on a page; set `cancelled` to have it break off. Raises RecogniserError."""
        ...


class Recogniser(OrientationDetector, TextRecogniser, Protocol):
    """Does both."""
