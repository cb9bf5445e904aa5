"""What recognisers do."""

from collections.abc import Sequence
from typing import Protocol

from papiermappe.core.clean.upright import TurnEstimate
from papiermappe.core.page_text import PageText


class KnowsUpright(Protocol):
    """Recognises print well enough to tell which way up it stands."""

    def find_upright(self, picture: bytes, dpi: float) -> TurnEstimate:
        """Return how a page, PNM, PNG or JPEG, has to be turned. Raises RecogniserError."""
        ...


class Reads(Protocol):
    """Reads print."""

    def read(self, picture: bytes, dpi: float, languages: Sequence[str]) -> PageText:
        """Return what is written on a page, PNM, PNG or JPEG. Raises RecogniserError."""
        ...


class Recogniser(KnowsUpright, Reads, Protocol):
    """Does both."""
