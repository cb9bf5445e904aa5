// Look and size: a part of a page as each level would save it, the size of the whole, and what a page is made of.
import { again } from "./lanes.js";
import { Refused, get } from "./http.js";
import { size, t } from "./words.js";

const ASK_EVERY_MS = 700, ASK_AT_LEAST_EVERY_MS = 5000;
const NO_ESTIMATE = { bytes_a_page: {}, bytes_of_text: 0, bytes_a_file: 0, pages_made: 0, goes_on: true, look: null, kept_as: null };
const KEPT_LEVEL = "papiermappe.level", KEPT_ZOOM = "papiermappe.lookZoom";
const STEP = 0.05; // of a page, by which an arrow key moves the spot

/** @type {Record<string, [number, number]>} */
const MOVES = { ArrowLeft: [-STEP, 0], ArrowRight: [STEP, 0], ArrowUp: [0, -STEP], ArrowDown: [0, STEP] };

export const LEVELS = [
  { level: "faithful", name: t("Faithful"), words: t("no visible difference") },
  { level: "balanced", name: t("Balanced"), words: t("sharp text, smooth paper") },
  { level: "lean", name: t("Lean"), words: t("as small as it stays legible") },
];

const MADE_OF = /** @type {Record<string, string>} */ ({ picture: t("one picture"), bilevel: t("black and white"), layers: t("print and paper apart") });

/** @typedef {{ name: string, made_of: Record<string, string>, box: [number, number, number, number] }} Look */

/**
 * @param {any} mappe
 * @param {{ isPdf: () => boolean, isRead: () => boolean, counted: () => { count: number | null, files: number } }} document what sizes depend on: how many pages are meant
 */
