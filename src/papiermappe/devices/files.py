"""Pages that come as files: pictures, with one page or several, and PDFs."""

import contextlib
import io
import itertools
from collections.abc import Iterator
from dataclasses import dataclass, replace
from pathlib import Path
from typing import NamedTuple

import numpy as np
import pikepdf
import pillow_heif
import pypdfium2
from PIL import Image, ImageOps, ImageSequence

from papiermappe.core.encode.plain import QUICK, encode_png
from papiermappe.core.geometry import POINTS_PER_MM, px_to_mm
from papiermappe.core.limits import DEFAULT_LIMIT_PX
from papiermappe.core.photo import look_for_sheet
from papiermappe.core.photo_sheet import NearCorners
from papiermappe.core.picture import MAX_DPI, ORIENTATION, CapturedPicture, Pixels, named_dpi, read_head
from papiermappe.core.reading.page_text import PageText
from papiermappe.devices.errors import FileRefused
from papiermappe.devices.pdf_pictures import PagePicture, picture_of
from papiermappe.devices.pdf_text import text_of
from papiermappe.errors import PictureRefused

pillow_heif.register_heif_opener()

KINDS = ("JPEG", "PNG", "TIFF", "WEBP", "BMP", "PPM", "HEIF")
UNKNOWN_DPI = 300.0
LONGEST_A4_MM = 297.0
LONGEST_SENSIBLE_MM = 900.0
"""A long receipt may be as long; a photograph said to have 72 dpi is longer."""
MAX_BYTES = 2 << 30
MAX_PLAIN_BYTES = 250_000_000
"""A picture of one page is not larger; what is has many pages, which are read one by one."""
PLAIN_MODES = {"1", "L", "RGB"}
EXIF_OF_CAMERA, EXPOSURE_TIME, FOCAL_LENGTH = 0x8769, 0x829A, 0x920A


@dataclass(frozen=True)
class FilePicture(CapturedPicture):
    """A page of a file."""

    text: PageText | None = None
    """What the file says of it, with places in mm on the picture."""
    is_dpi_guessed: bool = False
    """Whether its resolution follows from a likely paper size: the file names none that can be true."""


class HowToRead(NamedTuple):
    """What a reader is to do with a file."""

    pdf_dpi: float = 300.0
    """The resolution at which pages of PDFs are drawn that are not one picture."""
    first: int = 0
    """How many pages to pass over at the beginning."""
    password: str | None = None
    """Of a locked PDF."""
    as_photos: bool = False
    """Whether pictures are taken for photos of sheets though they do not name a camera."""
    near: NearCorners | None = None
    """About where the sheet is on a photo, where that was seen before it was taken."""


AS_USUAL = HowToRead()


def pages_of(
    file: Path,
    how: HowToRead = AS_USUAL,
    limit_px: int = DEFAULT_LIMIT_PX,
) -> Iterator[FilePicture]:
    """Yield the pages of a file.

    A page of a PDF that is one picture comes as that picture, untouched where it is a JPEG; any other is drawn.

    Args:
        file: a picture or a PDF.
        how: to read it.
        limit_px: larger pages are refused before they are decoded.

    Raises:
        FileRefused: it cannot be read, or is neither a picture nor a PDF.
    """
    try:
        if file.stat().st_size > MAX_BYTES:
            raise FileRefused(file, "file_too_large", limit_gb=MAX_BYTES >> 30)
        with file.open("rb") as start:
            is_pdf = start.read(1024).lstrip().startswith(b"%PDF")
    except OSError as exc:
        raise FileRefused(file, "file_not_opened", reason=exc.strerror or "") from exc
    if is_pdf:
        yield from _pdf_pages(file, how, limit_px)
    else:
        yield from itertools.islice(_pictures(file, how, limit_px), how.first, None)


def count_pages(file: Path) -> int:
    """Return how many pages a file has. Raises FileRefused."""
    try:
        with file.open("rb") as start:
            if start.read(1024).lstrip().startswith(b"%PDF"):
                with _open_pdf(file) as pdf:
                    return len(pdf)
        with Image.open(file, formats=KINDS) as picture:
            return int(getattr(picture, "n_frames", 1))
    except (FileRefused, MemoryError):
        raise
    except Exception as exc:  # as in _other_pictures
        raise FileRefused(file, "file_unreadable") from exc


def _open_pdf(file: Path, password: str | None = None) -> pypdfium2.PdfDocument:
    try:
        return pypdfium2.PdfDocument(file, password)
    except pypdfium2.PdfiumError as exc:
        locked = getattr(exc, "err_code", None) == pypdfium2.raw.FPDF_ERR_PASSWORD
        raise FileRefused(file, "file_locked" if locked else "file_damaged") from exc


