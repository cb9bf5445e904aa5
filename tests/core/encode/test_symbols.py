"""Shapes, which of them look alike, and what they have in common."""

import cv2
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from hypothesis.extra.numpy import arrays

from papiermappe.core.encode.ink import Ink, PackedInk
from papiermappe.core.encode.jbig2.alike import RIM_PX, grouped, nearest, voted
from papiermappe.core.encode.jbig2.boxes import boxed
from papiermappe.core.encode.jbig2.dictionary import dictionary, dictionary_order, refined_dictionary
from papiermappe.core.encode.jbig2.shapes import MAX_SIDE_PX, Shapes, erase, hashes, joined, shapes_of
from papiermappe.core.encode.jbig2.symbols import Places, Symbols, name_bits

A = np.array([[0, 1, 1, 0], [1, 0, 0, 1], [1, 1, 1, 1], [1, 0, 0, 1], [1, 0, 0, 1]], bool)
T = np.array([[1, 1, 1, 1, 1], [0, 0, 1, 0, 0], [0, 0, 1, 0, 0], [0, 0, 1, 0, 0], [0, 0, 1, 0, 0]], bool)


def page(*placed: tuple[Ink, int, int], height: int = 40, width: int = 60) -> Ink:
    """Return a page with shapes at their tops and lefts."""
    ink = np.zeros((height, width), np.bool_)
    for shape, top, left in placed:
        ink[top : top + shape.shape[0], left : left + shape.shape[1]] |= shape
    return ink


def drawn(shapes: Shapes, at: int) -> Ink:
    """Return one of the shapes, pixel by pixel."""
    rows = shapes.rows[shapes.first_row[at] : shapes.first_row[at + 1]]
    words = [[int(low) | int(high) << 64 for low, high in rows]]
    return np.array([[bool(word >> col & 1) for col in range(shapes.width[at])] for word in words[0]])


def test_shapes_are_found_where_they_lie() -> None:
    shapes = shapes_of(page((A, 3, 5), (T, 20, 40)))
    assert shapes.number == 2
    places = [tuple(int(side[at]) for side in shapes[:4]) for at in range(2)]
    assert places == [(5, 3, 4, 5), (40, 20, 5, 5)]  # left, top, width, height
    assert np.array_equal(drawn(shapes, 0), A)
    assert np.array_equal(drawn(shapes, 1), T)


@settings(deadline=None, max_examples=60)
@given(arrays(np.bool_, st.tuples(st.integers(1, 30), st.integers(1, 90))))
def test_shapes_are_the_connected_pieces(ink: Ink) -> None:
    """The library's labels tell the same pieces; those of fewer than six pixels are left where they are."""
    count, labels = cv2.connectedComponents(ink.astype(np.uint8), connectivity=8)
    sizes = np.bincount(labels.ravel(), minlength=count)[1:]
    shapes = shapes_of(ink)
    assert shapes.number == int((sizes >= 6).sum())
    left = ink.copy()
    erase(left, shapes)
    assert np.array_equal(left, ink & np.isin(labels, 1 + np.flatnonzero(sizes < 6)))


def test_what_is_too_large_stays() -> None:
    wide = np.ones((3, MAX_SIDE_PX + 1), np.bool_)
    assert shapes_of(page((wide, 0, 0), width=200)).number == 0
    assert shapes_of(page((wide[:, :-1], 0, 0), width=200)).number == 1


def test_the_same_shapes_have_the_same_hash() -> None:
    shapes = shapes_of(page((A, 2, 2), (T, 2, 20), (A, 20, 33)))
    first, second, third = hashes(shapes)
    assert first == third != second


def test_some_are_taken_out_and_put_together() -> None:
    shapes = shapes_of(page((A, 2, 2), (T, 2, 20), (A, 20, 33)))
    again = joined([shapes.select(np.array([1])), shapes.select(np.array([0, 2]))])
    assert again.left.tolist() == [20, 2, 33]
    assert np.array_equal(drawn(again, 0), T)
    assert np.array_equal(drawn(again, 2), A)


def block(height: int, width: int, *turned_over: tuple[int, int]) -> Ink:
    """Return a block of ink with some pixels turned over."""
    shape = np.ones((height, width), np.bool_)
    for row, col in turned_over:
        shape[row, col] ^= True
    return shape


def test_shapes_that_differ_little_are_of_a_kind() -> None:
    """One pixel of a hundred differs between the first two; the third is a ring."""
    ring = block(10, 10, *((row, col) for row in range(2, 8) for col in range(2, 8)))
    shapes = shapes_of(page((block(10, 10), 2, 2), (block(10, 10, (4, 4)), 2, 20), (ring, 2, 40)))
    kinds = grouped(shapes, 0.05)
    assert kinds.model.tolist() == [0, 0, 2]
    assert kinds.apart.tolist() == [0, 1, 0]


@pytest.mark.parametrize(("taller", "wider"), [(0, 0), (1, 0), (0, 2), (-2, -1), (2, 2)])
def test_sizes_may_differ_a_little_and_the_shape_fits_into_the_rim(taller: int, wider: int) -> None:
    models = shapes_of(page((block(12, 12), 2, 2)))
    shape = shapes_of(page((block(12 + taller, 12 + wider), 5, 7)))
    match = nearest(shape, models, 1.0)
    assert match.model.tolist() == [0]
    for offset, more in ((match.across_px[0], wider), (match.down_px[0], taller)):
        assert -1 <= offset <= 1 - more  # within the model's box and a rim of one pixel
    # By hand: what is beyond the common part of two blocks that lie over each other.
    common = min(12, 12 + taller) * min(12, 12 + wider)
    assert match.apart[0] == 144 + (12 + taller) * (12 + wider) - 2 * common


