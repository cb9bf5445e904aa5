"""Two-sided by hand, a sheet taken again, a page scanned again: in a real browser, by few keys."""

from collections.abc import Callable

import pytest
from selenium.webdriver import ActionChains, Chrome
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.support.ui import Select
from tests.browser.conftest import Stack, assert_accessible
from tests.helpers import ANNA

from papiermappe.devices.model import Sides, Source, TicketSettings
from papiermappe.services import mappen, tickets

Until = Callable[..., None]

pytestmark = [pytest.mark.browser, pytest.mark.slow, pytest.mark.shared_desk]

QUICK = TicketSettings(dpi=100)


@pytest.fixture
def intake(stack: Stack, own_tickets: None, driver: Chrome, until: Until) -> Callable[[TicketSettings], int]:
    """Opens the Intake of a new Mappe with a ticket."""

    def opened(ticket: TicketSettings) -> int:
        kept = tickets.keep_ticket(ANNA, stack.store, "Quick", ticket)
        tickets.make_default(ANNA, stack.store, kept)
        mappe = mappen.open_mappe(ANNA, stack.store, "Landing")
        driver.get(stack.url)
        driver.execute_script("localStorage.clear()")
        driver.get(f"{stack.url}/mappen/{mappe}/intake")
        until(lambda: "Zaunkönig D60" in driver.find_element(By.CSS_SELECTOR, ".device-list").text)
        names = driver.find_elements(By.CSS_SELECTOR, ".device-list button")
        next(button for button in names if button.text == "Zaunkönig D60").click()
        until(lambda: driver.find_elements(By.CSS_SELECTOR, "select[data-name=dpi] option:checked"))
        return mappe

    return opened


def press(driver: Chrome, key: str) -> None:
    """Press a key, wherever the focus is."""
    ActionChains(driver).send_keys(key).perform()


def test_two_sided_by_hand_takes_two_keys_and_the_turning_of_the_pile(
    intake: Callable[[TicketSettings], int], stack: Stack, driver: Chrome, until: Until
) -> None:
    mappe = intake(QUICK.model_copy(update={"sides": Sides.ONE}))
    stack.drawer.lay("lease", "hail", seed=5)
    until(lambda: driver.find_element(By.ID, "scan").is_enabled())
    press(driver, Keys.SPACE)
    until(lambda: driver.find_element(By.CSS_SELECTOR, ".backs").is_displayed())
    assert "4 fronts came in" in driver.find_element(By.CSS_SELECTOR, ".backs").text
    assert_accessible(driver, "now the backs")
    stack.drawer.lay("lease", "hail", seed=5, turned_over=True, reversed=True)
    until(lambda: driver.find_element(By.ID, "backs").is_enabled())
    press(driver, "b")
    until(lambda: len(stack.desk(mappe).order) == 8)
    until(lambda: not stack.desk(mappe).runs[-1].live)
    as_they_came = sorted(stack.desk(mappe).order)
    assert stack.desk(mappe).lanes == list(zip(as_they_came[:4], as_they_came[:3:-1], strict=True))
    until(lambda: not driver.find_element(By.CSS_SELECTOR, ".backs").is_displayed())


def test_a_sheet_on_the_glass_is_taken_again_and_the_loop_goes_on(
    intake: Callable[[TicketSettings], int], stack: Stack, driver: Chrome, until: Until
) -> None:
    mappe = intake(QUICK.model_copy(update={"source": Source.GLASS, "sides": Sides.ONE}))
    stack.drawer.lay("hail", where="glass")
    until(lambda: driver.find_element(By.ID, "scan").is_enabled())
    press(driver, Keys.SPACE)
    until(lambda: driver.find_element(By.ID, "retake").is_displayed())
    until(lambda: driver.find_element(By.CSS_SELECTOR, ".newest img").is_displayed())
    first = stack.desk(mappe).pages[0]
    stack.drawer.lay("german", where="glass")
    press(driver, Keys.BACKSPACE)
    until(lambda: stack.desk(mappe).pages[0].scan != first.scan)
    until(lambda: driver.find_element(By.ID, "next-sheet").is_displayed())
    press(driver, Keys.SPACE)
    until(lambda: len(stack.desk(mappe).order) == 2)
    until(lambda: driver.find_element(By.ID, "done").is_displayed())
    press(driver, Keys.ENTER)
    until(lambda: "Take your original off the glass." in driver.find_element(By.CSS_SELECTOR, ".actions").text)


def test_a_page_is_scanned_again_in_its_place_and_undone(
    intake: Callable[[TicketSettings], int], stack: Stack, driver: Chrome, until: Until
) -> None:
    mappe = intake(QUICK)
    stack.drawer.lay("lease")
    until(lambda: driver.find_element(By.ID, "scan").is_enabled())
    press(driver, Keys.SPACE)
    until(lambda: len(stack.desk(mappe).order) == 6 and not stack.desk(mappe).runs[-1].live)
    old = stack.desk(mappe).pages
    until(lambda: len(driver.find_elements(By.CSS_SELECTOR, "[data-page]")) == 6)
    driver.find_element(By.CSS_SELECTOR, f'[data-page="{old[2].id}"]').click()
    driver.find_element(By.ID, "again").click()
    until(lambda: "takes the place of page 3" in driver.find_element(By.ID, "landing").text)
    stack.drawer.lay("hail")
    until(lambda: driver.find_element(By.ID, "scan").is_enabled())
    press(driver, Keys.SPACE)  # as the button says, though it was another that was clicked last
    until(lambda: stack.desk(mappe).pages[2].scan != old[2].scan)
    until(lambda: not stack.desk(mappe).runs[-1].live)
    assert stack.desk(mappe).order == [page.id for page in old]
    until(lambda: driver.find_element(By.ID, "undo").text == "Undo: 1 page scanned again")
    driver.find_element(By.ID, "undo").click()
    until(lambda: stack.desk(mappe).pages[2].scan == old[2].scan)


def test_pages_are_scanned_in_before_a_sheet(
    intake: Callable[[TicketSettings], int], stack: Stack, driver: Chrome, until: Until
) -> None:
    mappe = intake(QUICK)
    stack.drawer.lay("hail", "german")
    until(lambda: driver.find_element(By.ID, "scan").is_enabled())
    press(driver, Keys.SPACE)
    until(lambda: len(stack.desk(mappe).order) == 4 and not stack.desk(mappe).runs[-1].live)
    old = stack.desk(mappe).order
    until(lambda: len(driver.find_elements(By.CSS_SELECTOR, "[data-page]")) == 4)
    driver.find_element(By.CSS_SELECTOR, f'[data-page="{old[2]}"]').click()
    driver.find_element(By.ID, "before").click()
    until(lambda: "go before page 3" in driver.find_element(By.ID, "landing").text)
    Select(driver.find_element(By.CSS_SELECTOR, "select[data-name=sides]")).select_by_value("one")
    stack.drawer.lay("lease")
    until(lambda: driver.find_element(By.ID, "scan").is_enabled())
    driver.find_element(By.ID, "scan").click()
    until(lambda: len(stack.desk(mappe).order) == 7)
    now = stack.desk(mappe).order
    assert (now[:2], now[5:]) == (old[:2], old[2:])
    until(lambda: not driver.find_element(By.ID, "landing").is_displayed())
