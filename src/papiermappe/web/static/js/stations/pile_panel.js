// What stands beside the pile view: its sides, what is suggested for wiping, the slider through the pages.
import { pages, t } from "../words.js";

/** @param {any} mappe @param {any} pile the pile view */
export function pilePanel(mappe, pile) {
  return () => ({
    get pileScope() { return pile.seen ? t("of {pages}", { pages: pages(pile.seen.sides.reduce((/** @type {number} */ sum, /** @type {any} */ one) => sum + one.pages.length, 0)) }) : ""; },
    get pileSides() { return pile.sides; },
    /** @param {string} side */
    pileSide(side) { pile.side = side; pile.at = 0; this.draw(); },
    get pileProgress() { return pile.progress; },
    get pileLast() { return String(pile.current?.pages.length ?? 0); },
    get pilePlace() { return String(pile.at); },
    get pileAt() { return pile.page ? t("Page {number}", { number: mappe.numberOf(pile.page.id) }) : t("All of them"); },
    /** @param {Event} event */
    pileTo(event) { pile.at = Number(/** @type {HTMLInputElement} */ (event.target).value); },
    get pileItems() { return pile.items.map((/** @type {any} */ item) => ({ name: item.name, chosen: item.name === pile.chosen ? "true" : "false", text: item.onScan ? `${item.text}; ${t("print that it crosses is kept")}` : item.text, warning: pile.warning(item), spared: pile.spared(item) })); },
    get pileItemCount() { return pile.items.length; },
    get pileClean() { return pile.whole && !pile.items.length; },
    get wipeText() { return pile.wipeText; },
    /** @param {string} name */
    pileChoose(name) { pile.choose(name); },
    /** @param {string} name */
    pileLeaveOut(name) { pile.leaveOut(name); },
    /** @param {string} name */
    pilePrint(name) { pile.showPrint(name); },
    wipePile() { pile.wipe(); },
  });
}
