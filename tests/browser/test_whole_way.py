"""From paper to file, by mouse and keyboard, in a real browser."""

import re
import subprocess
import time
from collections.abc import Callable
from fnmatch import fnmatch
from pathlib import Path

import numpy as np
import pikepdf
import pypdfium2
import pytest
from selenium.webdriver import ActionChains, Chrome
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.support.ui import Select
from sqlalchemy import select
from tests.browser.conftest import Stack, assert_accessible, running
from tests.helpers import ANNA, PATIENCE_S

from papiermappe.core.clean import estimate_skew
from papiermappe.core.naming.rule import NamingRule
from papiermappe.devices.model import TicketSettings
from papiermappe.services import destinations, devices, mappen, naming_rules, tickets
from papiermappe.services.filed import Wanted
from papiermappe.services.filing_views import DeliveryView
from papiermappe.services.finding import find_pages
from papiermappe.store.models import Filing, Page

Until = Callable[..., None]
Complaints = Callable[[], list[str]]

POST = (
    ("letter-share", "2026-11-03", "your-share-of-the-harvest", "secretary"),
    ("invoice", "2026-10-28", "invoice_2026-0815", "crates"),
    ("lease", "", "lease", "meadow"),
)
"""Papers, the day that is printed on each, what else its name is made of, and a word that stands on it."""
PAPERS = (
    "lease",
    "delivery-118",
    "hail",
    "letter-share",
    "german",
    "invoice",
    "minutes",
    "letter-store",
    "delivery-119",
)


def keys(driver: Chrome, *pressed: str) -> None:
    """Press keys, wherever the focus is."""
    ActionChains(driver).send_keys(*pressed).perform()


def at_station(driver: Chrome, until: Until, station: str) -> None:
    """Wait until the browser has arrived at a station and its scripts have run."""
    until(
        lambda: (
            re.search(rf"/mappen/\d+/{station}\b", driver.current_url)
            and driver.execute_script("return document.readyState === 'complete' && !!window.Alpine?.store('mappe')")
        )
    )


def leaf(driver: Chrome, page: int) -> object:
    """Return a page in the lanes."""
    return driver.find_element(By.CSS_SELECTOR, f'[data-page="{page}"]')


def drag(driver: Chrome, page: int, behind: int) -> None:
    """Drag a page into the gap behind another one's sheet."""
    target = leaf(driver, behind)
    steps = ActionChains(driver).click_and_hold(leaf(driver, page)).move_by_offset(0, 10)  # type: ignore[arg-type]  # an element
    steps.move_to_element_with_offset(target, 48, 0).move_by_offset(0, 8).pause(0.3).release().perform()  # type: ignore[arg-type]  # an element


def shown(driver: Chrome) -> list[int]:
    """Return the pages in the order in which the lanes show them."""
    order: list[int] = driver.execute_script("return Alpine.store('mappe').order")
    return order


def settled(driver: Chrome) -> bool:
    """Whether every picture that is in sight has been loaded."""
    loaded: bool = driver.execute_script(
        "return [...document.images].every("
        "(img) => !img.src || img.naturalWidth || (img.loading === 'lazy' && !img.complete))"
    )
    return loaded


