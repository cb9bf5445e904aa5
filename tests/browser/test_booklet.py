"""A booklet that was scanned as spreads, made good in a real browser; and pages that are marked and blacked out."""

from collections.abc import Callable, Iterator

import pytest
from selenium.webdriver import ActionChains, Chrome
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from tests.browser.conftest import Stack, assert_accessible, scan_booklet
from tests.helpers import ANNA

from papiermappe.core.treatment import Treatment
from papiermappe.core.zones import ZoneKind
from papiermappe.services.page_details import page_detail

Until = Callable[..., None]

pytestmark = [pytest.mark.browser, pytest.mark.slow, pytest.mark.shared_desk]
SPREADS = 4


@pytest.fixture
def booklet(stack: Stack, driver: Chrome, until: Until) -> Iterator[int]:
    """A cover and three spreads of a booklet, scanned from the glass and shown at Tidy."""
    mappe = stack.copy_of("Four spreads", lambda: scan_booklet(stack, until, SPREADS))
    driver.get(f"{stack.url}/mappen/{mappe}/tidy")
    until(lambda: driver.find_element(By.ID, "frame").is_enabled())
    yield mappe
    stack.drawer.take_out("kiebitz")


def treatments(stack: Stack, mappe: int) -> list[Treatment]:
    """Return what is done to the pages."""
    return stack.desk(mappe).treatments()


def scope_to(driver: Chrome, name: str) -> None:
    """Choose what operations apply to."""
    driver.find_element(By.XPATH, f"//aside[@aria-labelledby='values-head']//button[text()='{name}']").click()


def undo(driver: Chrome) -> None:
    """Undo by key."""
    ActionChains(driver).key_down(Keys.CONTROL).send_keys("z").key_up(Keys.CONTROL).perform()


def draw(driver: Chrome, start: tuple[int, int], by: tuple[int, int]) -> None:
    """Drag on the page: from an offset to its middle, in px."""
    page = driver.find_element(By.CSS_SELECTOR, ".viewer-page image.page")
    steps = ActionChains(driver).move_to_element_with_offset(page, *start).click_and_hold()
    steps.move_by_offset(by[0] // 2, by[1] // 2).move_by_offset(
        by[0] - by[0] // 2, by[1] - by[1] // 2
    ).release().perform()


def test_a_booklet_is_made_good_in_eight_actions(stack: Stack, driver: Chrome, until: Until, booklet: int) -> None:
    """The spreads split, what the pages share wiped, the margins lined up: for all pages at once."""
    actions = 0

    def act(*, key: str = "", click: str = "") -> None:
        nonlocal actions
        actions += 1
        if key:
            ActionChains(driver).send_keys(key).perform()
        else:
            driver.find_element(By.ID, click).click()

    actions += 1
    scope_to(driver, "all pages")
    act(key="d")
    until(lambda: driver.find_element(By.ID, "split").text.startswith(f"Split {SPREADS} spreads into 8 pages"))
    assert_accessible(driver, "spreads")
    act(click="split")
    until(lambda: len(stack.desk(booklet).order) == 2 * SPREADS + 1)
    until(lambda: all(page.analysed for page in stack.desk(booklet).pages))
    act(key="v")
    until(lambda: driver.execute_script("return Alpine.store('pile').whole"))
    until(lambda: driver.find_elements(By.CSS_SELECTOR, ".pile .zone-list li"))
    act(click="wipe-pile")
    until(lambda: any(treatment.zones for treatment in treatments(stack, booklet)))
    act(key="v")
    until(lambda: driver.find_element(By.CSS_SELECTOR, "[data-keys=G]").is_displayed())
    act(key="g")
    until(lambda: driver.find_element(By.ID, "align").is_displayed())
    assert_accessible(driver, "margins")
    act(click="align")
    until(lambda: any(treatment.margins != (0.0, 0.0) for treatment in treatments(stack, booklet)))
    assert actions <= 8
    now = stack.desk(booklet)
    assert [sides.count(None) for sides in now.lanes] == [*([0] * SPREADS), 1]
    cover, *leaves = treatments(stack, booklet)
    assert cover.margins == (0.0, 0.0)
    assert all(leaf.part and leaf.straighten and leaf.straighten.on for leaf in leaves)
    assert sum(bool(leaf.zones) for leaf in leaves) >= SPREADS
    undo(driver)
    until(lambda: all(treatment.margins == (0.0, 0.0) for treatment in treatments(stack, booklet)))
    undo(driver)
    undo(driver)
    until(lambda: len(stack.desk(booklet).order) == SPREADS + 1)


