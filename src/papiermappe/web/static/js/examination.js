// Waiting until all pages are in and the machine has looked at them: filed earlier, they are not straight.
import { get, pause } from "./http.js";
import { t } from "./words.js";

const ASK_EVERY_MS = 400;
const SETTLED = { scanning: false, interrupted: false, pages: 0, comparing: false };

/** @param {number} mappe its number */
export function createExamination(mappe) {
  return {
    /** What is still to come, while somebody waits for it. */
    coming: SETTLED,
    /** @type {"" | "file" | "leave"} */
    decided: "",
    get waits() { return this.coming.scanning || this.coming.pages > 0 || this.coming.comparing; },
    get text() {
      if (this.coming.scanning) return t("Pages are still being scanned. They are filed as soon as all are in; keep this page open until then.");
      if (!this.coming.pages) return t("The pages are being compared with one another. They are filed as soon as that is done; keep this page open until then.");
      return t("{count} page is still being examined. It is filed as soon as that is done; keep this page open until then.",
        "{count} pages are still being examined. They are filed as soon as that is done; keep this page open until then.", { count: this.coming.pages });
    },
    fileNow() { this.decided = "file"; },
    leave() { this.decided = "leave"; },
    /**
     * Wait, unless somebody will not; return whether to file. While the server does not answer, waiting goes on; where
     * the run is interrupted meanwhile, somebody has to see to that first.
     */
    async over() {
      this.decided = "";
      do {
        const wasScanning = this.coming.scanning;
        this.coming = await get(`/mappen/${mappe}/unsettled`).catch(() => (this.waits ? this.coming : { ...SETTLED, comparing: true }));
        if (wasScanning && this.coming.interrupted) this.leave();
        else if (this.waits) await pause(ASK_EVERY_MS);
      } while (this.waits && !this.decided);
      this.coming = SETTLED;
      return this.decided !== "leave";
    },
  };
}