@pytest.mark.slow
def test_from_paper_to_file(
    stack: Stack, driver: Chrome, until: Until, complaints: Complaints, downloads: Path
) -> None:
    stack.drawer.lay(*PAPERS)  # 12 sheets: the lease has 3, the minutes 2
    assert stack.drawer.in_feeder() == 12

    driver.get(stack.url)
    driver.find_element(By.ID, "new-mappe").click()
    at_station(driver, until, "intake")
    mappe = int(re.findall(r"/mappen/(\d+)/intake", driver.current_url)[0])
    driver.find_element(By.ID, "subject").send_keys("Autumn papers", Keys.TAB)

    # three actions: choose the device's resolution here once, then Space, File, Enter
    zaunkoenig = "//ul[contains(@class, 'devices')]//button[text()='Zaunkönig D60']"
    until(lambda: driver.find_elements(By.XPATH, zaunkoenig))
    driver.find_element(By.XPATH, zaunkoenig).click()
    until(lambda: driver.find_element(By.ID, "scan").is_enabled())
    Select(driver.find_element(By.CSS_SELECTOR, "[data-name=dpi]")).select_by_visible_text("150 dpi")
    driver.find_element(By.CSS_SELECTOR, ".eyebrow").click()
    keys(driver, " ")
    until(lambda: len(shown(driver)) == 24)
    until(lambda: stack.desk(mappe).analysed)
    assert stack.desk(mappe).view.subject == "Autumn papers"
    pages = stack.desk(mappe).order
    truth = stack.drawer.truth()

    # Order: drag a sheet's front to the end of another, put a back away, take it all back but the putting away
    keys(driver, "2")
    at_station(driver, until, "order")
    until(lambda: driver.find_elements(By.CSS_SELECTOR, "[data-page] img"))
    until(lambda: settled(driver))
    drag(driver, pages[0], pages[4])
    moved = [*pages[1:6], pages[0], *pages[6:]]
    until(lambda: shown(driver) == moved)
    ActionChains(driver).key_down(Keys.CONTROL).send_keys("z").key_up(Keys.CONTROL).perform()
    until(lambda: shown(driver) == pages)
    ActionChains(driver).key_down(Keys.CONTROL).key_down(Keys.SHIFT).send_keys("z").perform()
    ActionChains(driver).key_up(Keys.CONTROL).key_up(Keys.SHIFT).perform()
    until(lambda: shown(driver) == moved)
    driver.find_element(By.ID, "undo").click()
    until(lambda: shown(driver) == pages)
    leaf(driver, pages[23]).click()  # type: ignore[attr-defined]  # an element
    keys(driver, Keys.DELETE)
    until(lambda: shown(driver) == pages[:23])
    ActionChains(driver).key_down(Keys.ALT).send_keys(Keys.ARROW_LEFT).key_up(Keys.ALT).perform()
    until(lambda: shown(driver) != pages[:23])
    driver.find_element(By.ID, "undo").click()
    until(lambda: shown(driver) == pages[:23])

    # File
    keys(driver, "4")
    at_station(driver, until, "file")
    until(lambda: driver.find_elements(By.ID, "file-it") and driver.find_element(By.ID, "file-it").is_enabled())
    keys(driver, Keys.ENTER)
    until(lambda: driver.find_elements(By.CSS_SELECTOR, ".filing.done .filing-links a"))
    links = driver.find_elements(By.CSS_SELECTOR, ".filing.done .filing-links a")
    links[1].click()
    until(lambda: list(downloads.glob("*autumn-papers*.pdf")))
    (file,) = downloads.glob("*autumn-papers*.pdf")
    assert re.fullmatch(r"\d{4}-\d\d-\d\d_autumn-papers_0001\.pdf", file.name)
    assert file.read_bytes() == (stack.folder / "filed" / file.name).read_bytes()
    assert complaints() == []

    subprocess.run(["qpdf", "--check", file], check=True, capture_output=True)
    with pikepdf.open(file) as pdf:
        sizes = {tuple(round(float(side) / 72 * 25.4, 1) for side in page.mediabox[2:]) for page in pdf.pages}
        assert len(pdf.pages) == 23
    assert sizes == {(210.0, 297.0)}
    _assert_straight(file, truth)

    driver.get(stack.url)
    assert file.name in driver.find_element(By.CSS_SELECTOR, ".filed").text
    driver.get(driver.find_element(By.LINK_TEXT, file.name).get_attribute("href") or "")
    assert complaints() == []


@pytest.mark.slow
def test_a_letter_an_invoice_and_a_lease_are_filed_named_and_searchable_by_three_actions_each(
    database_url: str, tmp_path: Path, environment: dict[str, str], driver: Chrome, until: Until
) -> None:
    by = {"parts": [{"kind": "date", "source": "printed"}, {"kind": "kind"}, {"kind": "number"}, {"kind": "subject"}]}
    with running(Stack(database_url, tmp_path / "desk", environment)) as stack:
        tickets.make_default(ANNA, stack.store, tickets.keep_ticket(ANNA, stack.store, "Post", TicketSettings(dpi=200)))
        rule = naming_rules.keep_rule(ANNA, stack.store, "Post", NamingRule.model_validate(by))
        naming_rules.make_default(ANNA, stack.store, rule)
        destinations.add_folder(ANNA, stack.store, "Post", tmp_path / "post")
        devices.make_default(ANNA, stack.store, stack.devices["zaunkoenig"])
        for paper, day, named, word in POST:
            stack.drawer.lay(paper)
            mappe = mappen.open_mappe(ANNA, stack.store)
            driver.get(f"{stack.url}/mappen/{mappe}/intake")
            filed = _filed_by_three_actions(stack, driver, until, mappe)
            assert fnmatch(filed.name, f"{day}*{named}*.pdf")
            found = find_pages(ANNA, stack.store, Wanted(word))
            assert filed.name in [page.file_name for page in found]


