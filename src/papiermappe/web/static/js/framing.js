// Straightening and cropping by hand: the frame of the page over its scan, the dial, and a line laid along a row of print.
import { hundredth, tenth } from "./numbers.js";
import { length, t } from "./words.js";

const SNAP_MM = 1.5;
const ROOM_MM = 8;
const KEYS_SENT_AFTER_MS = 500;
const MOST_SKEW_DEG = 45;
const LEAST_MM = 5;

/** Which sides each grip moves: a corner moves two. */
const GRIPS = [["left", "top"], ["top"], ["right", "top"], ["right"], ["right", "bottom"], ["bottom"], ["left", "bottom"], ["left"]];
/** @type {Record<string, [number, number]>} how a side moves outwards, by what is right and down */
const OUTWARDS = { left: [-1, 0], right: [1, 0], top: [0, -1], bottom: [0, 1] };
/** @type {Record<string, [number, number]>} */
const STEPS = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] };
/** @type {Record<string, () => string>} */
const NAMES = { left: () => t("left side"), right: () => t("right side"), top: () => t("top side"), bottom: () => t("bottom side") };

/** @typedef {{ left: number, top: number, right: number, bottom: number }} Sides mm, outwards positive */

/**
 * @param {any} mappe
 * @param {number[]} snapsMm widths and heights of paper, at which a side that is dragged stays
 * @param {{ known: () => any, targets: () => number[], redraw: () => void }} tidy the station: the page that is known, what operations are for
 */