export function createLook(mappe, document) {
  return {
    level: localStorage.getItem(KEPT_LEVEL) ?? "balanced",
    zoom: Number(localStorage.getItem(KEPT_ZOOM)) === 2 ? 2 : 1,
    /** @type {{ bytes_a_page: Record<string, number>, bytes_of_text: number, bytes_a_file: number, pages_made: number, goes_on: boolean, look: Look | null, kept_as: string | null }} */
    estimate: NO_ESTIMATE,
    /** @type {{ page: number, across: number, down: number } | null} where to look; null: where it shows most */
    spot: null,
    asking: 0,
    requestedFor: "",
    shownPx: 0,
    naturalPx: 0,

    get page() { return mappe.target.find((/** @type {number} */ id) => mappe.order.includes(id)) ?? mappe.order[0] ?? null; },
    get spotHere() { return this.spot?.page === this.page ? this.spot : null; },
    get key() { return `${this.page} ${this.place} ${mappe.order.map((/** @type {number} */ id) => mappe.page(id).picture).join(" ")}`; },
    get place() { return this.spotHere ? `?across=${this.spotHere.across.toFixed(3)}&down=${this.spotHere.down.toFixed(3)}` : ""; },
    get pageText() { return this.page === null ? "" : t("– part of page {number}, as it would be filed", { number: mappe.numberOf(this.page) }); },

    // ---- the page and the spot on it

    get hasPage() { return this.page !== null; },
    get picture() { return this.page === null ? "" : `/pages/${this.page}/${mappe.page(this.page).picture}-stage.jpg`; },
    /** @param {Event} event of a picture that did not come */
    pictureFailed(event) { again(event.target); },
    get pageWidth() { return this.page === null ? 210 : mappe.page(this.page).width_mm; },
    get pageHeight() { return this.page === null ? 297 : mappe.page(this.page).height_mm; },
    get pageBox() { return `0 0 ${this.pageWidth} ${this.pageHeight}`; },
    /** The part that is to be seen, as shares of the page: the middle of what was made, as wide as there is room. */
    get seen() {
      const [left, top, right, bottom] = this.estimate.look?.box ?? [0, 0, 0, 0];
      const share = this.naturalPx ? Math.min(this.shownPx / this.zoom / this.naturalPx, 1) : 1;
      const width = (right - left) * share;
      const height = Math.min(bottom - top, width * this.pageWidth / this.pageHeight * 23 / 44);
      return { x: (left + right - width) / 2, y: (top + bottom - height) / 2, width, height };
    },
    get spotX() { return this.seen.x * this.pageWidth; },
    get spotY() { return this.seen.y * this.pageHeight; },
    get spotWidth() { return this.seen.width * this.pageWidth; },
    get spotHeight() { return this.seen.height * this.pageHeight; },
    /** @param {Event} event a picture of a level has come */
    measure(event) {
      const picture = /** @type {HTMLImageElement} */ (event.target);
      this.naturalPx = picture.naturalWidth;
      this.shownPx = picture.parentElement?.clientWidth ?? 0;
    },
    /** @param {PointerEvent} event on the page */
    choosePlace(event) {
      const svg = /** @type {SVGSVGElement} */ (event.currentTarget);
      const at = new DOMPoint(event.clientX, event.clientY).matrixTransform(svg.getScreenCTM()?.inverse());
      this.lookAt(at.x / this.pageWidth, at.y / this.pageHeight);
    },
    /** @param {KeyboardEvent} event on the page */
    movePlace(event) {
      const move = MOVES[event.key];
      if (!move || !this.estimate.look) return;
      event.preventDefault();
      event.stopPropagation();
      const [left, top, right, bottom] = this.estimate.look.box;
      const from = this.spotHere ?? { across: (left + right) / 2, down: (top + bottom) / 2 };
      this.lookAt(from.across + move[0], from.down + move[1]);
    },
    /** @param {number} across @param {number} down shares of the page */
    lookAt(across, down) {
      if (this.page === null) return;
      this.spot = { page: this.page, across: Math.min(Math.max(across, 0), 1), down: Math.min(Math.max(down, 0), 1) };
      this.ask(1);
    },
    get isChosen() { return this.spotHere !== null; },
    lookWhereMost() { this.spot = null; this.ask(1); },
    get zoomClass() { return this.zoom === 2 ? "twice" : ""; },
    get zoomOne() { return this.zoom === 1 ? "true" : "false"; },
    get zoomTwo() { return this.zoom === 2 ? "true" : "false"; },
    atOne() { this.setZoom(1); },
    atTwo() { this.setZoom(2); },
    /** @param {number} zoom */
    setZoom(zoom) { this.zoom = zoom; localStorage.setItem(KEPT_ZOOM, String(zoom)); },

    // ---- the levels

    get cards() {
      return LEVELS.map((level) => ({
        ...level, chosen: level.level === this.level,
        picture: this.estimate.look ? `/levels/${this.estimate.look.name}/${level.level}.png` : "",
        ...this.sizeOf(this.estimate.bytes_a_page[level.level]),
      }));
    },
    /** How large the whole becomes, and each page. @param {number | undefined} pictures of a page in the mean, in bytes */
    sizeOf(pictures) {
      const { count, files } = document.counted();
      const each = pictures && pictures + (document.isRead() ? this.estimate.bytes_of_text : 0);
      if (!document.isPdf()) return { size: "", each: t("size told for PDF only") };
      if (this.page === null) return { size: "", each: t("no page yet") };
      if (!each) return { size: "", each: t("calculating…") };
      if (count === null) return { size: "", each: t("about {each} a page", { each: size(each) }) };
      const all = size(each * count + this.estimate.bytes_a_file * files);
      const sure = count === mappe.pageCount && this.estimate.pages_made >= count;
      if (count === 1) return { size: all, each: sure ? "" : t("estimated") };
      return { size: all, each: sure ? t("{each} a page", { each: size(each) }) : t("estimated, {each} a page", { each: size(each) }) };
    },
    /** @param {string} level */
    choose(level) { this.level = level; localStorage.setItem(KEPT_LEVEL, level); },

    // ---- what the page is made of

    get ways() {
      const kept = this.estimate.kept_as ?? "";
      const ways = [
        { value: "", text: t("as its content asks") },
        { value: "picture", text: t("as one picture, in full colour") },
        { value: "layers", text: t("with print and paper apart") },
        { value: "bilevel", text: t("in black and white") },
      ];
      return ways.map((way) => ({ ...way, chosen: way.value === kept }));
    },
    get canKeepAs() { return this.page !== null && document.isPdf(); },
    /** What its content makes of the page at the level that is chosen. */
    get madeText() {
      const made = this.estimate.look?.made_of[this.level];
      return made && !this.estimate.kept_as ? `– ${MADE_OF[made]}` : "";
    },
    get waysLabel() { return this.page === null ? "" : t("Page {number} is filed", { number: mappe.numberOf(this.page) }); },
    /** @param {Event} event */
    async keepAs(event) {
      if (this.page === null) return;
      const made = /** @type {HTMLSelectElement} */ (event.target).value;
      await mappe.operate({ kind: "keep_as", pages: [this.page], made_of: made || null });
      this.requestedFor = "";
      this.ask(1);
    },

    // ---- asking for it

    async ask(round = 0) {
      clearTimeout(this.asking);
      const { key, page, place } = this;
      if (page === null) { this.estimate = NO_ESTIMATE; return; }
      const address = `/mappen/${mappe.id}/levels/${page}${place}`;
      try {
        const found = await get(address);
        if (key !== this.key) return;
        this.estimate = found.look || !this.estimate.look ? found : { ...found, look: this.estimate.look }; // what was there stays until the next has come
        if (found.look && !found.goes_on) return;
        if (round && this.requestedFor !== key) { // not for pages that are only passed by
          this.requestedFor = key;
          await mappe.command(address);
        }
      } catch (error) {
        if (error instanceof Refused && error.status === 404) return; // set aside elsewhere: the change asks for another
      }
      this.asking = window.setTimeout(() => this.ask(round + 1), Math.min(ASK_EVERY_MS * (1 + round / 10), ASK_AT_LEAST_EVERY_MS));
    },
    stopAsking() { clearTimeout(this.asking); },
  };
}