def _filed_by_three_actions(stack: Stack, driver: Chrome, until: Until, mappe: int) -> Path:
    """Scan and file the paper in the feeder as somebody in a hurry does, when one page is in; return the file."""
    until(lambda: driver.find_element(By.ID, "scan").is_enabled())
    keys(driver, " ")  # 1: scan
    until(lambda: stack.desk(mappe).order)
    keys(driver, "4")  # 2: to the station File
    at_station(driver, until, "file")
    until(lambda: driver.find_element(By.ID, "file-it").is_enabled())
    keys(driver, Keys.ENTER)  # 3: file it

    def delivered() -> list[DeliveryView]:
        return [one for filing in stack.desk(mappe).filings for one in filing.deliveries if one.place]

    until(delivered, 3 * PATIENCE_S)
    of_mappe = select(Filing.pages).where(Filing.mappe_id == mappe)
    with stack.store.begin() as session:
        as_filed = [page["treatment"] for page in session.scalars(of_mappe).one()["pages"]]
        pages = [session.get_one(Page, number) for number in stack.desk(mappe).order]
        assert all(page.analysis for page in pages)
        assert as_filed == [page.treatment for page in pages]
    return Path(delivered()[0].place or "")


def _assert_straight(file: Path, truth: list[dict[str, object]]) -> None:
    """Print in the file is level within 0.2 degrees, where the stand-in says that there is print."""
    with_print = [at for at, told in enumerate(truth[:23]) if len(told["lines"]) >= 12]  # type: ignore[arg-type]  # a list
    assert len(with_print) >= 12
    document = pypdfium2.PdfDocument(file)
    for at in with_print:
        page = np.ascontiguousarray(document[at].render(scale=150 / 72).to_numpy()[:, :, :3])
        assert abs(estimate_skew(page, 150).skew_deg) < 0.2, truth[at]["original"]
    document.close()


@pytest.mark.slow
def test_glass_loop_tidy_and_a_second_window(
    stack: Stack, driver: Chrome, until: Until, complaints: Complaints
) -> None:
    mappe = mappen.open_mappe(ANNA, stack.store, "Hail of 9 May")
    stack.drawer.lay("hail", into="kiebitz", where="glass")
    driver.get(f"{stack.url}/mappen/{mappe}/intake")
    kiebitz = "//ul[contains(@class, 'devices')]//button[text()='Kiebitz F1']"
    until(lambda: driver.find_elements(By.XPATH, kiebitz))
    driver.find_element(By.XPATH, kiebitz).click()
    until(
        lambda: (
            "first sheet" in driver.find_element(By.ID, "scan").text and driver.find_element(By.ID, "scan").is_enabled()
        )
    )
    keys(driver, " ")
    until(lambda: driver.find_element(By.ID, "next-sheet").is_displayed())
    stack.drawer.lay("german", into="kiebitz", where="glass")
    keys(driver, " ")
    until(lambda: len(shown(driver)) == 2)
    until(lambda: driver.find_element(By.ID, "done").is_displayed())
    keys(driver, Keys.ENTER)
    until(lambda: driver.find_element(By.ID, "scan").is_displayed())
    until(lambda: stack.desk(mappe).analysed)

    keys(driver, "3")
    at_station(driver, until, "tidy")
    until(lambda: driver.find_elements(By.ID, "switch-crop") and driver.find_element(By.ID, "switch-crop").is_enabled())
    first = driver.current_window_handle
    driver.switch_to.new_window("window")
    second = driver.current_window_handle
    driver.get(f"{stack.url}/mappen/{mappe}/tidy?page={shown_second(stack, mappe)}")
    keys(driver, "c")
    until(lambda: driver.find_element(By.ID, "switch-crop").get_attribute("aria-pressed") == "false")
    keys(driver, "r")
    until(lambda: stack.desk(mappe).treatments()[1].quarter_turns == 3)
    changed = time.monotonic()
    driver.switch_to.window(first)
    until(
        lambda: (
            driver.execute_script("const mappe = Alpine.store('mappe'); return mappe.page(mappe.order[1]).picture")
            == stack.desk(mappe).pages[1].picture
        )
    )
    assert time.monotonic() - changed < 1.5  # windows agree within a second
    keys(driver, "0")
    until(lambda: "The scan" in driver.find_element(By.CSS_SELECTOR, ".caption").text)
    until(lambda: driver.find_elements(By.CSS_SELECTOR, ".viewer-layers .found"))
    assert complaints() == []
    driver.switch_to.window(second)
    driver.close()
    driver.switch_to.window(first)


