"""Take the pictures of docs/screenshots/ anew, from a demo that has just been begun: `make demo-reset`, then this.

.venv/bin/python scripts/screenshots.py [http://127.0.0.1:8000]
"""

import sys
import tempfile
import time
from pathlib import Path

import httpx
from selenium import webdriver
from selenium.webdriver.chrome.options import Options
from selenium.webdriver.chrome.service import Service
from selenium.webdriver.common.action_chains import ActionChains

from papiermappe.standin.camera.photos import demo_photos
from papiermappe.standin.camera.session import SESSION, film, write_film

SHOTS = Path(__file__).parents[1] / "docs" / "screenshots"
DRAWER = "http://127.0.0.1:9440"
LEASE, MEETING, POST, HANDBOOK = 3, 4, 5, 6
JAM_AT = 4


def main() -> None:
    """Walk through the demo and take a picture of each main view."""
    web = sys.argv[1] if len(sys.argv) > 1 else "http://127.0.0.1:8000"
    browser = _browser()

    def shoot(name: str, path: str = "", wait_s: float = 2.0, keys: str = "", root: str = web) -> None:
        if path:
            browser.get(root + path)
            time.sleep(wait_s)
        if keys:
            ActionChains(browser).send_keys(keys).perform()
            time.sleep(wait_s)
        browser.save_screenshot(str(SHOTS / f"{name}.png"))

    shoot("mappen", "/")
    shoot("intake", f"/mappen/{LEASE}/intake")
    shoot("order", f"/mappen/{LEASE}/order")
    shoot("tidy", f"/mappen/{LEASE}/tidy?page=11", keys="a")
    shoot("pile", f"/mappen/{POST}/tidy", keys="v", wait_s=8)
    browser.get(f"{web}/mappen/{HANDBOOK}/tidy")
    time.sleep(3)
    browser.execute_script("const mappe = Alpine.store('mappe'); mappe.select([], mappe.order[2])")
    time.sleep(2)
    shoot("spreads", keys="d")
    browser.find_element("id", "try-routine").click()
    time.sleep(8)
    shoot("routine")
    browser.refresh()
    shoot("file", f"/mappen/{LEASE}/file", keys="\n", wait_s=45)
    browser.get(f"{web}/mappen/{MEETING}/intake")
    time.sleep(3)
    names = browser.find_elements("css selector", ".device-list .devices button")
    next(button for button in names if button.text == "Stieglitz S25").click()
    time.sleep(2)
    ActionChains(browser).send_keys("b").perform()
    time.sleep(30)
    shoot("pairs", f"/mappen/{MEETING}/order", keys="p", wait_s=12)
    shoot("cuts", f"/mappen/{POST}/order", keys="c")
    shoot("paper-drawer", "/devices/zaunkoenig", root=DRAWER)
    glass = {"originals": ["card", "weigh-2041"], "where": "glass", "seed": 11}
    httpx.post(f"{DRAWER}/devices/kiebitz/load", json=glass, trust_env=False)
    browser.get(f"{web}/")
    browser.find_element("id", "new-mappe").click()
    time.sleep(3)
    names = browser.find_elements("css selector", ".device-list .devices button")
    next(button for button in names if button.text == "Kiebitz F1").click()
    time.sleep(2)
    shoot("glass", keys="l", wait_s=6)
    browser.refresh()  # without the look, which takes the place of the list
    time.sleep(3)
    names = browser.find_elements("css selector", ".device-list .devices button")
    next(button for button in names if button.text == "Zaunkönig D60").click()
    httpx.post(f"{DRAWER}/devices/zaunkoenig/trouble", json={"jam_at": JAM_AT}, trust_env=False)
    browser.get(f"{web}/")
    browser.find_element("id", "new-mappe").click()
    time.sleep(2)
    shoot("trouble", keys=" ", wait_s=12)
    browser.quit()
    with tempfile.TemporaryDirectory() as folder:
        _of_cameras(web, Path(folder))


def _of_cameras(web: str, folder: Path) -> None:
    """Take the pictures of the camera at a desk and of a phone, which both need a browser of their own."""
    write_film(folder / "session.mjpeg", film(SESSION[:3], width_px=960))
    (folder / "photo.jpg").write_bytes(next(demo_photos()).jpeg())
    with_camera = _browser(
        "--use-fake-device-for-media-stream",
        "--use-fake-ui-for-media-stream",
        f"--use-file-for-fake-video-capture={folder / 'session.mjpeg'}",
    )
    with_camera.get(f"{web}/")
    with_camera.find_element("id", "new-mappe").click()
    time.sleep(3)
    with_camera.find_element("id", "use-camera").click()
    time.sleep(11.5)
    with_camera.save_screenshot(str(SHOTS / "camera.png"))
    with_camera.find_element("id", "end-camera").click()
    time.sleep(3)
    with_camera.find_element("id", "use-phone").click()
    time.sleep(2)
    link = with_camera.find_element("id", "phone-address").text
    with_camera.quit()
    phone = _browser(width=390, height=844)
    phone.get(link)
    time.sleep(1)
    phone.find_element("id", "camera").send_keys(str(folder / "photo.jpg"))
    time.sleep(6)
    phone.find_element("id", "corners").click()
    time.sleep(3)
    phone.save_screenshot(str(SHOTS / "phone.png"))
    phone.quit()


def _browser(*arguments: str, width: int = 1280, height: int = 800) -> webdriver.Chrome:
    options = Options()
    options.binary_location = "/usr/bin/chromium"
    for argument in (
        "--headless=new",
        "--no-sandbox",
        "--disable-background-networking",
        "--no-first-run",
        "--hide-scrollbars",
        *arguments,
    ):
        options.add_argument(argument)
    browser = webdriver.Chrome(options=options, service=Service("/usr/bin/chromedriver"))
    size = {"width": width, "height": height, "deviceScaleFactor": 1, "mobile": False}
    browser.execute_cdp_cmd("Emulation.setDeviceMetricsOverride", size)
    return browser


if __name__ == "__main__":
    main()