def test_sizes_that_differ_much_do_not_match() -> None:
    models = shapes_of(page((block(12, 12), 2, 2)))
    assert nearest(shapes_of(page((block(12, 15), 5, 7))), models, 1.0).model.tolist() == [-1]


def test_most_of_a_kind_decide() -> None:
    """Three of the same letter, each with another pixel turned over: none of the faults is in what they share."""
    faults = ((3, 3), (6, 2), (8, 8))
    shapes = shapes_of(page(*((block(10, 10, fault), 2, 2 + 18 * at) for at, fault in enumerate(faults))))
    kinds = grouped(shapes, 0.1)
    assert kinds.model.tolist() == [0, 0, 0]
    common = voted(shapes, kinds, np.ones(3, np.int64), np.array([0]))
    assert np.array_equal(drawn(common, 0), block(10, 10))
    # One that comes often outvotes the others.
    common = voted(shapes, kinds, np.array([1, 5, 1]), np.array([0]))
    assert np.array_equal(drawn(common, 0), block(10, 10, faults[1]))


def with_rims(shapes: Shapes) -> Symbols:
    """Return shapes with as little white around them as can be."""
    return Symbols(shapes, *np.full((3, shapes.number), RIM_PX, np.int64))


def test_a_dictionary_is_ordered_by_height_then_width() -> None:
    sizes = [(9, 4), (6, 9), (9, 3), (6, 5)]
    shapes = joined([shapes_of(page((block(*size), 1, 1))) for size in sizes])
    ordered = [sizes[at] for at in dictionary_order(with_rims(shapes))]
    assert ordered == [(6, 5), (6, 9), (9, 3), (9, 4)]


def test_symbols_like_others_take_less_room_refined() -> None:
    hand = np.random.default_rng(4)
    ink = hand.random((20, 30, 24)) < 0.5
    models = with_rims(joined([shapes_of(page((one, 2, 2), height=60)) for one in ink]))
    ink[:, 7, 9] ^= True
    others = with_rims(joined([shapes_of(page((one, 2, 2), height=60)) for one in ink]))
    assert len(refined_dictionary(others, models)) < 0.5 * len(dictionary(others))


def set_in_lines(pitch_px: int) -> tuple[Shapes, Places]:
    """Return three letters, the second going deeper than the others, and four lines in which they come at random.

    Between them is what letters have to their sides: 1 and 2, 2 and 4, 0 and 1 px.
    """
    sizes, deeper, beside = ((20, 12), (27, 12), (20, 16)), (0, 7, 0), ((1, 2), (2, 4), (0, 1))
    shapes = joined([shapes_of(page((block(*size), 1, 1), height=60)) for size in sizes])
    hand = np.random.default_rng(6)
    symbol, left, bottom = [], [], []
    for line in range(4):
        at = 50
        for which in hand.integers(0, 3, 60):
            symbol.append(which)
            left.append(at + beside[which][0])
            bottom.append(100 + pitch_px * line + deeper[which])
            at += beside[which][0] + sizes[which][1] + beside[which][1]
    which = np.array(symbol)
    nothing = np.zeros(len(which), np.int64)
    places = Places(which, np.array(left), np.array(bottom), nothing > 0, shapes.select(which), nothing, nothing)
    return shapes, places


def test_in_a_line_one_box_follows_another_on_the_same_row() -> None:
    shapes, places = set_in_lines(pitch_px=40)
    symbols = boxed(shapes, [places])
    stands = places.bottom + symbols.below[places.symbol]
    assert len(np.unique(stands)) == 4
    left = places.left - symbols.left[places.symbol]
    between = left[1:] - (left + symbols.width[places.symbol])[:-1]
    assert len(np.unique(between[stands[1:] == stands[:-1]])) == 1


def test_symbols_that_stand_alone_have_a_rim_only() -> None:
    shapes, places = set_in_lines(pitch_px=400)
    alone = [int(np.flatnonzero(places.symbol == which)[35 * which]) for which in range(3)]
    symbols = boxed(shapes, [places.select(np.array(alone))])
    assert np.array_equal(symbols.width, shapes.width + 2 * RIM_PX)
    assert np.array_equal(symbols.height, shapes.height + 2 * RIM_PX)


@pytest.mark.parametrize(("symbols", "bits"), [(1, 0), (2, 1), (3, 2), (4, 2), (5, 3), (1024, 10), (1025, 11)])
def test_names_take_as_many_bits_as_there_are_symbols(symbols: int, bits: int) -> None:
    assert name_bits(symbols) == bits


@settings(deadline=None, max_examples=30)
@given(arrays(np.bool_, st.tuples(st.integers(1, 20), st.integers(1, 40))))
def test_packed_ink_comes_back(ink: Ink) -> None:
    packed = PackedInk.of(ink)
    assert np.array_equal(packed.unpacked(), ink)
    assert len(packed.rows) == ink.shape[0] * -(-ink.shape[1] // 8)
