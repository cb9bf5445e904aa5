// Bringing files in: chosen, dropped or pasted; sent in parts, so that a lost connection costs one part at most.
import { get, pause, Refused, send } from "./http.js";
import { sendParts } from "./parts.js";

const LOOK_EVERY_MS = 800;

/**
 * @typedef {{ id: number, run: number, name: string, byte_size: number, state: string, pages: number, text: string }} ComingFile
 * @typedef {{ each: boolean, both_sides: boolean, backs_of: number | null, order: string }} What
 */

/** @param {any} mappe */
export function createImports(mappe) {
  return {
    /** @type {ComingFile[]} */
    files: [],
    /** @type {number[]} */
    runs: [],
    /** @type {Record<number, number>} how many bytes of a file have been sent */
    sent: {},
    sending: false,
    over: true,
    each: false,
    /** @type {What} what the next files are */
    what: { each: false, both_sides: false, backs_of: null, order: "as_laid" },

    get active() { return !this.over; },

    /** Take files up and send them. @param {File[]} chosen */
    async take(chosen) {
      if (!chosen.length || this.active) return;
      const { each, ...rest } = this.what;
      const files = chosen.map((file) => ({ name: file.name, byte_size: file.size }));
      try {
        const path = each ? "/imports" : `/mappen/${mappe.id}/imports`;
        const begun = await send(path, each ? { files, both_sides: rest.both_sides } : { files, ...rest }, (lost) => mappe.connection(lost));
        this.runs = [begun].flat();
        this.each = each;
        this.over = false;
        this.sent = {};
        await this.look();
        this.watch();
        await this.sendAll(chosen);
      } catch (error) { mappe.complain(error); }
    },
    /** Send the files in the order in which they will be read. @param {File[]} chosen */
    async sendAll(chosen) {
      const waiting = [...chosen];
      this.sending = true;
      try {
        for (const { id, byte_size: bytes, name } of this.files) {
          const at = bestMatch(waiting, name, bytes);
          if (at >= 0) await this.sendOne(id, waiting.splice(at, 1)[0]);
        }
      } finally { this.sending = false; }
    },
    /** @param {number} id @param {File} file */
    async sendOne(id, file) {
      try {
        await sendParts(`/imports/${id}`, file, {
          sent: (bytes) => { this.sent[id] = bytes; },
          connection: (lost) => mappe.connection(lost),
          waits: (why) => mappe.complain(why),
        });
      } catch (error) {
        if (this.files.find((row) => row.id === id)?.state === "coming" && this.active) mappe.complain(error);
      }
    },
    /** Take up a run of files that is live already: of another window, or from before this page was loaded. */
    join() {
      const { run } = mappe;
      if (this.active || run?.origin !== "files" || !run.live) return;
      this.runs = [run.id];
      this.over = false;
      this.watch();
    },
    async look() {
      const lists = await Promise.all(this.runs.map(async (run) => (await get(`/runs/${run}/files`)).map((/** @type {ComingFile} */ file) => ({ ...file, run }))));
      this.files = lists.flat();
      this.over = this.files.every(({ state }) => ["done", "failed", "cancelled"].includes(state));
    },
    async watch() {
      while (this.active) {
        await this.look().catch((/** @type {unknown} */ error) => { if (error instanceof Refused) { this.over = true; mappe.complain(error); } });
        if (this.active) await pause(LOOK_EVERY_MS);
      }
    },
    /** @param {number} id */
    leaveOut(id) { return mappe.command(`/imports/${id}/cancel`); },
    /** @param {number} id @param {string} password */
    unlock(id, password) { return mappe.command(`/imports/${id}/password`, { password }); },
    async stop() { for (const run of this.runs) await mappe.command(`/runs/${run}/stop`); },
    close() { this.files = []; this.runs = []; },
  };
}

/**
 * Return which of the chosen files was announced by a name and size: its name may have been changed.
 * @param {File[]} waiting
 * @param {string} name
 * @param {number} bytes
 */
function bestMatch(waiting, name, bytes) {
  const exact = waiting.findIndex((file) => file.name === name && file.size === bytes);
  return exact >= 0 ? exact : waiting.findIndex((file) => file.size === bytes);
}
