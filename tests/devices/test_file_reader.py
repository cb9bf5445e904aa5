"""Files are read in a child process, which may crash, hang or want too much memory, and takes nothing with it."""

import os
import signal
import time
from collections.abc import Iterator
from pathlib import Path

import cv2
import numpy as np
import pytest
from PIL import Image
from tests.devices.test_files import pdf_of, saved, written

from papiermappe.core.picture import CapturedPicture
from papiermappe.devices.errors import FileRefused
from papiermappe.devices.file_reader import FileReader, ReaderLimits
from papiermappe.devices.files import HowToRead

AT_300 = HowToRead()


@pytest.fixture
def good(tmp_path: Path) -> Path:
    """A picture that can be read."""
    return written(tmp_path, "good.png", saved(Image.new("L", (40, 50), 200), "PNG", dpi=(100, 100)))


@pytest.fixture
def reader() -> Iterator[FileReader]:
    """A reader with little time and memory."""
    with FileReader(ReaderLimits(page_px=20_000_000, page_s=20.0)) as found:
        yield found


def damaged_tiffs() -> dict[str, bytes]:
    """Return TIFFs that are damaged in ways that libraries answer with errors of many kinds."""
    whole = saved(Image.effect_noise((60, 40), 80), "TIFF", compression="tiff_lzw")
    width_tag = whole.index(b"\x00\x01\x03\x00") if b"\x00\x01\x03\x00" in whole else whole.index(b"\x00\x01\x04\x00")
    return {
        "cut": whole[: len(whole) // 2],
        "no width": whole[:width_tag] + b"\xee\xee" + whole[width_tag + 2 :],
        "no tags": whole[:8],
        "tags elsewhere": whole[:4] + b"\xff\xff\xff\x7f" + whole[8:],
        "noise": whole[:8] + bytes(range(256)) * 4,
    }


def test_pages_come_as_from_the_file_itself(reader: FileReader, tmp_path: Path, good: Path) -> None:
    frames = [Image.fromarray(np.full((60, 40), level, np.uint8)) for level in (0, 120, 250)]
    many = written(tmp_path, "many.tif", saved(frames[0], "TIFF", save_all=True, append_images=frames[1:]))
    assert reader.count(many) == 3
    assert [int(page.pixels().mean()) for page in reader.pages(many, AT_300)] == [0, 120, 250]
    (page,) = reader.pages(good, AT_300)
    assert page.data == good.read_bytes()
    (drawn,) = reader.pages(written(tmp_path, "one.pdf", pdf_of([(72, 144)])), HowToRead(100))
    assert drawn.pixels().shape[:2] == (200, 100)


@pytest.mark.parametrize("damage", damaged_tiffs())
def test_a_damaged_file_is_refused_by_its_name_and_the_next_is_read(
    damage: str, reader: FileReader, tmp_path: Path, good: Path
) -> None:
    bad = written(tmp_path, "bad.tif", damaged_tiffs()[damage])
    with pytest.raises(FileRefused) as refused:
        list(reader.pages(bad, AT_300))
    assert refused.value.message.params["file"] == "bad.tif"
    assert len(list(reader.pages(good, AT_300))) == 1


@pytest.mark.parametrize("at", [8, 20, 30, 40, 60])
def test_a_damaged_png_with_exif_is_read_or_refused(at: int, reader: FileReader, tmp_path: Path) -> None:
    exif = Image.Exif()
    exif[0x0112] = 3
    data = bytearray(saved(Image.new("L", (40, 50), 200), "PNG", exif=exif))
    data[-at - 4 : -at] = b"\xff\xff\xff\xff"
    try:
        pages = list(reader.pages(written(tmp_path, "exif.png", bytes(data)), AT_300))
    except FileRefused:
        return
    assert [page.pixels().shape for page in pages] == [(50, 40)]


def test_a_reader_that_crashes_costs_one_file(reader: FileReader, tmp_path: Path, good: Path) -> None:
    frames = [Image.effect_noise((1500, 1500), 80) for _ in range(4)]
    many = written(tmp_path, "many.tif", saved(frames[0], "TIFF", save_all=True, append_images=frames[1:]))
    pages = reader.pages(many, AT_300)
    first = next(pages)
    assert reader._child is not None
    os.kill(reader._child[0].pid or 0, signal.SIGKILL)  # as the kernel does when memory runs out
    with pytest.raises(FileRefused, match="file_reader_died"):
        list(pages)
    assert first.pixels().shape == (1500, 1500)  # what had come stays
    assert len(list(reader.pages(good, AT_300))) == 1


def test_a_file_that_takes_too_long_is_refused(tmp_path: Path, good: Path) -> None:
    fifo = tmp_path / "endless.pdf"
    os.mkfifo(fifo)  # opening it never ends
    began_s = time.monotonic()
    with FileReader(ReaderLimits(page_s=1.0)) as reader:
        with pytest.raises(FileRefused, match=r"file_too_slow"):
            list(reader.pages(fifo, AT_300))
        assert time.monotonic() - began_s < 5
        assert len(list(reader.pages(good, AT_300))) == 1


def test_a_file_that_takes_too_much_memory_is_refused(tmp_path: Path, good: Path) -> None:
    """A TIFF of some KB whose page of 100 megapixels in colour takes 700 MB to unpack, where 200 MB are allowed."""
    huge = written(tmp_path, "huge.tif", saved(Image.new("RGB", (10_000, 10_000)), "TIFF", compression="tiff_deflate"))
    assert huge.stat().st_size < 500_000
    with FileReader(ReaderLimits(page_px=200_000_000, bytes_a_px=0)) as reader:
        with pytest.raises(FileRefused, match=r"file_needs_memory|file_unreadable|file_reader_died"):
            list(reader.pages(huge, AT_300))
        assert len(list(reader.pages(good, AT_300))) == 1


def test_a_page_larger_than_the_limit_is_refused_before_it_is_unpacked(reader: FileReader, tmp_path: Path) -> None:
    huge = written(tmp_path, "huge.tif", saved(Image.new("1", (10_000, 15_000), 1), "TIFF", compression="group4"))
    with pytest.raises(FileRefused, match="file_picture_too_large"):
        list(reader.pages(huge, AT_300))


def test_leaving_a_file_in_the_middle_does_not_mix_it_with_the_next(
    reader: FileReader, tmp_path: Path, good: Path
) -> None:
    frames = [Image.effect_noise((900, 900), 80) for _ in range(6)]
    many = written(tmp_path, "many.tif", saved(frames[0], "TIFF", save_all=True, append_images=frames[1:]))
    pages = reader.pages(many, AT_300)
    next(pages)
    pages.close()  # type: ignore[attr-defined]  # a generator
    shapes = [page.pixels().shape for page in reader.pages(good, AT_300)]
    assert shapes == [(50, 40)]


def test_a_picture_that_would_be_finer_than_any_scan_is_still_read(reader: FileReader, tmp_path: Path) -> None:
    """60,000 px on the length of an A4 sheet would be 5131 dpi."""
    strip = np.full((60_000, 20), 255, np.uint8)
    coded, data = cv2.imencode(".png", strip)
    assert coded
    (page,) = reader.pages(written(tmp_path, "strip.png", data.tobytes()), AT_300)
    assert isinstance(page, CapturedPicture)
    assert page.dpi == 4800
