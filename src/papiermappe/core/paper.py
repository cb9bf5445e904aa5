"""Paper sizes: ISO 216 and the others that come in the post."""

from typing import NamedTuple


class PaperSize(NamedTuple):
    """A paper size, upright."""

    name: str
    width_mm: float
    height_mm: float

    def turned(self) -> "PaperSize":
        """Return the same paper lying on its side."""
        return PaperSize(self.name, self.height_mm, self.width_mm)


A3 = PaperSize("A3", 297, 420)
A4 = PaperSize("A4", 210, 297)
A5 = PaperSize("A5", 148, 210)
A6 = PaperSize("A6", 105, 148)
LETTER = PaperSize("Letter", 215.9, 279.4)
LEGAL = PaperSize("Legal", 215.9, 355.6)
ID_CARD = PaperSize("Card", 85.6, 53.98)  # ISO/IEC 7810 ID-1, which is defined lying

SIZES = (A3, A4, A5, A6, LETTER, LEGAL, ID_CARD)
BY_NAME = {size.name: size for size in SIZES}


def nearest_size(width_mm: float, height_mm: float, tolerance_mm: float = 1.5) -> PaperSize | None:
    """Return the paper size, upright or turned, that both measures fit within the tolerance; None if no size does."""

    def misfit_mm(size: PaperSize) -> float:
        return max(abs(size.width_mm - width_mm), abs(size.height_mm - height_mm))

    best = min((way for size in SIZES for way in (size, size.turned())), key=misfit_mm)
    return best if misfit_mm(best) <= tolerance_mm else None
