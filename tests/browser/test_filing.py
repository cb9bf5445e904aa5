"""The station File in a real browser: what the first page says is put into the name."""

from collections.abc import Callable
from datetime import date
from pathlib import Path

import pikepdf
import pytest
from selenium.webdriver import ActionChains, Chrome
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.support.ui import Select
from tests.browser.conftest import Stack, assert_accessible, next_name
from tests.helpers import ANNA, drop_jobs

from papiermappe.core.reading.printed import Printed
from papiermappe.core.reading.proposal import Proposal, Proposals
from papiermappe.devices.model import TicketSettings
from papiermappe.message import Message
from papiermappe.services import mappen, runs
from papiermappe.services.caller import MACHINE
from papiermappe.services.destinations import add_folder, list_destinations, remove_destination
from papiermappe.services.naming_rules import list_rules
from papiermappe.services.reading import record_printed
from papiermappe.store.models import Mappe, Page, Run, RunOrigin, RunState
from papiermappe.store.queue import JobKind, enqueue_later

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
        until(lambda: stack.desk(number).order and all(page.analysed for page in stack.desk(number).pages))
        return number

    number = stack.copy_of("A letter", scan)
    mappen.rename(ANNA, stack.store, number, "")
    with stack.store.begin() as session:
        capture = session.get_one(Page, stack.desk(number).order[0]).capture_id
    record_printed(MACHINE, stack.store, capture, SAID)
    driver.get(f"{stack.url}/mappen/{number}/file")
    until(lambda: driver.find_elements(By.CSS_SELECTOR, "[data-part]"))
    Select(driver.find_element(By.ID, "languages")).select_by_value("")  # or its name waits until it has been read
    until(lambda: chips(driver)[0] == "2026-06-18: date on page 1")
    return number


def test_some_pages_are_filed_by_number_and_a_range_that_is_none_is_said(
    stack: Stack, driver: Chrome, until: Until, mappe: int
) -> None:
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
    field.click()  # what is said lies over nothing
    field.send_keys(Keys.CONTROL, "a", Keys.NULL, "2")
    driver.find_element(By.ID, "file-it").click()
    until(lambda: [filing.page_count for filing in stack.desk(mappe).filings] == [1])


def test_pages_that_are_still_being_examined_are_waited_for(
    stack: Stack, driver: Chrome, until: Until, mappe: int
) -> None:
    with stack.store.begin() as session:
        enqueue_later(session, JobKind.FIND_UPRIGHT, 600, page_id=stack.desk(mappe).order[0])

    def press(name: str) -> None:
        until(driver.find_element(By.ID, name).is_displayed)
        driver.find_element(By.ID, name).click()

    press("file-it")
    until(lambda: "1 page is still being examined" in driver.find_element(By.CSS_SELECTOR, ".go [role=status]").text)
    assert_accessible(driver, "filing waits")
    press("do-not-file")
    until(driver.find_element(By.ID, "file-it").is_enabled)
    assert stack.desk(mappe).filings == []
    press("file-it")
    press("file-now")
    until(lambda: len(stack.desk(mappe).filings) == 1)
    until(driver.find_element(By.ID, "file-it").is_enabled)
    press("file-it")
    until(driver.find_element(By.ID, "file-now").is_displayed)
    drop_jobs(stack.store, JobKind.FIND_UPRIGHT)
    until(lambda: len(stack.desk(mappe).filings) == 2)


def test_the_page_is_asked_for_again_where_its_picture_does_not_come(
    stack: Stack, driver: Chrome, until: Until, mappe: int
) -> None:
    driver.execute_cdp_cmd("Network.enable", {})
    driver.execute_cdp_cmd("Network.clearBrowserCache", {})
    driver.execute_cdp_cmd("Network.setBlockedURLs", {"urls": ["*-stage.jpg"]})
    try:
        driver.refresh()
        until(lambda: driver.find_elements(By.CSS_SELECTOR, "#look-page image[data-tried]"))
        seen = "document.querySelector('#look-page image').addEventListener('load', () => { window.pageSeen = true; });"
        driver.execute_script(seen)
    finally:
        driver.execute_cdp_cmd("Network.setBlockedURLs", {"urls": []})
    until(lambda: driver.execute_script("return window.pageSeen === true"))


