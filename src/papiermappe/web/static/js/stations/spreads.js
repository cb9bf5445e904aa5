// Spreads, within Tidy: the line at which they are split, and splitting them.
import { pages, t } from "../words.js";

/** A part of the station Tidy, whose `page`, `targets` and `gutter` it uses. @param {any} mappe */
export function spreads(mappe) {
  return () => ({
    rightToLeft: false,

    get kind() { return this.page?.spread ?? ""; },
    get isSpread() { return this.kind !== ""; },
    get isUnsure() { return this.kind === "unsure"; },
    get isByHand() { return this.kind === "by_hand"; },
    get isHalf() { return Boolean(this.treatment.part); },
    get noSpread() { return Boolean(this.known) && !this.isSpread && !this.isHalf; },
    /** @returns {string} */
    get said() {
      if (this.isHalf) return t("This page is one side of a spread. Undo makes the two one again.");
      return {
        sure: t("A spread. The line at its fold was found; drag it where it is not right."),
        unsure: t("Perhaps a spread: the fold is not clear. Look at the line first."),
        by_hand: t("A spread. The line was set by hand."),
      }[/** @type {string} */ (this.kind)] ?? t("This page does not look like a spread.");
    },
    /** Those of the scope that can be split without a look; the page itself in any case. @returns {number[]} */
    get ready() {
      if (this.scope === "page") return this.isSpread ? [this.page.id] : [];
      return this.targets.filter((/** @type {number} */ id) => ["sure", "by_hand"].includes(mappe.page(id).spread));
    },
    /** @returns {number[]} */
    get unsure() { return this.scope === "page" ? [] : this.targets.filter((/** @type {number} */ id) => mappe.page(id).spread === "unsure"); },
    get cannotSplit() { return mappe.busy || !this.ready.length; },
    get splitText() {
      const count = this.ready.length;
      return count ? t("Split {count} spread into 2 pages", "Split {count} spreads into {pages}", { count, pages: pages(2 * count) }) : t("No spread to split");
    },
    get hasUnsure() { return this.unsure.length > 0; },
    get unsureText() {
      return t("Page {numbers} may be one too: look", "Pages {numbers} may be spreads too: look", {
        count: this.unsure.length, numbers: this.unsure.slice(0, 6).map((/** @type {number} */ id) => mappe.numberOf(id)).join(", "),
      });
    },
    lookAtUnsure() { mappe.select([], this.unsure[0]); },
    toggleDirection() { this.rightToLeft = !this.rightToLeft; },
    drawLine() { this.gutter.draw(); },
    confirmLine() { this.gutter.confirm(); },
    forgetLine() { this.gutter.forget(); },
    async split() {
      this.gutter.send();
      const ready = this.ready;
      mappe.place(await mappe.own("split", { pages: ready, right_to_left: this.rightToLeft, seen: mappe.cursor }));
    },
  });
}
