"""Routines in a real browser: kept from what was done, looked at, run on the next booklet by one key."""

from collections.abc import Callable, Iterator
from pathlib import Path

import pytest
from selenium.webdriver import ActionChains, Chrome
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.support.select import Select
from tests.browser.conftest import FROM_GLASS, Stack, assert_accessible, scan_booklet
from tests.helpers import ANNA

from papiermappe.core.operations.steps import Step, StepScope, read_routine
from papiermappe.core.treatment import Tone
from papiermappe.services import routines

Until = Callable[..., None]

pytestmark = [pytest.mark.browser, pytest.mark.slow, pytest.mark.shared_desk]
SPREADS = 3


@pytest.fixture
def booklets(stack: Stack, driver: Chrome, until: Until) -> Iterator[Callable[[], int]]:
    """Scan a cover and three spreads, and show them at Tidy."""

    def scan() -> int:
        mappe = stack.copy_of("Three spreads", lambda: scan_booklet(stack, until, SPREADS))
        show(stack, driver, until, mappe)
        return mappe

    yield scan
    stack.drawer.take_out("kiebitz")
    for kept in routines.list_routines(ANNA, stack.store):
        routines.remove_routine(ANNA, stack.store, kept.id)


def show(stack: Stack, driver: Chrome, until: Until, mappe: int) -> None:
    """Show a Mappe at Tidy."""
    driver.get(f"{stack.url}/mappen/{mappe}/tidy")
    until(lambda: driver.find_element(By.ID, "frame").is_enabled())


def key(driver: Chrome, letter: str) -> None:
    """Press a key."""
    ActionChains(driver).send_keys(letter).perform()


def test_a_booklet_is_made_good_and_the_next_one_by_one_key(
    stack: Stack, driver: Chrome, until: Until, booklets: Callable[[], int]
) -> None:
    """What was done to the first is kept under a name; Q does it to the second, in one step that is undone in one."""
    first = booklets()
    driver.find_element(By.XPATH, "//aside[@aria-labelledby='values-head']//button[text()='all pages']").click()
    Select(driver.find_element(By.ID, "tone")).select_by_value("grey")
    until(lambda: {treatment.tone for treatment in stack.desk(first).treatments()} == {Tone.GREY})
    driver.execute_script("document.activeElement.blur()")  # as after a choice with the mouse
    key(driver, "d")
    until(lambda: driver.find_element(By.ID, "split").text.startswith("Split 3 spreads"))
    driver.find_element(By.ID, "split").click()
    until(lambda: len(stack.desk(first).order) == 2 * SPREADS + 1)
    until(lambda: all(page.analysed for page in stack.desk(first).pages))
    key(driver, "g")
    until(lambda: driver.find_element(By.ID, "align").is_displayed())
    until(lambda: driver.find_element(By.ID, "align").is_enabled())
    driver.find_element(By.ID, "align").click()
    until(lambda: any(treatment.margins != (0.0, 0.0) for treatment in stack.desk(first).treatments()))
    driver.find_element(By.ID, "keep-routine").click()
    until(lambda: len(driver.find_elements(By.CSS_SELECTOR, ".routine-list li")) == 3)
    assert_accessible(driver, "routine steps")
    steps = [step.text for step in driver.find_elements(By.CSS_SELECTOR, ".routine-list label")]
    assert steps == ["Show in grey", "Split spreads", "Line up the margins at the fold"]
    driver.find_element(By.ID, "routine-name").send_keys("Handbook")
    driver.find_element(By.ID, "keep-steps").click()
    until(lambda: [kept.name for kept in routines.list_routines(ANNA, stack.store)] == ["Handbook"])

    second = booklets()
    until(lambda: driver.find_element(By.ID, "run-routine").text.startswith(f"Run on {SPREADS + 1} pages"))
    key(driver, "q")
    until(lambda: len(stack.desk(second).order) == 2 * SPREADS + 1)
    now = stack.desk(second)
    assert now.analysed
    assert {treatment.tone for treatment in now.treatments()} == {Tone.GREY}
    assert any(treatment.margins != (0.0, 0.0) for treatment in now.treatments())
    until(lambda: f"{2 * SPREADS + 1} pages done." in driver.find_element(By.CSS_SELECTOR, ".routine").text)
    ActionChains(driver).key_down(Keys.CONTROL).send_keys("z").key_up(Keys.CONTROL).perform()
    until(lambda: len(stack.desk(second).order) == SPREADS + 1)
    assert {treatment.tone for treatment in stack.desk(second).treatments()} == {Tone.AS_SCANNED}


