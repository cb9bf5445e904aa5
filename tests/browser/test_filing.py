"""The station File in a real browser: what the first page says is put into the name."""

from collections.abc import Callable
from datetime import date

import pytest
from selenium.webdriver import Chrome
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.support.ui import Select
from tests.browser.conftest import Stack, assert_accessible
from tests.helpers import ANNA

from papiermappe.core.reading.printed import Printed
from papiermappe.core.reading.proposal import Proposal, Proposals
from papiermappe.devices.model import TicketSettings
from papiermappe.services import mappen, runs
from papiermappe.services.caller import MACHINE
from papiermappe.services.reading import record_printed
from papiermappe.store.models import Page

Until = Callable[..., None]

pytestmark = [pytest.mark.browser, pytest.mark.slow, pytest.mark.shared_desk]

SAID = Printed(
    dates=(date(2026, 6, 18), date(2026, 6, 3)),
    proposals=Proposals(
        date=Proposal(value="2026-06-18", confidence=0.9, told_by="18 June 2026"),
        sender=Proposal(value="Tamsin Vale Packaging Ltd", confidence=0.9, told_by="Tamsin Vale Packaging Ltd"),
        subject=Proposal(
            value="Repair of the cold store door", confidence=0.85, told_by="Repair of the cold store door"
        ),
        number=Proposal(value="TV-2291", confidence=0.4, told_by="Order no. TV-2291"),
    ),
)


@pytest.fixture
def mappe(stack: Stack, driver: Chrome, until: Until) -> int:
    """A Mappe whose first page has been read, shown at File."""

    def scan() -> int:
        number = mappen.open_mappe(ANNA, stack.store, "A letter")
        stack.drawer.lay("letter-share")
        runs.start_run(ANNA, stack.store, number, stack.devices["zaunkoenig"], TicketSettings(dpi=100))
        until(lambda: stack.desk(number).order and all(page.analysed for page in stack.desk(number).pages), 60)
        return number

    number = stack.copy_of("A letter", scan)
    mappen.rename(ANNA, stack.store, number, "")
    with stack.store.begin() as session:
        capture = session.get_one(Page, stack.desk(number).order[0]).capture_id
    record_printed(MACHINE, stack.store, capture, SAID)
    driver.get(f"{stack.url}/mappen/{number}/file")
    until(lambda: len(driver.find_elements(By.CSS_SELECTOR, ".proposal")) == 4)
    return number


def test_some_pages_are_filed_by_number_and_a_range_that_is_none_is_said(
    stack: Stack, driver: Chrome, until: Until, mappe: int
) -> None:
    Select(driver.find_element(By.ID, "languages")).select_by_value("")
    Select(driver.find_element(By.ID, "which")).select_by_value("ranges")
    field = driver.find_element(By.ID, "ranges")
    until(field.is_displayed)
    field.send_keys("2-9")
    driver.find_element(By.ID, "file-it").click()
    until(
        lambda: (
            "names pages that are not there: they go from 1 to 2"
            in driver.find_element(By.CSS_SELECTOR, ".message").text
        )
    )
    field.send_keys(Keys.CONTROL, "a", Keys.NULL, "2")
    driver.find_element(By.ID, "file-it").click()
    until(lambda: [filing.page_count for filing in stack.desk(mappe).filings] == [1])


def test_what_the_page_says_is_put_into_the_name_and_taken_out_again(
    stack: Stack, driver: Chrome, until: Until, mappe: int
) -> None:
    assert_accessible(driver, "proposals")
    subject, sender, number, day = driver.find_elements(By.CSS_SELECTOR, ".proposal")
    assert number.text == "Number, doubtful TV-2291"
    assert number.get_attribute("title") == "The page says: Order no. TV-2291"
    subject.click()
    until(lambda: stack.desk(mappe).view.subject == "Repair of the cold store door")
    until(lambda: subject.get_attribute("aria-pressed") == "true")
    sender.click()
    until(lambda: stack.desk(mappe).view.subject == "Repair of the cold store door Tamsin Vale Packaging Ltd")
    until(lambda: sender.get_attribute("aria-pressed") == "true")
    subject.click()
    until(lambda: stack.desk(mappe).view.subject == "Tamsin Vale Packaging Ltd")
    day.click()
    until(lambda: "2026-06-18_tamsin-vale-packaging-ltd_" in driver.find_element(By.CSS_SELECTOR, ".file-name").text)
    day.click()
    until(lambda: "2026-06-18" not in driver.find_element(By.CSS_SELECTOR, ".file-name").text)
