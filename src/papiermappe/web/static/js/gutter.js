// The gutter of a spread on the page: a line with two ends and a bend, at which the page will be split.
import { tenth } from "./numbers.js";
import { length, t } from "./words.js";

const KEYS_SENT_AFTER_MS = 500;
const RIM_MM = 5; // a line stays this far from the sides of the page

/** @typedef {[number, number][]} Line places in mm of the page, from its top to its bottom */

/** How far each end and the bend carry a place of the line along, by how far down it lies: 0 to 1. */
const GRIPS = [
  { id: "gutter-top", down: 0, share: (/** @type {number} */ at) => Math.max(0, 1 - 2 * at), label: () => t("The line’s upper end, {mm} mm from the left") },
  { id: "gutter-bend", down: 0.5, share: (/** @type {number} */ at) => 1 - Math.abs(2 * at - 1), label: () => t("The line’s bend, {mm} mm from the left") },
  { id: "gutter-bottom", down: 1, share: (/** @type {number} */ at) => Math.max(0, 2 * at - 1), label: () => t("The line’s lower end, {mm} mm from the left") },
];

/**
 * @param {any} mappe
 * @param {{ known: () => any, targets: () => number[], redraw: () => void }} tidy the station: the page that is known, what operations are for
 */
export function createGutter(mappe, tidy) {
  let sending = 0;
  /** @type {Line | null} as it was when it was taken */
  let from = null;
  /** @type {{ pages: number[], drawn_on_mm: number[] } | null} what is changed, as it was when that began */
  let meant = null;
  return {
    /** @type {Line | null} as it has been moved, and not sent yet */
    moved: null,
    /** Whether it has been moved since it was last sent. */
    unsent: false,

    /** @returns {Line | null} */
    get line() { return this.moved ?? tidy.known()?.gutter ?? null; },
    get shapes() {
      const { line } = this;
      return line ? [{ class: "gutter", d: `M${line.map((place) => place.join(" ")).join("L")}` }] : [];
    },
    get grips() {
      const { line } = this;
      const height = tidy.known()?.page.height_mm ?? 0;
      if (!line) return [];
      return GRIPS.map(({ id, down, share, label }) => {
        const x = across(line, down * height);
        return {
          id, x, y: Math.min(Math.max(down * height, 4), height - 4), label: label().replace("{mm}", length(tenth(x))),
          begin: () => { clearTimeout(sending); from = this.line; },
          move: (/** @type {number} */ dx) => this.drag(share, dx),
          end: () => this.send(),
          cancel: () => this.drop(),
          key: (/** @type {KeyboardEvent} */ event) => this.key(share, event),
        };
      });
    },
    /** @param {(at: number) => number} share @param {number} dx in mm */
    drag(share, dx) {
      const { page } = tidy.known();
      this.mean();
      this.unsent = true;
      this.moved = (from ?? []).map(([x, y]) => [
        tenth(Math.min(Math.max(x + share(Math.min(Math.max(y / page.height_mm, 0), 1)) * dx, RIM_MM), page.width_mm - RIM_MM)), y,
      ]);
      tidy.redraw();
    },
    /** @param {(at: number) => number} share @param {KeyboardEvent} event */
    key(share, event) {
      const way = { ArrowLeft: -1, ArrowRight: 1 }[event.key];
      if (!way || event.ctrlKey || event.altKey) return false;
      from = this.line;
      this.drag(share, way * (event.shiftKey ? 0.1 : 1));
      clearTimeout(sending);
      sending = window.setTimeout(() => this.send(), KEYS_SENT_AFTER_MS);
      return true;
    },
    /** Draw a line down the middle, where none was found. */
    draw() {
      const { width_mm: width, height_mm: height } = tidy.known().page;
      this.mean();
      this.moved = [[width / 2, 0], [width / 2, height / 2], [width / 2, height]];
      this.send();
    },
    /** The line that was found is right. */
    confirm() { this.mean(); this.moved = this.line; this.send(); },
    /** Go back to the line that was found, or to none. */
    forget() { this.mean(); return this.put(null); },
    /** A change begins, or goes on: it is for the pages of the scope as it is now. */
    mean() {
      if (this.moved) return;
      const { page } = tidy.known();
      const pages = tidy.targets().filter((id) => id === page.id || mappe.page(id).spread);
      meant = { pages, drawn_on_mm: [page.width_mm, page.height_mm] };
    },
    send() {
      clearTimeout(sending);
      this.unsent = false;
      if (this.moved) this.put(this.moved).then((/** @type {any} */ done) => { if (!done) this.settle(); });
    },
    /** @param {Line | null} gutter */
    put(gutter) { return mappe.operate({ kind: "set_gutter", gutter, ...meant }); },
    leave() { this.send(); this.drop(); },
    drop() {
      clearTimeout(sending);
      this.unsent = false;
      this.moved = null;
      tidy.redraw();
    },
    /** The server has told the line anew, or refused what was sent. What has not been sent goes on. */
    settle() { if (!this.unsent) this.drop(); },
  };
}

/** @param {Line} line @param {number} down in mm @returns {number} how far from the left the line is there */
function across(line, down) {
  const after = Math.max(1, line.findIndex(([, y]) => y >= down));
  const [[x0, y0], [x1, y1]] = [line[after - 1], line[after]];
  return x0 + ((x1 - x0) * (down - y0)) / (y1 - y0 || 1);
}
