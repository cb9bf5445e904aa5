"""The Intake: tickets under names, changed for once; scanners named, removed and taken back."""

from collections.abc import Callable

import pytest
from selenium.webdriver import Chrome
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.support.ui import Select
from tests.browser.conftest import Stack
from tests.helpers import ANNA

from papiermappe.devices.model import Colour, Sides, Source, TicketSettings
from papiermappe.services import devices, mappen, tickets

Until = Callable[..., object]

pytestmark = [pytest.mark.browser, pytest.mark.slow]

CARDS = TicketSettings(source=Source.GLASS, sides=Sides.ONE, dpi=1200, colour=Colour.GREY, paper="Card")


def word(driver: Chrome, name: str) -> str:
    """Return a word of the ticket's sentence; empty before there is one."""
    found = driver.find_elements(By.CSS_SELECTOR, f"select[data-name={name}]")
    options = found[0].find_elements(By.CSS_SELECTOR, "option:checked") if found else []
    return options[0].text if options else ""


def press(driver: Chrome, name: str) -> None:
    """Press the button with these words among tickets and scanners."""
    buttons = driver.find_elements(By.CSS_SELECTOR, ".tickets button, .ticket-care button, .device-list button")
    next(button for button in buttons if button.is_displayed() and button.text == name).click()


def listed(driver: Chrome, where: str) -> list[str]:
    """Return the names of the tickets, or of the scanners."""
    return [button.text for button in driver.find_elements(By.CSS_SELECTOR, f".{where} .devices button")]


def type_name(driver: Chrome, field: str, name: str) -> None:
    """Type a name into a field that is asked for, and send it."""
    entry = driver.find_element(By.ID, field)
    entry.clear()
    entry.send_keys(name, Keys.ENTER)


@pytest.fixture
def intake(stack: Stack, own_tickets: None, driver: Chrome, until: Until) -> int:
    """The Intake of a new Mappe, with the duplex feeder and the ticket that a new desk has."""
    tickets.keep_ticket(ANNA, stack.store, "Member cards", CARDS)
    mappe = mappen.open_mappe(ANNA, stack.store, "Intake")
    driver.get(stack.url)
    driver.execute_script("localStorage.clear()")
    driver.get(f"{stack.url}/mappen/{mappe}/intake")
    until(lambda: "Zaunkönig D60" in listed(driver, "device-list"))
    press(driver, "Zaunkönig D60")
    until(lambda: word(driver, "dpi") == "300 dpi")
    return mappe


@pytest.mark.shared_desk
def test_a_word_is_changed_for_once_and_the_change_can_be_kept(
    intake: int, stack: Stack, driver: Chrome, until: Until
) -> None:
    marked = "select[data-name=colour].changed"
    colour = Select(driver.find_element(By.CSS_SELECTOR, "select[data-name=colour]"))
    colour.select_by_visible_text("grey")
    until(lambda: driver.find_elements(By.CSS_SELECTOR, marked))
    driver.find_element(By.ID, "back-to-ticket").click()
    until(lambda: word(driver, "colour") == "colour" and not driver.find_elements(By.CSS_SELECTOR, marked))

    colour.select_by_visible_text("grey")
    until(lambda: driver.find_element(By.ID, "keep-new").is_displayed())
    driver.find_element(By.ID, "keep-new").click()
    type_name(driver, "ticket-name", "Everyday")
    until(lambda: "already" in driver.find_element(By.CSS_SELECTOR, ".message").text)
    driver.find_element(By.CSS_SELECTOR, ".message .btn-close").click()
    type_name(driver, "ticket-name", "Grey letters")
    until(lambda: listed(driver, "tickets") == ["Everyday", "Member cards", "Grey letters"])
    assert word(driver, "colour") == "grey"
    assert [ticket.settings.colour for ticket in tickets.list_tickets(ANNA, stack.store)][2] is Colour.GREY


@pytest.mark.shared_desk
def test_what_was_changed_for_once_is_over_when_the_run_has_begun(
    intake: int, stack: Stack, driver: Chrome, until: Until
) -> None:
    stack.drawer.lay("german")
    Select(driver.find_element(By.CSS_SELECTOR, "select[data-name=dpi]")).select_by_visible_text("100 dpi")
    until(lambda: driver.find_element(By.ID, "scan").is_enabled())
    driver.find_element(By.ID, "scan").click()
    until(lambda: len(stack.desk(intake).order) == 2)
    assert stack.desk(intake).detail(stack.desk(intake).order[0]).page.dpi == 100
    until(lambda: word(driver, "dpi") == "300 dpi")


