// A sheet seen at an angle, as on a photo: its four corners on the scan, from which it is made flat.
import { tenth } from "./numbers.js";
import { t } from "./words.js";

const KEYS_SENT_AFTER_MS = 500;
const ROOM = 0.05; // around the scan, as a share of its longer side: a corner may lie beyond it
/** @type {Record<string, [number, number]>} */
const STEPS = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] };
const CORNERS = [() => t("Top left corner of the sheet"), () => t("Top right corner of the sheet"), () => t("Bottom right corner of the sheet"), () => t("Bottom left corner of the sheet")];
const SIDES = [() => t("Top side of the sheet"), () => t("Right side of the sheet"), () => t("Bottom side of the sheet"), () => t("Left side of the sheet")];

/** @typedef {[number, number]} Place in mm of the scan */

/**
 * @param {any} mappe
 * @param {{ known: () => any, targets: () => number[], redraw: () => void }} tidy the station: the page that is known, what operations are for
 */
export function createCorners(mappe, tidy) {
  let sending = 0;
  /** @type {Place[]} as they were when some were taken */
  let from = [];
  /** @type {number[]} the pages that are changed, as it was when that began */
  let pages = [];
  return {
    on: false,
    /** @type {Place[] | null} as they have been moved, and the server has not told back */
    moved: null,
    /** Whether they have been moved since they were last sent. */
    unsent: false,

    get possible() { return Boolean(tidy.known()) && !tidy.known().treatment.part; },
    get active() { return this.on && this.possible; },
    get isFlat() { return Boolean(tidy.known()?.treatment.corners); },
    toggle() { this.leave(); this.on = !this.on && this.possible; tidy.redraw(); },

    // ---- where things lie: the scan is shown turned by the page's quarters, with some room around it

    get quarters() { return tidy.known().treatment.quarter_turns; },
    get scan() { const { scan_width_mm: width, scan_height_mm: height } = tidy.known(); return { width, height }; },
    get room() { return ROOM * Math.max(this.scan.width, this.scan.height); },
    get size() {
      const { width, height } = this.scan;
      const [across, down] = this.quarters % 2 ? [height, width] : [width, height];
      return { width: across + 2 * this.room, height: down + 2 * this.room };
    },
    get matrix() {
      const { width, height } = this.scan;
      return new DOMMatrix().translate(this.size.width / 2, this.size.height / 2).rotate(-90 * this.quarters).translate(-width / 2, -height / 2);
    },
    get placed() {
      const { a, b, c, d, e, f } = this.matrix;
      return { ...this.scan, transform: `matrix(${[a, b, c, d, e, f].join(" ")})` };
    },
    /** @returns {Place[]} */
    get corners() { return this.moved ?? tidy.known().sheet_corners; },
    get shown() { return this.corners.map(([x, y]) => new DOMPoint(x, y).matrixTransform(this.matrix)); },
    get shapes() {
      const { width, height } = this.size;
      const inner = `M${this.shown.map(({ x, y }) => `${x} ${y}`).join("L")}Z`;
      return [{ class: "outside", d: `M0 0h${width}v${height}h${-width}z${inner}`, "fill-rule": "evenodd" }, { class: "frame", d: inner }];
    },
    get grips() {
      const { shown } = this;
      const place = (/** @type {number} */ at) => (at + 4 - this.quarters) % 4; // as it is seen
      const ends = shown.map((corner, at) => this.grip(`corner-${place(at)}`, CORNERS[place(at)](), corner, [at]));
      const sides = shown.map((corner, at) => {
        const next = shown[(at + 1) % 4];
        return this.grip(`side-${place(at)}`, SIDES[place(at)](), { x: (corner.x + next.x) / 2, y: (corner.y + next.y) / 2 }, [at, (at + 1) % 4]);
      });
      return [...ends, ...sides];
    },
    /** @param {string} id @param {string} label @param {{ x: number, y: number }} at @param {number[]} carries the corners that go along */
    grip(id, label, at, carries) {
      return {
        id, x: at.x, y: at.y, label: t("{what}: arrow keys move it", { what: label }),
        begin: () => this.begin(),
        move: (/** @type {number} */ dx, /** @type {number} */ dy) => this.carry(carries, dx, dy),
        end: () => this.send(),
        cancel: () => this.drop(),
        key: (/** @type {KeyboardEvent} */ event) => this.key(carries, event),
      };
    },

    // ---- moving them

    begin() {
      clearTimeout(sending);
      from = this.corners;
      if (!this.moved) pages = tidy.targets();
    },
    /** @param {number[]} carries @param {number} dx @param {number} dy in mm, as it is seen */
    carry(carries, dx, dy) {
      const { x, y } = new DOMPoint(dx, dy).matrixTransform(new DOMMatrix().rotate(90 * this.quarters));
      this.unsent = true;
      this.moved = from.map((corner, at) => (carries.includes(at) ? [tenth(corner[0] + x), tenth(corner[1] + y)] : corner));
      tidy.redraw();
    },
    /** @param {number[]} carries @param {KeyboardEvent} event */
    key(carries, event) {
      const step = STEPS[event.key];
      if (!step || event.ctrlKey || event.altKey) return false;
      const by = event.shiftKey ? 0.1 : 1;
      this.begin();
      this.carry(carries, by * step[0], by * step[1]);
      sending = window.setTimeout(() => this.send(), KEYS_SENT_AFTER_MS);
      return true;
    },
    send() {
      clearTimeout(sending);
      this.unsent = false;
      if (this.moved) this.put(pages, this.moved);
    },
    /** Make it flat by the corners as they are shown. */
    take() { return this.put(tidy.targets(), this.corners); },
    /** Show the scan as it came. */
    asItCame() { this.drop(); return this.put(tidy.targets(), null); },
    /** @param {number[]} ids @param {Place[] | null} corners */
    async put(ids, corners) {
      const entry = await mappe.operate({ kind: "make_flat", pages: ids, corners });
      if (!entry) this.settle();
    },
    leave() { this.send(); this.drop(); },
    drop() {
      clearTimeout(sending);
      this.unsent = false;
      this.moved = null;
      tidy.redraw();
    },
    /** The server has told the corners anew, or refused those that were sent. What has not been sent goes on. */
    settle() { if (!this.unsent) this.drop(); },
  };
}
