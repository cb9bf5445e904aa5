// What is printed on the page, as a frame that is moved: its margins.
import { tenth } from "./numbers.js";
import { length, t } from "./words.js";

const KEYS_SENT_AFTER_MS = 500;
/** @type {Record<string, [number, number]>} */
const STEPS = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] };

/**
 * @param {any} mappe
 * @param {{ known: () => any, targets: () => number[], redraw: () => void }} tidy the station: the page that is known, what operations are for
 */
export function createBlock(mappe, tidy) {
  let sending = 0;
  /** @type {{ x: number, y: number }} where it was taken */
  let from = { x: 0, y: 0 };
  /** @type {number[]} the pages that are moved, as it was when that began */
  let pages = [];
  return {
    /** How far it has been moved, and not sent yet. */
    moved: { x: 0, y: 0 },
    /** How far it has been moved that has been sent, and the server has not told back. */
    sent: { x: 0, y: 0 },

    /** In mm from the top left of the page. @returns {{ x: number, y: number, width: number, height: number } | null} */
    get area() {
      const block = tidy.known()?.block;
      return block ? { x: block.x_mm + this.moved.x + this.sent.x, y: block.y_mm + this.moved.y + this.sent.y, width: block.width_mm, height: block.height_mm } : null;
    },
    get shapes() {
      const { area } = this;
      return area ? [{ class: "block", d: `M${area.x} ${area.y}h${area.width}v${area.height}h${-area.width}z` }] : [];
    },
    get grips() {
      const { area } = this;
      if (!area) return [];
      return [{
        id: "block", x: area.x + area.width / 2, y: area.y + area.height / 2,
        label: t("What is printed, {left} mm from the left and {top} mm from the top: arrow keys move it", { left: length(tenth(area.x)), top: length(tenth(area.y)) }),
        begin: () => { clearTimeout(sending); from = { ...this.moved }; },
        move: (/** @type {number} */ dx, /** @type {number} */ dy) => this.drag(from.x + dx, from.y + dy),
        end: () => this.send(),
        cancel: () => { this.moved = from; tidy.redraw(); },
        key: (/** @type {KeyboardEvent} */ event) => this.key(event),
      }];
    },
    /** @param {number} x @param {number} y in mm */
    drag(x, y) {
      if (!this.moved.x && !this.moved.y) pages = tidy.targets();
      this.moved = { x: tenth(x), y: tenth(y) };
      tidy.redraw();
    },
    /** @param {KeyboardEvent} event */
    key(event) {
      const step = STEPS[event.key];
      if (!step || event.ctrlKey || event.altKey) return false;
      const by = event.shiftKey ? 0.1 : 1;
      this.drag(this.moved.x + by * step[0], this.moved.y + by * step[1]);
      clearTimeout(sending);
      sending = window.setTimeout(() => this.send(), KEYS_SENT_AFTER_MS);
      return true;
    },
    send() {
      clearTimeout(sending);
      const { x, y } = this.moved;
      if (!x && !y) return;
      this.sent = { x: this.sent.x + x, y: this.sent.y + y };
      this.moved = { x: 0, y: 0 };
      mappe.operate({ kind: "move_text", pages, x_mm: x, y_mm: y }).then((/** @type {any} */ done) => { if (!done) this.settle(); });
    },
    leave() { this.send(); this.settle(); },
    /** The server has told the frame anew: what was sent is in it. What has not been sent goes on from there. */
    settle() { this.sent = { x: 0, y: 0 }; tidy.redraw(); },
  };
}
