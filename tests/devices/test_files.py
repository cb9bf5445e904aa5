"""Pages that come as files."""

import io
from pathlib import Path
from typing import Any

import numpy as np
import pikepdf
import pytest
from PIL import Image
from tests.helpers import photograph

from papiermappe.core.encode.jpeg import encode_jpeg
from papiermappe.core.picture import Pixels
from papiermappe.devices.errors import FileRefused
from papiermappe.devices.files import HowToRead, count_pages, pages_of


def written(folder: Path, name: str, data: bytes) -> Path:
    """Write a file."""
    file = folder / name
    file.write_bytes(data)
    return file


def saved(picture: Image.Image, kind: str, **how: Any) -> bytes:
    """Encode a picture."""
    out = io.BytesIO()
    picture.save(out, kind, **how)
    return out.getvalue()


def pdf_of(sizes_pt: list[tuple[float, float]], encryption: pikepdf.Encryption | None = None) -> bytes:
    """Return a PDF of blank pages."""
    out = io.BytesIO()
    with pikepdf.new() as pdf:
        for size in sizes_pt:
            pdf.add_blank_page(page_size=size)
        pdf.save(out, encryption=encryption)
    return out.getvalue()


def test_a_jpeg_comes_byte_for_byte(tmp_path: Path, grey_page: Pixels) -> None:
    data = encode_jpeg(grey_page)
    (page,) = pages_of(written(tmp_path, "page.jpg", data))
    assert page.data == data


def test_the_resolution_is_that_of_the_file_or_a_likely_one(tmp_path: Path) -> None:
    said = saved(Image.new("L", (400, 500), 255), "PNG", dpi=(200, 200))
    (page,) = pages_of(written(tmp_path, "said.png", said))
    assert page.dpi == pytest.approx(200, abs=0.1)
    # A photo says nothing and is too large for 300 dpi: its longer side is taken for that of A4, 4000 px on 297 mm.
    (photo,) = pages_of(written(tmp_path, "photo.jpg", saved(Image.new("L", (3000, 4000), 255), "JPEG")))
    assert photo.dpi == pytest.approx(4000 / 297 * 25.4, abs=0.1)


def test_a_tiff_with_many_pages(tmp_path: Path) -> None:
    frames = [Image.fromarray(np.full((60, 40), level, np.uint8)) for level in (0, 120, 250)]
    file = written(tmp_path, "many.tif", saved(frames[0], "TIFF", save_all=True, append_images=frames[1:]))
    assert count_pages(file) == 3
    assert [int(page.pixels().mean()) for page in pages_of(file)] == [0, 120, 250]


@pytest.mark.parametrize(
    ("mode", "colour", "level"),
    [
        ("1", 1, 255),
        ("LA", (0, 0), 255),  # all shines through: paper
        ("RGBA", (10, 20, 30, 0), 255),
        ("P", 0, 0),
        ("CMYK", (0, 0, 0, 0), 255),
        ("I;16", 65535, 255),
        ("F", 1.0, 255),
    ],
)
def test_pictures_of_all_modes(tmp_path: Path, mode: str, colour: Any, level: int) -> None:
    data = saved(Image.new(mode, (30, 20), colour), "TIFF" if mode not in {"RGBA", "LA"} else "PNG")
    (page,) = pages_of(written(tmp_path, f"page.{mode.replace(';', '')}.tif", data))
    assert int(page.pixels().mean()) == level


def test_what_phones_say_of_the_way_up_is_heard(tmp_path: Path) -> None:
    exif = Image.Exif()
    exif[0x0112] = 6  # to be turned clockwise by a quarter
    picture = np.full((40, 80), 255, np.uint8)
    picture[:, :40] = 0  # the left half is dark: it comes to the top
    jpeg = saved(Image.fromarray(picture), "JPEG", exif=exif)
    (page,) = pages_of(written(tmp_path, "phone.jpg", jpeg))
    assert page.data == jpeg  # as it came: encoded anew without loss it would be much larger
    pixels = page.pixels()
    assert pixels.shape[:2] == (80, 40)
    assert pixels[:30].mean() < 10 < 245 < pixels[50:].mean()


