// Dragging in the lanes: pages to another place, or a frame round pages. What lies under the pointer is asked of the
// browser, so nothing is measured for all sheets at each move.

const FROM_PX = 6;
const LONG_PRESS_MS = 400;
const EDGE_PX = 48;
const SCROLL_PX = 14;

/**
 * @param {PointerEvent} event
 * @param {any} mappe
 * @param {Record<string, HTMLElement>} refs track, grid, insertion and frame
 * @param {(pages: number[], into: string, asCopies: boolean) => void} onDrop told of pages that are dropped on another Mappe, or on "new"
 */
export function startDrag(event, mappe, refs, onDrop) {
  if (event.button !== 0) return;
  const { track, grid, insertion, frame } = refs;
  const cell = /** @type {Element} */ (event.target).closest("[data-page]");
  const id = cell ? Number(cell.getAttribute("data-page")) : null;
  if (!cell && event.offsetY > track.clientHeight) return; // the scroll bar
  const byTouch = event.pointerType === "touch";
  const start = { x: event.clientX, y: event.clientY, left: track.scrollLeft, top: track.scrollTop };
  let at = { x: start.x, y: start.y };
  let dragging = false;
  let cancelled = false;
  let copies = false; // whether Ctrl is held: then pages stay here, too
  let scrolling = 0;
  let drawn = ""; // the pointer and the scroll that are shown
  /** @type {{ id: number, box: DOMRect }[]} */
  let boxes = [];

  const begin = () => {
    dragging = true;
    if (id !== null && !mappe.isSelected(id)) mappe.pick(id, {});
    if (id === null) boxes = measured(grid);
    document.body.classList.add("dragging");
    scrolling = requestAnimationFrame(scroll);
  };
  const longPress = byTouch ? window.setTimeout(() => { if (id !== null) begin(); }, LONG_PRESS_MS) : 0;
  /** @type {Element | null} the Mappe on the tray that the pages would go to */
  let over = null;
  const show = () => {
    over?.classList.remove("drop-into");
    over = id === null ? null : mappeAt(at.x, at.y);
    over?.classList.add("drop-into");
    if (id !== null) mark(insertion, track, over ? null : gapAt(grid, at.x, at.y));
    else stretch(frame, track, start, at);
  };
  const scroll = () => {
    const home = track.getBoundingClientRect();
    const across = pull(at.x, home.left, home.right);
    const down = pull(at.y, home.top, home.bottom);
    if (across) track.scrollLeft += across;
    if (down) track.scrollTop += down;
    const wanted = [at.x, at.y, track.scrollLeft, track.scrollTop].join(" ");
    if (wanted !== drawn) show();
    drawn = wanted;
    scrolling = requestAnimationFrame(scroll);
  };
  const move = (/** @type {PointerEvent} */ moved) => {
    at = { x: moved.clientX, y: moved.clientY };
    copies = moved.ctrlKey || moved.metaKey;
    const far = Math.hypot(at.x - start.x, at.y - start.y) >= FROM_PX;
    if (!dragging && far && byTouch) end(false); // a finger that moves at once scrolls
    else if (!dragging && far) begin();
    if (dragging && byTouch) moved.preventDefault();
  };
  const end = (/** @type {boolean} */ done) => {
    clearTimeout(longPress);
    cancelAnimationFrame(scrolling);
    for (const [name, handler] of handlers) document.removeEventListener(name, /** @type {any} */ (handler), true);
    insertion.hidden = frame.hidden = true;
    over?.classList.remove("drop-into");
    document.body.classList.remove("dragging");
    if (!done || cancelled) return;
    if (!dragging) click(mappe, id, cell, event);
    else if (id === null) mappe.select(inFrame(boxes, start, at, track));
    else if (mappeAt(at.x, at.y)) onDrop(mappe.selectedIds, /** @type {HTMLElement} */ (mappeAt(at.x, at.y)).dataset.mappe ?? "", copies);
    else {
      const gap = gapAt(grid, at.x, at.y);
      if (gap) mappe.move(mappe.selectedIds, gap.before);
    }
  };
  const key = (/** @type {KeyboardEvent} */ pressed) => {
    if (pressed.key !== "Escape") return;
    pressed.preventDefault();
    pressed.stopPropagation();
    cancelled = true;
    end(false);
  };
  const handlers = [
    ["pointermove", move], ["pointerup", () => end(true)], ["pointercancel", () => end(false)], ["keydown", key],
    ["touchmove", (/** @type {Event} */ touch) => { if (dragging) touch.preventDefault(); }],
  ];
  for (const [name, handler] of handlers) document.addEventListener(/** @type {string} */ (name), /** @type {any} */ (handler), { capture: true, passive: false });
  if (!byTouch) event.preventDefault();
}

