"""The pile: what pages share stands out, what is not theirs is suggested for wiping, what is theirs is not touched."""

from collections.abc import Callable

import cv2
import numpy as np
import pytest

from papiermappe.core.clean import Areas
from papiermappe.core.clean.pile import Leaf, Pile, SharedKind, leaf_of, not_wiped, pages_with_print, suggest_wipes
from papiermappe.core.clean.pile.dust import DustLine
from papiermappe.core.picture import Pixels
from papiermappe.core.zones import SheetZone, Zone, ZoneKind
from papiermappe.errors import PictureRefused

DPI = 100
A4_MM = (210.0, 297.0)


def px(mm: float) -> int:
    """Return a length in pixels."""
    return round(mm / 25.4 * DPI)


def sheet(seed: int, paper: int = 245) -> Pixels:
    """Return an A4 page with words of its own between margins of 25 mm, and grain."""
    rng = np.random.default_rng(seed)
    page = np.full((px(297), px(210)), float(paper))
    for line in range(26):
        at = px(40) + line * px(8)
        for left in range(px(27), px(175), px(12)):
            page[at : at + px(2), left : left + px(rng.uniform(3, 9))] = 40
    return (page + rng.normal(0, 2.0, page.shape)).clip(0, 255).astype(np.uint8)


def piled(pages: list[Pixels]) -> tuple[Pile, list[Leaf]]:
    """Lay pages, which are also their scans, over one another."""
    leaves = [leaf_of(page, DPI, page, DPI, (0.0, A4_MM[0])) for page in pages]
    pile = Pile(A4_MM)
    for leaf in leaves:
        pile.add(leaf, Areas())
    return pile, leaves


def suggested(pages: list[Pixels]) -> dict[SharedKind, list[Zone]]:
    """Return what is suggested for pages, by its kind."""
    pile, leaves = piled(pages)
    found: dict[SharedKind, list[Zone]] = {}
    for one in suggest_wipes(pile, leaves, [A4_MM] * len(pages)):
        found.setdefault(one.kind, []).append(one.zone)
    return found


def circle(page: Pixels, x: float, y: float, wide: float, level: int) -> None:
    """Punch a hole through which something of a grey level is seen, with a soft dark rim."""
    cv2.circle(page, (px(x), px(y)), px(wide / 2), max(0, level - 18), -1, cv2.LINE_AA)
    cv2.circle(page, (px(x) + 1, px(y) + 1), px(wide / 2) - 2, level, -1, cv2.LINE_AA)


def covers(zone: Zone, x: float, y: float, wide: float) -> bool:
    """Whether a zone covers something, and not much more."""
    inside = zone.x_mm <= x - wide / 2 and x + wide / 2 <= zone.x_mm + zone.width_mm
    inside &= zone.y_mm <= y - wide / 2 and y + wide / 2 <= zone.y_mm + zone.height_mm
    return bool(inside) and max(zone.width_mm, zone.height_mm) <= wide + 6


@pytest.mark.parametrize("level", [20, 130, 225, 245])
def test_holes_are_found_whatever_is_seen_through_them(level: int) -> None:
    rng = np.random.default_rng(4)
    pages = [sheet(seed) for seed in range(6)]
    for page in pages:
        for y in (108.5, 188.5):
            circle(page, 12 + rng.normal(0, 0.3), y + rng.normal(0, 0.3), 6, level)
    found = suggested(pages)
    assert found.keys() == {SharedKind.HOLE}
    first, second = found[SharedKind.HOLE]
    assert covers(first, 12, 108.5, 6)
    assert covers(second, 12, 188.5, 6)


