"""Pages that come as files: pictures, with one page or several, and PDFs."""

import io
import warnings
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import pypdfium2
from PIL import Image, ImageOps, ImageSequence

from papiermappe.core.encode.plain import QUICK, encode_png
from papiermappe.core.geometry import POINTS_PER_MM, px_to_mm
from papiermappe.core.limits import DEFAULT_LIMIT_PX
from papiermappe.core.picture import MAX_DPI, CapturedPicture, Pixels, named_dpi, read_head
from papiermappe.devices.errors import FileRefused
from papiermappe.errors import PictureRefused

KINDS = ("JPEG", "PNG", "TIFF", "WEBP", "BMP", "PPM")
UNKNOWN_DPI = 300.0
LONGEST_A4_MM = 297.0
MAX_BYTES = 2 << 30
PLAIN_MODES = {"1", "L", "RGB"}
ORIENTATION, UPRIGHT = 0x0112, 1  # EXIF 2.3, 4.6.4


def pages_of(file: Path, pdf_dpi: float = 300.0, limit_px: int = DEFAULT_LIMIT_PX) -> Iterator[CapturedPicture]:
    """Yield the pages of a file.

    Args:
        file: a picture or a PDF.
        pdf_dpi: resolution at which pages of PDFs are rendered.
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
    yield from _pdf_pages(file, pdf_dpi, limit_px) if is_pdf else _pictures(file, limit_px)


def count_pages(file: Path) -> int:
    """Return how many pages a file has. Raises FileRefused."""
    try:
        with file.open("rb") as start:
            if start.read(1024).lstrip().startswith(b"%PDF"):
                with _open_pdf(file) as pdf:
                    return len(pdf)
        with warnings.catch_warnings():
            warnings.simplefilter("ignore", Image.DecompressionBombWarning)  # only counted; limits are checked later
            with Image.open(file, formats=KINDS) as picture:
                return int(getattr(picture, "n_frames", 1))
    except (FileRefused, MemoryError):
        raise
    except Exception as exc:  # as in _other_pictures
        raise FileRefused(file, "file_unreadable") from exc


def _open_pdf(file: Path) -> pypdfium2.PdfDocument:
    try:
        return pypdfium2.PdfDocument(file)
    except pypdfium2.PdfiumError as exc:
        locked = getattr(exc, "err_code", None) == pypdfium2.raw.FPDF_ERR_PASSWORD
        raise FileRefused(file, "file_locked" if locked else "file_damaged") from exc


def _pdf_pages(file: Path, dpi: float, limit_px: int) -> Iterator[CapturedPicture]:
    with _open_pdf(file) as pdf:
        for number in range(len(pdf)):
            try:
                page = pdf[number]
            except pypdfium2.PdfiumError as exc:
                raise FileRefused(file, "file_page_damaged", page=number + 1) from exc
            width_pt, height_pt = page.get_size()
            if width_pt * height_pt * (dpi / 72) ** 2 > limit_px:
                raise FileRefused(
                    file, "file_page_too_large", page=number + 1, width_mm=round(width_pt / POINTS_PER_MM)
                )
            bitmap = page.render(scale=dpi / 72, rev_byteorder=True)
            yield _captured(np.asarray(bitmap.to_numpy(), np.uint8)[..., :3], dpi, limit_px)
            bitmap.close()
            page.close()


def _pictures(file: Path, limit_px: int) -> Iterator[CapturedPicture]:
    data = file.read_bytes()
    try:
        head = read_head(data, limit_px)
    except PictureRefused:
        yield from _other_pictures(file, data, limit_px)
        return
    if not _is_plain(data):
        yield from _other_pictures(file, data, limit_px)
        return
    yield CapturedPicture(data, head.dpi or _likely_dpi(head.width_px, head.height_px), limit_px)


def _is_plain(data: bytes) -> bool:
    """Return whether a picture can be stored as it is: upright and opaque."""
    with Image.open(io.BytesIO(data), formats=KINDS) as picture:
        try:
            upright = picture.getexif().get(ORIENTATION, UPRIGHT) == UPRIGHT
        except Exception:  # noqa: BLE001 (damaged EXIF: what Pillow says of it depends on the damage)
            return False
        return bool(upright and picture.mode in PLAIN_MODES and not picture.has_transparency_data)


def _other_pictures(file: Path, data: bytes, limit_px: int) -> Iterator[CapturedPicture]:
    """Yield the pages of pictures that must be re-encoded: other formats, several pages, rotated, transparent."""
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore", Image.DecompressionBombWarning)  # the limit that holds is checked below
            with Image.open(io.BytesIO(data), formats=KINDS) as picture:
                for frame in ImageSequence.Iterator(picture):
                    _must_not_exceed(file, frame, limit_px)
                    upright = ImageOps.exif_transpose(frame)
                    dpi = named_dpi(upright.info) or _likely_dpi(upright.width, upright.height)
                    yield _captured(_levels(upright), dpi, limit_px)
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


def _captured(pixels: Pixels, dpi: float, limit_px: int) -> CapturedPicture:
    grey = pixels.ndim == 3 and bool(
        (pixels[..., 0] == pixels[..., 1]).all() and (pixels[..., 0] == pixels[..., 2]).all()
    )
    return CapturedPicture(encode_png(pixels[..., 0] if grey else pixels, QUICK), dpi, limit_px)


def _likely_dpi(width_px: int, height_px: int) -> float:
    """Guess the resolution of a picture that does not state it: its longer side is taken to be that of A4."""
    longest_px = max(width_px, height_px)
    if px_to_mm(longest_px, UNKNOWN_DPI) <= LONGEST_A4_MM * 1.02:
        return UNKNOWN_DPI
    return min(round(longest_px / LONGEST_A4_MM * 25.4, 1), MAX_DPI)
