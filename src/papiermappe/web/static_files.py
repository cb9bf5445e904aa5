"""Styles, scripts and fonts, under an address that changes when they do.

A station is a page of its own, with some eighty files: browsers keep them, and ask for none of them again.
"""

import hashlib
import re
from pathlib import Path

from fastapi.staticfiles import StaticFiles
from starlette.responses import Response
from starlette.types import Scope

from papiermappe.web.context import FOR_EVER

ROOT = "/static"
_VERSION = re.compile(r"v-[0-9a-f]{12}")
_KEPT = {200, 206, 304}


class VersionedFiles(StaticFiles):
    """Sends the files of a folder, with a version before their path or without one.

    Modules import each other by their places beside each other, so the version is the same for all. A window of an
    earlier version still gets files, but does not keep them.

    Args:
        folder: of the files, which stay as they are.
    """

    def __init__(self, folder: Path) -> None:
        super().__init__(directory=folder)
        self._version = f"v-{_digest(folder)[:12]}"

    @property
    def root(self) -> str:
        """The address of the folder; it ends without a slash."""
        return f"{ROOT}/{self._version}"

    async def get_response(self, path: str, scope: Scope) -> Response:
        """Send a file."""
        version, _, rest = path.partition("/")
        response = await super().get_response(rest if _VERSION.fullmatch(version) else path, scope)
        if version == self._version and response.status_code in _KEPT:
            response.headers.update(FOR_EVER)
        return response


def _digest(folder: Path) -> str:
    """Return what tells whether any file of a folder has changed."""
    digest = hashlib.sha256()
    for file in sorted(path for path in folder.rglob("*") if path.is_file()):
        digest.update(file.relative_to(folder).as_posix().encode() + b"\0" + hashlib.sha256(file.read_bytes()).digest())
    return digest.hexdigest()
