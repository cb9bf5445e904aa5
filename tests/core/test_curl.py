"""Where places of bent paper are seen: at its sides as they bow, between them in proportion, and as long as it is."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from papiermappe.core.curl import Curl, Eye, bow_shapes, seen_places

SIZE_MM = (200.0, 280.0)
EYE = Eye(90.0, 130.0, 420.0)
bows = st.tuples(*[st.floats(-12, 12)] * 3)


def seen(curl: Curl, *places: tuple[float, float], eye: Eye = EYE) -> np.ndarray:
    """Return where places are seen."""
    return seen_places(curl, SIZE_MM, eye, np.array(places))


def test_shapes_are_nought_at_the_ends_and_one_at_their_own_knot() -> None:
    assert np.allclose(bow_shapes(np.array([0.0, 0.25, 0.5, 0.75, 1.0])), np.vstack([[0] * 3, np.eye(3), [0] * 3]))


def test_a_sheet_that_does_not_bow_is_seen_as_it_is() -> None:
    flat = Curl(first=(0, 0, 0), last=(0, 0, 0))
    places = [(0.0, 0.0), (37.0, 200.0), (200.0, 280.0), (-4.0, 290.0)]
    assert np.allclose(seen(flat, *places), places)


@given(bows, bows)
def test_corners_stay_and_places_above_one_another_stay_so(
    first: tuple[float, float, float], last: tuple[float, float, float]
) -> None:
    curl = Curl(first=first, last=last)
    assert np.allclose(seen(curl, (0, 0), (200, 0), (200, 280), (0, 280)), [(0, 0), (200, 0), (200, 280), (0, 280)])
    top, middle, bottom = seen(curl, (70, 0), (70, 140), (70, 280))
    assert np.allclose(middle, (top + bottom) / 2)


@given(bows, bows)
def test_sideways_is_the_same_about_the_diagonal(
    first: tuple[float, float, float], last: tuple[float, float, float]
) -> None:
    upright = seen(Curl(first=first, last=last), (60, 100))[0]
    turned = Curl(first=first, last=last, sideways=True)
    other = seen_places(turned, SIZE_MM[::-1], Eye(EYE.y_mm, EYE.x_mm, EYE.high_mm), np.array([(100, 60)]))[0]
    assert other == pytest.approx(upright[::-1])


def test_an_arch_is_seen_where_a_pinhole_sees_it() -> None:
    """A sheet stands up as an arch of 14 mm: each place of it is drawn to the table along its ray, step by step."""
    steps = np.linspace(0, np.pi, 4001)
    across, high = steps / np.pi * SIZE_MM[0], 14 * np.sin(steps)  # on the table below it
    along = np.concatenate([[0], np.hypot(np.diff(across), np.diff(high)).cumsum()])
    share = along / along[-1]  # of the paper's own width

    def on_table(width_share: float, y_mm: float) -> tuple[float, float]:
        x, z = np.interp(width_share, share, across), np.interp(width_share, share, high)
        by = EYE.high_mm / (EYE.high_mm - z)
        return EYE.x_mm + (x - EYE.x_mm) * by, EYE.y_mm + (y_mm - EYE.y_mm) * by

    def bow(y_mm: float) -> tuple[float, float, float]:
        """Where the side is at its knots, which are told along the table as it is seen."""
        places = np.array([on_table(at, y_mm) for at in np.linspace(0, 1, 2001)])
        first, middle, last = np.interp(np.array([0.25, 0.5, 0.75]) * SIZE_MM[0], places[:, 0], places[:, 1]) - y_mm
        return float(first), float(middle), float(last)

    curl = Curl(first=bow(0.0), last=bow(SIZE_MM[1]))
    for width_share in (0.1, 0.3, 0.5, 0.8):
        for y_mm in (0.0, 60.0, 210.0):
            found = seen(curl, (width_share * SIZE_MM[0], y_mm))[0]
            assert found == pytest.approx(on_table(width_share, y_mm), abs=0.35)  # mm: a curve of degree four
