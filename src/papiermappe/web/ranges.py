"""Sending files that stay as they are, whole or a part of them (RFC 9110, 14).

A browser that shows a long document asks for its first page, and for others when somebody turns to them.
"""

import re
from collections.abc import Callable, Iterator, Mapping
from typing import NamedTuple

from fastapi import Request
from fastapi.responses import Response, StreamingResponse
from starlette.middleware.gzip import DEFAULT_EXCLUDED_CONTENT_TYPES

from papiermappe.core.encode.format import Format

PACKED_ALREADY = (
    *DEFAULT_EXCLUDED_CONTENT_TYPES,
    *(kind.media_type for kind in (Format.PDF, Format.TIFF, Format.WORD)),
)
"""Media types that are sent as they are. Of others, which are compressed on their way, no part can be told."""
_ASKED = re.compile(r"bytes=(\d{0,18})-(\d{0,18})")
NOT_SATISFIABLE = 416


class Range(NamedTuple):
    """A part of a file, from a byte to the one before `end`."""

    first: int
    end: int


def send_file(
    request: Request,
    tag: str,
    byte_size: int,
    pieces: Callable[[int, int], Iterator[bytes]],
    headers: Mapping[str, str],
    media_type: str,
) -> Response:
    """Return an answer with a file, or with the part of it that is asked for.

    Args:
        request: that is answered.
        tag: tells the content of the file from any other.
        byte_size: of the file.
        pieces: yields what lies between two places of it.
        headers: of the answer.
        media_type: of the file.
    """
    if media_type not in PACKED_ALREADY:
        return StreamingResponse(pieces(0, byte_size), media_type=media_type, headers=dict(headers))
    quoted = f'"{tag}"'
    headers = {**headers, "Accept-Ranges": "bytes", "ETag": quoted}
    asked = request.headers.get("range") if request.headers.get("if-range") in {None, quoted} else None
    part = wanted_range(asked, byte_size)
    if part is None:
        headers["Content-Length"] = str(byte_size)
        return StreamingResponse(pieces(0, byte_size), media_type=media_type, headers=headers)
    if part.first >= part.end:
        return Response(status_code=NOT_SATISFIABLE, headers={**headers, "Content-Range": f"bytes */{byte_size}"})
    headers["Content-Range"] = f"bytes {part.first}-{part.end - 1}/{byte_size}"
    headers["Content-Length"] = str(part.end - part.first)
    return StreamingResponse(pieces(*part), status_code=206, media_type=media_type, headers=headers)


def wanted_range(asked: str | None, byte_size: int) -> Range | None:
    """Return the part of a file that the header Range asks for; empty where the file has no such part.

    None stands for the whole file: nothing is asked for, or what may be ignored, as several ranges or other units.

    >>> wanted_range("bytes=0-9", 100), wanted_range("bytes=90-", 100), wanted_range("bytes=-5", 100)
    (Range(first=0, end=10), Range(first=90, end=100), Range(first=95, end=100))
    >>> wanted_range("bytes=5-2", 100), wanted_range("bytes=200-", 100)
    (None, Range(first=200, end=100))
    """
    found = _ASKED.fullmatch(asked or "")
    if found is None or not any(found.groups()):
        return None
    first, last = found.groups()
    if not first:
        return Range(max(0, byte_size - int(last)), byte_size)
    if last and int(last) < int(first):
        return None
    return Range(int(first), min(int(last) + 1, byte_size) if last else byte_size)
