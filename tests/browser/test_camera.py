"""A camera at this computer: sheets are taken by themselves, and whatever is in the way is said."""

import base64
from collections.abc import Callable, Iterator
from itertools import groupby
from pathlib import Path
from typing import NamedTuple

import pytest
from selenium import webdriver
from selenium.common.exceptions import NoSuchElementException
from selenium.webdriver import Chrome
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from tests.browser.conftest import Stack, assert_accessible, chrome
from tests.helpers import ANNA, wait_until

from papiermappe.core.order.places import Side
from papiermappe.services import mappen
from papiermappe.standin.camera.scene import Table
from papiermappe.standin.camera.session import Step, film, jpeg_of, write_film
from papiermappe.store.models import RunState

Until = Callable[..., None]

pytestmark = [pytest.mark.browser, pytest.mark.slow, pytest.mark.shared_desk]

WIDTH_PX = 800
STEPS = (
    Step("delivery-118", turn_deg=2),
    Step("delivery-118", side=Side.BACK, turn_deg=-3, at_mm=(6, -4)),
    Step("delivery-118", side=Side.BACK, turn_deg=4, at_mm=(-6, 5), is_moved=True),
    Step("handbook", sheet=2, turn_deg=-1),
    Step("divider-hail", turn_deg=2),
)


SHOW_INSTEAD = """
    const screen = document.createElement("canvas");
    [screen.width, screen.height] = [arguments[0], arguments[0] * 3 / 4];
    const context = screen.getContext("2d");
    let shown = [];
    let at = 0;
    setInterval(() => { if (shown.length) context.drawImage(shown[at++ % shown.length], 0, 0); }, 100);
    window.show = async (jpegs) => {
        const bytes = (text) => Uint8Array.from(atob(text), (letter) => letter.charCodeAt(0));
        shown = await Promise.all(jpegs.map((jpeg) => createImageBitmap(new Blob([bytes(jpeg)]))));
    };
    navigator.mediaDevices.getUserMedia = async () => screen.captureStream();
"""
"""What the camera sees is what the test shows: however slow the machine is, a sheet lies there until it is taken."""


TOO_LATE = """
    const [meanwhile] = arguments;
    window.WebSocket = class extends WebSocket {
        addEventListener(kind, listener) {
            super.addEventListener(kind, kind !== "message" ? listener : async (event) => {
                if (JSON.parse(event.data).state === "take") {
                    await show(meanwhile);
                    await new Promise((resolve) => setTimeout(resolve, 1500));
                }
                listener(event);
            });
        }
    };
"""
"""The answer that a sheet is to be taken comes late: something else is shown by then."""


class Scene(NamedTuple):
    """What is shown over and over, until the next one is shown: JPEGs in base64."""

    is_still: bool
    """A sheet lies there; otherwise a hand brings it."""
    frames: list[str]


