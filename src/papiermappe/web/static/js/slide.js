// Sliding, while fronts and backs are put together: a back is grabbed, and it and all backs behind it move along.

/**
 * @param {PointerEvent} event
 * @param {any} pairing the proposal
 * @param {number} at the column of the back
 * @param {HTMLElement} column
 */
export function startSlide(event, pairing, at, column) {
  const next = column.nextElementSibling ?? column.previousElementSibling;
  const own = column.getBoundingClientRect();
  const step = Math.max(own.width, next && next.getBoundingClientRect().top === own.top ? Math.abs(next.getBoundingClientRect().left - own.left) : 0);
  const start = { x: event.clientX, columns: pairing.columns, changed: pairing.changed };
  let shown = 0;
  const restore = () => Object.assign(pairing, { columns: start.columns, changed: start.changed });
  const move = (/** @type {PointerEvent} */ moved) => {
    const by = Math.round((moved.clientX - start.x) / step);
    if (by === shown) return;
    shown = by;
    restore();
    if (by) pairing.slide(at, by);
    else pairing.show();
  };
  const end = (/** @type {boolean} */ done) => {
    for (const [name, handler] of handlers) document.removeEventListener(name, /** @type {any} */ (handler), true);
    if (!done) restore();
    pairing.pick(done ? Math.max(0, at + shown) : at);
  };
  const key = (/** @type {KeyboardEvent} */ pressed) => {
    if (pressed.key !== "Escape") return;
    pressed.preventDefault();
    pressed.stopPropagation();
    end(false);
  };
  /** @type {[string, unknown][]} */
  const handlers = [["pointermove", move], ["pointerup", () => end(true)], ["pointercancel", () => end(false)], ["keydown", key]];
  for (const [name, handler] of handlers) document.addEventListener(name, /** @type {any} */ (handler), true);
  event.preventDefault();
}
