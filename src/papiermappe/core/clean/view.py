"""A page as the machine looks at it: at about 150 dpi, with what several judgements need, each made once."""

from dataclasses import dataclass
from functools import cached_property

import cv2
import numpy as np
from numpy.typing import NDArray

from papiermappe.core.clean.background import paper_of
from papiermappe.core.clean.ink import bottom_edges, darkness_of, without_thick
from papiermappe.core.picture import Pixels, checked, shrunk, to_grey

WORK_DPI = 150


@dataclass(frozen=True)
class View:
    """A page, made smaller to at least 150 dpi where it was twice as large or more."""

    pixels: Pixels
    """Grey (h, w) or RGB (h, w, 3)."""
    dpi: float

    @cached_property
    def grey(self) -> Pixels:
        """The page in grey, (h, w)."""
        return to_grey(self.pixels)

    @cached_property
    def paper(self) -> Pixels:
        """The colour of bare paper at each pixel, of the page's shape."""
        return paper_of(self.pixels, self.dpi)

    @cached_property
    def grey_paper(self) -> Pixels:
        """The brightness of bare paper at each pixel, (h, w)."""
        return to_grey(self.paper)

    @cached_property
    def darker(self) -> Pixels:
        """How much darker each pixel is than bare paper, in grey levels, (h, w)."""
        return np.asarray(cv2.subtract(self.grey_paper, self.grey), np.uint8)

    @cached_property
    def darkness(self) -> NDArray[np.int16]:
        """How much darker each pixel is than the mean around it, in grey levels, (h, w)."""
        return darkness_of(self.grey)

    @cached_property
    def ink(self) -> Pixels:
        """Where ink is, (h, w), 1 = ink; thick dark areas (pictures, borders) do not count."""
        return without_thick(self.darkness)

    @cached_property
    def bottom_edges(self) -> NDArray[np.float32]:
        """Where ink ends downwards, (n, 2) `(row, col)`."""
        return bottom_edges(self.darkness, self.ink)


def view_of(page: "Pixels | View", dpi: float, colour: bool = False) -> View:
    """Return a page as a view, without its colour unless that is asked for; a view comes back as it is.

    Raises:
        PictureRefused: not a grey (h, w) or RGB (h, w, 3) uint8 picture.
    """
    if isinstance(page, View):
        return page
    whole = checked(page, dpi) if colour else to_grey(checked(page, dpi))
    by = max(1, int(dpi // WORK_DPI))
    small = shrunk(whole, by)
    return View(small, dpi if small is whole else dpi / by)
