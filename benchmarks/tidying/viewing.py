"""The viewer: how soon the next page is painted, ready or not, and what zooming and panning cost a frame."""

import math
import statistics
import time

from selenium import webdriver

from benchmarks.desk import metric, mouse
from benchmarks.table import Row
from benchmarks.tidying.desk import Pages, busy_ms_a_frame, wait, window

READY, NOT_READY = 20, 12
TURNS, MOVES = 60, 120
REST_S = 1.6  # so long somebody looks at a page

IS_HELD = """
const [page] = arguments;
const wanted = `/pages/${page}/${Alpine.store('mappe').page(page).picture}-stage`;
const fetched = performance.getEntriesByType('resource').filter(({ name }) => name.includes(wanted));
return fetched.some(({ responseEnd, responseStatus }) => responseEnd && responseStatus === 200);
"""

SHOW = """
const [page, done] = arguments;
const mappe = Alpine.store('mappe');
const [small, picture] = document.querySelectorAll('.viewer-page image');
let firstSeen = 0;
const seen = () => { firstSeen = firstSeen || performance.now() - began; };
small.addEventListener('load', seen, { once: true });
const wanted = `/pages/${page}/`;
const began = performance.now();
const painted = () => requestAnimationFrame(() => {
  const channel = new MessageChannel();
  channel.port1.onmessage = () => {
    const whole = performance.now() - began;
    small.removeEventListener('load', seen);
    done([firstSeen || whole, whole]);
  };
  channel.port2.postMessage(0);
});
const loaded = () => {
  if (!(picture.getAttribute('href') ?? '').startsWith(wanted)) return;
  picture.removeEventListener('load', loaded);
  painted();
};
picture.addEventListener('load', loaded);
mappe.select([], page);
"""


def measure(pages: Pages) -> list[Row]:
    """Return the figures."""
    order = pages.order
    with window(pages) as driver:
        ready, fetched_s = [], []
        for page in order[1 : 1 + READY]:
            began_s = time.monotonic()
            wait(lambda page=page: driver.execute_script(IS_HELD, page))  # type: ignore[misc]  # of this page
            fetched_s.append(time.monotonic() - began_s)
            time.sleep(max(0.0, REST_S - fetched_s[-1]))
            ready.append(driver.execute_async_script(SHOW, page)[1])
        far = order[len(order) // 2 :: max(1, len(order) // 2 // NOT_READY)][:NOT_READY]
        not_ready, first = [], []
        for page in far:
            time.sleep(REST_S)
            small_ms, whole_ms = driver.execute_async_script(SHOW, page)
            first.append(small_ms)
            not_ready.append(whole_ms)
        zooming, panning = _zoom_ms(driver), _pan_ms(driver)
    return [
        Row("next page painted when it is ready, median; worst", _said(ready), "<= 100 ms"),
        Row("    it is ready, after the page before it was painted", _said([1000 * each for each in fetched_s])),
        Row("a page painted that has not been made, median; worst", _said(not_ready), "<= 400 ms"),
        Row("    its small picture in its place until then, median; worst", _said(first)),
        Row("zooming: scripts, styles and layout a frame", f"{zooming:.1f} ms", "<= 16 ms"),
        Row("panning", f"{panning:.1f} ms", "<= 16 ms"),
    ]


def _zoom_ms(driver: webdriver.Chrome) -> float:
    x, y = _middle(driver)
    kinds = ("ScriptDuration", "LayoutDuration", "RecalcStyleDuration")
    driver.execute_script(
        "window.painted = 0; const count = () => { window.painted += 1; requestAnimationFrame(count); }; count();"
    )
    before = sum(metric(driver, kind) for kind in kinds)
    for turn in range(TURNS):
        what = {"type": "mouseWheel", "x": x, "y": y, "deltaX": 0, "deltaY": -40 if turn % 20 < 12 else 40}
        driver.execute_cdp_cmd("Input.dispatchMouseEvent", what)
    spent = sum(metric(driver, kind) for kind in kinds) - before
    frames: int = driver.execute_script("return window.painted")
    return 1000 * spent / frames


def _pan_ms(driver: webdriver.Chrome) -> float:
    x, y = _middle(driver)
    mouse(driver, "mouseMoved", x, y)
    moves = [(x + 90 * math.sin(step / 11), y + 60 * math.sin(step / 8)) for step in range(1, MOVES)]
    return busy_ms_a_frame(driver, (x, y), moves)


def _middle(driver: webdriver.Chrome) -> tuple[float, float]:
    box: list[float] = driver.execute_script(
        "const box = document.querySelector('.viewer-page').getBoundingClientRect();"
        "return [box.x + box.width / 2, box.y + box.height / 2]"
    )
    return box[0], box[1]


def _said(times_ms: list[float]) -> str:
    return f"{statistics.median(times_ms):.0f}; {max(times_ms):.0f} ms"