def test_a_run_is_waited_for_and_one_that_is_cut_off_has_to_be_seen_to_first(
    stack: Stack, driver: Chrome, until: Until, mappe: int
) -> None:
    with stack.store.begin() as session:
        run = Run(origin=RunOrigin.FILES, author="anna")
        runs.begin(session, session.get_one(Mappe, mappe), run)
        session.flush()
        number = run.id
    driver.find_element(By.ID, "file-it").click()
    until(lambda: "still being scanned" in driver.find_element(By.CSS_SELECTOR, ".go [role=status]").text)
    runs.end(MACHINE, stack.store, number, RunState.INTERRUPTED, Message(code="run_cut_off"))
    until(driver.find_element(By.ID, "file-it").is_enabled)
    assert stack.desk(mappe).filings == []


def chips(driver: Chrome) -> list[str]:
    """Return the parts of the name, each with what is under it."""
    return [chip.text.replace("\n", ": ") for chip in driver.find_elements(By.CSS_SELECTOR, "[data-part]")]


def add(driver: Chrome, kind: str) -> None:
    """Add a part to the name."""
    Select(driver.find_element(By.ID, "add-part")).select_by_value(kind)


def test_the_name_is_made_of_what_the_page_says(stack: Stack, driver: Chrome, until: Until, mappe: int) -> None:
    until(lambda: chips(driver)[0] == "2026-06-18: date on page 1")
    (subject,) = driver.find_elements(By.CSS_SELECTOR, ".proposal")
    subject.click()
    until(lambda: stack.desk(mappe).view.subject == "Repair of the cold store door")
    until(lambda: subject.get_attribute("aria-pressed") == "true")
    until(lambda: next_name(driver).startswith("2026-06-18_repair-of-the-cold-store-door_"))
    subject.click()
    until(lambda: stack.desk(mappe).view.subject == "")
    add(driver, "sender")
    until(lambda: "_tamsin-vale-packaging-ltd.pdf" in next_name(driver))
    add(driver, "number")  # the page says it doubtfully: it is left out until somebody takes it
    until(lambda: chips(driver)[-1] == "…: printed number, doubtful")
    until(driver.find_element(By.ID, "take-said").is_displayed)
    assert "Page 1 says TV-2291, not surely" in driver.find_element(By.CSS_SELECTOR, ".part-editor").text
    assert_accessible(driver, "chips")
    driver.find_element(By.ID, "take-said").click()
    until(lambda: next_name(driver).endswith("_tamsin-vale-packaging-ltd_tv-2291.pdf"))
    assert chips(driver)[-1] == "tv-2291: printed number, by hand"
    field = driver.find_element(By.ID, "said")
    field.send_keys(Keys.CONTROL, "a", Keys.NULL, "TV 9", Keys.TAB)
    until(lambda: next_name(driver).endswith("_tv-9.pdf"))
    name = next_name(driver)
    driver.find_element(By.ID, "file-it").click()
    until(lambda: [filing.documents[0].file_name for filing in stack.desk(mappe).filings] == [name])


def test_a_rule_is_changed_for_this_once_and_kept_under_a_name(
    stack: Stack, driver: Chrome, until: Until, mappe: int
) -> None:
    until(lambda: len(chips(driver)) == 3)
    driver.find_element(By.CSS_SELECTOR, "[data-part='2']").click()  # the counter
    until(driver.find_element(By.ID, "part-earlier").is_displayed)
    driver.find_element(By.ID, "part-earlier").click()
    until(lambda: chips(driver)[1].endswith(": counter"))
    driver.find_element(By.ID, "part-out").click()
    until(lambda: len(chips(driver)) == 2)
    until(driver.find_element(By.ID, "keep-rule").is_displayed)
    add(driver, "folder")
    until(lambda: next_name(driver).startswith("2026-06-18/"))
    driver.find_element(By.ID, "name-ending").click()
    field = driver.find_element(By.ID, "new-rule-name")
    until(field.is_displayed)
    field.send_keys("By day")
    driver.find_element(By.ID, "keep-rule-as").click()
    rule = Select(driver.find_element(By.ID, "naming-rule"))
    until(lambda: rule.first_selected_option.text == "By day")
    until(lambda: not driver.find_element(By.ID, "keep-rule").is_displayed())
    assert_accessible(driver, "rule")
    field.send_keys("Day first")
    driver.find_element(By.ID, "rename-rule").click()
    until(lambda: rule.first_selected_option.text == "Day first")
    driver.find_element(By.ID, "remove-rule").click()
    until(lambda: "The rule “Day first” is removed." in driver.find_element(By.CSS_SELECTOR, ".naming").text)
    assert [kept.name for kept in list_rules(ANNA, stack.store)] == ["Date, subject, number"]


