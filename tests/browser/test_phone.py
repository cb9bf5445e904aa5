"""A phone that adds its pictures: taken, made flat, put right, seen at the desk, whatever the connection does."""

from collections.abc import Callable, Iterator

import numpy as np
import pytest
from selenium.webdriver import Chrome
from selenium.webdriver.common.by import By
from tests.browser.conftest import Stack, assert_accessible
from tests.browser.test_touch import middle, touch
from tests.helpers import ANNA, camera_jpeg, photograph
from tests.services.test_photos import book, taken

from papiermappe.services import mappen, phones
from papiermappe.standin.paper.drawing import draw_side
from papiermappe.standin.paper.originals import ORIGINALS
from papiermappe.store.models import Page
from papiermappe.store.secrets import SecretBox

Until = Callable[..., None]

pytestmark = [pytest.mark.browser, pytest.mark.slow, pytest.mark.shared_desk]

PHONE = {"width": 390, "height": 844, "deviceScaleFactor": 1, "mobile": True}
DESK = {"width": 1280, "height": 800, "deviceScaleFactor": 1, "mobile": False}


@pytest.fixture(scope="module")
def photos(tmp_path_factory: pytest.TempPathFactory) -> dict[str, str]:
    """Photos of two sheets, and a file that is none."""
    folder = tmp_path_factory.mktemp("photos")
    for name in ("invoice", "german"):
        original = ORIGINALS[name]
        drawn = draw_side(original.paper, original.sheets[0].front).raster(110)
        (folder / f"{name}.jpg").write_bytes(photograph(drawn))
    (folder / "book.jpg").write_bytes(camera_jpeg(taken(book())))
    (folder / "broken.jpg").write_bytes(b"\xff\xd8\xff" + bytes(400))
    return {path.stem: str(path) for path in folder.iterdir()}


@pytest.fixture
def mappe(stack: Stack) -> int:
    """An open Mappe."""
    return mappen.open_mappe(ANNA, stack.store, "From a phone")


@pytest.fixture
def link(stack: Stack, mappe: int) -> str:
    """The address of a link into it."""
    box = SecretBox.of_file(stack.folder / "secret.key")
    phones.open_link(ANNA, stack.store, mappe, box)
    opened = phones.open_link_of(ANNA, stack.store, mappe, box)
    assert opened is not None
    return f"{stack.url}/phone/{opened.secret}"


@pytest.fixture
def phone(driver: Chrome) -> Iterator[Chrome]:
    """The browser as that of a phone."""
    driver.execute_cdp_cmd("Emulation.setDeviceMetricsOverride", PHONE)
    driver.execute_cdp_cmd("Emulation.setTouchEmulationEnabled", {"enabled": True})
    yield driver
    connect(driver)
    driver.execute_cdp_cmd("Emulation.setTouchEmulationEnabled", {"enabled": False})
    driver.execute_cdp_cmd("Emulation.setDeviceMetricsOverride", DESK)


def connect(driver: Chrome, offline: bool = False) -> None:
    """Take the network away, or give it back."""
    driver.execute_cdp_cmd("Network.enable", {})
    conditions = {"offline": offline, "latency": 0, "downloadThroughput": -1, "uploadThroughput": -1}
    driver.execute_cdp_cmd("Network.emulateNetworkConditions", conditions)


def choose(driver: Chrome, field: str, *files: str) -> None:
    """Take pictures, as the phone's camera or gallery hands them over."""
    driver.find_element(By.ID, field).send_keys("\n".join(files))


def pages_shown(driver: Chrome) -> int:
    """Return how many pages the phone shows."""
    return len(driver.find_elements(By.CSS_SELECTOR, ".taken li"))


def is_flat(driver: Chrome) -> bool:
    """Whether the page that is shown is there large, made flat."""
    shown = driver.find_element(By.CSS_SELECTOR, ".thumb-picture > img")
    return bool(
        driver.execute_script(
            "const [image] = arguments, is_large = image.src.includes('/page-stage');"
            "return image.offsetParent && is_large && image.complete && image.naturalWidth > 400",
            shown,
        )
    )


def says(driver: Chrome, words: str) -> bool:
    """Whether the page shows words."""
    return words in driver.find_element(By.TAG_NAME, "body").text


