// The station Order, while fronts and backs are put together: the sentence, what is uncertain, sliding.
import { SELECTED } from "../pairing.js";
import { pages, t } from "../words.js";

/** @param {any} mappe @param {any} store the proposal */
export function pairing(mappe, store) {
  return () => ({
    init() {
      const wanted = new URLSearchParams(location.search).get("pair")?.split("-").map(Number);
      if (wanted?.length === 2) store.open(wanted[0], wanted[1]);
      this.$watch("$store.mappe.current", (/** @type {number | null} */ page) => store.pickOf(page));
      document.addEventListener("click", (event) => {
        const mark = event.target instanceof Element ? event.target.closest(".pair-mark") : null;
        if (mark instanceof HTMLElement && store.active) this.pick(Number(mark.dataset.at));
      });
    },
    get active() { return store.active; },
    get offered() { return store.possible && !store.active; },
    get busy() { return store.busy; },
    get ready() { return store.active && store.proposal !== null; },
    get notReady() { return !this.ready; },
    get runs() {
      return store.runs.map((/** @type {any} */ run) => ({ value: run.number, text: t("run {number}, {pages}", { number: run.number, pages: pages(run.pages) }) }));
    },
    get choices() {
      const selected = store.selected.length > 1 ? [{ value: SELECTED, text: t("the selected pages, the first") }] : [];
      return [...(store.runs.length > 1 ? this.runs : []), ...selected];
    },
    get ofRuns() { return store.fronts !== null; },
    get ofSelected() { return store.fronts === null; },
    get frontCount() { return String(store.frontCount); },
    get mostFronts() { return store.selected.length - 1; },
    get restText() { return t("the other {count}", { count: store.selected.length - store.frontCount }); },
    get fronts() { return store.fronts === null ? SELECTED : String(store.fronts); },
    get backs() { return String(store.backs); },
    get order() { return store.order || store.proposal?.backs_order || "turned_pile"; },
    get verdict() {
      const { proposal, columns } = store;
      if (!proposal) return t("Comparing the pages…");
      if (store.changed) return t("Changed by hand.");
      if (proposal.by_habit) return t("Nothing on the pages tells which belong together. This is how a pile usually lies.");
      const missing = columns.filter((/** @type {any} */ column) => column.step.endsWith("alone")).length;
      const twice = columns.filter((/** @type {any} */ column) => column.step.endsWith("twice")).length;
      const said = [
        store.unsureCount ? t("{count} pair is uncertain", "{count} pairs are uncertain", { count: store.unsureCount }) : t("Every pair is sure"),
        missing ? t("{count} side is missing", "{count} sides are missing", { count: missing }) : "",
        twice ? t("{count} side came twice", "{count} sides came twice", { count: twice }) : "",
      ];
      return `${said.filter(Boolean).join("; ")}.${this.isSo ? ` ${t("They lie so already.")}` : ""}`;
    },
    get isSo() { return this.ready && mappe.liesSo(store.columns); },
    get cannotBeDone() { return this.notReady || this.isSo; },
    get tone() { return this.notReady ? "quiet" : store.unsureCount || store.proposal?.by_habit ? "bad" : "good"; },
    get hasChosen() { return this.ready && store.chosen !== null && store.columns[store.chosen] !== undefined; },
    get chosenText() {
      const column = this.hasChosen ? store.columns[store.chosen] : null;
      return column ? t("Sheet {number}: {evidence}", { number: store.chosen + 1, evidence: store.markOf(column).label }) : "";
    },
    get noBackHere() { return !this.hasChosen || store.columns[store.chosen].back === null; },
    get noGapBefore() { return !this.hasChosen || !store.columns.slice(0, store.chosen).some((/** @type {any} */ column) => column.back === null); },
    get noUnsure() { return store.unsureCount === 0; },
    open() { store.open(); },
    close() { store.close(); },
    /** @param {Event} event */
    chooseFronts(event) {
      const { value } = /** @type {HTMLSelectElement} */ (event.target);
      if (value === SELECTED) store.chooseSelected();
      else store.choose("fronts", Number(value));
    },
    /** @param {Event} event */
    countFronts(event) {
      const field = /** @type {HTMLInputElement} */ (event.target);
      store.countFronts(Number(field.value) || store.frontCount);
      field.value = this.frontCount;
    },
    /** @param {Event} event */
    chooseBacks(event) { store.choose("backs", Number(/** @type {HTMLSelectElement} */ (event.target).value)); },
    /** @param {Event} event */
    chooseOrder(event) { store.lies(/** @type {HTMLSelectElement} */ (event.target).value); },
    slideOn() { store.slide(store.chosen, 1); },
    slideBack() { store.slide(store.chosen, -1); },
    swap() { store.swap(store.chosen); },
    swapAll() { store.swapAll(); },
    earlier() { this.go(-1); },
    later() { this.go(1); },
    /** @param {number} by */
    go(by) { this.pick(Math.min(Math.max(0, (store.chosen ?? 0) + by), store.columns.length - 1)); },
    /** @param {number} at */
    pick(at) {
      store.pick(at);
      const { front, back } = store.columns[at];
      mappe.select([], front ?? back);
    },
    nextUnsure() {
      const after = store.columns.findIndex((/** @type {any} */ column, /** @type {number} */ at) => at > store.chosen && store.markOf(column).tone === "unsure");
      const first = store.columns.findIndex((/** @type {any} */ column) => store.markOf(column).tone === "unsure");
      this.go((after < 0 ? first : after) - store.chosen);
    },
    done() { store.done(); },
  });
}
