"""Pages put right by hand in a real browser: the frame on the scan, the dial, a line along print, numbers."""

from collections.abc import Callable, Iterator

import numpy as np
import pytest
from selenium.webdriver import ActionChains, Chrome
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from tests.browser.conftest import Stack, assert_accessible
from tests.browser.test_touch import middle, swipe
from tests.helpers import ANNA, camera_jpeg, do
from tests.services.test_photos import bent, taken

from papiermappe.core.clean.findings import Finding, FindingKind
from papiermappe.core.operations import SetSkew, SetTone
from papiermappe.core.treatment import Origin, Tone, Treatment
from papiermappe.core.zones import Zone
from papiermappe.devices.model import TicketSettings
from papiermappe.services import importing, mappen, runs
from papiermappe.services.importing import Announced
from papiermappe.services.journal import machine_entry
from papiermappe.services.page_details import page_detail
from papiermappe.services.pictures import PictureSize
from papiermappe.store.incoming import Incoming
from papiermappe.store.models import Mappe, Page

Until = Callable[..., None]

WHITE_OF = """
const [css, done] = arguments, image = new Image(), canvas = document.createElement("canvas");
const retry = () => setTimeout(() => { image.src = document.querySelector(css).getAttribute("href"); }, 300);
image.onerror = retry;
image.onload = () => {
  [canvas.width, canvas.height] = [image.naturalWidth, image.naturalHeight];
  const context = canvas.getContext("2d");
  context.drawImage(image, 0, 0);
  const levels = context.getImageData(0, 0, canvas.width, canvas.height).data;
  let white = 0;
  for (let at = 0; at < levels.length; at += 4) white += levels[at] > 245;
  done([(4 * white) / levels.length, [canvas.width, canvas.height]]);
};
retry();
"""
"""Which share of the picture that a selector names is white, and how many px it has."""

pytestmark = [pytest.mark.browser, pytest.mark.slow, pytest.mark.shared_desk]


@pytest.fixture
def mappe(stack: Stack, driver: Chrome, until: Until) -> int:
    """A Mappe with three sheets, shown at Tidy."""

    def scan() -> int:
        number = mappen.open_mappe(ANNA, stack.store, "By hand")
        stack.drawer.lay("lease")
        runs.start_run(ANNA, stack.store, number, stack.devices["zaunkoenig"], TicketSettings(dpi=100))
        until(
            lambda: len(stack.desk(number).order) == 6 and all(page.analysed for page in stack.desk(number).pages), 60
        )
        return number

    number = stack.copy_of("By hand", scan)
    driver.get(f"{stack.url}/mappen/{number}/tidy")
    until(lambda: driver.find_element(By.ID, "frame").is_enabled())
    return number


def treatment(stack: Stack, mappe: int, at: int = 0) -> Treatment:
    """Return what is done to a page."""
    return page_detail(ANNA, stack.store, stack.desk(mappe).order[at]).treatment


def size_mm(stack: Stack, mappe: int, at: int = 0) -> tuple[float, float]:
    """Return the size of a page."""
    page = stack.desk(mappe).pages[at]
    return page.width_mm, page.height_mm


def fill(driver: Chrome, css: str, text: str) -> None:
    """Type a value into a field."""
    field = driver.find_element(By.CSS_SELECTOR, css)
    field.send_keys(Keys.CONTROL, "a")
    field.send_keys(text, Keys.TAB)


def test_pages_beside_are_fetched_once_the_page_itself_is_there(
    stack: Stack, driver: Chrome, until: Until, mappe: int
) -> None:
    order = stack.desk(mappe).order
    driver.execute_script("performance.clearResourceTimings()")
    driver.find_element(By.TAG_NAME, "body").send_keys(Keys.END)

    def fetched(page: int) -> dict[str, float]:
        """Return when the large picture of a page was asked for and had come, in ms; nothing before."""
        times: dict[str, float] = driver.execute_script(
            "return performance.getEntriesByType('resource')"
            ".filter((entry) => entry.responseEnd && entry.name.includes(`/pages/${arguments[0]}/`)"
            " && entry.name.endsWith(`-${arguments[1]}.jpg`))"
            ".map((entry) => ({ start: entry.startTime, end: entry.responseEnd }))[0] ?? {}",
            page,
            PictureSize.STAGE.value,
        )
        return times

    until(lambda: fetched(order[-1]) and fetched(order[-2]))
    assert fetched(order[-2])["start"] >= fetched(order[-1])["end"]