def test_a_pdf_is_drawn_page_by_page(tmp_path: Path) -> None:
    file = written(tmp_path, "two.pdf", pdf_of([(595.276, 841.89), (420, 595)]))
    assert count_pages(file) == 2
    first, second = pages_of(file, HowToRead(100))
    assert first.pixels().shape[:2] == (1170, 827)  # 210 x 297 mm at 100 dpi: 826.8 x 1169.3, filled up
    assert second.dpi == 100


def scanned_pdf(
    jpeg: bytes, size_px: tuple[int, int], *, content: str = "", dpi: float = 200.0, turned: int = 0, **image: object
) -> bytes:
    """Return a PDF with one page that is a JPEG of a page, as a scanner makes it, and what is painted besides."""
    width_px, height_px = size_px
    width_pt, height_pt = width_px / dpi * 72, height_px / dpi * 72
    pdf = pikepdf.new()
    page = pdf.add_blank_page(page_size=(width_pt, height_pt))
    stream = pdf.make_stream(
        jpeg,
        Type=pikepdf.Name.XObject,
        Subtype=pikepdf.Name.Image,
        Width=width_px,
        Height=height_px,
        BitsPerComponent=8,
        Filter=pikepdf.Name.DCTDecode,
        ColorSpace=pikepdf.Name.DeviceGray,
        **image,
    )
    font = pikepdf.Dictionary(Type=pikepdf.Name.Font, Subtype=pikepdf.Name.Type1, BaseFont=pikepdf.Name.Helvetica)
    page.Resources = pikepdf.Dictionary(XObject={"/Im0": stream}, Font={"/F0": pdf.make_indirect(font)})
    page.Contents = pdf.make_stream(f"q {width_pt} 0 0 {height_pt} 0 0 cm /Im0 Do Q {content}".encode())
    page.Rotate = turned
    out = io.BytesIO()
    pdf.save(out)
    return out.getvalue()


HIDDEN_TEXT = "BT /F0 12 Tf 3 Tr 20 20 Td (Upper Meadow) Tj ET"


@pytest.mark.parametrize(
    ("how", "untouched"),
    [
        ({}, True),
        ({"content": HIDDEN_TEXT}, True),
        ({"content": HIDDEN_TEXT.replace("3 Tr", "0 Tr")}, False),  # a stamp that is to be seen
        ({"content": "0 0 m 50 50 l S"}, False),
        ({"turned": 90}, False),
        ({"Decode": pikepdf.Array([1, 0])}, False),  # a negative
    ],
)
def test_a_pdf_page_that_is_one_picture_gives_it_untouched(
    tmp_path: Path, grey_page: Pixels, how: dict[str, Any], untouched: bool
) -> None:
    jpeg = encode_jpeg(grey_page)
    height_px, width_px = grey_page.shape
    (page,) = pages_of(written(tmp_path, "scan.pdf", scanned_pdf(jpeg, (width_px, height_px), **how)))
    assert (page.data == jpeg) is untouched
    assert page.dpi == pytest.approx(200 if untouched else 300, abs=0.1)


def test_a_pdf_shows_its_picture_as_it_lies_whatever_its_exif_tells(tmp_path: Path, grey_page: Pixels) -> None:
    exif = Image.Exif()
    exif[0x0112] = 6
    jpeg = saved(Image.fromarray(grey_page), "JPEG", exif=exif)
    height_px, width_px = grey_page.shape
    (page,) = pages_of(written(tmp_path, "scan.pdf", scanned_pdf(jpeg, (width_px, height_px))))
    pixels = page.pixels()
    assert (pixels.shape[0] > pixels.shape[1]) == (height_px > width_px)


def test_a_bilevel_page_of_a_pdf_comes_in_its_own_pixels(tmp_path: Path) -> None:
    page = Image.fromarray(np.arange(600 * 400).reshape(600, 400) % 7 > 3)
    page.save(tmp_path / "fax.pdf", "PDF", resolution=204)
    (got,) = pages_of(tmp_path / "fax.pdf")
    assert got.dpi == pytest.approx(204, abs=0.5)
    assert np.array_equal(got.pixels() > 128, np.asarray(page))


