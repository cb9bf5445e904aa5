"""Uneven light is taken out of what recognisers read, of photos alone."""

import numpy as np

from papiermappe.core.encode.plain import encode_png
from papiermappe.core.pages import readable_page
from papiermappe.core.photo.lighting import evenly_lit
from papiermappe.core.picture import CapturedPicture
from papiermappe.core.reading.page_text import RecognitionMode
from papiermappe.core.treatment import Treatment

DPI = 150


def shadowed() -> np.ndarray[tuple[int, int], np.dtype[np.uint8]]:
    """Return paper of which the right half lies in a shadow, with a stroke of half its brightness in both halves."""
    page = np.full((300, 400), 210, np.uint8)
    page[:, 200:] = 110
    page[100:108, 40:160] //= 2
    page[100:108, 240:360] //= 2
    return page


def test_paper_is_as_bright_and_ink_as_dark_in_the_shadow_as_beside_it() -> None:
    even = evenly_lit(shadowed(), DPI).astype(int)
    assert abs(even[50, 100] - even[50, 300]) <= 2
    assert abs(even[104, 100] - even[104, 300]) <= 3
    assert even[104, 100] < 0.55 * even[50, 100]


def test_recognisers_are_given_photos_evenly_lit_and_scans_as_they_are() -> None:
    data = encode_png(shadowed())
    photo, scan = (
        readable_page(CapturedPicture(data, DPI, by_camera=by), Treatment(), RecognitionMode.FAST).pixels()
        for by in (True, False)
    )
    assert np.array_equal(scan, shadowed())
    assert abs(int(photo[50, 100]) - int(photo[50, 300])) <= 2