def test_what_a_routine_would_do_is_seen_before_it_is_run(
    stack: Stack, driver: Chrome, until: Until, booklets: Callable[[], int]
) -> None:
    """Three pages with their halves; where a step does not fit is said."""
    split = (Step(does={"kind": "split"}), Step(does={"kind": "set_tone", "tone": "white"}))
    routines.keep_routine(ANNA, stack.store, "Split all", split)
    mappe = booklets()
    cover = stack.desk(mappe).order[0]
    until(lambda: driver.find_element(By.ID, "try-routine").is_displayed())
    driver.find_element(By.ID, "try-routine").click()
    until(lambda: len(driver.find_elements(By.CSS_SELECTOR, ".trial-pages img")) == 5)
    loaded = "return [...document.querySelectorAll('.trial-pages img')].every((one) => one.naturalWidth > 300)"
    until(lambda: driver.execute_script(loaded))
    assert_accessible(driver, "routine trial")
    said = driver.find_element(By.ID, "routine-trial").text
    assert "Split spreads: page 1 left as before (no spread)" in said
    assert len(stack.desk(mappe).order) == SPREADS + 1
    driver.find_element(By.ID, "run-tried").click()
    until(lambda: len(stack.desk(mappe).order) == 2 * SPREADS + 1)
    assert stack.desk(mappe).order[0] == cover


def test_a_routine_is_changed_taken_out_and_brought_in_again(
    stack: Stack, driver: Chrome, until: Until, booklets: Callable[[], int], tmp_path: Path
) -> None:
    """A step is left out, one is for backs only, the order is another; then it goes as a file."""
    does = ({"kind": "clean_borders"}, {"kind": "turn", "quarter_turns": 2}, {"kind": "set_tone", "tone": "grey"})
    steps = tuple(Step(does=one) for one in does)
    kept = routines.keep_routine(ANNA, stack.store, "Everyday", steps)
    booklets()
    until(lambda: driver.find_element(By.ID, "change-routine").is_displayed())
    driver.find_element(By.ID, "change-routine").click()
    until(lambda: len(driver.find_elements(By.CSS_SELECTOR, ".routine-list li")) == 3)
    driver.find_elements(By.CSS_SELECTOR, ".routine-list [type=checkbox]")[0].click()
    Select(driver.find_elements(By.CSS_SELECTOR, ".routine-list select")[1]).select_by_value("backs")
    driver.find_elements(By.CSS_SELECTOR, ".routine-list [aria-label=Earlier]")[2].click()
    driver.find_element(By.ID, "keep-steps").click()
    until(lambda: len(routines.routine(ANNA, stack.store, kept).steps) == 2)
    tone, turn = routines.routine(ANNA, stack.store, kept).steps
    assert (tone.does["kind"], turn.does["kind"], turn.on) == ("set_tone", "turn", StepScope.BACKS)
    file = tmp_path / "everyday.json"
    file.write_text(routines.routine_file(ANNA, stack.store, kept).to_json())
    assert read_routine(file.read_bytes()).name == "Everyday"
    driver.find_element(By.ID, "keep-routine").click()
    until(lambda: driver.find_element(By.ID, "routine-name").is_displayed())
    driver.find_element(By.ID, "routine-file").send_keys(str(file))
    until(lambda: [one.name for one in routines.list_routines(ANNA, stack.store)] == ["Everyday", "Everyday 2"])
    driver.find_element(By.ID, "change-routine").click()
    until(lambda: driver.find_element(By.ID, "remove-routine").is_displayed())
    driver.find_element(By.ID, "remove-routine").click()
    until(lambda: [one.name for one in routines.list_routines(ANNA, stack.store)] == ["Everyday"])
    until(lambda: driver.find_element(By.ID, "take-routine-back").is_displayed())
    until(lambda: not driver.find_element(By.ID, "remove-routine").is_displayed())
    driver.find_element(By.ID, "take-routine-back").click()
    until(lambda: len(routines.list_routines(ANNA, stack.store)) == 2)


def test_a_ticket_runs_its_routine_when_all_pages_are_in(
    stack: Stack, driver: Chrome, until: Until, booklets: Callable[[], int]
) -> None:
    """It can be taken back by whoever scanned."""
    del booklets  # which clears the glass and the routines away
    kept = routines.keep_routine(ANNA, stack.store, "Booklets", (Step(does={"kind": "split"}, on=StepScope.SPREADS),))
    mappe = scan_booklet(stack, until, SPREADS, FROM_GLASS.model_copy(update={"routine": kept}))
    until(lambda: len(stack.desk(mappe).order) == 2 * SPREADS + 1)
    assert stack.desk(mappe).undo == "Routine “Booklets” on 4 pages"
    driver.get(f"{stack.url}/mappen/{mappe}/intake")
    word = driver.find_element(By.CSS_SELECTOR, ".ticket select[data-name=routine]")
    until(word.is_displayed)
    assert [option.text for option in Select(word).options] == ["no routine", "Booklets"]
    assert "Then run" in driver.find_element(By.CSS_SELECTOR, ".ticket").text
