"""The pile view of many pages: when it is first seen, when it is whole, how an area is dragged on it."""

import math
import time

import httpx

from benchmarks.table import Row
from benchmarks.tidying.desk import Pages, busy_ms_a_frame, wait, window

MOVES = 120
DRAW_AN_AREA = """
const pile = Alpine.store('pile');
pile.add('wipe', { x: 60, y: 80, width: 40, height: 30 });
"""
MIDDLE_OF_AREA = """
const box = document.querySelector('[data-grip=zone-middle] .mark').getBoundingClientRect();
return [box.x + box.width / 2, box.y + box.height / 2];
"""


def measure(pages: Pages) -> list[Row]:
    """Return the figures."""
    root = f"{pages.bench.web_url}/mappen/{pages.mappe}/pile"
    with httpx.Client(trust_env=False, timeout=60, headers={"Origin": pages.bench.web_url}) as http:
        began_s = time.perf_counter()
        name = http.post(root, json={"pages": pages.order}).json()
        first_s = 0.0
        while True:
            seen = http.get(f"{root}/{name}").json()
            if seen and not first_s and any(side["done"] for side in seen["sides"]):
                side = next(side["side"] for side in seen["sides"] if side["done"])
                http.get(f"{root}/{name}/{side}.png").raise_for_status()
                first_s = time.perf_counter() - began_s
            if seen and seen["whole"]:
                break
            time.sleep(0.02)
        whole_s = time.perf_counter() - began_s
    with window(pages) as driver:
        driver.execute_script("document.getElementById('pile').click()")
        wait(lambda: driver.execute_script("return Alpine.store('pile').whole"))
        driver.execute_script(DRAW_AN_AREA)
        time.sleep(1)
        x, y = driver.execute_script(MIDDLE_OF_AREA)
        moves = [(x + 60 * math.sin(step / 9), y + 40 * math.sin(step / 7)) for step in range(1, MOVES)]
        busy_ms = busy_ms_a_frame(driver, (x, y), moves)
    count = len(pages.order)
    return [
        Row(f"pile of {count} pages: until its first picture can be fetched", f"{first_s:.1f} s", "<= 2 s"),
        Row("    until it is whole", f"{whole_s:.1f} s", "<= 20 s"),
        Row("    an area dragged: scripts, styles and layout a frame", f"{busy_ms:.1f} ms", "<= 16 ms"),
    ]