def test_pages_are_passed_over_and_passwords_open(tmp_path: Path) -> None:
    many = pdf_of([(72, 72), (144, 72), (72, 144)], encryption=pikepdf.Encryption(owner="a", user="b"))
    pages = list(pages_of(written(tmp_path, "locked.pdf", many), HowToRead(72, first=1, password="b")))
    assert [page.pixels().shape[:2] for page in pages] == [(72, 144), (144, 72)]
    with pytest.raises(FileRefused, match="file_locked"):
        list(pages_of(tmp_path / "locked.pdf", HowToRead(password="c")))


def test_a_photograph_of_a_phone(tmp_path: Path) -> None:
    data = saved(Image.new("RGB", (640, 480), (200, 30, 30)), "HEIF")
    (page,) = pages_of(written(tmp_path, "phone.heic", data))
    assert page.pixels().shape == (480, 640, 3)


def test_a_resolution_that_cannot_be_is_not_believed(tmp_path: Path) -> None:
    said = saved(Image.new("L", (4000, 3000), 255), "JPEG", dpi=(72, 72))  # 4000 px at 72 dpi: 1.4 m
    (page,) = pages_of(written(tmp_path, "phone.jpg", said))
    assert page.dpi == pytest.approx(4000 / 297 * 25.4, abs=0.1)


@pytest.mark.parametrize(
    ("name", "data", "why"),
    [
        ("locked.pdf", pdf_of([(100, 100)], encryption=pikepdf.Encryption(owner="a", user="b")), "file_locked"),
        ("broken.pdf", b"%PDF-1.7\nnothing more", "file_damaged"),
        ("words.txt", b"no picture at all", "file_unreadable"),
        ("empty.jpg", b"", "file_unreadable"),
        ("half.tif", saved(Image.new("L", (400, 400)), "TIFF")[:200], "file_unreadable"),
        ("huge.pdf", pdf_of([(14_000, 14_000)]), "file_page_too_large"),
    ],
)
def test_what_cannot_be_read_is_named(tmp_path: Path, name: str, data: bytes, why: str) -> None:
    with pytest.raises(FileRefused, match=rf"{why}\(file='{name}'"):
        list(pages_of(written(tmp_path, name, data)))


def test_a_file_that_is_not_there_is_named(tmp_path: Path) -> None:
    for call in (lambda file: list(pages_of(file)), count_pages):
        with pytest.raises(FileRefused, match=r"nowhere\.jpg"):
            call(tmp_path / "nowhere.jpg")


def test_sizes_are_checked_before_decoding(tmp_path: Path) -> None:
    large = saved(Image.new("1", (3000, 3000)), "TIFF", compression="group4")
    with pytest.raises(FileRefused, match="file_picture_too_large"):
        list(pages_of(written(tmp_path, "large.tif", large), limit_px=1_000_000))


@pytest.mark.parametrize(("name", "kind"), [("large.png", "PNG"), ("large.tif", "TIFF")])
def test_the_size_of_a_huge_picture_is_said(tmp_path: Path, name: str, kind: str) -> None:
    """Of 400 megapixels, of which Pillow would say no more than that it does not open such."""
    head = saved(Image.new("1", (20_000, 20_000)), kind)
    with pytest.raises(FileRefused, match=r"file_picture_too_large\(.*width_px=20000"):
        list(pages_of(written(tmp_path, name, head)))


def written_pdf(left_pt: float, base_pt: float, *lines: str) -> bytes:
    """Return a PDF whose page, 300 by 400 points, has lines of text, the first one at a place, in 20 points."""
    pdf = pikepdf.new()
    page = pdf.add_blank_page(page_size=(300, 400))
    font = pikepdf.Dictionary(Type=pikepdf.Name.Font, Subtype=pikepdf.Name.Type1, BaseFont=pikepdf.Name.Helvetica)
    page.Resources = pikepdf.Dictionary(Font={"/F1": font})
    shown = " T* ".join(f"({line}) Tj" for line in lines)
    page.Contents = pdf.make_stream(f"BT /F1 20 Tf 24 TL {left_pt} {base_pt} Td {shown} ET".encode())
    out = io.BytesIO()
    pdf.save(out)
    return out.getvalue()


