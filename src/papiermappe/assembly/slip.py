"""The slip of a document that was made without a desk: from which files, and what was done to their pages."""

import hashlib
from collections.abc import Sequence
from datetime import datetime
from pathlib import Path

from pydantic import BaseModel

from papiermappe.assembly.errors import FileThere
from papiermappe.assembly.request import PageReport
from papiermappe.core.encode.options import SLIP_ENDING


class SlipFile(BaseModel):
    """A file, and what proves that it is the same."""

    name: str
    sha256: str
    byte_size: int


class AssemblySlip(BaseModel):
    """The record that lies beside a document."""

    documents: list[SlipFile]
    """One, or one a page."""
    made_at: datetime
    sources: list[SlipFile]
    pages: list[PageReport]


def write_slip(documents: Sequence[Path], pages: Sequence[PageReport], now: datetime, replaces: bool) -> Path:
    """Write the slip of documents beside the first of them; return where it lies.

    Raises:
        FileThere: something has its name, and is not to be replaced.
        OSError: it cannot be written.
    """
    slip = AssemblySlip(
        documents=[_proven(file) for file in documents],
        made_at=now,
        sources=[_proven(file) for file in dict.fromkeys(Path(page.source) for page in pages)],
        pages=list(pages),
    )
    place = documents[0].with_name(documents[0].stem + SLIP_ENDING)
    try:
        with place.open("w" if replaces else "x") as out:
            out.write(slip.model_dump_json(indent=1) + "\n")
    except FileExistsError as exc:
        raise FileThere("file_there", file=str(place)) from exc
    return place


def _proven(file: Path) -> SlipFile:
    with file.open("rb") as opened:
        sha256 = hashlib.file_digest(opened, "sha256").hexdigest()
    return SlipFile(name=file.name, sha256=sha256, byte_size=file.stat().st_size)
