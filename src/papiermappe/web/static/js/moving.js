// Pages between Mappen: the Mappen that they can go to, and the commands that take them there.
import { get } from "./http.js";

/** @typedef {{ id: number, subject: string, page_count: number }} Target */

/** @param {any} mappe */
export function createMoving(mappe) {
  return {
    /** @type {Target[]} */
    targets: [],
    /** @type {"pages" | "join"} what the dialog is open for */
    kind: "pages",
    version: 0,

    /** @param {string} [find] words of the subject */
    async load(find = "") {
      this.version += 1;
      const mine = this.version;
      try {
        const found = await get(`/mappen?but=${mappe.id}&find=${encodeURIComponent(find)}`);
        if (mine === this.version) this.targets = found;
      } catch (error) { mappe.complain(error); }
    },
    /** @param {"pages" | "join"} kind */
    open(kind = "pages") {
      this.kind = kind;
      this.load();
      /** @type {HTMLDialogElement} */ (document.getElementById("moving")).showModal();
    },
    /**
     * Move or copy pages to another Mappe.
     * @param {number[]} pages
     * @param {{ mappe: number | null, subject?: string, place?: string | number }} into
     * @param {boolean} asCopies
     */
    async send(pages, into, asCopies) {
      await mappe.settled();
      const went = await mappe.own("send", { pages, into, as_copies: asCopies, seen: mappe.cursor });
      await this.load();
      return went;
    },
    /** Put all pages of another Mappe into this one. @param {number} other @param {string | number} place */
    async join(other, place) {
      await mappe.settled();
      await mappe.own("join", { other, place, seen: mappe.cursor });
      await this.load();
    },
  };
}
