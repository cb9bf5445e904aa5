// The station Order: the dialog that takes pages to other Mappen, or a Mappe into this one, and the tray of open Mappen.
import { pages as pagesInWords, t } from "../words.js";

const ON_TRAY = 4;

/** @param {any} target */
function nameOf(target) { return target.subject || t("No subject yet"); }

/** @param {any} mappe @param {any} store */
export function moving(mappe, store) {
  return () => ({
    chosen: "",
    subject: "",
    place: "end",
    copies: false,
    get isJoining() { return store.kind === "join"; },
    get isSending() { return store.kind === "pages"; },
    get title() { return this.isJoining ? t("Put another Mappe into this one") : t("Move {pages} to another Mappe", { pages: pagesInWords(mappe.target.length) }); },
    get targets() {
      const { chosen } = this;
      return store.targets.map((/** @type {any} */ target) => ({ value: String(target.id), chosen: chosen === String(target.id), name: nameOf(target), pages: pagesInWords(target.page_count) }));
    },
    get nothingFound() { return store.targets.length === 0; },
    get isNew() { return this.isSending && this.chosen === "new"; },
    get cannot() { return !this.chosen || (this.isJoining && this.chosen === "new"); },
    get doText() { return this.isJoining ? t("Put it in") : this.copies ? t("Copy") : t("Move"); },
    /** @param {Event} event */
    find(event) { store.load(/** @type {HTMLInputElement} */ (event.target).value); },
    choose(/** @type {Event} */ event) { this.chosen = /** @type {HTMLInputElement} */ (event.target).value; },
    setSubject(/** @type {Event} */ event) { this.subject = /** @type {HTMLInputElement} */ (event.target).value; this.chosen = "new"; },
    choosePlace(/** @type {Event} */ event) { this.place = /** @type {HTMLSelectElement} */ (event.target).value; },
    switchCopies() { this.copies = !this.copies; },
    close() { /** @type {HTMLDialogElement} */ (document.getElementById("moving")).close(); },
    async go() {
      const { chosen, place } = this;
      this.close();
      if (this.isJoining) await store.join(Number(chosen), place === "here" ? mappe.current : place);
      else await store.send(mappe.target, { mappe: chosen === "new" ? null : Number(chosen), subject: this.subject, place: place === "here" ? "end" : place }, this.copies);
      Object.assign(this, { chosen: "", subject: "", place: "end", copies: false });
    },
  });
}

/** @param {any} mappe @param {any} store */
export function tray(mappe, store) {
  return () => ({
    init() { store.load(); },
    get shown() {
      return store.targets.slice(0, ON_TRAY).map((/** @type {any} */ target) => ({ id: String(target.id), name: nameOf(target), pages: target.page_count, href: `/mappen/${target.id}/order` }));
    },
    get offered() { return mappe.pageCount > 0; },
    join() { store.open("join"); },
  });
}