def test_a_suggestion_that_was_moved_or_left_out_does_not_come_back(
    stack: Stack, driver: Chrome, until: Until, booklet: int
) -> None:
    """The pile is laid anew whenever one of its pages changes."""
    scope_to(driver, "all pages")
    ActionChains(driver).send_keys("v").perform()
    until(lambda: driver.execute_script("return Alpine.store('pile').whole"))
    until(lambda: driver.find_elements(By.CSS_SELECTOR, ".pile .zone-list li"))
    areas = "return Alpine.store('pile').items.map(({ area: { x, y } }) => [x, y])"
    lay_anew = "const [done] = arguments; Alpine.store('pile').ask().then(() => done())"
    move = (
        "const pile = Alpine.store('pile'), [{ name, area }] = pile.items;"
        "pile.choose(name); pile.drawAs({ ...area, x: area.x + 3 }); pile.finish()"
    )
    driver.execute_script(move)
    moved = driver.execute_script(areas)
    driver.execute_async_script(lay_anew)
    assert sorted(driver.execute_script(areas)) == sorted(moved)
    driver.find_element(By.XPATH, "//*[contains(@class, 'pile')]//button[text()='leave out']").click()
    left = driver.execute_script(areas)
    assert len(left) == len(moved) - 1
    driver.execute_async_script(lay_anew)
    assert sorted(driver.execute_script(areas)) == sorted(left)


def test_the_line_at_the_fold_is_moved_by_arrow_keys(stack: Stack, driver: Chrome, until: Until, booklet: int) -> None:
    spread = stack.desk(booklet).order[1]
    driver.execute_script("Alpine.store('mappe').select([], arguments[0])", spread)
    ActionChains(driver).send_keys("d").perform()
    until(lambda: len(driver.find_elements(By.CSS_SELECTOR, "[data-grip^=gutter]")) == 3)
    found = page_detail(ANNA, stack.store, spread).gutter
    assert found is not None
    end = driver.find_element(By.CSS_SELECTOR, "[data-grip=gutter-bottom]")
    driver.execute_script("arguments[0].focus()", end)
    ActionChains(driver).send_keys(Keys.ARROW_RIGHT * 3).perform()
    until(lambda: page_detail(ANNA, stack.store, spread).treatment.gutter is not None)
    moved = page_detail(ANNA, stack.store, spread).gutter
    assert moved is not None
    assert moved[0][0] == pytest.approx(found[0][0], abs=0.15)
    assert moved[-1][0] == pytest.approx(found[-1][0] + 3, abs=0.15)
    until(lambda: "Line to split at set on 1 page" in driver.find_element(By.ID, "undo").text)
    driver.find_element(By.XPATH, "//details[@id='spreads']//button[text()='use found']").click()
    until(lambda: page_detail(ANNA, stack.store, spread).treatment.gutter is None)


def test_an_amount_is_blacked_out_and_a_line_highlighted(
    stack: Stack, driver: Chrome, until: Until, booklet: int
) -> None:
    driver.execute_script("Alpine.store('mappe').select([], arguments[0])", stack.desk(booklet).order[1])
    until(lambda: driver.find_element(By.CSS_SELECTOR, ".caption").text.startswith("As treated"))
    ActionChains(driver).send_keys("m").perform()
    until(lambda: driver.find_element(By.ID, "black-out").is_enabled())
    for key, kind in (("x", ZoneKind.BLACKOUT), ("h", ZoneKind.HIGHLIGHT), ("b", ZoneKind.BOX), ("i", ZoneKind.LINE)):
        before = len(treatments(stack, booklet)[1].zones)
        ActionChains(driver).send_keys(key).perform()
        draw(driver, (-150, -80 + 30 * before), (90, 18))
        until(lambda before=before: len(treatments(stack, booklet)[1].zones) == before + 1)
        assert treatments(stack, booklet)[1].zones[-1].kind is kind
        until(lambda before=before: len(driver.find_elements(By.CSS_SELECTOR, ".zone-list li")) == before + 1)
    assert_accessible(driver, "marks")
    rows = driver.find_elements(By.CSS_SELECTOR, ".zone-list li .what")
    assert rows[0].text.endswith("mm blacked out, on 1 page")
    assert any(line.endswith("mm blacked out on 1 page") for line in stack.desk(booklet).history)
    undo(driver)
    until(lambda: len(treatments(stack, booklet)[1].zones) == 3)


def test_a_note_is_written_on_the_page(stack: Stack, driver: Chrome, until: Until, booklet: int) -> None:
    driver.execute_script("Alpine.store('mappe').select([], arguments[0])", stack.desk(booklet).order[1])
    ActionChains(driver).send_keys("m").perform()
    until(lambda: driver.find_element(By.ID, "note").is_enabled())
    ActionChains(driver).send_keys("t").perform()
    draw(driver, (60, 20), (120, 60))
    until(lambda: driver.find_element(By.ID, "note-text").is_displayed())
    driver.find_element(By.ID, "note-text").send_keys("Prüfen: Seite 3?", Keys.TAB)
    until(lambda: [zone.text for zone in treatments(stack, booklet)[1].zones] == ["Prüfen: Seite 3?"])
    until(lambda: "Note, on 1 page: Prüfen: Seite 3?" in driver.find_element(By.CSS_SELECTOR, ".zone-list").text)


