"""By finger: scrolling, selecting and moving pages in Order; pinching and panning the page in the viewer."""

import re
import time
from collections.abc import Callable

import pytest
from selenium.webdriver import Chrome
from selenium.webdriver.common.by import By
from tests.browser.conftest import Stack
from tests.browser.test_handling import chosen, copied_in_order

Until = Callable[..., None]
Size = Callable[[int, int], None]
Point = tuple[float, float]

LONG_PRESS_S = 0.6

pytestmark = [pytest.mark.browser, pytest.mark.slow, pytest.mark.shared_desk]


@pytest.fixture
def desk(stack: Stack, driver: Chrome, until: Until) -> tuple[int, list[int]]:
    """A Mappe of eight pages on four sheets, shown in Order: its number, and its pages."""
    return copied_in_order(stack, driver, until, "By finger", "lease", "hail")


def touch(driver: Chrome, kind: str, *points: Point) -> None:
    """Put fingers down, move them or lift them."""
    fingers = [{"x": x, "y": y, "id": number} for number, (x, y) in enumerate(points)]
    driver.execute_cdp_cmd("Input.dispatchTouchEvent", {"type": kind, "touchPoints": fingers})


def swipe(driver: Chrome, start: Point, end: Point, rest_s: float = 0.0) -> None:
    """Put a finger down, let it rest, and draw it to another place."""
    touch(driver, "touchStart", start)
    time.sleep(rest_s)
    for step in range(1, 9):
        touch(
            driver, "touchMove", (start[0] + (end[0] - start[0]) * step / 8, start[1] + (end[1] - start[1]) * step / 8)
        )
        time.sleep(0.02)
    touch(driver, "touchEnd")


def middle(driver: Chrome, selector: str) -> Point:
    """Return the middle of an element on the screen."""
    box = driver.execute_script(
        "return document.querySelector(arguments[0]).getBoundingClientRect().toJSON()", selector
    )
    return box["x"] + box["width"] / 2, box["y"] + box["height"] / 2


def scrolled(driver: Chrome) -> float:
    """Return how far the lanes are scrolled down, in px."""
    found: float = driver.execute_script("return document.querySelector('.track').scrollTop")
    return found


class Sheet:
    """How the page lies in the viewer."""

    def __init__(self, driver: Chrome) -> None:
        transform = driver.find_element(By.CSS_SELECTOR, ".viewer-page g").get_attribute("transform") or ""
        left, top, self.px_a_mm = map(float, re.findall(r"-?[\d.]+", transform))
        home = driver.execute_script("return document.querySelector('.viewer-page').getBoundingClientRect().toJSON()")
        self.left, self.top = home["x"] + left, home["y"] + top

    def mm_at(self, point: Point) -> Point:
        """Return what place of the page lies at a point of the screen."""
        return (point[0] - self.left) / self.px_a_mm, (point[1] - self.top) / self.px_a_mm


@pytest.fixture
def viewer(desk: tuple[int, list[int]], stack: Stack, driver: Chrome, until: Until) -> Point:
    """The first page in the viewer, as large as fits: the middle of the stage."""
    mappe, pages = desk
    driver.get(f"{stack.url}/mappen/{mappe}/tidy?page={pages[0]}")
    until(lambda: driver.find_element(By.CSS_SELECTOR, ".viewer-page g").get_attribute("transform"))
    until(lambda: driver.find_element(By.CSS_SELECTOR, ".values > .small").text)
    return middle(driver, ".viewer-stage")


# ---- the lanes


def test_a_tap_selects_a_page(desk: tuple[int, list[int]], driver: Chrome, until: Until) -> None:
    _, pages = desk
    at = middle(driver, f'[data-page="{pages[2]}"]')
    touch(driver, "touchStart", at)
    touch(driver, "touchEnd")
    until(lambda: chosen(driver) == [pages[2]])