@pytest.fixture(scope="module")
def filmed(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A film of a sheet that is laid."""
    path = tmp_path_factory.mktemp("film") / "session.mjpeg"
    write_film(path, film(STEPS[:1], WIDTH_PX, still_s=3.0, table=Table.SLATE))
    return path


@pytest.fixture(scope="module")
def scenes() -> list[Scene]:
    """A sheet that is laid, turned over and moved, an open book, and a divider: each brought by a hand."""
    found = []
    played = film(STEPS, WIDTH_PX, still_s=0.6, table=Table.SLATE, frames_a_s=5)
    for lies, group in groupby(played, lambda frame: frame.lies):
        frames = list(group)
        if lies is None:
            frames = [frames[len(frames) * 2 // 3]]  # the hand holds the sheet
        found.append(Scene(lies is not None, [base64.b64encode(jpeg_of(frame)).decode() for frame in frames]))
    return found


@pytest.fixture(scope="module")
def with_camera(filmed: Path, tmp_path_factory: pytest.TempPathFactory) -> Iterator[webdriver.Chrome]:
    """A browser that has a camera, which sees the film over and over."""
    found = chrome(
        tmp_path_factory.mktemp("downloads"),
        "--use-fake-device-for-media-stream",
        "--use-fake-ui-for-media-stream",
        f"--use-file-for-fake-video-capture={filmed}",
    )
    yield found
    found.quit()


@pytest.fixture
def window(with_camera: Chrome) -> Iterator[Chrome]:
    """Its window."""
    yield with_camera
    with_camera.get("about:blank")


@pytest.fixture
def mappe(stack: Stack) -> int:
    """An open Mappe."""
    return mappen.open_mappe(ANNA, stack.store, "Before the camera")


def open_intake(window: Chrome, stack: Stack, mappe: int) -> None:
    """Go to the Intake."""
    window.get(f"{stack.url}/mappen/{mappe}/intake")
    patiently(lambda: window.find_element(By.ID, "use-camera").is_displayed())


def intake(window: Chrome, stack: Stack, mappe: int) -> None:
    """Go to the Intake, and use the camera."""
    open_intake(window, stack, mappe)
    window.find_element(By.ID, "use-camera").click()


def patiently(condition: Callable[[], object]) -> None:
    """Wait for something to become true."""
    wait_until(condition, not_yet=(NoSuchElementException,))


def said(window: Chrome) -> str:
    """Return what is said of what the camera sees."""
    return window.find_element(By.CSS_SELECTOR, ".seen .says").text


def wait_for_words(window: Chrome, words: str) -> None:
    """Wait until they are said of what the camera sees."""
    patiently(lambda: said(window) == words)


def test_sheets_are_taken_by_themselves_until_a_divider_ends_the_document(
    stack: Stack, window: Chrome, mappe: int, scenes: list[Scene]
) -> None:
    open_intake(window, stack, mappe)
    window.execute_script(SHOW_INSTEAD, WIDTH_PX)
    window.find_element(By.ID, "use-camera").click()
    window.find_element(By.ID, "open-book").click()
    *sheets, divider = scenes
    for scene in sheets:
        window.execute_script("return show(arguments[0])", scene.frames)
        words = "This one is in. Turn it over, or lay the next one." if scene.is_still else "Move your hand away."
        wait_for_words(window, words)
    window.execute_script("return show(arguments[0])", divider.frames)
    patiently(lambda: f"/mappen/{mappe}/" not in window.current_url)
    first = stack.desk(mappe)
    assert first.runs[-1].state is RunState.DONE
    # Laid, and turned over; what was only moved is in already; and the two pages of the book.
    patiently(lambda: len(stack.desk(mappe).order) == 4)
    patiently(lambda: all(page.analysed for page in stack.desk(mappe).pages))
    widths_mm = [page.width_mm for page in stack.desk(mappe).pages]
    # Made flat, without the table; a book's pages are half as wide as a sheet is long.
    assert widths_mm == [pytest.approx(210, abs=4)] * 2 + [pytest.approx(148, abs=8)] * 2
    following = int(window.current_url.split("/mappen/")[1].split("/")[0])
    assert stack.desk(following).view.subject == "Hail damage"
    patiently(lambda: len(stack.desk(following).order) == 1)
    window.find_element(By.ID, "end-camera").click()
    patiently(lambda: not stack.desk(following).runs[-1].live)


def test_what_is_taken_is_what_was_judged_though_something_else_is_shown_when_the_answer_comes(
    stack: Stack, window: Chrome, mappe: int, scenes: list[Scene]
) -> None:
    open_intake(window, stack, mappe)
    window.execute_script(SHOW_INSTEAD, WIDTH_PX)
    hand, sheet = scenes[:2]
    window.execute_script(TOO_LATE, hand.frames)
    window.find_element(By.ID, "use-camera").click()
    window.execute_script("return show(arguments[0])", sheet.frames)
    patiently(lambda: len(stack.desk(mappe).order) == 1)
    patiently(lambda: all(page.analysed for page in stack.desk(mappe).pages))
    (page,) = stack.desk(mappe).pages
    assert page.width_mm == pytest.approx(210, abs=4)  # made flat, without the table and the hand


def test_space_takes_what_is_seen_and_a_count_ends_it(stack: Stack, window: Chrome, mappe: int) -> None:
    intake(window, stack, mappe)
    patiently(lambda: window.find_element(By.ID, "take-picture").is_enabled())
    assert_accessible(window, "the camera")
    window.find_element(By.ID, "by-itself").click()
    field = window.find_element(By.ID, "camera-count")
    field.send_keys("2")
    window.execute_script("arguments[0].blur()", field)
    body = window.find_element(By.TAG_NAME, "body")
    body.send_keys(" ")
    patiently(lambda: len(stack.desk(mappe).order) == 1)
    scan = stack.desk(mappe).pages[0].scan
    body.send_keys(Keys.BACKSPACE)
    patiently(lambda: window.find_element(By.ID, "last-again").get_attribute("aria-pressed") == "true")
    body.send_keys(" ")
    patiently(lambda: stack.desk(mappe).pages[0].scan != scan)
    assert len(stack.desk(mappe).order) == 1
    body.send_keys(" ")
    patiently(lambda: len(stack.desk(mappe).order) == 2)
    patiently(lambda: not window.find_element(By.CSS_SELECTOR, ".camera").is_displayed())
    patiently(lambda: stack.desk(mappe).runs[-1].state is RunState.DONE)


def test_a_camera_that_goes_away_is_said_and_what_was_taken_is_in(stack: Stack, window: Chrome, mappe: int) -> None:
    intake(window, stack, mappe)
    patiently(lambda: window.find_element(By.ID, "take-picture").is_enabled())
    window.find_element(By.ID, "take-picture").click()
    patiently(lambda: len(stack.desk(mappe).order) == 1)
    window.execute_script(
        "document.querySelector('.seen video').srcObject.getVideoTracks()[0].dispatchEvent(new Event('ended'))"
    )
    patiently(lambda: "The camera has gone. What was taken is in." in said(window))
    assert not window.find_element(By.ID, "take-picture").is_enabled()
    window.find_element(By.ID, "camera-again").click()
    patiently(lambda: window.find_element(By.ID, "take-picture").is_enabled())


@pytest.mark.parametrize(
    ("error", "words"),
    [
        ("NotAllowedError", "does not let Papiermappe use the camera"),
        ("NotReadableError", "used by another program"),
        ("NotFoundError", "No camera is found"),
    ],
)
def test_a_camera_that_cannot_be_had_is_said_why(
    stack: Stack, driver: Chrome, mappe: int, until: Until, error: str, words: str
) -> None:
    driver.get(f"{stack.url}/mappen/{mappe}/intake")
    until(lambda: driver.find_element(By.ID, "use-camera").is_displayed())
    driver.execute_script(
        "navigator.mediaDevices.getUserMedia = () => Promise.reject(new DOMException('', arguments[0]))".replace(
            "arguments[0]", f"'{error}'"
        )
    )
    driver.find_element(By.ID, "use-camera").click()
    until(lambda: words in said(driver))
    assert_accessible(driver, error)
    driver.find_element(By.ID, "end-camera").click()
    until(lambda: driver.find_element(By.ID, "use-phone").is_displayed())


def test_a_computer_without_a_camera_says_so(stack: Stack, driver: Chrome, mappe: int, until: Until) -> None:
    driver.get(f"{stack.url}/mappen/{mappe}/intake")
    until(lambda: driver.find_element(By.ID, "use-camera").is_displayed())
    driver.find_element(By.ID, "use-camera").click()
    until(lambda: "camera" in said(driver) and driver.find_element(By.ID, "camera-again").is_displayed())