def _pdf_pages(file: Path, how: HowToRead, limit_px: int) -> Iterator[FilePicture]:
    with _open_pdf(file, how.password) as drawn, _structure(file, how.password) as structure:
        for number in range(how.first, len(drawn)):
            picture = picture_of(structure.pages[number]) if structure and number < len(structure.pages) else None
            try:
                page = drawn[number]
            except pypdfium2.PdfiumError as exc:
                raise FileRefused(file, "file_page_damaged", page=number + 1) from exc
            taken = _taken_out(page, picture, limit_px) if picture else None
            as_picture = taken or _drawn(file, page, number, how.pdf_dpi, limit_px)
            yield replace(as_picture, text=text_of(page))
            page.close()


@contextlib.contextmanager
def _structure(file: Path, password: str | None) -> Iterator[pikepdf.Pdf | None]:
    """Give the objects of a PDF; None where they cannot be read, though it can be drawn."""
    try:
        pdf = pikepdf.open(file, password=password or "")
    except (pikepdf.PdfError, RuntimeError, ValueError):
        yield None
        return
    with pdf:
        yield pdf


def _taken_out(page: pypdfium2.PdfPage, picture: PagePicture, limit_px: int) -> FilePicture | None:
    """Return the one picture of a page as it is; None where it is damaged, too large or of a kind of its own."""
    if picture.jpeg is not None:
        try:
            head = read_head(picture.jpeg, limit_px)
        except PictureRefused:
            return None
        # Where a picture lies on a page of a PDF, and how it is turned, the page says, not the picture's EXIF.
        is_plain = head.orientation == 1 and _is_plain(picture.jpeg)
        return FilePicture(picture.jpeg, picture.dpi, limit_px) if is_plain else None
    images = list(page.get_objects(filter=[pypdfium2.raw.FPDF_PAGEOBJ_IMAGE], max_depth=1))
    if len(images) != 1 or not isinstance(images[0], pypdfium2.PdfImage):
        return None
    width_px, height_px = images[0].get_px_size()
    if width_px * height_px > limit_px:
        return None
    try:
        bitmap = images[0].get_bitmap()
    except pypdfium2.PdfiumError:
        return None
    pixels = np.asarray(bitmap.to_pil().convert("RGB"))
    bitmap.close()
    return _captured(pixels, picture.dpi, limit_px) if pixels.shape[:2] == (height_px, width_px) else None


def _drawn(file: Path, page: pypdfium2.PdfPage, number: int, dpi: float, limit_px: int) -> FilePicture:
    width_pt, height_pt = page.get_size()
    if width_pt * height_pt * (dpi / 72) ** 2 > limit_px:
        raise FileRefused(file, "file_page_too_large", page=number + 1, width_mm=round(width_pt / POINTS_PER_MM))
    bitmap = page.render(scale=dpi / 72, rev_byteorder=True)
    captured = _captured(np.asarray(bitmap.to_numpy(), np.uint8)[..., :3], dpi, limit_px)
    bitmap.close()
    return captured


def _pictures(file: Path, how: HowToRead, limit_px: int) -> Iterator[FilePicture]:
    if file.stat().st_size > MAX_PLAIN_BYTES:
        yield from _other_pictures(file, how, limit_px)
        return
    data = file.read_bytes()
    try:
        head = read_head(data, limit_px)
    except PictureRefused:
        yield from _other_pictures(file, how, limit_px)
        return
    if not _is_plain(data):
        yield from _other_pictures(file, how, limit_px)
        return
    if how.as_photos or _names_camera(data):
        yield _photo(CapturedPicture(data, UNKNOWN_DPI, limit_px), how.near)
        return
    dpi = _sensible_dpi(head.dpi, head.width_px, head.height_px)
    likely = dpi or _likely_dpi(head.width_px, head.height_px)
    yield FilePicture(data, likely, limit_px, is_dpi_guessed=dpi is None)


def _is_plain(data: bytes) -> bool:
    """Return whether a picture can be stored as it is: of a usual kind, and opaque.

    Cameras write JPEGs. A PNG that is to be turned is rare, and its EXIF stands behind pixels that may be damaged.
    """
    with Image.open(io.BytesIO(data), formats=KINDS) as picture:
        is_usual = picture.mode in PLAIN_MODES and not picture.has_transparency_data
        return is_usual and (picture.format == "JPEG" or _names_no_turn(picture))


def _names_no_turn(picture: Image.Image) -> bool:
    try:
        return bool(picture.getexif().get(ORIENTATION, 1) == 1)
    except Exception:  # noqa: BLE001 (damaged EXIF: what Pillow says of it depends on the damage)
        return False