def shown_second(stack: Stack, mappe: int) -> int:
    """Return the second page of a Mappe."""
    return stack.desk(mappe).order[1]


@pytest.mark.slow
def test_the_paper_drawer_is_reached_from_the_device(
    stack: Stack, driver: Chrome, until: Until, complaints: Complaints
) -> None:
    mappe = mappen.open_mappe(ANNA, stack.store)
    driver.get(f"{stack.url}/mappen/{mappe}/intake")
    zaunkoenig = "//ul[contains(@class, 'devices')]//button[text()='Zaunkönig D60']"
    until(lambda: driver.find_elements(By.XPATH, zaunkoenig))
    driver.find_element(By.XPATH, zaunkoenig).click()
    until(lambda: "feeder is empty" in driver.find_element(By.CSS_SELECTOR, ".display").text)
    until(lambda: not driver.find_element(By.ID, "scan").is_enabled())
    page = driver.find_element(By.CSS_SELECTOR, "#device-page, .drawer a")
    driver.get(page.get_attribute("href") or "")
    for paper in ("lease", "german"):
        driver.find_element(By.CSS_SELECTOR, f".papers input[value={paper}]").click()
    driver.find_element(By.ID, "upside_down").click()
    driver.find_element(By.XPATH, "//button[text()='Lay it in']").click()
    until(lambda: "4 of 60 sheets" in driver.find_element(By.TAG_NAME, "main").text)
    driver.find_element(By.ID, "jam_at").send_keys("2")
    driver.find_element(By.XPATH, "//button[text()='Make it so']").click()
    until(lambda: driver.find_element(By.ID, "jam_at").get_attribute("value") == "2")
    assert all(sheet["upside_down"] for sheet in stack.drawer.feeder())
    driver.get(f"{stack.url}/mappen/{mappe}/intake")
    until(lambda: "paper in the feeder" in driver.find_element(By.CSS_SELECTOR, ".display").text)
    assert complaints() == []


@pytest.mark.slow
def test_a_jam_on_the_screen_and_continuing(stack: Stack, driver: Chrome, until: Until) -> None:
    mappe = mappen.open_mappe(ANNA, stack.store, "Jam")
    stack.drawer.lay("lease", "german")
    stack.drawer.trouble(jam_at=3)
    driver.get(f"{stack.url}/mappen/{mappe}/intake")
    zaunkoenig = "//ul[contains(@class, 'devices')]//button[text()='Zaunkönig D60']"
    until(lambda: driver.find_elements(By.XPATH, zaunkoenig))
    driver.find_element(By.XPATH, zaunkoenig).click()
    until(lambda: driver.find_element(By.ID, "scan").is_enabled())
    keys(driver, " ")
    until(lambda: driver.find_element(By.ID, "continue").is_displayed())
    assert "Sheet 3 is jammed. Sheets 1 to 2 are in." in driver.find_element(By.CSS_SELECTOR, ".trouble").text
    until(lambda: "a sheet is jammed" in driver.find_element(By.CSS_SELECTOR, ".display").text)
    stack.drawer.clear()
    until(lambda: "ready" in driver.find_element(By.CSS_SELECTOR, ".display").text)
    keys(driver, Keys.ENTER)
    until(lambda: len(shown(driver)) == 8)


@pytest.mark.slow
def test_every_screen_is_accessible(stack: Stack, driver: Chrome, until: Until) -> None:
    """WCAG 2.2 AA by axe-core, empty and with pages."""
    empty = mappen.open_mappe(ANNA, stack.store, "")
    for path in ("/", *(f"/mappen/{empty}/{station}" for station in ("intake", "order", "tidy", "file")), "/nowhere"):
        driver.get(stack.url + path)
        until(lambda: driver.execute_script("return document.readyState") == "complete")
        time.sleep(0.4)
        assert_accessible(driver, path)
