"""Fronts and backs put together in a real browser: by itself, by hand, by sliding, and by keys alone."""

from collections.abc import Callable

import pytest
from selenium.webdriver import ActionChains, Chrome
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from tests.browser.conftest import Stack, assert_accessible
from tests.helpers import ANNA

from papiermappe.core.order.landing import BacksOrder
from papiermappe.devices.model import Sides, TicketSettings
from papiermappe.services import devices, mappen, runs

Until = Callable[..., None]

pytestmark = [pytest.mark.browser, pytest.mark.slow, pytest.mark.shared_desk]

ONE_SIDE = TicketSettings(dpi=100, sides=Sides.ONE)
PAPERS = ("lease", "letter-store", "delivery-118", "hail")  # six sheets with something on both sides


@pytest.fixture
def mappe(stack: Stack) -> int:
    """A Mappe with six fronts."""
    number = mappen.open_mappe(ANNA, stack.store, "Pairs")
    stack.drawer.lay(*PAPERS)
    runs.start_run(ANNA, stack.store, number, zaunkoenig(stack), ONE_SIDE)
    return number


def zaunkoenig(stack: Stack) -> int:
    """Return the device with the feeder."""
    return next(device.id for device in devices.list_devices(ANNA, stack.store) if device.name == "Zaunkönig D60")


def all_in(stack: Stack, mappe: int, pages: int) -> bool:
    """Whether so many pages are in and have been examined."""
    now = stack.desk(mappe)
    return len(now.order) == pages and not now.runs[-1].live and all(page.analysed for page in now.pages)


def lay_backs(stack: Stack, missed: int | None = None) -> None:
    """Lay the pile back, turned over; a sheet may be missed."""
    stack.drawer.lay(*PAPERS, turned_over=True, reversed=True)
    pile = stack.drawer.feeder()
    stack.drawer.take_out()
    for at, sheet in enumerate(pile):
        if at != missed:
            stack.drawer.lay_sheet("zaunkoenig", sheet)


def press(driver: Chrome, *keys: str) -> None:
    """Press keys one after the other, wherever the focus is."""
    ActionChains(driver).send_keys(*keys).perform()


def marks(driver: Chrome) -> list[str]:
    """Return what is said under the proposed sheets."""
    return [mark.text for mark in driver.find_elements(By.CSS_SELECTOR, ".pair-mark") if mark.is_displayed()]


def test_a_missed_back_is_found_by_itself_and_one_undo_takes_it_back(
    stack: Stack, driver: Chrome, until: Until, mappe: int
) -> None:
    until(lambda: all_in(stack, mappe, 6))
    lay_backs(stack, missed=3)  # the back of the third sheet
    first = stack.desk(mappe).runs[0].id
    runs.start_backs(ANNA, stack.store, first, zaunkoenig(stack), ONE_SIDE, BacksOrder.TURNED_PILE)
    until(lambda: stack.desk(mappe).runs[-1].pairing is not None)
    assert [back is not None for _, back in stack.desk(mappe).lanes] == [True, True, False, True, True, True]
    driver.get(f"{stack.url}/mappen/{mappe}/intake")
    until(lambda: driver.find_element(By.ID, "pairs").is_displayed())
    assert "1 side is missing from run 2" in driver.find_element(By.ID, "pairs").text
    driver.find_element(By.CSS_SELECTOR, "#pairs a").click()
    until(lambda: len(marks(driver)) == 6)
    assert marks(driver)[2] == "no back"
    assert "They lie so already." in driver.find_element(By.CSS_SELECTOR, ".verdict").text
    assert_accessible(driver, "pairs")