def press(driver: Chrome, button: str) -> None:
    """Press a button once it can be."""
    driver.find_element(By.ID, button).click()


def test_a_picture_becomes_a_flat_page_that_the_desk_shows(
    stack: Stack,
    phone: Chrome,
    link: str,
    mappe: int,
    photos: dict[str, str],
    until: Until,
    complaints: Callable[[], list[str]],
) -> None:
    desk_window = phone.current_window_handle
    phone.switch_to.new_window("tab")
    phone.execute_cdp_cmd("Emulation.setDeviceMetricsOverride", PHONE)
    try:
        phone.get(link)
        until(lambda: says(phone, "Keep all four corners in the picture"))
        assert_accessible(phone, "before the first picture")
        choose(phone, "camera", photos["invoice"])
        until(lambda: is_flat(phone))
        assert says(phone, "210 by 297 mm")
        assert_accessible(phone, "a page")
        assert phone.execute_script("return document.documentElement.scrollWidth") <= 390
        (page,) = stack.desk(mappe).pages
        assert page.width_mm == pytest.approx(210, abs=2.5)
        until(lambda: not complaints())
    finally:
        phone.close()
        phone.switch_to.window(desk_window)
    phone.execute_cdp_cmd("Emulation.setDeviceMetricsOverride", DESK)
    phone.get(f"{stack.url}/mappen/{mappe}/intake")
    until(lambda: says(phone, "Taking pictures: 1 page so far"))
    until(lambda: len(phone.find_elements(By.CSS_SELECTOR, ".leaf img")) > 0)
    press(phone, "use-phone")
    until(lambda: says(phone, link.rpartition("/")[2]))
    assert phone.find_element(By.CSS_SELECTOR, ".phone-link img").get_property("naturalWidth")
    assert_accessible(phone, "the code at the desk")
    press(phone, "withdraw-link")
    until(lambda: not phone.find_element(By.CSS_SELECTOR, ".phone-link").is_displayed())
    until(lambda: not stack.desk(mappe).runs[-1].live)


def test_corners_are_dragged_by_a_finger_with_what_is_under_it_magnified(
    stack: Stack, phone: Chrome, link: str, mappe: int, photos: dict[str, str], until: Until
) -> None:
    phone.get(link)
    choose(phone, "camera", photos["invoice"])
    until(lambda: is_flat(phone))
    (page,) = stack.desk(mappe).order

    def corners() -> object:
        with stack.store.begin() as session:
            return session.get_one(Page, page).treatment["corners"]

    found = np.array(corners())
    press(phone, "corners")
    until(lambda: len(phone.find_elements(By.CSS_SELECTOR, ".thumb-corners [data-grip]")) == 4)
    assert_accessible(phone, "corners")
    x, y = middle(phone, "[data-grip=corner-1] .mark")
    magnifier = phone.find_element(By.CSS_SELECTOR, ".loupe")
    assert not magnifier.is_displayed()
    touch(phone, "touchStart", (x, y))
    touch(phone, "touchMove", (x - 15, y + 12))
    until(magnifier.is_displayed)
    touch(phone, "touchMove", (x - 30, y + 24))
    touch(phone, "touchEnd")
    assert not magnifier.is_displayed()
    press(phone, "take-corners")
    until(lambda: not np.allclose(np.array(corners()), found, atol=1.0))
    moved = np.array(corners()) - found
    assert moved[1, 0] < -5  # 30 px of the screen to the left, on a photo 360 px wide
    assert moved[1, 1] > 4
    assert np.abs(np.delete(moved, 1, axis=0)).max() < 0.1
    press(phone, "corners")
    until(lambda: phone.find_element(By.ID, "as-it-came").is_displayed())
    press(phone, "as-it-came")
    until(lambda: corners() is None)


