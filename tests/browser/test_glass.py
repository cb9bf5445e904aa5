"""A look at the glass in a real browser; a watched folder; what a ticket does on arrival."""

from collections.abc import Callable

import pytest
from selenium.webdriver import ActionChains, Chrome
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.support.ui import Select
from tests.browser.conftest import Stack, assert_accessible
from tests.helpers import ANNA

from papiermappe.devices.model import TicketSettings
from papiermappe.services import mappen, tickets

Until = Callable[..., None]

pytestmark = [pytest.mark.browser, pytest.mark.slow, pytest.mark.shared_desk]


@pytest.fixture
def intake(stack: Stack, own_tickets: None, driver: Chrome, until: Until) -> Callable[[str], int]:
    """Opens the Intake of a new Mappe with a scanner."""

    def opened(scanner: str) -> int:
        kept = tickets.keep_ticket(ANNA, stack.store, "Quick", TicketSettings(dpi=100))
        tickets.make_default(ANNA, stack.store, kept)
        mappe = mappen.open_mappe(ANNA, stack.store, "Glass")
        driver.get(stack.url)
        driver.execute_script("localStorage.clear()")
        driver.get(f"{stack.url}/mappen/{mappe}/intake")
        until(lambda: scanner in driver.find_element(By.CSS_SELECTOR, ".device-list").text)
        names = driver.find_elements(By.CSS_SELECTOR, ".device-list .devices button")
        next(button for button in names if button.text == scanner).click()
        until(lambda: driver.find_elements(By.CSS_SELECTOR, "select[data-name=dpi] option:checked"))
        return mappe

    return opened


def areas(driver: Chrome) -> list[str]:
    """Return what is said of each area."""
    return [area.get_attribute("aria-label") or "" for area in driver.find_elements(By.CSS_SELECTOR, ".areas .area")]


def field(driver: Chrome, name: str) -> str:
    """Return what a field of the chosen area says."""
    return driver.find_element(By.CSS_SELECTOR, f".mm-fields [data-name={name}]").get_attribute("value") or ""


def test_the_glass_is_looked_at_and_each_original_becomes_a_page(
    intake: Callable[[str], int], stack: Stack, driver: Chrome, until: Until
) -> None:
    mappe = intake("Kiebitz F1")
    stack.drawer.lay("card", "weigh-2041", into="kiebitz", where="glass")
    until(lambda: driver.find_element(By.ID, "look").is_enabled())
    ActionChains(driver).send_keys("l").perform()
    until(lambda: len(areas(driver)) == 2)
    assert_accessible(driver, "a look at the glass")
    assert stack.desk(mappe).order == []
    until(lambda: driver.find_element(By.ID, "scan").is_enabled())
    assert driver.find_element(By.ID, "scan").text.startswith("Scan these 2")
    driver.find_element(By.ID, "scan").click()
    until(lambda: len(stack.desk(mappe).order) == 2 and not stack.desk(mappe).runs[-1].live)
    until(lambda: not driver.find_element(By.CSS_SELECTOR, ".glass-view").is_displayed())


def test_areas_are_moved_resized_drawn_and_left_out(
    intake: Callable[[str], int], stack: Stack, driver: Chrome, until: Until
) -> None:
    mappe = intake("Kiebitz F1")
    stack.drawer.lay("card", into="kiebitz", where="glass")
    until(lambda: driver.find_element(By.ID, "look").is_enabled())
    driver.find_element(By.ID, "look").click()
    until(lambda: len(areas(driver)) == 1)
    area = driver.find_element(By.CSS_SELECTOR, ".areas .area")
    driver.execute_script("arguments[0].focus()", area)
    before = float(field(driver, "x_mm")), float(field(driver, "width_mm"))
    ActionChains(driver).send_keys(Keys.ARROW_RIGHT, Keys.ARROW_RIGHT).perform()
    until(lambda: float(field(driver, "x_mm")) == pytest.approx(before[0] + 2, abs=0.05))
    ActionChains(driver).key_down(Keys.SHIFT).send_keys(Keys.ARROW_RIGHT).key_up(Keys.SHIFT).perform()
    until(lambda: float(field(driver, "width_mm")) == pytest.approx(before[1] + 1, abs=0.05))
    ActionChains(driver).drag_and_drop_by_offset(area, 20, 30).perform()
    until(lambda: float(field(driver, "x_mm")) > before[0] + 5)
    wide = driver.find_element(By.CSS_SELECTOR, ".mm-fields [data-name=width_mm]")
    wide.clear()
    wide.send_keys("999", Keys.TAB)
    until(lambda: field(driver, "width_mm") == "230")  # no wider than the glass
    driver.execute_script("arguments[0].focus()", driver.find_element(By.CSS_SELECTOR, ".areas .area"))
    ActionChains(driver).send_keys(Keys.DELETE).perform()
    until(lambda: areas(driver) == [])
    assert driver.find_element(By.ID, "scan").text.startswith("Scan the first sheet")
    bed = driver.find_element(By.CSS_SELECTOR, ".glass-bed")
    ActionChains(driver).move_to_element_with_offset(bed, -40, 20).click_and_hold().move_by_offset(
        60, 90
    ).release().perform()
    until(lambda: len(areas(driver)) == 1)
    until(lambda: driver.find_element(By.ID, "scan").is_enabled())
    driver.find_element(By.ID, "scan").click()
    until(lambda: len(stack.desk(mappe).order) == 1 and not stack.desk(mappe).runs[-1].live)


def test_words_of_the_ticket_switch_what_is_done_on_arrival(
    intake: Callable[[str], int], stack: Stack, driver: Chrome, until: Until
) -> None:
    mappe = intake("Zaunkönig D60")
    driver.find_element(By.CSS_SELECTOR, ".word[data-name=blank_backs_aside]").click()
    driver.find_element(By.CSS_SELECTOR, ".word[data-name=crop]").click()
    until(lambda: len(driver.find_elements(By.CSS_SELECTOR, ".word.changed")) == 2)
    Select(driver.find_element(By.CSS_SELECTOR, "select[data-name=source]")).select_by_value("either")
    stack.drawer.lay("invoice")
    until(lambda: driver.find_element(By.ID, "scan").text.startswith("Scan the pile"))
    until(lambda: driver.find_element(By.ID, "scan").is_enabled())
    driver.find_element(By.ID, "scan").click()
    until(lambda: len(stack.desk(mappe).set_aside) == 1)
    page = stack.desk(mappe).detail(stack.desk(mappe).order[0])
    assert page.treatment.crop is None or not page.treatment.crop.on
    until(lambda: "1 set aside" in driver.find_element(By.CSS_SELECTOR, ".so-far").text)


def test_a_folder_is_watched_and_no_more(
    intake: Callable[[str], int], stack: Stack, driver: Chrome, until: Until
) -> None:
    intake("Zaunkönig D60")
    driver.find_element(By.ID, "watch-folder").click()
    driver.find_element(By.ID, "folder").send_keys("copier", Keys.ENTER)
    until(lambda: "copier" in driver.find_element(By.CSS_SELECTOR, ".watched").text)
    (stack.folder / "watched" / "copier" / "Hail.jpg").write_bytes(b"no picture")
    until(lambda: (stack.folder / "watched" / "copier" / "failed" / "Hail.jpg").is_file())
    driver.find_element(By.CSS_SELECTOR, ".watched button").click()
    until(lambda: not driver.find_element(By.CSS_SELECTOR, ".watched").is_displayed())