def test_two_runs_are_paired_by_keys_alone(stack: Stack, driver: Chrome, until: Until, mappe: int) -> None:
    until(lambda: all_in(stack, mappe, 6))
    lay_backs(stack)
    runs.start_run(ANNA, stack.store, mappe, zaunkoenig(stack), ONE_SIDE)  # nobody says that they are backs
    until(lambda: all_in(stack, mappe, 12))
    driver.get(f"{stack.url}/mappen/{mappe}/order")
    until(lambda: driver.find_element(By.ID, "pair").is_displayed())
    press(driver, "p")
    until(lambda: len(marks(driver)) == 6)
    assert len(stack.desk(mappe).lanes) == 12  # shown, not done
    assert "Every pair is sure" in driver.find_element(By.CSS_SELECTOR, ".verdict").text
    press(driver, Keys.ENTER)
    until(lambda: len(stack.desk(mappe).lanes) == 6)
    assert all(front and back for front, back in stack.desk(mappe).lanes)
    until(lambda: driver.find_element(By.ID, "undo").is_enabled())
    ActionChains(driver).key_down(Keys.CONTROL).send_keys("z").key_up(Keys.CONTROL).perform()
    until(lambda: len(stack.desk(mappe).lanes) == 12)


def test_backs_are_slid_along_and_a_gap_is_left(stack: Stack, driver: Chrome, until: Until, mappe: int) -> None:
    until(lambda: all_in(stack, mappe, 6))
    lay_backs(stack)
    runs.start_run(ANNA, stack.store, mappe, zaunkoenig(stack), ONE_SIDE)
    until(lambda: all_in(stack, mappe, 12))
    driver.get(f"{stack.url}/mappen/{mappe}/order")
    until(lambda: driver.find_element(By.ID, "pair").is_displayed())
    press(driver, "p")
    until(lambda: len(marks(driver)) == 6)
    press(driver, Keys.HOME, Keys.ARROW_RIGHT, Keys.ARROW_RIGHT)  # the pair of the page that is gone to
    until(lambda: driver.find_element(By.CSS_SELECTOR, ".pair-words").text.startswith("Sheet 3:"))
    columns = driver.find_elements(By.CSS_SELECTOR, ".sheet.proposed")
    width = columns[1].location["x"] - columns[0].location["x"]
    grabbed = columns[2].find_element(By.CSS_SELECTOR, ".slot.back .leaf")
    drag = ActionChains(driver).click_and_hold(grabbed).move_by_offset(width // 2, 0).move_by_offset(width // 2, 0)
    drag.pause(0.3).release().perform()
    until(lambda: len(marks(driver)) == 7)
    assert marks(driver)[2] == "no back"
    assert marks(driver)[6] == "no front"
    driver.find_elements(By.CSS_SELECTOR, ".pair-mark")[3].click()
    press(driver, "[")
    until(lambda: len(marks(driver)) == 6)
    assert "no back" not in marks(driver)
    press(driver, Keys.ESCAPE)
    until(lambda: not marks(driver))
    assert len(stack.desk(mappe).lanes) == 12


def test_selected_pages_are_paired_with_each_other(stack: Stack, driver: Chrome, until: Until) -> None:
    number = mappen.open_mappe(ANNA, stack.store, "All in one run")
    stack.drawer.lay(*PAPERS)
    stack.drawer.lay(*PAPERS, turned_over=True, reversed=True)
    runs.start_run(ANNA, stack.store, number, zaunkoenig(stack), ONE_SIDE)
    until(lambda: all_in(stack, number, 12))
    driver.get(f"{stack.url}/mappen/{number}/order")
    until(lambda: len(driver.find_elements(By.CSS_SELECTOR, ".sheet .leaf")) >= 12)
    assert not driver.find_element(By.ID, "pair").is_displayed()  # there is one run only, and nothing is selected
    ActionChains(driver).key_down(Keys.CONTROL).send_keys("a").key_up(Keys.CONTROL).perform()
    until(lambda: driver.find_element(By.ID, "pair").is_displayed())
    press(driver, "p")
    until(lambda: len(marks(driver)) == 6)
    assert driver.find_element(By.ID, "front-count").get_attribute("value") == "6"
    assert "the other 6" in driver.find_element(By.CSS_SELECTOR, ".pairing .sentence").text
    press(driver, Keys.ENTER)
    until(lambda: len(stack.desk(number).lanes) == 6)
    pages = [stack.desk(number).detail(page).sheet for sheet in stack.desk(number).lanes for page in sheet if page]
    assert pages == [1, 12, 2, 11, 3, 10, 4, 9, 5, 8, 6, 7]
