// The station Order: what can be done with the pages, what was set aside, the history.
import { clock, listed, pages, sheets, t } from "../words.js";

/** @param {any} mappe @param {any} pairing a proposal of pairs @param {any} cutting one of cuts @param {{ lane: string }} facts */
export function order(mappe, pairing, cutting, facts) {
  return () => ({
    get shelfClass() { return pairing.active || cutting.active ? "aside-for-proposal" : ""; },
    get none() { return mappe.target.length === 0; },
    get nothingAside() { return mappe.aside.length === 0; },
    get aside() {
      return mappe.aside.map((/** @type {import("../mappe.js").Page} */ page) => ({
        id: page.id, side: page.side, src: `/pages/${page.id}/${page.picture}-${facts.lane}.jpg`,
        label: page.side === "front" ? t("Bring this front back") : t("Bring this back side back"),
      }));
    },
    get blankBacks() {
      return mappe.order.filter((/** @type {number} */ id) => mappe.page(id).blank && mappe.page(id).side === "back");
    },
    get hasBlankBacks() { return this.blankBacks.length > 0; },
    get blankBacksText() { return t("Set {count} blank back aside", "Set {count} blank backs aside", { count: this.blankBacks.length }); },
    // What is rearranged: the selected pages, or where none are, all.
    get rearranged() { return mappe.selectedCount > 1 ? t("{pages} selected", { pages: pages(mappe.selectedCount) }) : t("All pages"); },
    get chosen() { return mappe.selectedCount > 1 ? mappe.selectedIds : []; },
    get reverseText() { return mappe.selectedCount === 2 ? t("Swap the two") : t("Reverse the order"); },
    reverse() { mappe.reverse(this.chosen); this.closeMenu(); },
    /** @param {"sort_by_arrival" | "sort_by_files"} kind */
    sortBy(kind) { mappe.sort(kind, this.chosen); this.closeMenu(); },
    sortByNumbers() { mappe.sortByNumbers(); this.closeMenu(); },
    /** @param {"front" | "back"} side */
    selectSide(side) { mappe.select(mappe.order.filter((/** @type {number} */ id) => mappe.page(id).side === side)); this.closeMenu(); },
    closeMenu() { this.$refs.menu.open = false; },
    get placesText() { return t("1 to {count}", { count: mappe.sheetCount }); },
    /** Move to the place of a sheet, counted from 1. @param {Event} event */
    moveToPlace(event) {
      const field = /** @type {HTMLInputElement} */ (event.target);
      const place = Number.parseInt(field.value, 10);
      if (!(place >= 1) || !mappe.target.length) return;
      field.value = "";
      mappe.move(mappe.target, this.pageAtPlace(Math.min(place, mappe.sheetCount)));
      this.closeMenu();
    },
    /** A page of the sheet before which the target goes to lie at a place; null for the end. @param {number} place */
    pageAtPlace(place) {
      const going = new Set(mappe.target);
      const staying = mappe.sheets.filter((/** @type {any} */ { front, back }) => [front, back].some((page) => page && !going.has(page.id)));
      const sheet = staying[place - 1];
      return sheet ? (sheet.front ?? sheet.back).id : null;
    },
    setBlankBacksAside() { mappe.setAside(this.blankBacks); },
    get hasTurned() { return mappe.notesOf("turned").length > 0; },
    get turnedText() { return t("Turn {count} page upright", "Turn {count} pages upright", { count: mappe.notesOf("turned").length }); },
    // What the printed page numbers tell, as far as pages have been read.
    get isOutOfPlace() { return mappe.printed.out_of_place > 0; },
    get outOfPlaceText() { return t("Put {sheets} in printed order", { sheets: sheets(mappe.printed.out_of_place) }); },
    get printedText() { return printedText(mappe.printed); },
    get historyLines() { return mappe.history.map((/** @type {any} */ line) => ({ seq: line.seq, time: clock(line.at), text: line.message.text })); },
    /** @param {number} by */
    nudge(by) { mappe.nudge(by); },
    turn() { mappe.turn(-1); },
    turnBack() { mappe.turn(1); },
    setAside() { mappe.setAside(); },
    /** @param {number} id */
    bringBack(id) { mappe.bringBack([id]); },
    get selectedText() { return pages(mappe.selectedCount); },
  });
}

/** @param {any} printed */
export function printedText(printed) {
  if (printed.first === undefined || printed.first === null) return "";
  return [t("Printed pages {first} to {last}", printed), ...gaps(printed)].join("; ");
}

/** @param {any} printed */
function gaps({ missing, twice }) {
  return [
    missing.length ? t("{pages} missing", { pages: listed(missing) }) : "",
    twice.length ? t("{pages} there twice", { pages: listed(twice) }) : "",
  ].filter(Boolean);
}