def test_what_a_pdf_says_comes_with_its_page_and_places(tmp_path: Path) -> None:
    file = tmp_path / "written.pdf"
    file.write_bytes(written_pdf(72, 300, "Lease of", "Upper Meadow"))
    (page,) = pages_of(file)
    assert page.text is not None
    assert page.text.text == "Lease of\nUpper Meadow"
    first = next(page.text.lines())
    # 72 pt are 25.4 mm; the base line is 100 pt below the top, capitals of 20 pt reach 14.4 pt above it (718/1000)
    assert first.box.left == pytest.approx(25.4, abs=0.8)
    assert first.box.bottom == pytest.approx(100 / 72 * 25.4, abs=0.3)
    assert first.box.top == pytest.approx((100 - 14.6) / 72 * 25.4, abs=0.5)
    assert (page.text.width_mm, page.text.height_mm) == pytest.approx((300 / 72 * 25.4, 400 / 72 * 25.4))


@pytest.mark.parametrize(("words", "is_kept"), [("Page 3", False), ("Lease of Upper Meadow. " * 5, True)])
def test_a_stamp_on_a_scanned_page_is_not_what_the_page_says(tmp_path: Path, words: str, is_kept: bool) -> None:
    with pikepdf.open(io.BytesIO(written_pdf(20, 300, words))) as pdf:
        picture = pdf.make_stream(
            b"\xf0" * 100, Type=pikepdf.Name.XObject, Subtype=pikepdf.Name.Image, Width=10, Height=10,
            BitsPerComponent=8, ColorSpace=pikepdf.Name.DeviceGray,
        )  # fmt: skip
        page = pdf.pages[0]
        page.Resources.XObject = pikepdf.Dictionary({"/Im0": picture})
        page.contents_add(pdf.make_stream(b"q 300 0 0 400 0 0 cm /Im0 Do Q"), prepend=True)
        file = tmp_path / "stamped.pdf"
        pdf.save(file)
    (page_of_file,) = pages_of(file)
    assert (page_of_file.text is not None) is is_kept


def test_a_page_that_says_nothing_has_no_text(tmp_path: Path) -> None:
    file = tmp_path / "blank.pdf"
    file.write_bytes(pdf_of([(300, 400)]))
    (page,) = pages_of(file)
    assert page.text is None


@pytest.mark.parametrize(("named", "guessed"), [((200, 200), False), ((1, 1), True), (None, True)])
def test_a_likely_resolution_is_said_to_be_one(tmp_path: Path, named: tuple[int, int] | None, guessed: bool) -> None:
    file = tmp_path / "page.png"
    picture = Image.fromarray(np.full((1169, 827), 200, np.uint8))
    picture.save(file, "PNG", dpi=named) if named else picture.save(file, "PNG")
    (page,) = pages_of(file)
    assert page.is_dpi_guessed is guessed


@pytest.mark.parametrize(
    ("names_camera", "as_photos", "is_photo"), [(True, False, True), (False, True, True), (False, False, False)]
)
def test_a_photo_is_one_that_names_a_camera_or_is_said_to_be_one(
    tmp_path: Path, grey_page: Pixels, names_camera: bool, as_photos: bool, is_photo: bool
) -> None:
    file = written(tmp_path, "table.jpg", photograph(grey_page, names_camera))
    (picture,) = pages_of(file, HowToRead(as_photos=as_photos))
    assert picture.by_camera is is_photo
    assert picture.data == file.read_bytes()
    # 1400 px for the focal length and 500 mm away: 2.8 px a mm, where the sheet is neither nearer nor farther.
    assert not is_photo or 0.9 < picture.dpi / (2.8 * 25.4) < 1.3


def test_a_photo_of_no_sheet_comes_in_with_a_likely_resolution(tmp_path: Path) -> None:
    table = Image.fromarray(np.random.default_rng(4).normal(90, 4, (1200, 1600)).astype(np.uint8))
    exif = Image.Exif()
    exif.get_ifd(0x8769)[0x920A] = 4.2  # a focal length, in mm
    (picture,) = pages_of(written(tmp_path, "table.jpg", saved(table, "JPEG", exif=exif)))
    assert (picture.by_camera, picture.is_dpi_guessed) == (True, True)
    assert picture.dpi == 300
