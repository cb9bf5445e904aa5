"""Pages between Mappen in a real browser: by the dialog, by dragging on the tray, joined; rearranged in bulk."""

from collections.abc import Callable

import pytest
from selenium.webdriver import ActionChains, Chrome
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from tests.browser.conftest import Stack, assert_accessible
from tests.browser.test_handling import chosen, click, in_order
from tests.helpers import ANNA

from papiermappe.services import mappen

Until = Callable[..., None]

pytestmark = [pytest.mark.browser, pytest.mark.slow, pytest.mark.shared_desk]


@pytest.fixture
def other(stack: Stack) -> int:
    """Another open Mappe; those of other tests have other names."""
    mappe = mappen.open_mappe(ANNA, stack.store)
    mappen.rename(ANNA, stack.store, mappe, f"Deliveries {mappe}")
    return mappe


@pytest.fixture
def desk(other: int, stack: Stack, driver: Chrome, until: Until) -> tuple[int, list[int]]:
    """A Mappe of eight pages on four sheets, shown in Order."""
    return in_order(stack, driver, until, "lease", "hail")


def held(driver: Chrome, modifier: str, key: str) -> None:
    """Press a key with another one held."""
    ActionChains(driver).key_down(modifier).send_keys(key).key_up(modifier).perform()


def test_pages_go_to_another_mappe_by_the_dialog_and_come_back(
    desk: tuple[int, list[int]], other: int, stack: Stack, driver: Chrome, until: Until
) -> None:
    mappe, pages = desk
    click(driver, pages[2])
    click(driver, pages[3], Keys.SHIFT)
    ActionChains(driver).send_keys("m").perform()
    until(lambda: driver.find_element(By.ID, "moving-title").text == "Move 2 pages to another Mappe")
    assert_accessible(driver, "moving")
    driver.find_element(By.ID, "moving-find").send_keys(f"deliv {other}")
    until(lambda: len(driver.find_elements(By.CSS_SELECTOR, ".moving-list input")) == 1)
    driver.find_element(By.CSS_SELECTOR, f'.moving-list input[value="{other}"]').click()
    driver.find_element(By.ID, "moving-go").click()
    until(lambda: stack.desk(other).order == pages[2:4])
    until(lambda: len(driver.find_elements(By.CSS_SELECTOR, "[data-page]")) == 6)
    held(driver, Keys.CONTROL, "z")
    until(lambda: stack.desk(mappe).order == pages)


def test_pages_are_dragged_to_a_mappe_on_the_tray_and_copied_with_ctrl_to_a_new_one(
    desk: tuple[int, list[int]], other: int, stack: Stack, driver: Chrome, until: Until
) -> None:
    mappe, pages = desk
    until(lambda: driver.find_element(By.CSS_SELECTOR, f'[data-mappe="{other}"]').is_displayed())
    page = driver.find_element(By.CSS_SELECTOR, f'[data-page="{pages[6]}"]')
    target = driver.find_element(By.CSS_SELECTOR, f'[data-mappe="{other}"]')
    ActionChains(driver).click_and_hold(page).move_by_offset(0, 10).move_to_element(target).pause(
        0.2
    ).release().perform()
    until(lambda: stack.desk(other).order == [pages[6]])
    page = driver.find_element(By.CSS_SELECTOR, f'[data-page="{pages[0]}"]')
    new = driver.find_element(By.CSS_SELECTOR, '[data-mappe="new"]')
    ActionChains(driver).click_and_hold(page).move_by_offset(0, 10).key_down(Keys.CONTROL).move_to_element(new).pause(
        0.2
    ).release().key_up(Keys.CONTROL).perform()
    until(lambda: mappen.list_targets(ANNA, stack.store)[0].id > max(mappe, other))
    copied = mappen.list_targets(ANNA, stack.store)[0]
    assert copied.page_count == 1
    assert stack.desk(mappe).order == [page for page in pages if page != pages[6]]


