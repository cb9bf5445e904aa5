"""Handling: choosing, moving, turning, several windows, a lost connection."""

import re
import time
from collections.abc import Callable
from datetime import date

import pytest
from selenium.webdriver import ActionChains, Chrome
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.remote.webelement import WebElement
from selenium.webdriver.support.ui import Select
from tests.browser.conftest import Stack, assert_accessible, next_name
from tests.helpers import ANNA, BEN, QUICK, do

from papiermappe.core.operations import Turn
from papiermappe.core.order.places import Side
from papiermappe.core.reading.printed import NumberKind, PageNumber, Printed
from papiermappe.core.treatment import Tone
from papiermappe.services import mappen, runs
from papiermappe.services.caller import locked_mappe
from papiermappe.services.changes import next_change
from papiermappe.store.models import Page

Until = Callable[..., None]

pytestmark = [pytest.mark.slow, pytest.mark.shared_desk]


@pytest.fixture
def desk(stack: Stack, driver: Chrome, until: Until) -> tuple[int, list[int]]:
    """A Mappe of eight pages on four sheets, shown in Order: its number, and its pages."""
    return in_order(stack, driver, until, "lease", "hail")


def in_order(stack: Stack, driver: Chrome, until: Until, *papers: str) -> tuple[int, list[int]]:
    """Take papers in, both sides, and show them in Order; return the Mappe and its pages."""
    mappe = mappen.open_mappe(ANNA, stack.store, "Handling")
    stack.drawer.lay(*papers)
    run = runs.start_run(ANNA, stack.store, mappe, stack.devices["zaunkoenig"], QUICK)
    until(lambda: not stack.desk(mappe).runs[-1].live and all(page.analysed for page in stack.desk(mappe).pages))
    assert stack.desk(mappe).runs[-1].id == run
    pages = stack.desk(mappe).order
    driver.get(f"{stack.url}/mappen/{mappe}/order")
    until(lambda: len(driver.find_elements(By.CSS_SELECTOR, "[role=gridcell][data-page]")) == len(pages))
    return mappe, pages


def copied_in_order(stack: Stack, driver: Chrome, until: Until, name: str, *papers: str) -> tuple[int, list[int]]:
    """Show a copy of what `in_order` has taken in before in Order; return the Mappe and its pages."""
    mappe = stack.copy_of(name, lambda: in_order(stack, driver, until, *papers)[0])
    pages = stack.desk(mappe).order
    driver.get(f"{stack.url}/mappen/{mappe}/order")
    until(lambda: len(driver.find_elements(By.CSS_SELECTOR, "[role=gridcell][data-page]")) == len(pages))
    return mappe, pages


def click(driver: Chrome, page: int, *held: str) -> None:
    """Click a page, holding keys."""
    steps = ActionChains(driver)
    for key in held:
        steps = steps.key_down(key)
    steps = steps.click(driver.find_element(By.CSS_SELECTOR, f'[data-page="{page}"]'))
    for key in held:
        steps = steps.key_up(key)
    steps.perform()


def chosen(driver: Chrome) -> list[int]:
    """Return the pages that show as selected."""
    leaves = driver.find_elements(By.CSS_SELECTOR, '[data-page][aria-selected="true"]')
    return sorted(int(leaf.get_attribute("data-page") or 0) for leaf in leaves)


def test_choosing_as_people_know_it(desk: tuple[int, list[int]], driver: Chrome, until: Until) -> None:
    _, pages = desk
    click(driver, pages[1])
    until(lambda: chosen(driver) == [pages[1]])
    click(driver, pages[4], Keys.SHIFT)
    until(lambda: chosen(driver) == pages[1:5])
    click(driver, pages[7], Keys.CONTROL)
    click(driver, pages[2], Keys.CONTROL)
    until(lambda: chosen(driver) == [pages[1], pages[3], pages[4], pages[7]])
    ActionChains(driver).key_down(Keys.CONTROL).send_keys("a").key_up(Keys.CONTROL).perform()
    until(lambda: chosen(driver) == pages)
    click(driver, pages[0])
    ActionChains(driver).send_keys(Keys.ARROW_RIGHT).perform()
    until(lambda: chosen(driver) == [pages[2]])
    ActionChains(driver).key_down(Keys.SHIFT).send_keys(Keys.ARROW_RIGHT).key_up(Keys.SHIFT).perform()
    until(lambda: chosen(driver) == pages[2:5])
    ActionChains(driver).send_keys(Keys.ARROW_DOWN).perform()
    until(lambda: chosen(driver) == [pages[5]])


def test_a_frame_drawn_round_pages_chooses_them(desk: tuple[int, list[int]], driver: Chrome, until: Until) -> None:
    _, pages = desk
    last = driver.find_element(By.CSS_SELECTOR, f'[data-page="{pages[7]}"]')
    ActionChains(driver).move_to_element_with_offset(last, 90, 60).click_and_hold().move_by_offset(
        -30, -20
    ).move_by_offset(-210, -60).release().perform()
    until(lambda: chosen(driver) == [pages[5], pages[7]])


