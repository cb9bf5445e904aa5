// Where the pages of the next run go, if not to the end of the Mappe.
import { letGo } from "./keys.js";
import { t } from "./words.js";

/** @typedef {{ kind: "again", pages: number[] } | { kind: "before", page: number }} Landing */

/** @param {any} mappe */
export function createLanding(mappe) {
  return {
    /** @type {Landing | null} */
    wanted: null,

    /** The place, unless its pages have left the lanes meanwhile. @returns {Landing | null} */
    get now() {
      const { wanted } = this;
      if (!wanted) return null;
      const named = wanted.kind === "again" ? wanted.pages : [wanted.page];
      return named.every((id) => mappe.numberOf(id)) ? wanted : null;
    },
    get isAgain() { return this.now?.kind === "again"; },
    get text() {
      const { now } = this;
      if (!now) return "";
      if (now.kind === "before") return t("The new pages go before page {number}.", { number: mappe.numberOf(now.page) });
      const [first, second] = now.pages.map((id) => mappe.numberOf(id));
      return second
        ? t("The new scan takes the place of pages {first} and {second}.", { first, second })
        : t("The new scan takes the place of page {number}.", { number: first });
    },
    /** What of the selection can be scanned again in one go: a page, or both pages of a sheet. */
    get offered() {
      const ids = mappe.selectedIds;
      const ranks = new Set(ids.map((/** @type {number} */ id) => mappe.page(id).rank));
      return ids.length && ranks.size === 1 ? ids : [];
    },
    /** @param {Event} chosen */
    again(chosen) {
      this.wanted = { kind: "again", pages: this.offered };
      letGo(chosen);
    },
    /** @param {Event} chosen */
    before(chosen) {
      this.wanted = { kind: "before", page: mappe.selectedIds[0] };
      letGo(chosen);
    },
    atEnd() { this.wanted = null; },
  };
}