def test_a_part_is_dragged_to_another_place(driver: Chrome, until: Until, mappe: int) -> None:
    until(lambda: len(chips(driver)) == 3)
    counter, day = (driver.find_element(By.CSS_SELECTOR, f"[data-part='{at}']") for at in (2, 0))
    ActionChains(driver).click_and_hold(counter).move_by_offset(-10, 0).move_to_element(day).release().perform()
    until(lambda: [chip.split(": ")[1] for chip in chips(driver)] == ["counter", "date on page 1", "subject on page 1"])
    until(lambda: next_name(driver).endswith("_2026-06-18_repair-of-the-cold-store-door.pdf"))


def test_one_document_a_page(stack: Stack, driver: Chrome, until: Until, mappe: int) -> None:
    Select(driver.find_element(By.ID, "division")).select_by_value("page")
    until(lambda: "2 documents; the next is" in driver.find_element(By.CSS_SELECTOR, ".naming").text)
    driver.find_element(By.ID, "file-it").click()
    until(lambda: len(driver.find_elements(By.CSS_SELECTOR, ".filing.done .filing-links")) == 2)
    assert [filing.document_count for filing in stack.desk(mappe).filings] == [2]


def type_into(driver: Chrome, field: str, text: str) -> None:
    """Type a value into a field of the dialog."""
    driver.find_element(By.ID, field).send_keys(Keys.CONTROL, "a", Keys.NULL, text)


def test_destinations_are_tried_kept_and_filed_to_and_one_that_is_away_is_waited_for(
    stack: Stack, driver: Chrome, until: Until, mappe: int, tmp_path: Path
) -> None:
    driver.find_element(By.ID, "destinations-open").click()
    driver.find_element(By.ID, "add-folder").click()
    type_into(driver, "destination-name", "Board papers")
    type_into(driver, "destination-path", "/proc/no/such/folder")
    driver.find_element(By.ID, "try-destination").click()
    outcome = driver.find_element(By.CSS_SELECTOR, ".destinations .outcome")
    until(lambda: "cannot be written to" in outcome.text)
    type_into(driver, "destination-path", str(tmp_path / "board"))
    driver.find_element(By.ID, "try-destination").click()
    until(lambda: outcome.text == "It works. Nothing was left there.")
    assert_accessible(driver, "destinations")
    driver.find_element(By.ID, "keep-destination").click()
    until(driver.find_element(By.ID, "add-mail").is_displayed)
    driver.find_element(By.ID, "add-mail").click()
    for field, text in (
        ("name", "Rosa"),
        ("recipients", "rosa@hollerbeck.example"),
        ("sender", "desk@hollerbeck.example"),
        ("host", "127.0.0.1"),
        ("port", "9"),
    ):
        type_into(driver, f"destination-{field}", text)
    driver.find_element(By.ID, "keep-destination").click()
    until(driver.find_element(By.ID, "add-mail").is_displayed)
    driver.find_element(By.XPATH, "//dialog[@id='destinations']//button[text()='Close']").click()
    chosen = [card.text.split()[0] for card in driver.find_elements(By.CSS_SELECTOR, ".place-card:has(:checked)")]
    assert chosen[-2:] == ["Board", "Rosa"]
    driver.find_element(By.ID, "file-it").click()
    filed = driver.find_element(By.CSS_SELECTOR, ".before")
    until(lambda: "Rosa: 127.0.0.1 does not answer as a mail server does." in filed.text)
    assert "It is tried again at" in filed.text
    until(lambda: "Filed in Board papers: 2 pages" in filed.text)
    assert [path.suffix for path in (tmp_path / "board").iterdir()] == [".pdf"]
    for row in list_destinations(ANNA, stack.store):
        if row.name in {"Board papers", "Rosa"}:
            remove_destination(ANNA, stack.store, row.id)


def pressed(driver: Chrome, selector: str) -> None:
    """Press the first visible element of a kind."""
    next(one for one in driver.find_elements(By.CSS_SELECTOR, selector) if one.is_displayed()).click()


