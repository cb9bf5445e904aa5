"""Files brought in by a person: chosen, dropped, pasted, locked, broken, after a lost connection."""

import base64
import io
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pikepdf
import pytest
from PIL import Image
from selenium.webdriver import Chrome
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.support.ui import Select
from tests.browser.conftest import Stack, assert_accessible
from tests.helpers import ANNA

from papiermappe.services import mappen

Until = Callable[..., None]

pytestmark = [pytest.mark.browser, pytest.mark.slow]


def png(level: int) -> bytes:
    """Return a small picture."""
    out = io.BytesIO()
    Image.fromarray(np.full((300, 200), level, np.uint8)).save(out, "PNG", dpi=(50, 50))
    return out.getvalue()


def tiff(*levels: int) -> bytes:
    """Return a TIFF with a page for each level."""
    frames = [Image.fromarray(np.full((300, 200), level, np.uint8)) for level in levels]
    out = io.BytesIO()
    frames[0].save(out, "TIFF", save_all=True, append_images=frames[1:], dpi=(50, 50))
    return out.getvalue()


def written(folder: Path, files: dict[str, bytes]) -> str:
    """Write files; return what is typed into the field that takes them."""
    folder.mkdir()
    for name, data in files.items():
        (folder / name).write_bytes(data)
    return "\n".join(str(folder / name) for name in files)


@pytest.fixture
def intake(stack: Stack, driver: Chrome, until: Until) -> int:
    """The Intake of a new Mappe."""
    mappe = mappen.open_mappe(ANNA, stack.store, "Files")
    driver.get(f"{stack.url}/mappen/{mappe}/intake")
    until(lambda: driver.find_element(By.CSS_SELECTOR, "label[for=files]").is_displayed())
    return mappe


def card(driver: Chrome) -> str:
    """Return what the card of the files says."""
    return driver.find_element(By.CSS_SELECTOR, ".imports").text


DROP = """
const [name, data, type] = arguments;
const bytes = Uint8Array.from(atob(data), (letter) => letter.charCodeAt(0));
const carried = new DataTransfer();
carried.items.add(new File([bytes], name, { type: "image/png" }));
const how = { bubbles: true, cancelable: true };
const event = type === "drop"
  ? new DragEvent("drop", { dataTransfer: carried, ...how })
  : new ClipboardEvent("paste", { clipboardData: carried, ...how });
document.body.dispatchEvent(event);
"""


@pytest.mark.shared_desk
def test_files_are_chosen_and_what_is_locked_or_broken_is_said(
    intake: int, stack: Stack, driver: Chrome, until: Until, tmp_path: Path
) -> None:
    pdf = pikepdf.new()
    pdf.add_blank_page(page_size=(72, 144))
    locked = io.BytesIO()
    pdf.save(locked, encryption=pikepdf.Encryption(owner="o", user="hail"))
    files = {"10.png": png(100), "2.tif": tiff(20, 30), "3.pdf": locked.getvalue(), "4.jpg": b"no picture"}
    driver.find_element(By.ID, "files").send_keys(written(tmp_path / "some", files))
    until(lambda: "needs its password" in card(driver))
    until(lambda: len(stack.desk(intake).order) == 3)
    assert_accessible(driver, "files coming in")
    until(lambda: "4.jpg is left out" in card(driver))
    field = driver.find_element(By.CSS_SELECTOR, ".imports form:not([style*=none]) input")
    field.send_keys("hail", Keys.ENTER)
    until(lambda: "4 pages from 4 files" in card(driver).lower())
    sizes = [(page.width_mm, page.height_mm) for page in stack.desk(intake).pages]
    assert sizes[2] != sizes[1]  # the PDF lies between the TIFF and 10.png
    driver.find_element(By.ID, "close-imports").click()
    until(lambda: not driver.find_element(By.CSS_SELECTOR, ".imports").is_displayed())


@pytest.mark.parametrize("how", ["drop", "paste"])
@pytest.mark.shared_desk
def test_files_are_dropped_and_pasted_at_any_station(
    how: str, intake: int, stack: Stack, driver: Chrome, until: Until
) -> None:
    driver.get(f"{stack.url}/mappen/{intake}/order")
    until(lambda: driver.execute_script("return !!window.Alpine?.store('imports')"))
    driver.execute_script(DROP, "hail.png", base64.b64encode(png(90)).decode(), how)
    until(lambda: len(stack.desk(intake).order) == 1)
    until(lambda: driver.find_elements(By.CSS_SELECTOR, "[data-page]"))
    assert stack.desk(intake).detail(stack.desk(intake).order[0]).file_name == "hail.png"


def test_each_file_gets_a_mappe_of_its_own(
    intake: int, stack: Stack, driver: Chrome, until: Until, tmp_path: Path
) -> None:
    Select(driver.find_element(By.ID, "files-kind")).select_by_value("each")
    files = {"Lease.tif": tiff(20, 30), "Hail.png": png(90)}
    driver.find_element(By.ID, "files").send_keys(written(tmp_path / "each", files))
    until(lambda: "Each file has a Mappe of its own now" in card(driver))
    counts = {card.subject: card.page_count for card in mappen.list_open(ANNA, stack.store).cards}
    assert counts == {"Files": 0, "Lease": 2, "Hail": 1}


def test_fronts_from_one_file_and_backs_from_another(
    intake: int, stack: Stack, driver: Chrome, until: Until, tmp_path: Path
) -> None:
    driver.find_element(By.ID, "files").send_keys(written(tmp_path / "a", {"fronts.tif": tiff(10, 20, 30)}))
    until(lambda: "3 pages from 1 file" in card(driver).lower())
    driver.find_element(By.ID, "close-imports").click()
    until(lambda: len(driver.find_elements(By.CSS_SELECTOR, "#files-kind option")) == 5)
    Select(driver.find_element(By.ID, "files-kind")).select_by_visible_text("the backs of run 1, last sheet first")
    driver.find_element(By.ID, "files").send_keys(written(tmp_path / "b", {"backs.tif": tiff(31, 21, 11)}))
    until(lambda: stack.desk(intake).lanes == [(1, 6), (2, 5), (3, 4)])


def test_a_file_goes_on_when_the_server_is_back(
    intake: int, stack: Stack, driver: Chrome, until: Until, tmp_path: Path
) -> None:
    noise = np.random.default_rng(4).integers(0, 255, (3000, 3000), np.uint8)  # 9 MB: three parts
    out = io.BytesIO()
    Image.fromarray(noise).save(out, "TIFF")
    driver.set_network_conditions(latency=0, download_throughput=10_000_000, upload_throughput=3_000_000)
    try:
        driver.find_element(By.ID, "files").send_keys(written(tmp_path / "large", {"large.tif": out.getvalue()}))
        until(lambda: driver.execute_script("return Object.values(Alpine.store('imports').sent)[0] > 0"))
        stack.kill("web")
        stack.start_one("web")
        until(lambda: len(stack.desk(intake).order) == 1)
    finally:
        driver.delete_network_conditions()
    until(lambda: "1 page from 1 file" in card(driver).lower())