def test_several_pages_move_and_turn_together(
    desk: tuple[int, list[int]], stack: Stack, driver: Chrome, until: Until
) -> None:
    mappe, pages = desk
    click(driver, pages[4])
    click(driver, pages[7], Keys.SHIFT)
    ActionChains(driver).key_down(Keys.ALT).send_keys(Keys.ARROW_LEFT).key_up(Keys.ALT).perform()
    until(lambda: stack.desk(mappe).order == pages[:2] + pages[4:] + pages[2:4])
    ActionChains(driver).key_down(Keys.SHIFT).send_keys("r").key_up(Keys.SHIFT).perform()
    until(lambda: [treatment.quarter_turns for treatment in stack.desk(mappe).treatments()] == [0, 0, 1, 1, 1, 1, 0, 0])
    picture = driver.find_element(By.CSS_SELECTOR, f'[data-page="{pages[4]}"] img')
    until(lambda: picture.get_attribute("class") == "" and picture.size["width"] > picture.size["height"])


def test_undo_at_once_takes_back_what_was_done_a_moment_ago(
    desk: tuple[int, list[int]], stack: Stack, driver: Chrome, until: Until
) -> None:
    """Also where the window has heard of neither."""
    mappe, pages = desk
    driver.execute_script("Alpine.store('mappe').setAside([arguments[0]])", pages[1])
    until(lambda: stack.desk(mappe).set_aside == [pages[1]])
    driver.execute_script("const mappe = Alpine.store('mappe'); mappe.setAside([arguments[0]]); mappe.undo()", pages[3])
    until(lambda: stack.desk(mappe).history[0].startswith("Undone"))
    assert stack.desk(mappe).set_aside == [pages[1]]


def test_every_page_of_one_side_at_once(
    desk: tuple[int, list[int]], stack: Stack, driver: Chrome, until: Until
) -> None:
    mappe, _ = desk
    driver.get(f"{stack.url}/mappen/{mappe}/tidy")
    until(lambda: driver.find_elements(By.XPATH, "//button[text()='all backs']"))
    driver.find_element(By.XPATH, "//button[text()='all backs']").click()
    driver.find_element(By.ID, "switch-straighten").click()
    until(
        lambda: (
            [treatment.straighten.on for treatment in stack.desk(mappe).treatments() if treatment.straighten]
            == [True, False] * 4
        )
    )
    assert stack.desk(mappe).history[0] == "Straightening switched off for 4 pages"


def test_places_have_addresses(desk: tuple[int, list[int]], stack: Stack, driver: Chrome, until: Until) -> None:
    mappe, pages = desk
    driver.get(f"{stack.url}/mappen/{mappe}/tidy?page={pages[5]}")
    until(lambda: driver.find_element(By.ID, "values-head").text.lower().startswith("page 6"))
    ActionChains(driver).send_keys(Keys.ARROW_UP).perform()
    until(lambda: re.search(rf"page={pages[4]}$", driver.current_url))


def test_keys_never_fire_inside_a_text_field(
    desk: tuple[int, list[int]], stack: Stack, driver: Chrome, until: Until
) -> None:
    mappe, pages = desk
    driver.find_element(By.ID, "subject").send_keys(" r3", Keys.DELETE, "?", Keys.TAB)
    until(lambda: stack.desk(mappe).view.subject == "Handling r3?")
    assert stack.desk(mappe).order == pages
    assert "/order" in driver.current_url


def test_a_change_of_another_window_is_not_overwritten(
    desk: tuple[int, list[int]], stack: Stack, driver: Chrome, until: Until
) -> None:
    mappe, pages = desk
    stale = "Object.defineProperty(Alpine.store('mappe'), 'cursor', {get: () => 1, set() {}})"
    driver.execute_script(stale)  # a window left behind
    do(stack.store, mappe, Turn(pages=(pages[0],), quarter_turns=2), caller=BEN)
    click(driver, pages[0])
    ActionChains(driver).send_keys("r").perform()
    until(lambda: "Someone else has just changed the same" in driver.find_element(By.CSS_SELECTOR, ".messages").text)
    assert stack.desk(mappe).treatments()[0].quarter_turns == 2
    picture = driver.find_element(By.CSS_SELECTOR, f'[data-page="{pages[0]}"] img')
    until(lambda: picture.get_attribute("class") == "")  # the preview is taken back


def test_a_lost_connection_shows_and_heals(
    desk: tuple[int, list[int]], stack: Stack, driver: Chrome, until: Until
) -> None:
    mappe, _ = desk
    stack.kill("web")
    until(lambda: "No connection. What has arrived is safe" in driver.find_element(By.CSS_SELECTOR, ".lost").text)
    mappen.rename(ANNA, stack.store, mappe, "Renamed while nobody looked")
    stack.start_one("web")
    until(lambda: driver.find_element(By.ID, "subject").get_attribute("value") == "Renamed while nobody looked")
    assert not driver.find_element(By.CSS_SELECTOR, ".lost").is_displayed()


def test_full_screens_are_accessible(desk: tuple[int, list[int]], stack: Stack, driver: Chrome) -> None:
    """WCAG 2.2 AA by axe-core, with pages in the lanes."""
    mappe, _ = desk
    for station in ("intake", "order", "tidy", "file"):
        driver.get(f"{stack.url}/mappen/{mappe}/{station}")
        time.sleep(0.6)
        assert_accessible(driver, station)


