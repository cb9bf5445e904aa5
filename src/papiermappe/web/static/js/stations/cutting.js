// The station Order, while a Mappe is cut into documents: the rule, what is uncertain, what was made.
import { t } from "../words.js";

const COUNTING = new Set(["sheets", "pages"]);

/** @param {any} mappe @param {any} store the proposal @param {any} pairing */
export function cutting(mappe, store, pairing) {
  return () => ({
    init() { mappe.on("pages", () => store.look()); },
    get active() { return store.active; },
    get offered() { return !store.active && !pairing.active && mappe.sheetCount > 1; },
    get hasParts() { return this.offered && mappe.documentCount > 1; },
    get hasMore() { return mappe.notesOf("document").length > 0; },
    get moreText() { return t("{count} more document seems to begin here", "{count} more documents seem to begin here", { count: mappe.notesOf("document").length }); },
    get hasMade() { return store.made.length > 1 && !store.active; },
    get busy() { return store.busy; },
    get counts() { return COUNTING.has(store.rule); },
    get rule() { return store.rule; },
    get every() { return String(store.every); },
    get partsText() { return t("{count} document", "{count} documents", { count: mappe.documentCount }); },
    get splitText() { return t("Cut into {count} Mappen", { count: mappe.documentCount }); },
    get madeText() { return t("This Mappe keeps the first document. The others:"); },
    get madeLinks() { return store.made.slice(1).map((/** @type {any} */ { id, name }) => ({ id, href: `/mappen/${id}/order`, text: name })); },
    get verdict() {
      if (store.busy) return t("Looking through the pages…");
      const said = [
        store.count ? t("{count} cut proposed", "{count} cuts proposed", { count: store.count }) : t("Nothing to cut is seen"),
        store.unsure.length ? t("{count} uncertain", "{count} uncertain", { count: store.unsure.length }) : "",
        store.aside.length ? t("{count} page only divides and is set aside", "{count} pages only divide and are set aside", { count: store.aside.length }) : "",
        store.unread ? t("{count} page has not been read yet", "{count} pages have not been read yet", { count: store.unread }) : "",
      ];
      return `${said.filter(Boolean).join("; ")}.`;
    },
    get tone() { return store.unsure.length || store.unread || !store.count ? "bad" : "good"; },
    get cannotBeDone() { return store.busy || (!store.count && !store.aside.length); },
    get atFirst() { void mappe.selectionVersion; return store.atFirst; },
    get noUnsure() { return !store.unsure.length; },
    open() { store.open(); },
    close() { store.close(); },
    take() { store.take(); },
    toggle() { store.toggle(); },
    clear() { store.clear(); },
    split() { store.split(); },
    dismiss() { store.made = []; },
    showDividers() { /** @type {HTMLDialogElement} */ (document.getElementById("dividers")).showModal(); },
    /** Go to the next cut that is not sure. */
    nextUnsure() {
      const pages = store.unsure.map((/** @type {any} */ cut) => cut.page);
      const here = mappe.order.indexOf(mappe.current ?? -1);
      const next = pages.find((/** @type {number} */ page) => mappe.order.indexOf(page) > here) ?? pages[0];
      if (next !== undefined) mappe.select([next], next);
    },
    /** @param {Event} event */
    chooseRule(event) { store.rule = /** @type {HTMLSelectElement} */ (event.target).value; store.ask(); },
    /** @param {Event} event */
    chooseEvery(event) {
      const field = /** @type {HTMLInputElement} */ (event.target);
      store.every = Math.max(1, Number.parseInt(field.value, 10) || store.every);
      field.value = String(store.every);
      store.ask();
    },
  });
}