def test_a_mappe_is_joined_to_this_one_and_taken_apart_by_undo(
    desk: tuple[int, list[int]], other: int, stack: Stack, driver: Chrome, until: Until
) -> None:
    mappe, pages = desk
    click(driver, pages[6])
    click(driver, pages[7], Keys.SHIFT)
    ActionChains(driver).send_keys("m").perform()
    until(lambda: driver.find_elements(By.CSS_SELECTOR, f'.moving-list input[value="{other}"]'))
    driver.find_element(By.CSS_SELECTOR, f'.moving-list input[value="{other}"]').click()
    driver.find_element(By.ID, "moving-go").click()
    until(lambda: stack.desk(other).order == pages[6:])
    driver.find_element(By.ID, "join").click()
    until(lambda: driver.find_elements(By.CSS_SELECTOR, f'.moving-list input[value="{other}"]'))
    driver.find_element(By.CSS_SELECTOR, f'.moving-list input[value="{other}"]').click()
    driver.find_element(By.CSS_SELECTOR, "#moving-place option[value=beginning]").click()
    driver.find_element(By.ID, "moving-go").click()
    until(lambda: stack.desk(mappe).order == [*pages[6:], *pages[:6]])
    assert all(target.id != other for target in mappen.list_targets(ANNA, stack.store))
    until(lambda: driver.find_element(By.ID, "undo").text == "Undo: 2 pages of another Mappe put in")
    held(driver, Keys.CONTROL, "z")
    until(lambda: stack.desk(mappe).order == pages[:6])
    assert stack.desk(other).order == pages[6:]


def test_pages_are_rearranged_in_bulk(desk: tuple[int, list[int]], stack: Stack, driver: Chrome, until: Until) -> None:
    mappe, pages = desk
    driver.find_element(By.ID, "rearrange").click()
    driver.find_element(By.ID, "reverse").click()
    until(lambda: stack.desk(mappe).order == [pages[at] for at in (6, 7, 4, 5, 2, 3, 0, 1)])
    driver.find_element(By.ID, "rearrange").click()
    driver.find_element(By.ID, "sort-arrival").click()
    until(lambda: stack.desk(mappe).order == pages)
    driver.find_element(By.ID, "rearrange").click()
    driver.find_element(By.ID, "select-backs").click()
    until(lambda: chosen(driver) == pages[1::2])
    driver.find_element(By.ID, "rearrange").click()
    driver.find_element(By.ID, "reverse").click()
    until(lambda: stack.desk(mappe).order == [pages[at] for at in (0, 7, 2, 5, 4, 3, 6, 1)])
    click(driver, pages[0])
    click(driver, pages[7], Keys.SHIFT)
    driver.find_element(By.ID, "rearrange").click()
    driver.find_element(By.ID, "to-place").send_keys("3", Keys.ENTER)
    until(lambda: stack.desk(mappe).order == [pages[at] for at in (2, 5, 4, 3, 0, 7, 6, 1)])


def test_pages_are_seen_large_and_gone_to_by_their_number(
    desk: tuple[int, list[int]], driver: Chrome, until: Until
) -> None:
    _, pages = desk
    held(driver, Keys.CONTROL, "g")
    until(lambda: driver.find_element(By.ID, "goto-number").is_displayed())
    driver.find_element(By.ID, "goto-number").send_keys("5", Keys.ENTER)
    until(lambda: chosen(driver) == [pages[4]])
    ActionChains(driver).key_down(Keys.SPACE).perform()
    until(
        lambda: f"/pages/{pages[4]}/" in (driver.find_element(By.CSS_SELECTOR, ".peek img").get_attribute("src") or "")
    )
    assert driver.find_element(By.CSS_SELECTOR, ".peek").is_displayed()
    ActionChains(driver).key_up(Keys.SPACE).perform()
    until(lambda: not driver.find_element(By.CSS_SELECTOR, ".peek").is_displayed())
    width = "return document.querySelector('.leaf img').getBoundingClientRect().width"
    small = driver.execute_script(width)
    ActionChains(driver).send_keys("+").perform()
    until(lambda: driver.execute_script(width) > 2 * small)
    assert not driver.find_element(By.ID, "larger").is_enabled()
    driver.find_element(By.ID, "smaller").click()
