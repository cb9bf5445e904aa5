"""Pages kept in a folder while it is found out in which order, and in which document, they go."""

import tempfile
from dataclasses import replace
from pathlib import Path
from typing import NamedTuple

from papiermappe.assembly.source import SourcePage


class KeptPage(NamedTuple):
    """A page whose picture lies in the folder."""

    page: SourcePage
    """Without its picture."""
    picture: Path

    def whole(self) -> SourcePage:
        """Return the page with its picture."""
        return self.page._replace(capture=replace(self.page.capture, data=self.picture.read_bytes()))


class PageFolder:
    """A folder of pages, removed at the end."""

    def __init__(self) -> None:
        self._count = 0
        self._folder = tempfile.TemporaryDirectory(prefix="papiermappe-")

    def __enter__(self) -> "PageFolder":
        """Return it."""
        return self

    def __exit__(self, *_: object) -> None:
        """Remove the folder."""
        self._folder.cleanup()

    def keep(self, page: SourcePage) -> KeptPage:
        """Put the picture of a page into the folder."""
        self._count += 1
        picture = Path(self._folder.name) / str(self._count)
        picture.write_bytes(page.capture.data)
        return KeptPage(page._replace(capture=replace(page.capture, data=b"")), picture)
