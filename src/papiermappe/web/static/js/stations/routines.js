// Routines, within Tidy: the line that runs one, the dialog that keeps or changes one, and the one that shows what it would do.
import { letGo } from "../keys.js";
import { pages, t } from "../words.js";

/** A part of the station Tidy, whose `scope` and `targets` it uses. @param {any} mappe @param {any} store */
export function routines(mappe, store) {
  return () => ({
    init() { store.load(); },
    get rows() { return store.kept.map((/** @type {any} */ routine) => ({ id: String(routine.id), name: routine.name, chosen: routine.id === store.chosenId })); },
    get has() { return store.chosen !== null; },
    get none() { return store.chosen === null; },
    /** A routine is for many pages: where only this one is chosen, for all. @returns {number[]} */
    get runTargets() { return this.scope === "page" ? mappe.order : this.targets; },
    get runText() { return t("Run on {pages}", { pages: pages(this.runTargets.length) }); },
    get removedText() { return store.removed ? t("“{name}” is removed.", { name: store.removed.name }) : ""; },
    takeBack() { store.takeBack(); },
    get cannotRun() { return mappe.busy || store.running !== null || !this.has || !this.runTargets.length; },
    /** @returns {string} */
    get runSaid() {
      const { running, ran } = store;
      if (running) return running.total ? t("Looking at the pages of spreads: {done} of {total}", running) : t("Working…");
      if (!ran || ran.refused) return "";
      return ran.entry === null ? t("Nothing had to be changed.") : t("{count} page done.", "{count} pages done.", { count: ran.pages });
    },
    get runMisfits() { return store.ran && store.chosen ? store.misfitTexts(store.ran.misfits, store.chosen.steps) : []; },
    /** @param {Event} event */
    chooseRoutine(event) { store.choose(Number(/** @type {HTMLSelectElement} */ (event.target).value)); letGo(event); },
    runRoutine() { store.run(this.runTargets); },
    async tryRoutine() {
      open("routine-trial");
      await store.attempt(this.runTargets);
    },
    async keepRoutine() { await store.begin(); if (store.open) open("routine-steps"); },
    changeRoutine() { store.edit(); open("routine-steps"); },
  });
}

const SCOPES = ["all", "spreads", "fronts", "backs", "first", "others", "other_fronts"];

/** The dialog that keeps or changes a routine. @param {any} mappe @param {any} store */
export function routineSteps(mappe, store) {
  return () => ({
    get isNew() { return store.open?.id === null; },
    get isKept() { return Boolean(store.open?.id); },
    get title() { return this.isNew ? t("Keep as a routine") : t("Change the routine"); },
    get name() { return store.open?.name ?? ""; },
    /** @param {Event} event */
    setName(event) { store.open.name = /** @type {HTMLInputElement} */ (event.target).value; },
    get steps() {
      const rows = store.open?.rows ?? [];
      return rows.map((/** @type {any} */ row, /** @type {number} */ at) => ({
        at: String(at), text: row.text, kept: row.kept, on: row.step.on, isFirst: at === 0, isLast: at === rows.length - 1,
        said: row.pages === null ? "" : row.typical ? t("done to {pages}", { pages: pages(row.pages) }) : t("done to {pages} only, so left out", { pages: pages(row.pages) }),
      }));
    },
    get isEmpty() { return !(store.open?.rows.length); },
    get scopes() {
      const said = { all: t("all pages"), spreads: t("spreads"), fronts: t("fronts"), backs: t("backs"), first: t("the first page"), others: t("all but the first"), other_fronts: t("fronts but the first") };
      return SCOPES.map((value) => ({ value, label: said[/** @type {keyof typeof said} */ (value)] }));
    },
    get cannotKeep() { return !this.name.trim() || !(store.open?.rows ?? []).some((/** @type {any} */ row) => row.kept); },
    get fileHref() { return store.open?.id ? `/routines/${store.open.id}/file` : ""; },
    /** @param {string} at */
    toggleStep(at) { const row = store.open.rows[Number(at)]; row.kept = !row.kept; },
    /** @param {string} at @param {Event} event */
    setScope(at, event) { const row = store.open.rows[Number(at)]; row.step = { ...row.step, on: /** @type {HTMLSelectElement} */ (event.target).value }; },
    /** @param {string} at */
    earlier(at) { this.move(Number(at), Number(at) - 1); },
    /** @param {string} at */
    later(at) { this.move(Number(at), Number(at) + 1); },
    /** @param {number} from @param {number} to */
    move(from, to) {
      const { rows } = store.open;
      rows.splice(to, 0, ...rows.splice(from, 1));
    },
    async keep() { if (await store.keep()) this.close(); },
    async remove() { if (await store.remove()) this.close(); },
    /** @param {Event} event */
    async bringIn(event) {
      const field = /** @type {HTMLInputElement} */ (event.target);
      if (field.files?.[0]) { await store.bringIn(field.files[0]); field.value = ""; this.close(); }
    },
    close() { /** @type {HTMLDialogElement} */ (document.getElementById("routine-steps")).close(); },
  });
}

/** The dialog that shows what a routine would make of a few pages; a part of the station Tidy. @param {any} mappe @param {any} store */
export function routineTrial(mappe, store) {
  return () => ({
    get title() { return store.chosen ? t("What “{name}” would do", { name: store.chosen.name }) : ""; },
    get waits() { return store.tried === null; },
    get said() {
      const { tried } = store;
      if (!tried) return t("Working it out for three pages…");
      if (tried.refused) return tried.refused.text;
      return tried.changed ? t("{count} page would be changed. These are the first, the middle and the last.", "{count} pages would be changed. These are the first, the middle and the last.", { count: tried.changed }) : t("Nothing would be changed.");
    },
    get shown() {
      return (store.tried?.pages ?? []).map((/** @type {any} */ page) => ({
        id: String(page.page), caption: t("Page {number}", { number: mappe.numberOf(page.page) }),
        pictures: page.pictures.map((/** @type {any} */ picture) => ({ src: `/mappen/${mappe.id}/routine-trials/${store.trial}/${picture.picture}.jpg` })),
      }));
    },
    get misfits() { return store.tried && store.chosen ? store.misfitTexts(store.tried.misfits, store.chosen.steps) : []; },
    get steps() { return (store.chosen?.steps ?? []).map((/** @type {any} */ row, /** @type {number} */ at) => ({ at, text: row.message.text })); },
    runTried() { this.close(); this.runRoutine(); },
    close() { /** @type {HTMLDialogElement} */ (document.getElementById("routine-trial")).close(); },
  });
}

/** @param {string} id */
function open(id) { /** @type {HTMLDialogElement} */ (document.getElementById(id)).showModal(); }
