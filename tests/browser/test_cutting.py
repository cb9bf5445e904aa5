"""A Mappe cut into documents in a real browser: at dividers, by hand, named in place, undone; by keys alone."""

from collections.abc import Callable

import pytest
from selenium.webdriver import ActionChains, Chrome
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.support.ui import Select
from tests.browser.conftest import Stack, assert_accessible
from tests.browser.test_handling import copied_in_order
from tests.helpers import ANNA

from papiermappe.services.mappen import list_targets

Until = Callable[..., None]

pytestmark = [pytest.mark.browser, pytest.mark.slow, pytest.mark.shared_desk]

PILE = ("letter-share", "divider-hail", "hail", "divider-leases", "lease")
"""Seven sheets, both sides; two of them divide."""


@pytest.fixture
def desk(stack: Stack, driver: Chrome, until: Until) -> tuple[int, list[int]]:
    """A pile with dividers, shown in Order."""
    return copied_in_order(stack, driver, until, "Post", *PILE)


def press(driver: Chrome, *keys: str) -> None:
    """Press keys, wherever the focus is."""
    ActionChains(driver).send_keys(*keys).perform()


def names(driver: Chrome) -> list[str]:
    """Return the names above the documents."""
    fields = driver.find_elements(By.CSS_SELECTOR, ".part-name")
    return [field.get_attribute("value") or "" for field in fields if field.is_displayed()]


def undo(driver: Chrome) -> None:
    """Press Ctrl+Z."""
    ActionChains(driver).key_down(Keys.CONTROL).send_keys("z").key_up(Keys.CONTROL).perform()


def test_a_pile_is_cut_at_its_dividers_into_mappen_by_keys_and_joined_by_undo(
    desk: tuple[int, list[int]], stack: Stack, driver: Chrome, until: Until
) -> None:
    mappe, pages = desk
    press(driver, "c")
    until(lambda: names(driver) == ["", "Hail damage", "Lease Upper Meadow"])
    assert "4 pages only divide" in driver.find_element(By.CSS_SELECTOR, ".cutting .verdict").text
    assert len(driver.find_elements(By.CSS_SELECTOR, ".sheet.divides")) == 2
    assert_accessible(driver, "cuts proposed")
    press(driver, Keys.ENTER)
    until(lambda: len(stack.desk(mappe).set_aside) == 4)
    until(lambda: driver.find_element(By.ID, "cut-into-mappen").text == "Cut into 3 Mappen")
    assert_accessible(driver, "cuts made")
    driver.find_element(By.ID, "cut-into-mappen").click()
    until(
        lambda: (
            [link.text for link in driver.find_elements(By.CSS_SELECTOR, "#mappen-made a")]
            == ["Hail damage", "Lease Upper Meadow"]
        )
    )
    assert stack.desk(mappe).order == pages[:2]
    assert {target.subject for target in list_targets(ANNA, stack.store)} >= {"Hail damage", "Lease Upper Meadow"}
    until(lambda: driver.find_element(By.ID, "undo").text == "Undo: Cut into 3 Mappen")
    undo(driver)
    until(lambda: stack.desk(mappe).order == [*pages[:2], *pages[4:6], *pages[8:]])
    until(lambda: names(driver) == ["", "Hail damage", "Lease Upper Meadow"])
    until(lambda: driver.find_element(By.ID, "undo").text == "Undo: 3 documents marked")
    undo(driver)
    until(lambda: stack.desk(mappe).order == pages)
    until(lambda: names(driver) == [])


def test_documents_are_cut_by_hand_named_in_place_and_joined_again(
    desk: tuple[int, list[int]], stack: Stack, driver: Chrome, until: Until
) -> None:
    mappe, pages = desk
    assert not driver.find_element(By.ID, "cut-here").is_enabled()  # nothing lies before the first sheet
    press(driver, Keys.ARROW_RIGHT, Keys.ARROW_RIGHT, "k")
    until(lambda: len(names(driver)) == 2)
    field = driver.find_elements(By.CSS_SELECTOR, ".begins .part-name")[1]
    field.click()
    field.send_keys("Hail of 9 May", Keys.ENTER)
    until(lambda: [page.begins for page in stack.desk(mappe).pages if page.begins is not None] == ["Hail of 9 May"])
    until(lambda: driver.find_element(By.ID, "undo").text == "Undo: Document named Hail of 9 May")
    driver.find_element(By.CSS_SELECTOR, ".sheet.begins .part-join:not([hidden])").click()
    until(lambda: names(driver) == [])  # at once, before the desk has heard of it
    until(lambda: [page.begins for page in stack.desk(mappe).pages] == [None] * len(pages))


def test_a_proposed_cut_is_dropped_and_another_rule_is_taken(
    desk: tuple[int, list[int]], stack: Stack, driver: Chrome, until: Until
) -> None:
    mappe, pages = desk
    driver.find_element(By.ID, "cut").click()
    until(lambda: len(names(driver)) == 3)
    driver.find_elements(By.CSS_SELECTOR, ".begins-maybe .part-join")[0].click()
    until(lambda: len(names(driver)) == 2)
    Select(driver.find_element(By.ID, "cut-rule")).select_by_value("sheets")
    until(lambda: driver.find_element(By.ID, "cut-every").is_displayed())
    until(lambda: len(names(driver)) == 4)  # seven sheets, two each
    driver.find_element(By.ID, "cut-done").click()
    until(
        lambda: (
            [page.id for page in stack.desk(mappe).pages if page.begins is not None]
            == [pages[at] for at in (0, 4, 8, 12)]
        )
    )


def test_dividers_are_printed_and_other_codes_made_to_count(
    desk: tuple[int, list[int]], stack: Stack, driver: Chrome, until: Until
) -> None:
    press(driver, "c")
    until(lambda: driver.find_element(By.ID, "show-dividers").is_displayed())
    driver.find_element(By.ID, "show-dividers").click()
    until(lambda: driver.find_element(By.ID, "divider-names").is_displayed())
    assert_accessible(driver, "dividers")
    driver.find_element(By.ID, "names-of-destinations").click()
    until(lambda: driver.find_element(By.ID, "divider-names").get_attribute("value") == "Leases")
    driver.find_element(By.CSS_SELECTOR, "#dividers [name=pattern]").send_keys("K-*")
    Select(driver.find_element(By.CSS_SELECTOR, "#dividers [name=format]")).select_by_value("code_128")
    driver.find_element(By.ID, "add-code-rule").click()
    until(lambda: "Code 128 “K-*”: divides; its sheet is set aside" in driver.find_element(By.ID, "dividers").text)
    driver.find_element(By.XPATH, "//dialog[@id='dividers']//button[text()='Remove']").click()
    until(lambda: "K-*" not in driver.find_element(By.ID, "dividers").text)