def test_pictures_are_asked_for_with_the_command_that_changes_them(
    stack: Stack, driver: Chrome, until: Until, mappe: int
) -> None:
    """The answer tells them: they need not wait until the window hears of the change, and has them made then."""
    shown = "return [...document.querySelectorAll('.lanes .leaf:not([hidden]) img')].every((image) => image.complete)"
    until(lambda: driver.execute_script(shown))
    before = [page.picture for page in stack.desk(mappe).pages]
    driver.execute_script(
        "const mappe = Alpine.store('mappe'), { apply } = mappe;"
        "performance.clearResourceTimings(); window.heard = [];"
        "mappe.apply = (told) => heard.push(told);"
        "mappe.hear = () => { mappe.apply = apply; heard.forEach((told) => mappe.apply(told)); }"
    )
    driver.execute_async_script(
        "const [done] = arguments, mappe = Alpine.store('mappe');"
        "mappe.operate({ kind: 'set_tone', pages: mappe.order, tone: 'bilevel' }).then(done)"
    )
    pages = stack.desk(mappe).pages
    assert not {page.picture for page in pages} & set(before)

    def fetched() -> list[str]:
        names = "return performance.getEntriesByType('resource').map(({ name }) => new URL(name).pathname)"
        return [str(name) for name in driver.execute_script(names)]

    until(lambda: {f"/pages/{page.id}/{page.picture}-lane.jpg" for page in pages} <= set(fetched()))
    until(lambda: driver.execute_script(shown))
    now = driver.execute_script(
        "const mappe = Alpine.store('mappe'); return mappe.order.map((id) => mappe.page(id).picture)"
    )
    assert now == [page.picture for page in pages]
    until(lambda: driver.execute_script("return heard.length"))
    driver.execute_script("Alpine.store('mappe').hear()")
    until(lambda: driver.execute_script(shown))
    assert f"/mappen/{mappe}/pictures" not in fetched()


def test_an_angle_is_typed_and_what_was_found_comes_back(
    stack: Stack, driver: Chrome, until: Until, mappe: int
) -> None:
    found = treatment(stack, mappe).straighten
    fill(driver, "#angle", "1,5")
    until(lambda: treatment(stack, mappe).straighten != found)
    by_hand = treatment(stack, mappe).straighten
    assert by_hand is not None
    assert (by_hand.skew_deg, by_hand.origin) == (-1.5, Origin.BY_HAND)
    assert size_mm(stack, mappe) == (210.0, 297.0)  # the crop has turned with it
    until(lambda: driver.find_element(By.CSS_SELECTOR, "#angle").get_attribute("value") == "1.50")
    fill(driver, "#angle", "steep")
    assert driver.find_element(By.CSS_SELECTOR, "#angle").get_attribute("value") == "1.50"
    do(stack.store, mappe, SetSkew(pages=(stack.desk(mappe).order[0],), skew_deg=0.003))
    until(lambda: driver.find_element(By.CSS_SELECTOR, "#angle").get_attribute("value") == "0.00")  # not less than none
    use_found = driver.find_element(By.XPATH, "//tr[th='Straight']//button[text()='use found']")
    until(use_found.is_displayed)
    use_found.click()
    until(lambda: treatment(stack, mappe).straighten == found)


def test_a_side_is_dragged_and_nudged_and_one_undo_each_takes_it_back(
    stack: Stack, driver: Chrome, until: Until, mappe: int
) -> None:
    before = treatment(stack, mappe)
    ActionChains(driver).send_keys("a").perform()
    until(lambda: len(driver.find_elements(By.CSS_SELECTOR, ".grips [data-grip]")) == 9)
    assert_accessible(driver, "frame")
    grip = driver.find_element(By.CSS_SELECTOR, "[data-grip=left] .mark")
    ActionChains(driver).click_and_hold(grip).move_by_offset(30, 4).move_by_offset(30, 0).release().perform()
    until(lambda: treatment(stack, mappe) != before)
    width_mm, height_mm = size_mm(stack, mappe)
    assert 140 < width_mm < 205
    assert height_mm == 297.0
    dragged = treatment(stack, mappe)
    assert dragged.crop is not None
    assert dragged.crop.origin is Origin.BY_HAND
    assert dragged.crop.corners[1] == pytest.approx(before.crop.corners[1], abs=1.5)  # type: ignore[union-attr]  # it is
    top = driver.find_element(By.CSS_SELECTOR, "[data-grip=top]")
    driver.execute_script("arguments[0].focus()", top)
    ActionChains(driver).send_keys(Keys.ARROW_DOWN * 3).perform()
    until(lambda: size_mm(stack, mappe)[1] == 294.0)
    until(lambda: driver.find_element(By.CSS_SELECTOR, "[data-name=height_mm]").get_attribute("value") == "294")
    ActionChains(driver).key_down(Keys.CONTROL).send_keys("z").key_up(Keys.CONTROL).perform()
    until(lambda: treatment(stack, mappe) == dragged)  # three keys were one step
    until(lambda: driver.find_element(By.CSS_SELECTOR, "[data-name=height_mm]").get_attribute("value") == "297")
    ActionChains(driver).key_down(Keys.CONTROL).send_keys("z").key_up(Keys.CONTROL).perform()
    until(lambda: treatment(stack, mappe) == before)


