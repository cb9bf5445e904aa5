"""Broken files: good ones of every kind, damaged in their bytes, numbers, lengths and order."""

import io
import random
import struct
import tempfile
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import pikepdf
from PIL import Image

from benchmarks.fuzzing.tally import Tally, megabytes, watched_peak
from papiermappe.devices.file_reader import FileReader, ReaderLimits
from papiermappe.devices.files import HowToRead

LIMITS = ReaderLimits(page_px=30_000_000, page_s=8.0)
PDF_DPI = 60.0
MAX_PAGES_ASKED = 40
GROWTH_BYTES = 200_000_000
NUMBERS = (0, 1, 2, 0x7F, 0xFF, 0x7FFF, 0xFFFF, 0x10000, 0x7FFFFFFF, 0x80000000, 0xFFFFFFFF)


def good_files() -> dict[str, bytes]:
    """Return a small file of every kind."""
    hand = np.random.default_rng(5)
    noise = Image.fromarray(hand.integers(0, 255, (48, 64, 3), np.uint8))
    flat = Image.new("L", (64, 48), 200)
    bilevel = Image.new("1", (64, 48), 1)
    exif = Image.Exif()
    exif[0x0112] = 6
    files = {
        "rgb.jpg": _saved(noise, "JPEG", dpi=(200, 200)),
        "turned.jpg": _saved(noise, "JPEG", exif=exif),
        "stepwise.jpg": _saved(noise, "JPEG", progressive=True),
        "cmyk.jpg": _saved(noise.convert("CMYK"), "JPEG"),
        "rgb.png": _saved(noise, "PNG", dpi=(300, 300)),
        "alpha.png": _saved(noise.convert("RGBA"), "PNG"),
        "colours.png": _saved(noise.convert("P"), "PNG", exif=exif),
        "bilevel.png": _saved(bilevel, "PNG"),
        "deep.png": _saved(Image.fromarray(hand.integers(0, 65535, (48, 64), np.uint16)), "PNG"),
        "rgb.bmp": _saved(noise, "BMP"),
        "grey.ppm": _saved(flat, "PPM"),
        "rgb.webp": _saved(noise, "WEBP"),
        "moving.webp": _saved(noise, "WEBP", save_all=True, append_images=[noise.rotate(90)]),
        "many.tif": _saved(flat, "TIFF", save_all=True, append_images=[noise, flat], compression="tiff_lzw"),
        "text.pdf": _pdf(),
    }
    for compression in ("raw", "tiff_lzw", "tiff_deflate", "packbits", "jpeg"):
        files[f"{compression}.tif"] = _saved(noise, "TIFF", compression=compression)
    for compression in ("group3", "group4"):
        files[f"{compression}.tif"] = _saved(bilevel, "TIFF", compression=compression)
    return files


def _saved(picture: Image.Image, kind: str, **how: Any) -> bytes:
    out = io.BytesIO()
    picture.save(out, kind, **how)
    return out.getvalue()


def _pdf() -> bytes:
    out = io.BytesIO()
    with pikepdf.new() as pdf:
        for width_pt in (200, 300):
            page = pdf.add_blank_page(page_size=(width_pt, 200))
            page.Contents = pdf.make_stream(b"q 1 0 0 RG 10 10 100 100 re S Q BT ET")
        pdf.save(out, object_stream_mode=pikepdf.ObjectStreamMode.disable)
    return out.getvalue()


def broken(rng: random.Random, data: bytes, other: bytes) -> bytes:
    """Return a file damaged in one way or several."""
    for _ in range(rng.choice([1, 1, 1, 2, 4])):
        data = rng.choice(DAMAGES)(rng, data, other)
    return data


def _bits(rng: random.Random, data: bytes, __: bytes) -> bytes:
    changed = bytearray(data)
    for _ in range(rng.randrange(1, 12)):
        if changed:
            changed[rng.randrange(len(changed))] ^= 1 << rng.randrange(8)
    return bytes(changed)


def _number(rng: random.Random, data: bytes, _: bytes) -> bytes:
    """Put a large or small number somewhere, mostly near the start, where sizes are."""
    at = rng.randrange(min(len(data), rng.choice([40, 200, 10_000])) or 1)
    order = rng.choice("<>")
    kind, most = rng.choice([("H", 0xFFFF), ("I", 0xFFFFFFFF)])
    number = struct.pack(order + kind, min(rng.choice(NUMBERS), most))
    return data[:at] + number + data[at + len(number) :]


def _cut(rng: random.Random, data: bytes, _: bytes) -> bytes:
    return data[: rng.randrange(len(data) + 1)]


def _hole(rng: random.Random, data: bytes, _: bytes) -> bytes:
    start = rng.randrange(len(data) + 1)
    return data[:start] + data[start + rng.randrange(1, 60) :]


def _again(rng: random.Random, data: bytes, _: bytes) -> bytes:
    start = rng.randrange(len(data) + 1)
    return data[:start] + data[max(0, start - rng.randrange(1, 300)) : start] * rng.randrange(1, 5) + data[start:]


def _splice(rng: random.Random, data: bytes, other: bytes) -> bytes:
    return data[: rng.randrange(len(data) + 1)] + other[rng.randrange(len(other) + 1) :]


def _noise(rng: random.Random, data: bytes, _: bytes) -> bytes:
    keep = rng.randrange(min(len(data), 64) + 1)
    return data[:keep] + rng.randbytes(rng.randrange(4000))


def _digits(rng: random.Random, data: bytes, _: bytes) -> bytes:
    """Change numbers that are written in digits, as those of PDF and PPM are."""
    at = rng.randrange(len(data) + 1)
    for start in range(at, min(at + 400, len(data))):
        if data[start : start + 1].isdigit():
            return data[:start] + rng.choice([b"-1", b"0", b"99999999999", b"1e9", b"4294967297"]) + data[start + 1 :]
    return data


DAMAGES: tuple[Callable[[random.Random, bytes, bytes], bytes], ...] = (
    _bits, _bits, _number, _number, _cut, _hole, _again, _splice, _noise, _digits,
)  # fmt: skip


def run(numbers: range, seed: int) -> Tally:
    """Read a broken file, once a case, all by one reader; now and then a good one must come through."""
    tally, files = Tally(), good_files()
    names = list(files)
    with tempfile.TemporaryDirectory() as folder, FileReader(LIMITS) as reader, watched_peak() as risen:
        for case in numbers:
            rng = random.Random(f"{seed}-{case}")  # noqa: S311 (cases that can be made again)
            name, other = rng.choice(names), rng.choice(names)
            file = Path(folder) / name
            file.write_bytes(broken(rng, files[name], files[other]))
            tally.cases += 1
            tally.attempt(f"{case} {name}", LIMITS.page_s, lambda file=file: _read(reader, file))  # type: ignore[misc]  # mypy cannot infer a lambda with defaults
            if case % 50 == 0:
                file.write_bytes(files[name])
                if not _read(reader, file):
                    tally.wrong.append(f"{case} {name}: a good file after it was not read")
        if risen() > GROWTH_BYTES:
            tally.wrong.append(f"memory rose by {megabytes(risen())}")
    return tally


def _read(reader: FileReader, file: Path) -> int:
    count = 0
    reader.count(file)
    pages = reader.pages(file, HowToRead(PDF_DPI))
    for count, page in enumerate(pages, 1):
        page.head()
        if count == MAX_PAGES_ASKED:
            break
    return count
