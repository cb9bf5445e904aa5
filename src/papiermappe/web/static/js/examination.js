// Waiting until the machine has looked at all pages: filed earlier they are not straight, and have their blank backs.
import { get, pause } from "./http.js";
import { t } from "./words.js";

const ASK_EVERY_MS = 400;

/** @param {number} mappe its number */
export function createExamination(mappe) {
  return {
    /** How many pages somebody waits for. */
    waitsFor: 0,
    /** @type {"" | "file" | "leave"} */
    decided: "",
    get waits() { return this.waitsFor > 0; },
    get text() {
      return t("{count} page is still being examined. It is filed as soon as that is done; keep this page open until then.",
        "{count} pages are still being examined. They are filed as soon as that is done; keep this page open until then.", { count: this.waitsFor });
    },
    fileNow() { this.decided = "file"; },
    leave() { this.decided = "leave"; },
    /** Wait, unless somebody will not; return whether to file. While the server does not answer, waiting goes on. */
    async over() {
      this.decided = "";
      do {
        this.waitsFor = await get(`/mappen/${mappe}/being-examined`).catch(() => Math.max(1, this.waitsFor));
        if (this.waits) await pause(ASK_EVERY_MS);
      } while (this.waits && !this.decided);
      this.waitsFor = 0;
      return this.decided !== "leave";
    },
  };
}