def test_a_finger_scrolls_the_lanes_and_moves_nothing(
    desk: tuple[int, list[int]], stack: Stack, driver: Chrome, until: Until, sized: Size
) -> None:
    mappe, pages = desk
    sized(1280, 480)
    room = "const track = document.querySelector('.track'); return track.scrollHeight - track.clientHeight"
    until(lambda: driver.execute_script(room) > 60)
    x, y = middle(driver, ".track")
    swipe(driver, (x, y + 80), (x, y - 80))
    until(lambda: scrolled(driver) > 40)
    assert stack.desk(mappe).order == pages
    assert not driver.find_element(By.CSS_SELECTOR, ".insertion").is_displayed()


def test_a_finger_that_rests_first_takes_the_page_along(
    desk: tuple[int, list[int]], stack: Stack, driver: Chrome, until: Until
) -> None:
    mappe, pages = desk
    start, end = middle(driver, f'[data-page="{pages[0]}"]'), middle(driver, f'[data-page="{pages[4]}"]')
    swipe(driver, start, (end[0] - 30, end[1]), LONG_PRESS_S)  # the left half of the third sheet: before it
    until(lambda: stack.desk(mappe).order != pages)
    order = stack.desk(mappe).order
    assert order.index(pages[2]) < order.index(pages[0]) < order.index(pages[4])
    assert sorted(order) == sorted(pages)


# ---- the viewer


def test_two_fingers_zoom_about_the_point_between_them(viewer: Point, driver: Chrome) -> None:
    x, y = viewer[0] + 40, viewer[1] - 60
    before = Sheet(driver)
    touch(driver, "touchStart", (x - 50, y), (x + 50, y))
    for step in range(1, 11):
        touch(driver, "touchMove", (x - 50 - 5 * step, y), (x + 50 + 5 * step, y))
    touch(driver, "touchEnd")
    after = Sheet(driver)
    assert after.px_a_mm == pytest.approx(2 * before.px_a_mm, rel=0.05)  # fingers twice as far apart
    assert after.mm_at((x, y)) == pytest.approx(before.mm_at((x, y)), abs=3)


def test_the_wheel_zooms_about_the_pointer(viewer: Point, driver: Chrome) -> None:
    at = (viewer[0] - 70, viewer[1] + 90)
    before = Sheet(driver)
    wheel = {"type": "mouseWheel", "x": at[0], "y": at[1], "deltaX": 0, "deltaY": -300}
    driver.execute_cdp_cmd("Input.dispatchMouseEvent", wheel)
    after = Sheet(driver)
    assert after.px_a_mm > 1.5 * before.px_a_mm
    assert after.mm_at(at) == pytest.approx(before.mm_at(at), abs=0.5)


def test_a_zoomed_page_is_panned_by_finger_and_by_arrow_keys_and_never_lost(
    viewer: Point, driver: Chrome, until: Until
) -> None:
    for _ in range(4):
        driver.find_element(By.CSS_SELECTOR, "[data-keys='+ =']").click()
    zoomed = Sheet(driver)
    swipe(driver, viewer, (viewer[0] - 60, viewer[1] - 40))
    panned = Sheet(driver)
    assert (panned.left - zoomed.left, panned.top - zoomed.top) == pytest.approx((-60, -40), abs=1)
    driver.execute_script("document.querySelector('.viewer-page').focus()")
    key = {"type": "keyDown", "key": "ArrowDown", "code": "ArrowDown"}
    driver.execute_cdp_cmd("Input.dispatchKeyEvent", key)
    until(lambda: Sheet(driver).top == pytest.approx(panned.top - 60, abs=1))
    for _ in range(40):
        driver.execute_cdp_cmd("Input.dispatchKeyEvent", key)
    _, bottom = Sheet(driver).mm_at(viewer)
    assert bottom == pytest.approx(297, abs=25)  # the page's end is at the middle of the stage, not beyond


def test_a_page_that_fits_is_not_panned(viewer: Point, driver: Chrome) -> None:
    before = Sheet(driver)
    swipe(driver, viewer, (viewer[0] + 80, viewer[1] + 50))
    after = Sheet(driver)
    assert (after.left, after.top, after.px_a_mm) == pytest.approx((before.left, before.top, before.px_a_mm))
