// Where documents begin in a Mappe: proposed by a rule and shown in the lanes before it is done, dropped or named there.
import { get } from "./http.js";
import { t } from "./words.js";

/**
 * @typedef {{ page: number, reasons: { text: string }[], name: string, sure: boolean }} Cut
 * @typedef {{ page: number, name: string, why: string, label: string, first: boolean, proposed: boolean, unsure: boolean }} Shown
 */

/** @param {any} mappe */
export function createCutting(mappe) {
  const listeners = new Set();
  let asked = 0;
  return {
    active: false,
    busy: false,
    rule: "pages_show",
    every: 2,
    unread: 0,
    /** @type {Cut[]} the first is of the first sheet */
    cuts: [],
    /** @type {number[]} pages that would be set aside */
    aside: [],
    /** @type {{ id: number, name: string }[]} Mappen that were just made of this one, this one first */
    made: [],

    /** @param {() => void} listener */
    onChange(listener) { listeners.add(listener); },
    /** Forget what was made where it has been undone. */
    look() { if (this.made.length && mappe.documentCount > 1) this.made = []; },
    changed() { for (const listener of listeners) listener(); },
    open() { this.active = true; this.made = []; return this.ask(); },
    close() {
      asked += 1;
      Object.assign(this, { active: false, busy: false, cuts: [], aside: [] });
      this.changed();
    },
    /** Have the cuts of the present rule proposed. */
    async ask() {
      asked += 1;
      const mine = asked;
      this.busy = true;
      try {
        await mappe.settled();
        const found = await get(`/mappen/${mappe.id}/cuts?rule=${this.rule}&every=${this.every}`);
        if (mine !== asked) return;
        Object.assign(this, { cuts: found.cuts, aside: found.aside, unread: found.unread });
      } catch (error) {
        if (mine === asked) { this.close(); mappe.complain(error); }
      } finally {
        if (mine === asked) this.busy = false;
      }
      this.changed();
    },
    /** How many cuts are proposed: the first document begins by itself. */
    get count() { return Math.max(0, this.cuts.length - 1); },
    get unsure() { return this.cuts.filter((cut) => !cut.sure); },
    /** What the lanes show where documents begin, by the ranks of the sheets. @returns {Map<string, Shown>} */
    starts() {
      const proposed = new Map(this.active ? this.cuts.map((cut) => [cut.page, cut]) : []);
      /** @type {Map<string, Shown>} */
      const shown = new Map();
      mappe.sheets.forEach((/** @type {import("./mappe.js").Sheet} */ sheet, /** @type {number} */ at) => {
        const start = this.active ? proposedAt(sheet, at, proposed) : keptAt(sheet, at);
        if (start) shown.set(sheet.rank, start);
      });
      return shown;
    },
    /** The ranks of sheets that would be set aside, as they only divide. @returns {Set<string>} */
    dividing() {
      return new Set(this.active ? this.aside.map((id) => mappe.page(id)?.rank) : []);
    },
    /** Whether no cut can be before the current sheet. */
    get atFirst() { return mappe.sheetOf(mappe.current) === mappe.sheets[0]; },
    /** Name the document that begins with a page. @param {number} page @param {string} name */
    name(page, name) {
      const cut = this.active ? this.cuts.find((one) => one.page === page) : null;
      if (!cut) return mappe.beginAt(page, name);
      cut.name = name;
      return this.changed();
    },
    /** Begin no document with a page. @param {number} page */
    drop(page) {
      if (!this.active) return mappe.joinParts([page]);
      this.cuts = this.cuts.filter((cut) => cut.page !== page);
      return this.changed();
    },
    /** Begin a document with the current sheet, or no more: in the proposal, or at once. */
    async toggle() {
      if (!this.active) return mappe.toggleCut();
      const sheet = mappe.sheetOf(mappe.current);
      if (!sheet || sheet === mappe.sheets[0]) return undefined;
      const ids = [sheet.front?.id, sheet.back?.id];
      const there = this.cuts.find(({ page }) => ids.includes(page));
      if (there) return this.drop(there.page);
      const { id } = sheet.front ?? sheet.back;
      this.cuts = [...this.cuts, { page: id, reasons: [], name: await mappe.titleOf(id), sure: true }];
      return this.changed();
    },
    /** Mark the documents as they are proposed. */
    async take() {
      const { cuts, aside } = this;
      this.close();
      await mappe.operate({ kind: "cut", pages: cuts.map((cut) => cut.page), names: cuts.map((cut) => cut.name), only: true, aside });
    },
    /** Begin no document anywhere but with the first sheet. */
    clear() { return mappe.joinParts(mappe.sheets.slice(1).flatMap((/** @type {any} */ sheet) => (sheet.start ? [sheet.start.page] : []))); },
    /** Make a Mappe of each document. */
    async split() {
      if (document.activeElement instanceof HTMLElement) document.activeElement.blur(); // a name that is being typed counts
      await mappe.settled();
      const names = mappe.sheets.map((/** @type {any} */ sheet, /** @type {number} */ at) => (at ? sheet.start?.name : "")).filter((/** @type {any} */ name) => name !== undefined);
      const made = (await mappe.own("cut-into-mappen", { seen: mappe.cursor })) ?? [];
      this.made = made.map((/** @type {number} */ id, /** @type {number} */ at) => ({ id, name: names[at] || t("Mappe {number}", { number: at + 1 }) }));
    },
  };
}

/**
 * @param {import("./mappe.js").Sheet} sheet
 * @param {number} at its place
 * @param {Map<number, Cut>} cuts by the page that they are at
 * @returns {Shown | null}
 */
function proposedAt({ front, back }, at, cuts) {
  const cut = cuts.get(front?.id ?? 0) ?? cuts.get(back?.id ?? 0);
  if (!cut) return null;
  const first = at === 0;
  const why = first ? "" : cut.reasons.map((reason) => reason.text).join(", ");
  return { page: cut.page, name: cut.name, why, label: labelOf(at, why), first, proposed: !first, unsure: !cut.sure };
}

/** @param {import("./mappe.js").Sheet} sheet @param {number} at its place @returns {Shown | null} */
function keptAt({ start, front, back }, at) {
  const first = at === 0;
  const kept = start ?? (first ? { page: front?.id ?? back?.id ?? 0, name: "" } : null);
  return kept && { ...kept, why: "", label: labelOf(at, ""), first, proposed: false, unsure: false };
}

/** @param {number} at @param {string} why */
function labelOf(at, why) {
  const label = t("Name of the document that begins with sheet {number}", { number: at + 1 });
  return why ? `${label}: ${why}` : label;
}
