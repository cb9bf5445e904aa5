// Waiting until all pages are in and the machine has looked at them: filed earlier, they are not straight.
import { Refused, get, pause } from "./http.js";
import { t } from "./words.js";

const ASK_EVERY_MS = 400;
const GONE = 404;
const SETTLED = { scanning: false, interrupted: false, pages: 0, comparing: false, is_over: true };

/** @param {number} mappe its number */
export function createUnsettled(mappe) {
  return {
    /** What is still to come, while somebody waits for it. */
    coming: SETTLED,
    /** @type {"" | "file" | "leave"} */
    decided: "",
    get waits() { return !this.coming.is_over; },
    get text() {
      if (this.coming.scanning) return t("Pages are still being scanned. They are filed as soon as all are in; keep this page open until then.");
      if (!this.coming.pages) return t("The pages are being compared with one another. They are filed as soon as that is done; keep this page open until then.");
      return t("{count} page is still being examined. It is filed as soon as that is done; keep this page open until then.",
        "{count} pages are still being examined. They are filed as soon as that is done; keep this page open until then.", { count: this.coming.pages });
    },
    fileNow() { this.decided = "file"; },
    leave() { this.decided = "leave"; },
    /** Wait, unless somebody will not; return whether to file. Where the run is cut off meanwhile, somebody has to see to that first. */
    async over() {
      this.decided = "";
      while (!this.decided) {
        const coming = await ask(mappe);
        if (this.coming.scanning && coming?.interrupted) this.leave();
        if (coming) this.coming = coming;
        if (coming && !this.waits) break;
        await pause(ASK_EVERY_MS);
      }
      this.coming = SETTLED;
      return this.decided !== "leave";
    },
  };
}

/** What is still to come; null where that cannot be told now. Of a Mappe that is gone nothing is: filing it says so. @param {number} mappe */
async function ask(mappe) {
  try {
    return await get(`/mappen/${mappe}/unsettled`);
  } catch (error) {
    return error instanceof Refused && error.status === GONE ? SETTLED : null;
  }
}