def test_white_paper_for_all_pages_at_tidy(
    stack: Stack, desk: tuple[int, list[int]], driver: Chrome, until: Until
) -> None:
    mappe, pages = desk
    driver.get(f"{stack.url}/mappen/{mappe}/tidy?page={pages[0]}")
    picture = driver.find_element(By.CSS_SELECTOR, ".viewer-page image.page")
    until(lambda: picture.get_attribute("href"))
    before = picture.get_attribute("href")
    everywhere = driver.find_elements(By.CSS_SELECTOR, ".scope button")[-1]
    everywhere.click()
    Select(driver.find_element(By.ID, "tone")).select_by_visible_text("paper white")
    until(lambda: picture.get_attribute("href") != before)
    assert {treatment.tone for treatment in stack.desk(mappe).treatments()} == {Tone.WHITE}
    ActionChains(driver).send_keys(Keys.ESCAPE).perform()
    driver.find_element(By.ID, "values-head").click()
    ActionChains(driver).key_down(Keys.CONTROL).send_keys("z").key_up(Keys.CONTROL).perform()
    until(lambda: {treatment.tone for treatment in stack.desk(mappe).treatments()} == {Tone.AS_SCANNED})


def test_blank_backs_are_named_and_set_aside_together(stack: Stack, driver: Chrome, until: Until) -> None:
    """The hail report has a sketch on its back, the German letter nothing."""
    mappe, pages = in_order(stack, driver, until, "hail", "german")
    (blank,) = driver.find_elements(
        By.XPATH, "//*[@data-page][*[contains(@class, 'leaf') and contains(@class, 'blank')]]"
    )
    assert int(blank.get_attribute("data-page") or 0) == pages[-1]
    button = driver.find_element(By.ID, "blank-backs")
    assert button.text == "Set 1 blank back aside"
    button.click()
    until(lambda: stack.desk(mappe).order == pages[:-1])


def test_printed_numbers_and_dates_are_offered(
    desk: tuple[int, list[int]], stack: Stack, driver: Chrome, until: Until
) -> None:
    mappe, _ = desk
    fronts = [page.id for page in stack.desk(mappe).pages if page.side is Side.FRONT]
    with stack.store.begin() as session:
        for page, number in zip(fronts, (3, 1, 2, 5), strict=True):
            printed = Printed(
                numbers=(PageNumber(number=number, kind=NumberKind.NAMED),), dates=(date(2026, 3, 10 + number),)
            )
            row = session.get_one(Page, page)
            row.printed = printed.model_dump(mode="json")
            row.revision = row.content_revision = next_change(session, locked_mappe(ANNA, session, mappe))
    until(lambda: driver.find_element(By.ID, "printed").text == "Printed pages 1 to 5; 4 missing")
    driver.find_element(By.ID, "printed-order").click()
    until(lambda: [front for front, _ in stack.desk(mappe).lanes] == [fronts[1], fronts[2], fronts[0], fronts[3]])
    until(lambda: not driver.find_element(By.ID, "printed-order").is_displayed())
    ActionChains(driver).send_keys("4").perform()
    until(lambda: driver.find_elements(By.CSS_SELECTOR, "[data-part]"))
    assert "Printed page 4 is missing" in driver.find_element(By.CSS_SELECTOR, ".checks").text
    driver.find_element(By.CSS_SELECTOR, "[data-part='0']").click()
    until(lambda: driver.find_elements(By.ID, "dated"))
    Select(driver.find_element(By.ID, "dated")).select_by_value("2026-03-12")
    # the number depends on what has been filed on this desk before
    until(lambda: next_name(driver).startswith("2026-03-12_handling_"))
    name = next_name(driver)
    driver.find_element(By.ID, "file-it").click()
    until(lambda: [filing.documents[0].file_name for filing in stack.desk(mappe).filings] == [name])


def test_a_document_is_stopped_and_continued(
    desk: tuple[int, list[int]], stack: Stack, driver: Chrome, until: Until
) -> None:
    mappe, _ = desk
    ActionChains(driver).send_keys("4").perform()
    until(lambda: driver.find_elements(By.ID, "file-it"))
    stack.kill("worker")  # so that it is still under way
    Select(driver.find_element(By.ID, "languages")).select_by_value("")
    driver.find_element(By.ID, "file-it").click()
    until(lambda: button(driver, "Stop"))
    button(driver, "Stop")[0].click()
    until(lambda: stack.desk(mappe).filings[0].stopping)
    stack.start_one("worker")
    until(lambda: button(driver, "Continue"))
    assert "nothing was filed" in driver.find_element(By.CSS_SELECTOR, ".filing").text
    button(driver, "Continue")[0].click()
    until(lambda: stack.desk(mappe).filings[0].state == "made")


def button(driver: Chrome, text: str) -> list[WebElement]:
    """Return the buttons beside a filing that say so."""
    return [found for found in driver.find_elements(By.CSS_SELECTOR, ".filing button") if found.text == text]
