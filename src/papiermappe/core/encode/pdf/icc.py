"""The colour profile that says that pages are sRGB (IEC 61966-2-1), as an ICC profile of version 2 (ICC.1:2001-04)."""

import struct

import numpy as np

CURVE_PLACES = 1024
D50 = (0.9642, 1.0, 0.8249)
PRIMARIES = {  # of sRGB, adapted to D50 (Bradford)
    b"rXYZ": (0.4360747, 0.2225045, 0.0139322),
    b"gXYZ": (0.3850649, 0.7168786, 0.0971045),
    b"bXYZ": (0.1430804, 0.0606169, 0.7141733),
}
NAME = b"sRGB IEC 61966-2-1"
HEADER_BYTES, TAG_BYTES = 128, 12


def srgb_profile() -> bytes:
    """Return the profile."""
    curve = _curve()
    tags = {
        b"desc": b"desc\0\0\0\0" + struct.pack(">I", len(NAME) + 1) + NAME + b"\0" + bytes(8 + 3 + 67),
        b"cprt": b"text\0\0\0\0No rights are claimed in this profile.\0",
        b"wtpt": _xyz(D50),
        **{name: _xyz(place) for name, place in PRIMARIES.items()},
        **dict.fromkeys((b"rTRC", b"gTRC", b"bTRC"), curve),
    }
    at = HEADER_BYTES + 4 + TAG_BYTES * len(tags)
    places: dict[bytes, int] = {}
    body = b""
    for data in tags.values():
        if data not in places:
            places[data] = at + len(body)
            body += data + bytes(-len(data) % 4)
    table = struct.pack(">I", len(tags)) + b"".join(
        struct.pack(">4sII", name, places[data], len(data)) for name, data in tags.items()
    )
    return _header(at + len(body)) + table + body


def _header(size: int) -> bytes:
    """Return the header (ICC.1:2001-04, 6.1): a profile for displays, RGB to XYZ."""
    created = struct.pack(">6H", 2026, 11, 26, 0, 0, 0)
    head = struct.pack(">I4sI4s4s4s", size, b"\0\0\0\0", 0x02100000, b"mntr", b"RGB ", b"XYZ ") + created + b"acsp"
    head += bytes(4 + 4 + 4 + 4 + 8 + 4) + _xyz(D50)[8:]
    return head + bytes(HEADER_BYTES - len(head))


def _xyz(place: tuple[float, float, float]) -> bytes:
    return b"XYZ \0\0\0\0" + struct.pack(">3i", *(round(value * 65536) for value in place))


def _curve() -> bytes:
    encoded = np.arange(CURVE_PLACES) / (CURVE_PLACES - 1)
    linear = np.where(encoded <= 0.04045, encoded / 12.92, ((encoded + 0.055) / 1.055) ** 2.4)
    values = bytes(np.rint(linear * 65535).astype(">u2").tobytes())
    return b"curv\0\0\0\0" + struct.pack(">I", CURVE_PLACES) + values
