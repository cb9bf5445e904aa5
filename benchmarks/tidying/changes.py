"""A change on 200 pages: when it is answered, and when all pictures on the screen show it."""

import statistics
import time

from benchmarks.table import Row
from benchmarks.tidying.desk import Pages, window

CHANGED = 200
CHANGES: tuple[dict[str, object], ...] = (
    {"kind": "set_tone", "tone": "grey"},
    {"kind": "set_tone", "tone": "white"},
    {"kind": "set_tone", "tone": "bilevel"},
    {"kind": "adjust", "brightness": 6},
    {"kind": "set_tone", "tone": "white"},
    {"kind": "set_tone", "tone": "grey"},
)
"""After each of them pages look as they have never been shown."""

CHANGE = """
const [pages, change, done] = arguments;
const mappe = Alpine.store('mappe');
const wanted = new Set(pages);
const before = new Map(pages.map((id) => [id, mappe.page(id).picture]));
const began = performance.now();
let answered = 0;
// once only: where something lies that the browser need not lay out, it must lay it out to be able to say so
const onScreen = [...document.querySelectorAll('.lanes .sheet')].filter((column) => {
  const box = column.getBoundingClientRect();
  return box.right > 0 && box.left < innerWidth && box.bottom > 0 && box.top < innerHeight;
}).flatMap((column) => [...column.querySelectorAll('.leaf:not([hidden]) img')]);
onScreen.push(document.querySelector('.viewer-page image.page'));
const isShown = (image) => {
  const href = image.getAttribute('href') ?? image.getAttribute('src') ?? '';
  const [, id, name] = /pages\\/(\\d+)\\/([0-9a-f]{32})-/.exec(href) ?? [];
  if (!id) return false;
  if (!wanted.has(Number(id))) return true;
  if (name === before.get(Number(id))) return false;
  return image instanceof HTMLImageElement ? image.complete && image.naturalWidth > 0 : loaded.has(href);
};
const loaded = new Set();
const large = document.querySelector('.viewer-page image.page');
large.addEventListener('load', () => loaded.add(large.getAttribute('href')));
const look = () => {
  if (answered && onScreen.every(isShown)) { done([answered, performance.now() - began, onScreen.length]); return; }
  setTimeout(look, 10);
};
mappe.operate({ pages, ...change }).then(() => { answered = performance.now() - began; });
look();
"""


def measure(pages: Pages) -> list[Row]:
    """Return the figures."""
    answered, shown, seen = [], [], 0
    changed = pages.order[:CHANGED]
    with window(pages) as driver:
        for change in CHANGES:
            answer_ms, shown_ms, seen = driver.execute_async_script(CHANGE, changed, change)
            answered.append(answer_ms)
            shown.append(shown_ms)
            time.sleep(4)
    return [
        Row(f"tone of {len(changed)} pages changed: answered, median; worst", _said(answered), "<= 300 ms"),
        Row(f"    all {seen} pictures on the screen show it, median; worst", _said(shown), "<= 1 s"),
    ]


def _said(times_ms: list[float]) -> str:
    return f"{statistics.median(times_ms):.0f}; {max(times_ms):.0f} ms"