def test_again_next_several_at_once_and_done(
    stack: Stack, phone: Chrome, link: str, mappe: int, photos: dict[str, str], until: Until
) -> None:
    phone.get(link)
    choose(phone, "camera", photos["invoice"])
    until(lambda: is_flat(phone))
    first = stack.desk(mappe).pages[0]
    choose(phone, "again", photos["german"])
    until(lambda: stack.desk(mappe).pages[0].scan != first.scan)
    assert stack.desk(mappe).order == [first.id]
    choose(phone, "gallery", photos["german"], photos["invoice"])
    until(lambda: pages_shown(phone) == 3)
    until(lambda: phone.find_element(By.ID, "done").is_enabled())
    until(lambda: is_flat(phone))
    press(phone, "leave-out")
    until(lambda: pages_shown(phone) == 2)
    assert len(stack.desk(mappe).set_aside) == 1
    press(phone, "done")
    until(lambda: says(phone, "2 pages are at the desk"))
    assert_accessible(phone, "done")
    until(lambda: not stack.desk(mappe).runs[-1].live)
    phone.get(link)
    until(lambda: says(phone, "This link has ended"))
    assert_accessible(phone, "over")
    assert not phone.find_element(By.CSS_SELECTOR, "label[for=camera]").is_displayed()


def test_an_open_book_is_told_and_split_when_all_is_taken(
    stack: Stack, phone: Chrome, link: str, mappe: int, photos: dict[str, str], until: Until
) -> None:
    phone.get(link)
    choose(phone, "camera", photos["book"])
    until(lambda: says(phone, "An open book: split into its pages when you are done"))
    until(lambda: is_flat(phone))
    press(phone, "open-book")
    until(lambda: says(phone, "An open book: stays one picture"))
    press(phone, "open-book")
    assert_accessible(phone, "an open book")
    press(phone, "done")
    until(lambda: len(stack.desk(mappe).order) == 2)


def test_without_a_connection_pictures_wait_in_the_phone_also_when_its_page_is_closed(
    stack: Stack, phone: Chrome, link: str, mappe: int, photos: dict[str, str], until: Until
) -> None:
    phone.get(link)
    until(lambda: says(phone, "Keep all four corners"))
    connect(phone, offline=True)
    choose(phone, "camera", photos["invoice"])
    until(lambda: says(phone, "1 picture waits"))
    choose(phone, "camera", photos["german"])
    until(lambda: says(phone, "2 pictures wait here and go on by themselves"))
    assert stack.desk(mappe).order == []
    phone.get("about:blank")
    connect(phone)
    phone.get(link)
    until(lambda: len(stack.desk(mappe).order) == 2)
    until(lambda: pages_shown(phone) == 2)


def test_a_link_withdrawn_in_the_middle_loses_no_picture_and_the_next_link_takes_it(
    stack: Stack, phone: Chrome, link: str, mappe: int, photos: dict[str, str], until: Until
) -> None:
    phone.get(link)
    choose(phone, "camera", photos["invoice"])
    until(lambda: is_flat(phone))
    box = SecretBox.of_file(stack.folder / "secret.key")
    opened = phones.open_link_of(ANNA, stack.store, mappe, box)
    assert opened is not None
    phones.close_link(ANNA, stack.store, opened.id)
    choose(phone, "camera", photos["german"])
    until(lambda: says(phone, "This link has ended"))
    assert says(phone, "1 picture waits here")
    assert len(stack.desk(mappe).order) == 1  # what came is safe
    other = mappen.open_mappe(ANNA, stack.store, "Another Mappe")
    phones.open_link(ANNA, stack.store, other, box)
    next_link = phones.open_link_of(ANNA, stack.store, other, box)
    assert next_link is not None
    phone.get(f"{stack.url}/phone/{next_link.secret}")
    until(lambda: says(phone, "1 picture taken earlier was not sent"))
    press(phone, "send-left")
    until(lambda: len(stack.desk(other).order) == 1)
    until(lambda: is_flat(phone))


def test_a_picture_that_cannot_be_read_is_said_and_the_next_one_comes(
    stack: Stack, phone: Chrome, link: str, mappe: int, photos: dict[str, str], until: Until
) -> None:
    phone.get(link)
    choose(phone, "camera", photos["broken"])
    until(lambda: phone.find_element(By.CSS_SELECTOR, ".message").is_displayed())
    assert says(phone, "broken")
    choose(phone, "camera", photos["german"])
    until(lambda: is_flat(phone))
    assert len(stack.desk(mappe).order) == 1