def test_escape_lets_go_of_a_side_where_it_was(stack: Stack, driver: Chrome, until: Until, mappe: int) -> None:
    before = treatment(stack, mappe)
    ActionChains(driver).send_keys("a").perform()
    until(lambda: len(driver.find_elements(By.CSS_SELECTOR, ".grips [data-grip]")) == 9)
    grip = driver.find_element(By.CSS_SELECTOR, "[data-grip=right-bottom] .mark")
    start = grip.location
    ActionChains(driver).click_and_hold(grip).move_by_offset(-40, -40).perform()
    assert grip.location != start
    ActionChains(driver).send_keys(Keys.ESCAPE).perform()
    until(lambda: grip.location == start)
    ActionChains(driver).release().perform()
    assert treatment(stack, mappe) == before


def test_the_dial_and_a_line_along_print_turn_the_page(stack: Stack, driver: Chrome, until: Until, mappe: int) -> None:
    ActionChains(driver).send_keys("a").perform()
    dial = driver.find_element(By.CSS_SELECTOR, ".dial [role=slider]")
    until(dial.is_displayed)
    start = float(dial.get_attribute("aria-valuenow") or "nan")
    driver.execute_script("arguments[0].focus()", dial)
    ActionChains(driver).send_keys(Keys.ARROW_UP * 5).perform()
    until(lambda: treatment(stack, mappe).straighten.origin is Origin.BY_HAND)  # type: ignore[union-attr]  # it is found
    assert treatment(stack, mappe).skew_deg == pytest.approx(-(start + 0.5), abs=0.011)
    # a line that falls by 7 px over 200 px lies 2.0 degrees clockwise: the page is turned back by as much
    driver.find_element(By.ID, "lay-line").click()
    stage = driver.find_element(By.CSS_SELECTOR, ".viewer-page")
    ActionChains(driver).move_to_element_with_offset(stage, -120, 0).click_and_hold().move_by_offset(
        100, 3
    ).move_by_offset(100, 4).release().perform()
    until(lambda: abs(treatment(stack, mappe).skew_deg + start + 0.5) > 0.1)
    assert treatment(stack, mappe).skew_deg == pytest.approx(-(start + 0.5 + 2.0), abs=0.05)
    assert driver.find_element(By.ID, "lay-line").get_attribute("aria-pressed") == "false"


def test_a_side_and_the_dial_moved_at_once_are_both_kept(
    stack: Stack, driver: Chrome, until: Until, mappe: int
) -> None:
    ActionChains(driver).send_keys("a").perform()
    until(lambda: len(driver.find_elements(By.CSS_SELECTOR, ".grips [data-grip]")) == 9)
    dial = driver.find_element(By.CSS_SELECTOR, ".dial [role=slider]")
    start = float(dial.get_attribute("aria-valuenow") or "nan")
    down = "arguments[0].dispatchEvent(new KeyboardEvent('keydown', {key: 'ArrowDown', bubbles: true}))"
    top = driver.find_element(By.CSS_SELECTOR, "[data-grip=top]")
    driver.execute_script(f"{down}; {down.replace('[0]', '[1]')}", top, dial)  # both before either is sent
    until(lambda: size_mm(stack, mappe)[1] == 296.0)
    assert treatment(stack, mappe).skew_deg == pytest.approx(-(start - 0.1), abs=0.011)


def test_all_pages_get_one_size(stack: Stack, driver: Chrome, until: Until, mappe: int) -> None:
    driver.find_element(By.XPATH, "//button[text()='all pages']").click()
    fill(driver, ".values input[data-name=width_mm]", "200")
    until(lambda: all(size_mm(stack, mappe, at) == (200.0, 297.0) for at in range(6)))
    assert stack.desk(mappe).history[0] == "6 pages cropped to 200 by 297 mm"


def test_the_scan_is_shown_while_its_key_is_held_or_until_it_is_pressed_again(
    driver: Chrome, until: Until, mappe: int
) -> None:
    button = driver.find_element(By.ID, "show-scan")
    ActionChains(driver).key_down("0").pause(0.6).perform()
    assert button.get_attribute("aria-pressed") == "true"
    ActionChains(driver).key_up("0").perform()
    until(lambda: button.get_attribute("aria-pressed") == "false")
    for state in ("true", "false"):
        ActionChains(driver).send_keys("0").perform()
        until(lambda state=state: button.get_attribute("aria-pressed") == state)