def look(driver: Chrome) -> str:
    """Return the address of the look at the level that is chosen."""
    return str(driver.find_element(By.CSS_SELECTOR, ".level.chosen img").get_attribute("src"))


def test_a_spot_is_looked_at_and_a_page_kept_as_somebody_wants_it(
    stack: Stack, driver: Chrome, until: Until, mappe: int
) -> None:
    until(lambda: "/levels/" in look(driver))
    first = look(driver)
    page = driver.find_element(By.ID, "look-page")
    ActionChains(driver).move_to_element_with_offset(page, -20, -40).click().perform()
    until(lambda: look(driver) != first)
    clicked = look(driver)
    page.send_keys(Keys.ARROW_DOWN)
    until(lambda: look(driver) not in {first, clicked})
    pressed(driver, ".zooms button:last-child")
    until(lambda: driver.find_element(By.CSS_SELECTOR, ".sample img").get_attribute("class") == "twice")
    pressed(driver, ".zooms button:first-child")
    pressed(driver, ".look-head .btn-link")
    until(lambda: look(driver) == first)
    Select(driver.find_element(By.ID, "kept-as")).select_by_value("bilevel")
    until(lambda: any("black and white" in line for line in stack.desk(mappe).history))
    until(lambda: "/levels/" in look(driver) and look(driver) != first)
    assert_accessible(driver, "look")


def test_a_document_gets_an_author_and_a_password_and_a_later_version_its_name(
    stack: Stack, driver: Chrome, until: Until, mappe: int, tmp_path: Path
) -> None:
    place = add_folder(ANNA, stack.store, f"Sealed {mappe}", tmp_path / "sealed")
    driver.refresh()
    until(lambda: driver.find_elements(By.ID, f"where-{place}"))
    for box in driver.find_elements(By.CSS_SELECTOR, ".place-card input"):
        if box.is_selected() != (box.get_attribute("id") == f"where-{place}"):
            box.click()
    pressed(driver, ".extras summary")
    until(lambda: driver.find_element(By.ID, "extra-author").is_displayed())
    type_into(driver, "extra-author", "Mira Öz")
    type_into(driver, "extra-password", "Apfel 7")
    until(lambda: "by Mira Öz, with a password" in driver.find_element(By.CSS_SELECTOR, ".extras summary").text)
    assert_accessible(driver, "more")
    driver.find_element(By.ID, "file-it").click()
    until(lambda: driver.find_elements(By.CSS_SELECTOR, ".filing.done"))
    (file,) = (tmp_path / "sealed").iterdir()
    with pytest.raises(pikepdf.PasswordError):
        pikepdf.open(file)
    with pikepdf.open(file, password="Apfel 7") as pdf:
        assert str(pdf.docinfo["/Author"]) == "Mira Öz"
    assert driver.find_element(By.ID, "extra-password").get_attribute("value") == ""
    version = Select(driver.find_element(By.ID, "version"))
    until(lambda: driver.find_element(By.ID, "version").is_displayed())
    version.select_by_visible_text(f"a later version of {file.name}")
    until(lambda: next_name(driver) == f"{file.stem}_v2.pdf")
    driver.find_element(By.ID, "file-it").click()
    until(lambda: (tmp_path / "sealed" / f"{file.stem}_v2.pdf").exists())


def test_a_filed_document_is_printed_from_a_frame_of_the_page(
    stack: Stack, driver: Chrome, until: Until, mappe: int
) -> None:
    driver.find_element(By.ID, "file-it").click()
    until(lambda: driver.find_elements(By.CSS_SELECTOR, ".filing.done"))
    # The browser's own dialog would stop the test: it is enough that it is asked for, once the document is there.
    driver.execute_script(
        "window.prints = 0; Object.defineProperty(HTMLIFrameElement.prototype, 'contentWindow',"
        " { get() { return { focus() {}, print() { window.prints += 1; } }; } });"
    )
    pressed(driver, ".filing-links button")
    until(lambda: driver.execute_script("return window.prints") == 1)
    document = stack.desk(mappe).filings[0].documents[0].id
    frame = driver.find_element(By.ID, "printed")
    assert str(frame.get_attribute("src")).endswith(f"/documents/{document}/open")