export function createFraming(mappe, snapsMm, tidy) {
  const none = () => ({ left: 0, top: 0, right: 0, bottom: 0 });
  let sending = 0;
  /** @type {number[]} the pages that are changed, as it was when the change began */
  let pages = [];
  return {
    on: false,
    /** @type {number | null} an angle that has not been sent yet */
    skewDeg: null,
    /** @type {Sides} how far sides have been moved that has not been sent yet */
    moved: none(),
    /** @type {{ skewDeg: number | null, moved: Sides }} what has been sent, and the server has not told back */
    sent: { skewDeg: null, moved: none() },

    get known() { return tidy.known(); },
    get possible() { return Boolean(this.known) && !this.known.treatment.corners; },
    toggle() { this.leave(); this.on = !this.on && this.possible; tidy.redraw(); },
    get hasUnsent() { return this.skewDeg !== null || Object.values(this.moved).some(Boolean); },
    /** The server has told the frame anew: what was sent is in it. What has not been sent goes on from there. */
    settle() { this.sent = { skewDeg: null, moved: none() }; },
    /** Another page is shown, or none: what has not been sent yet is, for the pages it was meant for. */
    leave() {
      if (this.hasUnsent && !this.held) this.send();
      this.held = null;
      this.drop();
      this.settle();
    },
    drop() {
      clearTimeout(sending);
      this.skewDeg = null;
      this.moved = none();
    },

    // ---- where things lie, in mm of the page as it is seen; 0, 0 is the top left of the frame as the server told it

    get quarters() { return this.known.treatment.quarter_turns; },
    get told() {
      const { width_mm: width, height_mm: height } = this.known.frame;
      return this.quarters % 2 ? { width: height, height: width } : { width, height };
    },
    /** @param {keyof Sides} side */
    outBy(side) { return this.moved[side] + this.sent.moved[side]; },
    get shownSkew() { return this.skewDeg ?? this.sent.skewDeg ?? this.known?.frame.skew_deg ?? 0; },
    get frame() {
      const { width, height } = this.told;
      const [left, top, right, bottom] = ["left", "top", "right", "bottom"].map((side) => this.outBy(/** @type {keyof Sides} */ (side)));
      return { x: -left, y: -top, width: width + left + right, height: height + top + bottom };
    },
    /** How the scan lies, as a matrix. */
    get matrix() {
      const { centre_x_mm: x, centre_y_mm: y } = this.known.frame;
      const { width, height } = this.told;
      return new DOMMatrix().translate(width / 2, height / 2).rotate(this.shownSkew - 90 * this.quarters).translate(-x, -y);
    },
    /** What is shown: the whole scan and the frame. */
    get extent() {
      const { scan_width_mm: width, scan_height_mm: height } = this.known;
      const { matrix, frame } = this;
      const corners = [[0, 0], [width, 0], [width, height], [0, height]].map(([x, y]) => new DOMPoint(x, y).matrixTransform(matrix));
      const across = [...corners.map(({ x }) => x), frame.x, frame.x + frame.width];
      const down = [...corners.map(({ y }) => y), frame.y, frame.y + frame.height];
      return { x: Math.min(...across) - ROOM_MM, y: Math.min(...down) - ROOM_MM, right: Math.max(...across) + ROOM_MM, bottom: Math.max(...down) + ROOM_MM };
    },
    /** @type {{ x: number, y: number, right: number, bottom: number } | null} kept while something is dragged, so that the page stays where it is */
    held: null,
    get origin() { return this.held ?? this.extent; },
    get size() { const { x, y, right, bottom } = this.origin; return { width: right - x, height: bottom - y }; },
    get placed() {
      const { a, b, c, d, e, f } = new DOMMatrix().translate(-this.origin.x, -this.origin.y).multiply(this.matrix);
      return { width: this.known.scan_width_mm, height: this.known.scan_height_mm, transform: `matrix(${[a, b, c, d, e, f].join(" ")})` };
    },
    get shapes() {
      const { x, y, width, height } = this.frame;
      const { width: whole, height: high } = this.size;
      const inner = `M${x - this.origin.x} ${y - this.origin.y}h${width}v${height}h${-width}z`;
      return [{ class: "outside", d: `M0 0h${whole}v${high}h${-whole}z${inner}`, "fill-rule": "evenodd" }, { class: "frame", d: inner }];
    },
    get grips() {
      const { x, y, width, height } = this.frame;
      return [...this.sideGrips, {
        id: "frame-middle", x: x - this.origin.x + width / 2, y: y - this.origin.y + height / 2,
        label: t("The frame of the page: arrow keys move it"),
        begin: () => { this.begin(); this.held = this.extent; },
        move: (/** @type {number} */ dx, /** @type {number} */ dy) => this.shift(tenth(dx), tenth(dy)),
        end: () => this.send(),
        cancel: () => { this.held = null; this.drop(); tidy.redraw(); },
        key: (/** @type {KeyboardEvent} */ event) => this.shiftByKey(event),
      }];
    },
    get sideGrips() {
      const { x, y, width, height } = this.frame;
      return GRIPS.map((sides) => ({
        id: sides.join("-"),
        x: x - this.origin.x + (sides.includes("left") ? 0 : sides.includes("right") ? width : width / 2),
        y: y - this.origin.y + (sides.includes("top") ? 0 : sides.includes("bottom") ? height : height / 2),
        label: t("{sides}; the page is {width} by {height} mm", { sides: sides.map((side) => NAMES[side]()).join(", "), width: length(tenth(width)), height: length(tenth(height)) }),
        begin: () => { this.begin(); this.held = this.extent; },
        move: (/** @type {number} */ dx, /** @type {number} */ dy) => this.drag(sides, dx, dy),
        end: () => this.send(),
        cancel: () => { this.held = null; this.drop(); tidy.redraw(); },
        key: (/** @type {KeyboardEvent} */ event) => this.key(sides, event),
      }));
    },

    // ---- moving sides

    /** A change begins, or goes on. */
    begin() { if (!this.hasUnsent) pages = tidy.targets(); },

    /** @param {string[]} sides @param {number} dx @param {number} dy in mm from where the drag began */
    drag(sides, dx, dy) {
      this.moved = none();
      for (const side of sides) this.moved[/** @type {keyof Sides} */ (side)] = this.snapped(side, dx * OUTWARDS[side][0] + dy * OUTWARDS[side][1]);
      tidy.redraw();
    },
    /** Move the frame as it is. @param {number} dx @param {number} dy in mm from where that began */
    shift(dx, dy) {
      this.moved = { left: -dx, right: dx, top: -dy, bottom: dy };
      tidy.redraw();
    },
    /** @param {KeyboardEvent} event */
    shiftByKey(event) {
      const step = STEPS[event.key];
      if (!step || event.ctrlKey || event.altKey) return false;
      this.begin();
      const by = event.shiftKey ? 0.1 : 1;
      this.shift(tenth(this.moved.right + by * step[0]), tenth(this.moved.bottom + by * step[1]));
      this.sendSoon();
      return true;
    },
    /** Stop at the sheet that was found, at a size of paper, and before the page is nothing. @param {string} side @param {number} by */
    snapped(side, by) {
      const { width, height } = this.told;
      const sent = this.sent.moved[/** @type {keyof Sides} */ (side)];
      const was = sent + (side === "left" || side === "right" ? width : height);
      const found = this.known.found_sides ? this.known.found_sides[side] - sent : Infinity;
      if (Math.abs(found - by) <= SNAP_MM) return Math.max(tenth(found), LEAST_MM - was);
      const near = snapsMm.find((mm) => Math.abs(mm - was - by) <= SNAP_MM);
      return Math.max(near === undefined ? tenth(by) : near - was, LEAST_MM - was);
    },
    /** @param {string[]} sides @param {KeyboardEvent} event */
    key(sides, event) {
      const step = STEPS[event.key];
      if (!step || event.ctrlKey || event.altKey) return false;
      this.begin();
      const by = event.shiftKey ? 0.1 : 1;
      const { width, height } = this.frame;
      for (const side of sides) {
        const out = by * (step[0] * OUTWARDS[side][0] + step[1] * OUTWARDS[side][1]);
        const now = side === "left" || side === "right" ? width : height;
        if (now + out >= LEAST_MM) this.moved[/** @type {keyof Sides} */ (side)] = tenth(this.moved[/** @type {keyof Sides} */ (side)] + out);
      }
      this.sendSoon();
      return true;
    },
    sendSoon() {
      clearTimeout(sending);
      sending = window.setTimeout(() => this.send(), KEYS_SENT_AFTER_MS);
      tidy.redraw();
    },
    async send() {
      const { moved, skewDeg, sent } = this;
      const meant = pages;
      const together = none();
      for (const side of /** @type {(keyof Sides)[]} */ (Object.keys(together))) together[side] = sent.moved[side] + moved[side];
      this.held = null;
      this.drop();
      this.sent = { skewDeg: skewDeg ?? sent.skewDeg, moved: together };
      let entry = null;
      if (skewDeg !== null) entry = await mappe.operate({ kind: "set_skew", pages: meant, skew_deg: skewDeg });
      if (Object.values(moved).some(Boolean)) {
        entry = await mappe.operate({ kind: "move_sides", pages: meant, left_mm: moved.left, top_mm: moved.top, right_mm: moved.right, bottom_mm: moved.bottom });
      }
      if (entry === undefined || entry === null) { this.settle(); tidy.redraw(); }
    },

    // ---- the angle; people read it as how the page is turned to be straight, counter-clockwise positive

    get angle() { return 0 - this.shownSkew; }, // which is never -0
    /** Turn the page, and send it when that has stopped. @param {number} degrees */
    turnBy(degrees) {
      this.begin();
      this.skewDeg = clamped(hundredth(-this.angle - degrees));
      this.sendSoon();
    },
    /** @param {number} degrees @returns {Promise<unknown>} */
    setAngle(degrees) {
      this.begin();
      this.skewDeg = clamped(hundredth(-degrees));
      return this.send();
    },
    /** Turn the page so that a line that was laid on it lies level, or upright where it is nearer to that. @param {number} dx @param {number} dy */
    level(dx, dy) {
      const lies = (Math.atan2(dy, dx) * 180) / Math.PI;
      const off = lies - 90 * Math.round(lies / 90);
      return this.setAngle(this.angle + off);
    },
  };
}

/** @param {number} degrees */
function clamped(degrees) { return Math.min(Math.max(degrees, -MOST_SKEW_DEG), MOST_SKEW_DEG); }