@pytest.mark.shared_desk
def test_what_the_device_does_not_offer_is_said_with_what_it_does(intake: int, driver: Chrome, until: Until) -> None:
    press(driver, "Member cards")
    until(lambda: "not at 1200: 600 dpi is taken" in driver.find_element(By.CSS_SELECTOR, ".notes").text)
    assert (word(driver, "source"), word(driver, "paper"), word(driver, "dpi")) == ("glass", "card", "600 dpi")
    chips = [chip.text for chip in driver.find_elements(By.CSS_SELECTOR, ".chips li")]
    assert any(chip.startswith("filed: Faithful ") and chip.endswith("estimated") for chip in chips)


@pytest.mark.shared_desk
def test_paper_of_an_own_size_is_scanned_lighter(intake: int, stack: Stack, driver: Chrome, until: Until) -> None:
    def select(name: str) -> Select:
        return Select(driver.find_element(By.CSS_SELECTOR, f"select[data-name={name}]"))

    def chips() -> str:
        return driver.find_element(By.CSS_SELECTOR, ".chips").text

    as_a4 = chips()
    select("paper").select_by_value("own")
    until(lambda: driver.find_element(By.ID, "own-width_mm").is_displayed())
    for field, typed in (("own-width_mm", "90"), ("own-height_mm", "60,5")):
        driver.find_element(By.ID, field).send_keys(Keys.CONTROL, "a")
        driver.find_element(By.ID, field).send_keys(typed, Keys.ENTER)
    until(lambda: driver.find_elements(By.CSS_SELECTOR, "#own-height_mm.changed"))
    select("brightness").select_by_visible_text("lighter")
    until(lambda: driver.find_elements(By.CSS_SELECTOR, "select[data-name=brightness].changed"))
    assert chips() != as_a4
    driver.find_element(By.ID, "own-width_mm").send_keys(Keys.CONTROL, "a")
    driver.find_element(By.ID, "own-width_mm").send_keys("broad", Keys.ENTER)  # no length: it stays as it was
    until(lambda: driver.find_element(By.ID, "own-width_mm").get_attribute("value") == "90")

    stack.drawer.lay("german")
    until(lambda: driver.find_element(By.ID, "scan").is_enabled())
    driver.find_element(By.ID, "scan").click()
    until(lambda: bool(stack.desk(intake).order))
    ticket = stack.desk(intake).runs[0].ticket
    assert ticket is not None
    assert (ticket.paper, ticket.width_mm, ticket.height_mm, ticket.brightness) == ("own", 90.0, 60.5, 30)
    until(lambda: not stack.desk(intake).runs[0].live)


@pytest.mark.shared_desk
def test_a_removed_ticket_is_taken_back(intake: int, driver: Chrome, until: Until) -> None:
    press(driver, "Member cards")
    until(lambda: driver.find_element(By.ID, "remove-ticket").is_displayed())
    driver.find_element(By.ID, "remove-ticket").click()
    until(lambda: listed(driver, "tickets") == ["Everyday"])
    until(lambda: driver.find_element(By.ID, "take-ticket-back").is_displayed())
    driver.find_element(By.ID, "take-ticket-back").click()
    until(lambda: listed(driver, "tickets") == ["Everyday", "Member cards"])


def test_a_scanner_is_named_made_the_default_removed_and_taken_back(
    intake: int, stack: Stack, driver: Chrome, until: Until
) -> None:
    driver.find_element(By.ID, "rename-device").click()
    type_name(driver, "device-name", "Upstairs")
    until(lambda: "Upstairs" in listed(driver, "device-list"))
    until(lambda: "Upstairs" in driver.find_element(By.CSS_SELECTOR, ".display").text)
    press(driver, "Kiebitz F1")
    driver.find_element(By.ID, "default-device").click()
    until(lambda: listed(driver, "device-list")[0] == "Kiebitz F1")
    devices.rename_device(ANNA, stack.store, stack.devices["kiebitz"], "Downstairs")  # in another window
    until(lambda: listed(driver, "device-list")[0] == "Downstairs")
    driver.find_element(By.ID, "remove-device").click()
    until(lambda: "Downstairs" not in listed(driver, "device-list"))
    until(lambda: driver.find_element(By.ID, "take-device-back").is_displayed())
    driver.find_element(By.ID, "take-device-back").click()
    until(lambda: "Downstairs" in listed(driver, "device-list"))
