"""A page of a file that goes into an assembly."""

from pathlib import Path
from typing import Literal, NamedTuple

from papiermappe.devices.files import FilePicture


class SourcePage(NamedTuple):
    """A page of a file that goes into the assembly."""

    file: Path
    number: int
    """In its file, from 1."""
    capture: FilePicture
    sheet: int | None = None
    """Which of the sheets that fronts and backs were put together to; None where they were not."""
    half: Literal["left", "right"] | None = None
    """Which page of a spread; None where it is all that the file has there."""

    @property
    def key(self) -> tuple[str, int, str]:
        """By which it is known."""
        return str(self.file), self.number, self.half or ""