/** @param {any} mappe @param {number | null} id @param {Element | null} cell @param {PointerEvent} event */
function click(mappe, id, cell, event) {
  if (id === null) return mappe.select([]);
  mappe.pick(id, event);
  if (cell instanceof HTMLElement) cell.focus({ preventScroll: true });
  return undefined;
}

/** The Mappe on the tray under a point. @param {number} x @param {number} y */
function mappeAt(x, y) { return document.elementFromPoint(x, y)?.closest("[data-mappe]") ?? null; }

/**
 * The gap under a point: before the sheet whose left half it is on, or behind the one whose right half; null where no
 * sheet is near in that row.
 * @param {HTMLElement} grid
 * @param {number} x
 * @param {number} y
 * @returns {{ before: number | null, sheet: Element, behind: boolean } | null}
 */
export function gapAt(grid, x, y) {
  for (const reach of [0, -14, 14, -28, 28]) {
    const sheet = document.elementFromPoint(x + reach, y)?.closest(".sheet");
    if (!sheet || !grid.contains(sheet)) continue;
    const box = sheet.getBoundingClientRect();
    const behind = reach === 0 ? x > (box.left + box.right) / 2 : reach < 0;
    const next = behind ? sheet.nextElementSibling : sheet;
    const page = next?.querySelector("[data-page]")?.getAttribute("data-page");
    return { before: page ? Number(page) : null, sheet, behind };
  }
  return null;
}

/** @param {HTMLElement} mark @param {HTMLElement} track @param {ReturnType<typeof gapAt>} gap */
function mark(mark, track, gap) {
  mark.hidden = gap === null;
  if (!gap) return;
  const home = track.getBoundingClientRect();
  const box = gap.sheet.getBoundingClientRect();
  const left = (gap.behind ? box.right + 2 : box.left - 4) - home.left + track.scrollLeft;
  // Moved, not laid out again: a layout of all sheets at each frame would be slow.
  mark.style.transform = `translate(${left}px, ${box.top - home.top + track.scrollTop}px)`;
  mark.style.height = `${box.height}px`;
}

/** @param {HTMLElement} frame @param {HTMLElement} track @param {any} start @param {{ x: number, y: number }} at */
function stretch(frame, track, start, at) {
  const { left, top, right, bottom } = area(start, at, track);
  const home = track.getBoundingClientRect();
  frame.hidden = false;
  Object.assign(frame.style, {
    left: `${left - home.left + track.scrollLeft}px`, top: `${top - home.top + track.scrollTop}px`,
    width: `${right - left}px`, height: `${bottom - top}px`,
  });
}

/** @param {any} start @param {{ x: number, y: number }} at @param {HTMLElement} track */
function area(start, at, track) {
  const x = start.x - (track.scrollLeft - start.left); // where it began has scrolled along
  const y = start.y - (track.scrollTop - start.top);
  return { left: Math.min(x, at.x), right: Math.max(x, at.x), top: Math.min(y, at.y), bottom: Math.max(y, at.y) };
}

/** @param {HTMLElement} grid */
function measured(grid) {
  return [...grid.querySelectorAll("[data-page]")].map((cell) => ({
    id: Number(cell.getAttribute("data-page")), box: cell.getBoundingClientRect(),
  }));
}

/** @param {{ id: number, box: DOMRect }[]} boxes @param {any} start @param {{ x: number, y: number }} at @param {HTMLElement} track */
function inFrame(boxes, start, at, track) {
  const wanted = area(start, at, track);
  const across = track.scrollLeft - start.left;
  const down = track.scrollTop - start.top;
  return boxes
    .filter(({ box }) => box.left - across < wanted.right && box.right - across > wanted.left && box.top - down < wanted.bottom && box.bottom - down > wanted.top)
    .map(({ id }) => id);
}

/** How far to scroll where the pointer is near an edge. @param {number} at @param {number} low @param {number} high */
function pull(at, low, high) {
  if (at < low + EDGE_PX) return -SCROLL_PX;
  return at > high - EDGE_PX ? SCROLL_PX : 0;
}