def test_the_tone_is_adjusted_at_once_and_taken_back(stack: Stack, driver: Chrome, until: Until, booklet: int) -> None:
    """The slider shows it before it is sent; the machine says what it saw on the page."""
    driver.execute_script("Alpine.store('mappe').select([], arguments[0])", stack.desk(booklet).order[1])
    ActionChains(driver).send_keys("j").perform()
    slider = driver.find_element(By.CSS_SELECTOR, "[data-name=contrast]")
    until(slider.is_displayed)
    until(lambda: "unless you choose otherwise" in driver.find_element(By.ID, "tone-part").text)
    driver.execute_script(
        "arguments[0].value = 30; arguments[0].dispatchEvent(new Event('input', {bubbles: true}))", slider
    )
    picture = driver.find_element(By.CSS_SELECTOR, ".viewer-page image.page")
    assert "tone-preview" in (picture.get_attribute("style") or "")
    assert treatments(stack, booklet)[1].contrast == 0
    driver.execute_script("arguments[0].dispatchEvent(new Event('change', {bubbles: true}))", slider)
    until(lambda: treatments(stack, booklet)[1].contrast == 30)
    until(lambda: "tone-preview" not in (picture.get_attribute("style") or ""))
    driver.find_element(By.XPATH, "//details[@id='tone-part']//label[contains(., 'Without specks')]").click()
    until(lambda: treatments(stack, booklet)[1].without_specks)
    assert_accessible(driver, "tone")
    none = driver.find_element(By.XPATH, "//details[@id='tone-part']//button[text()='none of these']")
    until(none.is_displayed)
    none.click()
    until(lambda: treatments(stack, booklet)[1].contrast == 0)
    assert not treatments(stack, booklet)[1].without_specks
    undo(driver)
    until(lambda: treatments(stack, booklet)[1].contrast == 30)


def test_the_scan_is_compared_along_a_line(stack: Stack, driver: Chrome, until: Until, booklet: int) -> None:
    driver.execute_script("Alpine.store('mappe').select([], arguments[0])", stack.desk(booklet).order[1])
    until(lambda: driver.find_element(By.ID, "compare").is_enabled())
    ActionChains(driver).send_keys("y").perform()
    until(lambda: driver.find_elements(By.CSS_SELECTOR, "[data-grip=compare]"))
    over = driver.find_element(By.CSS_SELECTOR, ".viewer-page g[clip-path] image")
    until(lambda: "/scan-" in (over.get_attribute("href") or ""))
    width = "return Number(document.querySelector('#compare-clip rect').getAttribute('width'))"
    before = driver.execute_script(width)
    assert before == pytest.approx(stack.desk(booklet).pages[1].width_mm / 2, abs=0.2)
    grip = driver.find_element(By.CSS_SELECTOR, "[data-grip=compare]")
    driver.execute_script("arguments[0].focus()", grip)
    ActionChains(driver).send_keys(Keys.ARROW_RIGHT * 3).perform()
    until(lambda: driver.execute_script(width) == pytest.approx(before + 15, abs=0.2))
    ActionChains(driver).send_keys("y").perform()
    until(lambda: not driver.find_elements(By.CSS_SELECTOR, "[data-grip=compare]"))


def test_print_is_moved_by_keys_on_the_page_where_that_began(
    stack: Stack, driver: Chrome, until: Until, booklet: int
) -> None:
    """Also where another page is shown before it was sent."""
    _, first, second, *_ = stack.desk(booklet).order
    driver.execute_script("Alpine.store('mappe').select([], arguments[0])", first)
    until(lambda: driver.find_element(By.ID, "compare").is_enabled())
    ActionChains(driver).send_keys("g").perform()
    until(lambda: driver.find_elements(By.CSS_SELECTOR, "[data-grip=block]"))
    driver.execute_script("arguments[0].focus()", driver.find_element(By.CSS_SELECTOR, "[data-grip=block]"))
    ActionChains(driver).send_keys(Keys.ARROW_RIGHT * 2).perform()
    driver.execute_script("Alpine.store('mappe').select([], arguments[0])", second)
    until(lambda: treatments(stack, booklet)[1].margins == (2.0, 0.0))
    assert treatments(stack, booklet)[2].margins == (0.0, 0.0)
    assert "Choose more pages above" in driver.find_element(By.ID, "margins").text