def test_a_hole_punched_through_print_that_all_pages_have_is_not_suggested() -> None:
    rng = np.random.default_rng(14)
    pages = [sheet(seed) for seed in range(6)]
    for page in pages:
        cv2.line(page, (px(14), px(40)), (px(26), px(40)), 40, px(0.7))
        for y in (40.5, 148.5, 256.5):
            circle(page, 12 + rng.normal(0, 0.3), y + rng.normal(0, 0.3), 6, 225)
    found = suggested(pages)[SharedKind.HOLE]
    assert [round(zone.y_mm + zone.height_mm / 2) // 10 for zone in found] == [14, 25]


@pytest.mark.parametrize("angle_deg", [-50, 38, 80])
def test_a_slanted_staple_is_found(angle_deg: float) -> None:
    rng = np.random.default_rng(5)
    pages = [sheet(seed) for seed in range(6)]
    for page in pages:
        angle = np.radians(angle_deg + rng.normal(0, 2))
        reach = np.array([np.cos(angle), -np.sin(angle)]) * 5.5
        middle = np.array([12.0, 12.0]) + rng.normal(0, 0.3, 2)
        ends = [tuple(np.rint((middle + way * reach) / 25.4 * DPI).astype(int).tolist()) for way in (-1, 1)]
        cv2.line(page, ends[0], ends[1], 110, px(0.8), cv2.LINE_AA)
    (zone,) = suggested(pages)[SharedKind.STAPLE]
    assert zone.x_mm < 12 - 3 * abs(np.cos(np.radians(angle_deg)))
    assert zone.width_mm < 17


def letterhead(page: Pixels) -> None:
    """Print a ring as large as a hole, a short rule and a title."""
    cv2.circle(page, (px(14), px(13)), px(3), 60, 2, cv2.LINE_AA)
    cv2.line(page, (px(30), px(20)), (px(41), px(20)), 60, 2)
    cv2.putText(page, "Hollerbeck", (px(60), px(20)), cv2.FONT_HERSHEY_SIMPLEX, 1.2, 50, 2, cv2.LINE_AA)


def form(page: Pixels) -> None:
    """Print rules across and down, from margin to margin."""
    for at in range(30, 280, 20):
        cv2.line(page, (px(20), px(at)), (px(190), px(at)), 90, 1)
    for at in (20, 80, 190):
        cv2.line(page, (px(at), px(30)), (px(at), px(270)), 90, 1)


@pytest.mark.parametrize("draw", [letterhead, form])
def test_what_is_printed_on_all_pages_is_not_suggested(draw: Callable[[Pixels], None]) -> None:
    pages = [sheet(seed) for seed in range(6)]
    for page in pages:
        draw(page)
    assert suggested(pages) == {}


def test_a_line_of_dust_is_found_where_it_lies_on_the_scans() -> None:
    pages = [sheet(seed) for seed in range(6)]
    for number, page in enumerate(pages):
        col = px(100) + number % 2  # the feed wanders a little
        page[:, col] = np.clip(page[:, col].astype(int) - 45, 0, 255)
    (zone,) = suggested(pages)[SharedKind.DUST_LINE]
    assert zone.x_mm <= 100 <= zone.x_mm + zone.width_mm
    assert zone.width_mm < 2.5


def test_a_shadow_along_an_edge_is_found_as_deep_as_it_is() -> None:
    pages = [sheet(seed) for seed in range(6)]
    for page in pages:
        fall = np.linspace(110, 20, px(4))[:, None]
        page[: px(4)] = np.clip(page[: px(4)] - fall, 0, 255).astype(np.uint8)
    (zone,) = suggested(pages)[SharedKind.EDGE_SHADOW]
    assert (zone.x_mm, zone.y_mm) == (0, 0)
    assert zone.width_mm > 205
    assert 3.5 <= zone.height_mm <= 6
    for page in pages:
        page[:, px(60) : px(66)] -= 30  # a fold that runs into it does not make it deeper
    (beside_fold,) = suggested(pages)[SharedKind.EDGE_SHADOW]
    assert beside_fold.height_mm == pytest.approx(zone.height_mm, abs=0.4)
    assert beside_fold.width_mm == pytest.approx(zone.width_mm, abs=0.4)


def test_a_shadow_is_not_to_be_wiped_on_a_cover_that_is_printed_to_its_edge() -> None:
    inner = [sheet(seed) for seed in range(8)]
    for page in inner:
        page[:, : px(5)] -= 90
    cover = sheet(9)
    cover[px(50) : px(85)] = 90
    pile, leaves = piled([inner[0], cover, *inner[1:]])
    (shadow,) = suggest_wipes(pile, leaves, [A4_MM] * len(leaves))
    assert (shadow.kind, shadow.pages, shadow.spares) == (SharedKind.EDGE_SHADOW, 8, (1,))


def test_what_pages_share_is_darker_than_what_is_on_few() -> None:
    pages = [sheet(seed) for seed in range(6)]
    for number, page in enumerate(pages):
        circle(page, 12, 108.5, 6, 20)
        if not number:
            circle(page, 12, 188.5, 6, 20)
    picture = piled(pages)[0].picture()
    at = 75 / 25.4
    assert picture[round(108.5 * at), round(12 * at)] < 20
    assert picture[round(188.5 * at), round(12 * at)] == pytest.approx(255 * 5 / 6, abs=6)
    assert picture[round(20 * at), round(100 * at)] > 240


def test_what_has_been_cleared_is_not_on_the_pile() -> None:
    page = sheet(1)
    circle(page, 12, 108.5, 6, 20)
    leaf = leaf_of(page, DPI, page, DPI, (0.0, 210.0))
    pile = Pile(A4_MM)
    wiped = Zone(x_mm=7, y_mm=103, width_mm=10, height_mm=11)
    pile.add(leaf, Areas([np.array(wiped.corners())]))
    assert pile.picture()[round(108.5 * 75 / 25.4), round(12 * 75 / 25.4)] == 255


def test_pages_with_something_of_their_own_under_a_zone_are_named() -> None:
    pages = [sheet(seed) for seed in range(6)]
    for page in pages:
        circle(page, 12, 108.5, 6, 20)
    cv2.putText(pages[3], "7 b", (px(6), px(111)), cv2.FONT_HERSHEY_SIMPLEX, 1.0, 20, 3, cv2.LINE_AA)
    pile, _ = piled(pages)
    assert pages_with_print(pile.cells(), [Zone(x_mm=6, y_mm=100, width_mm=20, height_mm=16)]) == [3]
    assert pages_with_print(pile.cells(), [Zone(x_mm=6, y_mm=150, width_mm=15, height_mm=16)]) == []
    assert pages_with_print(pile.cells(), []) == []


def test_two_pages_are_too_few_to_tell_what_recurs() -> None:
    pages = [sheet(seed) for seed in range(2)]
    for page in pages:
        circle(page, 12, 108.5, 6, 20)
        circle(page, 12, 188.5, 6, 20)
    assert suggested(pages) == {}


def test_a_leaf_is_kept_and_read_again_and_a_torn_one_is_refused() -> None:
    page = sheet(1)
    for y in (108.5, 188.5):
        circle(page, 12, y, 6, 20)
    page[:, px(100)] //= 2
    leaf = leaf_of(page, DPI, page, DPI, (0.0, 210.0))
    again = Leaf.from_bytes(leaf.to_bytes())
    assert again[:2] == leaf[:2]
    assert again[3:] == leaf[3:]
    assert leaf.dust
    assert leaf.marks
    assert np.array_equal(again.darker, leaf.darker)
    for torn in (b"", leaf.to_bytes()[:-40], b"PK" + bytes(50)):
        with pytest.raises(PictureRefused):
            Leaf.from_bytes(torn)


def test_pages_of_another_size_lie_at_the_top_left() -> None:
    small = sheet(1)[: px(150), : px(100)]
    leaf = leaf_of(np.ascontiguousarray(small), DPI, small, DPI, (0.0, 100.0))
    pile = Pile(A4_MM)
    pile.add(leaf, Areas())
    picture = pile.picture()
    assert picture.shape == (round(297 / 25.4 * 75), round(210 / 25.4 * 75))
    assert picture[round(152 / 25.4 * 75) :].min() == 255


def test_a_line_that_is_wiped_already_is_not_told_again() -> None:
    line = DustLine(100.0, 100.4)
    over = SheetZone(name="a", kind=ZoneKind.WIPE, corners=((99.8, 0), (100.6, 0), (100.6, 303), (99.8, 303)))
    piece = over.model_copy(update={"corners": ((90, 50), (110, 50), (110, 70), (90, 70))})
    assert not_wiped([line], [piece]) == [line]
    assert not_wiped([line], [piece, over]) == []


def test_a_fold_through_bare_paper_is_found_and_one_through_print_is_left_alone() -> None:
    def folded(at_mm: float, rng: np.random.Generator, page: Pixels) -> Pixels:
        away = np.abs(np.arange(len(page)) - px(at_mm + rng.uniform(-0.5, 0.5))) / px(1.3)
        return np.asarray((page - 25 * np.exp(-(away**2))[:, None]).clip(0, 255), np.uint8)

    bare = [folded(35, np.random.default_rng(seed), sheet(seed)) for seed in range(6)]
    (zone,) = suggested(bare)[SharedKind.FOLD]
    assert zone.y_mm <= 33.5
    assert zone.y_mm + zone.height_mm >= 36.5
    assert zone.height_mm < 9
    assert zone.width_mm == pytest.approx(210)
    for page in bare:  # what lies beyond the sheet shows along its sides
        page[:, :3] = page[:, -3:] = 40
    assert len(suggested(bare)[SharedKind.FOLD]) == 1
    through_print = [folded(121, np.random.default_rng(seed), sheet(seed)) for seed in range(6)]
    assert SharedKind.FOLD not in suggested(through_print)