def _names_camera(data: bytes) -> bool:
    with Image.open(io.BytesIO(data), formats=KINDS) as picture:
        return is_of_camera(picture)


def is_of_camera(picture: Image.Image) -> bool:
    """Return whether a picture says how long it was exposed or by which lens: a camera took it (Exif 2.32, 4.6.5)."""
    try:
        taken = picture.getexif().get_ifd(EXIF_OF_CAMERA)
    except Exception:  # noqa: BLE001 (damaged EXIF: what Pillow says of it depends on the damage)
        return False
    return any(tag in taken for tag in (EXPOSURE_TIME, FOCAL_LENGTH))


def _photo(picture: CapturedPicture, near: NearCorners | None) -> FilePicture:
    """Return a photo with the sheet that is seen on it, and the resolution at which that has a likely size."""
    head = picture.head()
    likely = _likely_dpi(head.width_px, head.height_px)
    plain = FilePicture(picture.data, likely, picture.limit_px, by_camera=True, is_dpi_guessed=True)
    try:
        seen = look_for_sheet(picture, near)
    except PictureRefused:  # it is said when the page is analysed
        return plain
    dpi = min(seen.dpi or likely, MAX_DPI)
    return replace(plain, dpi=dpi, sheet=seen.found.on_capture(dpi))


def _other_pictures(file: Path, how: HowToRead, limit_px: int) -> Iterator[FilePicture]:
    """Yield the pages of pictures that must be re-encoded: other formats, several pages, transparent."""
    try:
        with Image.open(file, formats=KINDS) as picture:
            for frame in ImageSequence.Iterator(picture):
                _must_not_exceed(file, frame, limit_px)
                by_camera = how.as_photos or is_of_camera(frame)
                upright = ImageOps.exif_transpose(frame)
                dpi = _sensible_dpi(named_dpi(upright.info), upright.width, upright.height)
                likely = dpi or _likely_dpi(upright.width, upright.height)
                captured = replace(_captured(_levels(upright), likely, limit_px), is_dpi_guessed=dpi is None)
                yield _photo(captured, how.near) if by_camera else captured
    except (FileRefused, MemoryError):
        raise
    except Exception as exc:  # what Pillow says of a damaged file depends on the damage
        raise FileRefused(file, "file_unreadable") from exc


def _must_not_exceed(file: Path, frame: Image.Image, limit_px: int) -> None:
    if frame.width * frame.height > limit_px:
        raise FileRefused(file, "file_picture_too_large", width_px=frame.width, height_px=frame.height)


def _levels(picture: Image.Image) -> Pixels:
    """Return a picture as 8-bit grey or RGB; transparent parts become white."""
    if picture.mode.startswith("I") or picture.mode == "F":
        values = np.asarray(picture, np.float64)
        most = 65535.0 if picture.mode.startswith("I") else max(1.0, float(np.nanmax(values)))
        return np.nan_to_num(values / most * 255).clip(0, 255).astype(np.uint8)
    if picture.has_transparency_data:
        seen = picture.convert("RGBA")
        paper = Image.new("RGBA", seen.size, "white")
        return np.asarray(Image.alpha_composite(paper, seen).convert("RGB"))
    return np.asarray(picture.convert("L" if picture.mode in {"1", "L"} else "RGB"))


def _captured(pixels: Pixels, dpi: float, limit_px: int) -> FilePicture:
    grey = pixels.ndim == 3 and bool(
        (pixels[..., 0] == pixels[..., 1]).all() and (pixels[..., 0] == pixels[..., 2]).all()
    )
    return FilePicture(encode_png(pixels[..., 0] if grey else pixels, QUICK), dpi, limit_px)


def _sensible_dpi(named: float | None, width_px: int, height_px: int) -> float | None:
    """Return the resolution that a picture names; None where it names none, or one that cannot be.

    What cameras and screens write (72, 96) would make a page of a metre.
    """
    sensible = named is not None and px_to_mm(max(width_px, height_px), named) <= LONGEST_SENSIBLE_MM
    return named if sensible else None


def _likely_dpi(width_px: int, height_px: int) -> float:
    """Return 300 dpi, or, where that would be more than A4, the resolution at which the longer side is that of A4."""
    longest_px = max(width_px, height_px)
    if px_to_mm(longest_px, UNKNOWN_DPI) <= LONGEST_A4_MM * 1.02:
        return UNKNOWN_DPI
    return min(round(longest_px / LONGEST_A4_MM * 25.4, 1), MAX_DPI)
