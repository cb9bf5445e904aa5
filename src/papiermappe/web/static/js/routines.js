// Routines: those that are kept, the one this browser has used last, and running or trying one. No drawing here.
import { get, pause } from "./http.js";
import { pages as pagesInWords, t } from "./words.js";

const LAST_USED = "papiermappe.routine";
const ASK_EVERY_MS = 150;

/**
 * @typedef {{ on: string, does: Record<string, unknown> }} Step
 * @typedef {{ step: Step, message: { text: string }, pages: number | null, typical: boolean }} StepRow
 * @typedef {{ id: number, name: string, steps: StepRow[] }} Routine
 * @typedef {{ step: number, pages: number[], reason: { text: string } }} Misfit
 */

/** @param {any} mappe */
export function createRoutines(mappe) {
  return {
    /** @type {Routine[]} */
    kept: [],
    /** @type {number | null} */
    chosenId: null,
    /** @type {{ done: number, total: number } | null} how far the one that runs is */
    running: null,
    /** @type {any} what the last one has done */
    ran: null,
    /** @type {any} what trying one has shown */
    tried: null,
    trial: "",
    /** @type {{ id: number | null, name: string, rows: (StepRow & { kept: boolean, text: string })[] } | null} the one that is being kept or changed */
    open: null,

    /** @type {{ id: number, name: string } | null} the one that was removed last */
    removed: null,

    get chosen() { return this.kept.find((routine) => routine.id === this.chosenId) ?? null; },
    async load() {
      try {
        this.kept = (await get("/routines")).routines;
        const last = Number(localStorage.getItem(LAST_USED));
        if (!this.chosen) this.chosenId = (this.kept.find((routine) => routine.id === last) ?? this.kept[0])?.id ?? null;
      } catch (error) { mappe.complain(error); }
    },
    /** @param {number} id */
    choose(id) {
      this.chosenId = id;
      this.ran = null;
      localStorage.setItem(LAST_USED, String(id));
    },
    /** What is run, and on which pages. @param {number[]} ids */
    wanted(ids) { return { name: this.chosen?.name, steps: this.chosen?.steps.map((row) => row.step), pages: ids }; },
    /** Run the chosen routine, and wait until it is over. @param {number[]} ids */
    async run(ids) {
      if (!this.chosen || this.running || !ids.length) return;
      this.choose(this.chosen.id);
      this.running = { done: 0, total: 0 };
      const name = await mappe.own("routine-runs", { ...this.wanted(ids), seen: mappe.cursor });
      const ran = name ? await this.over(`routine-runs/${name}`, (told) => { this.running = told; }) : null;
      this.running = null;
      this.ran = ran;
      mappe.answered = Math.max(mappe.answered, ran?.entry ?? 0);
      if (ran?.refused) mappe.problem = ran.refused.text;
    },
    /** Show what the chosen routine would make of a few pages. @param {number[]} ids */
    async attempt(ids) {
      this.tried = null;
      this.trial = (await mappe.own("routine-trials", this.wanted(ids))) ?? "";
      if (this.trial) this.tried = await this.over(`routine-trials/${this.trial}`, () => {});
    },
    /** Ask until something is over. @param {string} path @param {(told: any) => void} tell */
    async over(path, tell) {
      for (;;) {
        try {
          const told = await get(`/mappen/${mappe.id}/${path}`);
          if (told.over) return told;
          tell(told);
        } catch (error) { mappe.complain(error); return null; }
        await pause(ASK_EVERY_MS);
      }
    },
    /** Where steps did not fit, in words. @param {Misfit[]} misfits @param {StepRow[]} steps */
    misfitTexts(misfits, steps) {
      return misfits.map((misfit) => t("{step}: {pages} left as before ({reason})", {
        step: steps[misfit.step - 1]?.message.text ?? "", reason: misfit.reason.text,
        pages: misfit.pages.length === 1 ? t("page {number}", { number: mappe.numberOf(misfit.pages[0]) }) : pagesInWords(misfit.pages.length),
      }));
    },

    // ---- keeping and changing

    /** Begin a routine of what was done to this Mappe. */
    async begin() {
      try {
        const { steps } = await get(`/mappen/${mappe.id}/routine-draft`);
        this.open = { id: null, name: "", rows: steps.map(asRow) };
      } catch (error) { mappe.complain(error); }
    },
    /** Change the chosen routine. */
    edit() { if (this.chosen) this.open = { id: this.chosen.id, name: this.chosen.name, rows: this.chosen.steps.map(asRow) }; },
    /** Keep what is open. Returns whether that is done. */
    async keep() {
      const { open } = this;
      if (!open) return false;
      const steps = open.rows.filter((row) => row.kept).map((row) => row.step);
      const done = await mappe.command(open.id === null ? "/routines" : `/routines/${open.id}`, { name: open.name, steps });
      if (done === undefined) return false;
      await this.load();
      this.choose(open.id ?? done);
      return true;
    },
    /** Remove what is open. Returns whether that is done. */
    async remove() {
      const { open } = this;
      if (!open?.id || await mappe.command(`/routines/${open.id}/remove`) === undefined) return false;
      this.chosenId = null;
      await this.load();
      this.removed = { id: open.id, name: open.name }; // said last, so that nothing moves under the hand any more
      return true;
    },
    async takeBack() {
      const id = this.removed?.id;
      if (!id || await mappe.command(`/routines/${id}/take-back`) === undefined) return;
      this.removed = null;
      await this.load();
      this.choose(id);
    },
    /** Keep the routine of a file. @param {File} file */
    async bringIn(file) {
      const id = await mappe.command("/routine-files", { text: await file.text() });
      if (!id) return;
      await this.load();
      this.choose(id);
    },
  };
}

/** @param {StepRow} row */
function asRow(row) { return { ...row, kept: row.typical, text: row.message.text }; }
