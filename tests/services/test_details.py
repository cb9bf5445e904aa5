"""What is told of one page."""

import pytest
from tests.helpers import desk, do

from papiermappe.core.operations import Crop, MoveSides, Turn
from papiermappe.store.database import Store


def test_how_far_the_found_sheet_lies_outside_of_the_page_is_told_as_the_page_is_seen(
    store: Store, mappe: int, pages: list[int]
) -> None:
    def found_sides() -> list[float]:
        found = desk(store, mappe).detail(pages[0]).found_sides
        assert found is not None
        return [found.left, found.top, found.right, found.bottom]

    do(store, mappe, Crop(pages=(pages[0],), on=True))
    assert found_sides() == pytest.approx([0, 0, 0, 0], abs=0.1)
    do(store, mappe, MoveSides(pages=(pages[0],), left_mm=-10, top_mm=5))
    assert found_sides() == pytest.approx([10, -5, 0, 0], abs=0.2)
    do(store, mappe, Turn(pages=(pages[0],), quarter_turns=1))  # the left side comes to the bottom
    assert found_sides() == pytest.approx([-5, 0, 0, 10], abs=0.2)
