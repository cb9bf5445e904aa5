// Margins, within Tidy: what is printed is brought to the same place on all pages.
import { numberIn, tenth } from "../numbers.js";
import { length, pages, t } from "../words.js";

/** A part of the station Tidy, whose `known`, `targets` and `block` it uses. @param {any} mappe */
export function margins(mappe) {
  return () => ({
    /** @type {"left" | "inner" | "centred" | null} as chosen; null: the fold where pages come from spreads */
    chosen: null,
    /** @type {number | null} as typed; null: what most of the pages have */
    acrossMm: null,
    /** @type {number | null} */
    topMm: null,

    get said() {
      const area = this.block?.area;
      if (!area) return t("Nothing is printed on this page: it stays as it is.");
      return t("On this page print begins {left} mm from the left and {top} mm from the top.", { left: length(tenth(area.x)), top: length(tenth(area.y)) });
    },
    get acrossText() { return this.acrossMm === null ? "" : length(this.acrossMm); },
    get topText() { return this.topMm === null ? "" : length(this.topMm); },
    get across() { return this.chosen ?? (this.treatment.part || this.isBound ? "inner" : "left"); },
    /** Whether two pages of the scope share a scan, as those of a spread do. */
    get isBound() { return new Set(this.targets.map((/** @type {number} */ id) => mappe.page(id).scan)).size < this.targets.length; },
    get isCentred() { return this.across === "centred"; },
    get isMoved() { return (this.treatment.margins ?? []).some(Boolean); },
    /** One page alone can only go to margins that are typed. */
    get lacks() { return this.targets.length < 2 && this.acrossMm === null && this.topMm === null && !this.isCentred; },
    get cannotAlign() { return mappe.busy || !this.targets.length || this.lacks; },
    get alignText() { return t("Line up {pages}", { pages: pages(this.targets.length) }); },
    /** @param {Event} event */
    setAcross(event) {
      this.chosen = /** @type {any} */ (/** @type {HTMLSelectElement} */ (event.target).value);
      this.acrossMm = null;
    },
    /** @param {Event} event */
    setAcrossMm(event) { this.acrossMm = typed(event, this.acrossMm); },
    /** @param {Event} event */
    setTop(event) { this.topMm = typed(event, this.topMm); },
    /** Take the margins of this page for all. */
    takeThese() {
      const { area } = this.block;
      const isBack = this.page.side === "back";
      this.topMm = tenth(area.y);
      this.acrossMm = tenth(this.across === "inner" && isBack ? this.page.width_mm - area.x - area.width : area.x);
    },
    align() {
      mappe.operate({ kind: "align_margins", pages: this.targets, across: this.across, across_mm: this.isCentred ? null : this.acrossMm, top_mm: this.topMm });
    },
    forget() { mappe.operate({ kind: "use_found", pages: this.targets, step: "margins" }); },
  });
}

/** @param {Event} event @param {number | null} before @returns {number | null} */
function typed(event, before) {
  const field = /** @type {HTMLInputElement} */ (event.target);
  const value = field.value.trim() ? numberIn(field.value) : null;
  if (value === null && field.value.trim()) { field.value = before === null ? "" : length(before); return before; }
  return value === null ? null : Math.min(Math.max(value, 0), 200);
}