def zones(stack: Stack, mappe: int, at: int = 0) -> list[tuple[str, list[float]]]:
    """Return the zones of a page: what they do, and the box round each on the page: left, top, right, bottom in mm."""
    found = page_detail(ANNA, stack.store, stack.desk(mappe).order[at]).zones
    return [(zone.kind.value, [*np.min(zone.corners, axis=0), *np.max(zone.corners, axis=0)]) for zone in found]


def drag(driver: Chrome, start: tuple[int, int], by: tuple[int, int]) -> None:
    """Drag over the page, from a place counted from its middle."""
    stage = driver.find_element(By.CSS_SELECTOR, ".viewer-page")
    actions = ActionChains(driver).move_to_element_with_offset(stage, *start).click_and_hold()
    actions.move_by_offset(by[0] // 2, by[1] // 2).move_by_offset(by[0] - by[0] // 2, by[1] - by[1] // 2)
    actions.release().perform()


def test_an_area_is_wiped_moved_by_keys_and_taken_away(stack: Stack, driver: Chrome, until: Until, mappe: int) -> None:
    driver.find_element(By.XPATH, "//button[text()='all fronts']").click()
    ActionChains(driver).send_keys("w").perform()
    assert driver.find_element(By.ID, "wipe").get_attribute("aria-pressed") == "true"
    drag(driver, (-40, -60), (60, 30))
    until(lambda: len(zones(stack, mappe)) == 1)
    assert [len(zones(stack, mappe, at)) for at in range(6)] == [1, 0, 1, 0, 1, 0]
    assert stack.desk(mappe).history[0].endswith("mm wiped on 3 pages")
    assert driver.find_element(By.ID, "wipe").get_attribute("aria-pressed") == "false"
    ((does, drawn),) = zones(stack, mappe)
    assert does == "wipe"
    until(lambda: len(driver.find_elements(By.CSS_SELECTOR, ".grips [data-grip]")) == 5)
    assert_accessible(driver, "zone")
    middle = driver.find_element(By.CSS_SELECTOR, "[data-grip=zone-middle]")
    driver.execute_script("arguments[0].focus()", middle)
    ActionChains(driver).send_keys(Keys.ARROW_RIGHT * 4).perform()
    until(
        lambda: zones(stack, mappe)[0][1] == pytest.approx([drawn[0] + 4, drawn[1], drawn[2] + 4, drawn[3]], abs=0.15)
    )
    assert zones(stack, mappe, 2)[0][1] == pytest.approx(zones(stack, mappe)[0][1], abs=1.0)  # on all at once
    fill(driver, "[data-name=width]", "12,5")
    until(lambda: zones(stack, mappe)[0][1][2] - zones(stack, mappe)[0][1][0] == pytest.approx(12.5, abs=0.05))
    driver.execute_script("document.activeElement.blur()")
    ActionChains(driver).send_keys("r").perform()  # a turned page shows it where it was on the sheet
    until(lambda: zones(stack, mappe)[0][1][3] - zones(stack, mappe)[0][1][1] == pytest.approx(12.5, abs=0.05))
    until(lambda: driver.find_elements(By.CSS_SELECTOR, ".zone-list li"))
    take_away = driver.find_element(By.XPATH, "//ul[@class='zone-list']//button[text()='take away']")
    until(take_away.is_displayed)
    take_away.click()
    until(lambda: not any(zones(stack, mappe, at) for at in range(6)))
    until(lambda: "Areas and marks taken away" in driver.find_element(By.ID, "undo").text)
    ActionChains(driver).key_down(Keys.CONTROL).send_keys("z").key_up(Keys.CONTROL).perform()
    until(lambda: len(zones(stack, mappe)) == 1)


def test_all_but_an_area_is_wiped_and_a_corner_dragged(stack: Stack, driver: Chrome, until: Until, mappe: int) -> None:
    ActionChains(driver).send_keys("o").perform()
    drag(driver, (-90, -130), (180, 260))
    until(lambda: [does for does, _ in zones(stack, mappe)] == ["keep"])
    _, before = zones(stack, mappe)[0]
    until(lambda: len(driver.find_elements(By.CSS_SELECTOR, ".grips [data-grip]")) == 5)
    corner = driver.find_element(By.CSS_SELECTOR, "[data-grip=zone-right-bottom] .mark")
    ActionChains(driver).click_and_hold(corner).move_by_offset(-10, -10).move_by_offset(-10, -10).release().perform()
    until(lambda: zones(stack, mappe)[0][1] != before)
    after = zones(stack, mappe)[0][1]
    assert after[:2] == pytest.approx(before[:2], abs=0.15)
    assert after[2] < before[2] - 5
    assert zones(stack, mappe, 1) == []


def test_the_pile_shows_what_pages_share_and_wipes_it_in_one_step(
    stack: Stack, driver: Chrome, until: Until, mappe: int
) -> None:
    ActionChains(driver).send_keys("v").perform()
    until(lambda: driver.execute_script("return Alpine.store('pile').whole"))
    sides = [button.text for button in driver.find_elements(By.CSS_SELECTOR, ".pile .scope button")]
    assert sides == ["3 fronts", "3 backs"]
    assert_accessible(driver, "pile")
    for leave_out in driver.find_elements(By.XPATH, "//*[contains(@class, 'pile')]//button[text()='leave out']"):
        leave_out.click()
    # text is drawn over: it is said on which pages, and one of them is shown
    ActionChains(driver).send_keys("w").perform()
    drag(driver, (-60, -40), (120, 60))
    until(lambda: "Print lies under it on page" in driver.find_element(By.CSS_SELECTOR, ".pile .zone-list").text)
    driver.find_element(By.CSS_SELECTOR, ".pile .zone-list .rust").click()
    until(lambda: driver.find_element(By.CSS_SELECTOR, ".pile .through").text.startswith("Page "))
    assert zones(stack, mappe) == []  # nothing is done before it is said
    driver.find_element(By.ID, "wipe-pile").click()
    until(lambda: [len(zones(stack, mappe, at)) for at in range(6)] == [1, 0, 1, 0, 1, 0])
    until(lambda: "wiped on 3 pages" in driver.find_element(By.ID, "undo").text)
    until(lambda: not driver.find_elements(By.CSS_SELECTOR, ".pile .zone-list .rust:not([style*=none])"))
    ActionChains(driver).key_down(Keys.CONTROL).send_keys("z").key_up(Keys.CONTROL).perform()
    until(lambda: not any(zones(stack, mappe, at) for at in range(6)))
    ActionChains(driver).send_keys("v").perform()
    until(lambda: driver.find_element(By.ID, "frame").is_displayed())


def test_an_area_on_the_pile_is_dragged_moved_by_keys_and_taken_away(
    stack: Stack, driver: Chrome, until: Until, mappe: int
) -> None:
    """What it covers is judged anew where it lies then; Escape lets go of it where it was."""
    ActionChains(driver).send_keys("v").perform()
    until(lambda: driver.execute_script("return Alpine.store('pile').whole"))
    ActionChains(driver).send_keys("w").perform()
    drag(driver, (-60, -40), (120, 60))
    until(lambda: len(driver.find_elements(By.CSS_SELECTOR, ".grips [data-grip]")) == 5)
    area = "const { x, y, width, height } = Alpine.store('pile').movable.area; return [x, y, width, height]"
    x, y, width, height = driver.execute_script(area)
    middle = driver.find_element(By.CSS_SELECTOR, "[data-grip=zone-middle]")
    driver.execute_script("arguments[0].focus()", middle)
    ActionChains(driver).send_keys(Keys.ARROW_RIGHT * 5).perform()
    until(lambda: driver.execute_script(area) == pytest.approx([x + 5, y, width, height], abs=0.11))
    until(lambda: "Print lies under it on page" in driver.find_element(By.CSS_SELECTOR, ".pile .zone-list").text)
    corner = driver.find_element(By.CSS_SELECTOR, "[data-grip=zone-right-bottom] .mark")
    ActionChains(driver).click_and_hold(corner).move_by_offset(20, 10).release().perform()
    until(lambda: driver.execute_script(area)[2] > width + 2)
    wider = driver.execute_script(area)
    until(lambda: f"{round(wider[2], 1):g} " in driver.find_element(By.CSS_SELECTOR, ".pile .zone-list").text)
    until(lambda: "Print lies under it on page" in driver.find_element(By.CSS_SELECTOR, ".pile .zone-list").text)
    driver.execute_script("Alpine.store('pile').movable.spares = [1]")
    ActionChains(driver).click_and_hold(corner).move_by_offset(-30, -20).perform()
    ActionChains(driver).send_keys(Keys.ESCAPE).perform()
    until(lambda: driver.execute_script(area) == wider)
    assert driver.execute_script("return Alpine.store('pile').movable.spares") == [1]
    assert "Print lies under it on page" in driver.find_element(By.CSS_SELECTOR, ".pile .zone-list").text
    ActionChains(driver).release().perform()
    driver.execute_script("arguments[0].focus()", middle)
    ActionChains(driver).send_keys(Keys.DELETE).perform()
    until(lambda: not driver.find_elements(By.CSS_SELECTOR, ".grips [data-grip]"))
    assert stack.desk(mappe).set_aside == []


def test_checks_are_gone_through_by_one_key_and_put_away_for_good(
    stack: Stack, driver: Chrome, until: Until, mappe: int
) -> None:
    spot = Zone(x_mm=150, y_mm=240, width_mm=20, height_mm=8)
    faint = Finding(kind=FindingKind.FAINT, confidence=0.9, zone=spot)
    pages = [stack.desk(mappe).order[at] for at in (2, 4)]
    with stack.store.begin() as session:
        held = session.get_one(Mappe, mappe)
        for number in pages:
            page = session.get_one(Page, number)
            page.analysis = {**(page.analysis or {}), "findings": [faint.model_dump(mode="json")]}
        machine_entry(session, held, {number: {} for number in pages})
    until(lambda: driver.find_element(By.ID, "next-check").text.startswith("2 pages to check"))
    for number in (*pages, pages[0]):
        ActionChains(driver).send_keys("n").perform()
        until(lambda number=number: driver.execute_script("return Alpine.store('mappe').current") == number)
    # its place is shown large: the text beside the zoom says more of the scan's pixels than the whole page does
    until(lambda: int(driver.find_element(By.CSS_SELECTOR, ".zoom span").text.split()[0].rstrip("%")) > 60)
    fine = driver.find_element(By.XPATH, "//ul[@class='findings']//button[text()='it is fine']")
    until(fine.is_displayed)
    fine.click()
    until(lambda: [bool(page.warnings) for page in stack.desk(mappe).pages] == [False] * 4 + [True, False])
    until(lambda: driver.find_element(By.ID, "next-check").text.startswith("1 page to check"))
    until(lambda: "1 page checked and found to be fine" in driver.find_element(By.ID, "undo").text)
    ActionChains(driver).key_down(Keys.CONTROL).send_keys("z").key_up(Keys.CONTROL).perform()
    until(lambda: driver.find_element(By.ID, "next-check").text.startswith("2 pages to check"))


def test_what_does_not_need_a_check_is_marked_on_the_page_only_where_it_is_asked_for(
    stack: Stack, driver: Chrome, until: Until, mappe: int
) -> None:
    line = Zone(x_mm=60, y_mm=0, width_mm=0.8, height_mm=297)
    dust = Finding(kind=FindingKind.DUST_LINE, confidence=0.9, zone=line)
    first = stack.desk(mappe).order[0]
    with stack.store.begin() as session:
        page = session.get_one(Page, first)
        page.analysis = {**(page.analysis or {}), "findings": [dust.model_dump(mode="json")]}
        machine_entry(session, session.get_one(Mappe, mappe), {first: {}})
    told = "//ul[@class='findings']/li[contains(., 'dust line')]"
    until(lambda: driver.find_elements(By.XPATH, told))
    assert not driver.find_elements(By.CSS_SELECTOR, ".viewer-layers .zone")
    show = driver.find_element(By.XPATH, f"{told}/button[text()='show']")
    show.click()
    until(lambda: driver.find_elements(By.CSS_SELECTOR, ".viewer-layers .zone"))
    show.click()
    until(lambda: not driver.find_elements(By.CSS_SELECTOR, ".viewer-layers .zone"))


def test_corners_of_a_sheet_seen_at_an_angle_are_placed_by_mouse_and_keys(
    stack: Stack, driver: Chrome, until: Until, mappe: int
) -> None:
    before = treatment(stack, mappe)
    ActionChains(driver).send_keys("a").perform()
    until(driver.find_element(By.ID, "corners").is_displayed)
    ActionChains(driver).send_keys("u").perform()
    until(lambda: len(driver.find_elements(By.CSS_SELECTOR, ".grips [data-grip]")) == 8)
    assert_accessible(driver, "corners")
    grip = driver.find_element(By.CSS_SELECTOR, "[data-grip=corner-0] .mark")
    ActionChains(driver).click_and_hold(grip).move_by_offset(20, 10).move_by_offset(10, 5).release().perform()
    until(lambda: treatment(stack, mappe).corners is not None)
    placed = treatment(stack, mappe).corners
    sheet = before.sheet
    assert placed is not None
    assert sheet is not None
    assert placed[0][0] > sheet[0][0] + 5  # the corner has been moved right and down
    assert placed[0][1] > sheet[0][1] + 2
    assert placed[2] == pytest.approx(sheet[2], abs=1.5)  # the opposite one is where the frame had it
    assert treatment(stack, mappe).crop is None
    driver.execute_script("arguments[0].focus()", driver.find_element(By.CSS_SELECTOR, "[data-grip=corner-2]"))
    ActionChains(driver).send_keys(Keys.ARROW_LEFT * 4).perform()
    until(lambda: treatment(stack, mappe).corners != placed)
    nudged = treatment(stack, mappe).corners
    assert nudged is not None
    assert nudged[2] == pytest.approx((placed[2][0] - 4, placed[2][1]), abs=0.06)  # four times 1 mm, in one step
    ActionChains(driver).key_down(Keys.CONTROL).send_keys("z").key_up(Keys.CONTROL).perform()
    until(lambda: treatment(stack, mappe).corners == placed)
    driver.find_element(By.ID, "as-it-came").click()
    until(lambda: treatment(stack, mappe) == before)


@pytest.fixture
def bent_letter(stack: Stack, driver: Chrome, until: Until) -> int:
    """A Mappe with the photo of a bent sheet, shown at Tidy."""

    def bring() -> int:
        number = mappen.open_mappe(ANNA, stack.store, "Bent")
        data = camera_jpeg(taken(bent()))
        announced = [Announced("photo.jpg", len(data))]
        run = importing.start_import(ANNA, stack.store, number, announced, importing.FRONTS)
        (file,) = importing.files_of(ANNA, stack.store, run)
        importing.receive_part(ANNA, stack.store, Incoming(stack.folder / "incoming"), file.id, 0, data)
        until(lambda: [page.analysed for page in stack.desk(number).pages] == [True])
        return number

    number = stack.copy_of("Bent", bring)
    driver.get(f"{stack.url}/mappen/{number}/tidy")
    until(lambda: driver.find_element(By.ID, "frame").is_enabled())
    return number


def test_bent_paper_is_left_bent_and_made_straight_again(
    stack: Stack, driver: Chrome, until: Until, bent_letter: int
) -> None:
    found = treatment(stack, bent_letter).curl
    assert found is not None
    switch = driver.find_element(By.ID, "switch-curl")
    until(switch.is_displayed)
    row = driver.find_element(By.XPATH, "//tr[th='Curl']")
    assert row.text.startswith(f"Curl {found.largest_mm:.1f} mm found")
    switch.click()
    until(lambda: treatment(stack, bent_letter).curl == found.model_copy(update={"on": False}))
    until(lambda: switch.text == "Off")
    switch.click()
    until(lambda: treatment(stack, bent_letter).curl == found)
    until(lambda: switch.text == "On")


def test_a_flat_photo_is_compared_with_the_sheet_as_it_was_taken(
    stack: Stack, driver: Chrome, until: Until, bent_letter: int
) -> None:
    (page,) = stack.desk(bent_letter).order
    do(stack.store, bent_letter, SetTone(pages=(page,), tone=Tone.BILEVEL))
    until(lambda: driver.find_element(By.ID, "tone").get_attribute("value") == "bilevel")
    ActionChains(driver).send_keys("y").perform()
    until(lambda: driver.find_elements(By.CSS_SELECTOR, "[data-grip=compare]"))
    shown = stack.desk(bent_letter).pages[0]
    (page_white, page_size), (sheet_white, sheet_size) = (
        driver.execute_async_script(WHITE_OF, f".viewer-page {css}") for css in ("image.page", "[clip-path] image")
    )
    assert page_white > 0.7  # paper and ink alone
    assert sheet_white < 0.3  # paper as it was lit
    assert page_size == sheet_size
    assert page_size[1] / page_size[0] == pytest.approx(shown.height_mm / shown.width_mm, abs=0.01)


@pytest.fixture
def slow_answers(driver: Chrome) -> Iterator[None]:
    """Answers take a while to come."""
    conditions = {"offline": False, "latency": 150, "downloadThroughput": -1, "uploadThroughput": -1}
    driver.execute_cdp_cmd("Network.emulateNetworkConditions", conditions)
    yield
    driver.execute_cdp_cmd("Network.emulateNetworkConditions", {**conditions, "latency": 0})


@pytest.mark.usefixtures("slow_answers")
@pytest.mark.parametrize("tool", ["corner", "zone", "block"])
def test_what_is_nudged_while_an_answer_is_on_its_way_is_kept(
    stack: Stack, driver: Chrome, until: Until, mappe: int, tool: str
) -> None:
    def place() -> float | None:
        done = treatment(stack, mappe)
        if tool == "corner":
            return done.corners[2][0] if done.corners else None
        if tool == "zone":
            return done.zones[0].box()[0] if done.zones else None
        return done.margins[0]

    if tool == "corner":
        ActionChains(driver).send_keys("a").perform()
        until(driver.find_element(By.ID, "corners").is_displayed)
        ActionChains(driver).send_keys("u").perform()
    elif tool == "zone":
        ActionChains(driver).send_keys("w").perform()
        x, y = middle(driver, ".viewer-page image.page")
        swipe(driver, (x - 40, y - 30), (x + 40, y + 30))
        until(lambda: place() is not None)
    else:
        ActionChains(driver).send_keys("g").perform()
    grip = {"corner": "corner-2", "zone": "zone-middle", "block": "block"}[tool]
    until(lambda: driver.find_elements(By.CSS_SELECTOR, f"[data-grip={grip}]"))
    driver.execute_script("arguments[0].focus()", driver.find_element(By.CSS_SELECTOR, f"[data-grip={grip}]"))
    before = place()
    ActionChains(driver).send_keys(Keys.ARROW_LEFT).perform()
    until(lambda: place() != before)
    first = place()
    ActionChains(driver).send_keys(Keys.ARROW_LEFT).perform()  # the window has not heard of the first yet
    until(lambda: place() != first)
    second = place()
    assert first is not None
    assert second is not None
    assert second - first == pytest.approx(-1, abs=0.06)  # mm


def test_a_side_and_an_area_are_dragged_by_finger(stack: Stack, driver: Chrome, until: Until, mappe: int) -> None:
    before = treatment(stack, mappe)
    ActionChains(driver).send_keys("w").perform()
    x, y = middle(driver, ".viewer-page image.page")
    swipe(driver, (x - 40, y - 30), (x + 40, y + 30))
    until(lambda: len(treatment(stack, mappe).zones) == 1)
    drawn = treatment(stack, mappe).zones[0]
    until(lambda: driver.find_elements(By.CSS_SELECTOR, "[data-grip] .mark"))
    x, y = middle(driver, "[data-grip=zone-middle] .mark")
    swipe(driver, (x, y), (x + 30, y))
    until(lambda: treatment(stack, mappe).zones[0] != drawn)
    assert treatment(stack, mappe).zones[0].box()[0] > drawn.box()[0] + 5  # mm
    ActionChains(driver).send_keys("a").perform()
    until(lambda: len(driver.find_elements(By.CSS_SELECTOR, ".grips [data-grip]")) == 9)
    x, y = middle(driver, "[data-grip=left] .mark")
    swipe(driver, (x, y), (x + 40, y))
    until(lambda: treatment(stack, mappe).crop != before.crop)
    assert size_mm(stack, mappe)[0] < 205


def test_corners_that_cross_are_refused_in_words(stack: Stack, driver: Chrome, until: Until, mappe: int) -> None:
    before = treatment(stack, mappe)
    ActionChains(driver).send_keys("a").perform()
    until(driver.find_element(By.ID, "corners").is_displayed)
    ActionChains(driver).send_keys("u").perform()
    until(lambda: len(driver.find_elements(By.CSS_SELECTOR, ".grips [data-grip]")) == 8)
    left, right = (driver.find_element(By.CSS_SELECTOR, f"[data-grip=corner-{at}] .mark") for at in (0, 1))
    start = left.location
    ActionChains(driver).click_and_hold(left).move_to_element(right).move_by_offset(20, 0).release().perform()
    until(lambda: "The corners are crossed" in driver.find_element(By.CSS_SELECTOR, ".message").text)
    until(lambda: left.location == start)
    assert treatment(stack, mappe) == before
    ActionChains(driver).send_keys("r").perform()  # the next command takes what was said away
    until(lambda: driver.find_element(By.CSS_SELECTOR, ".message").text == "")


def test_that_nothing_was_to_be_done_is_said_as_no_trouble(
    stack: Stack, driver: Chrome, until: Until, mappe: int
) -> None:
    ActionChains(driver).send_keys("e").perform()
    until(lambda: stack.desk(mappe).history[0] == "Dark rims of 1 page wiped")
    ActionChains(driver).send_keys("e").perform()  # they are wiped already
    said = driver.find_element(By.CSS_SELECTOR, ".message.quiet")
    until(lambda: said.text == "No dark rim is to be seen on 1 page.")
    assert driver.find_element(By.CSS_SELECTOR, ".message[role=alert]").text == ""
    assert_accessible(driver, "notice")
    ActionChains(driver).send_keys(Keys.ARROW_RIGHT).perform()
    until(lambda: said.text == "")
