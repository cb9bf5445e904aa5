// Sending a file in parts, so that a lost connection costs one part at most.
import { pause, read, Refused } from "./http.js";

const PART_BYTES = 4_000_000;
const PATIENCE_MS = 2000;
const WAITS = new Set([429, 503]);

/**
 * Send a file; going on takes as long as it takes. Rejects with Refused where the server does not want it.
 * @param {string} path
 * @param {Blob} file
 * @param {{ sent: (bytes: number) => void, connection: (lost: boolean) => void, waits: (why: Refused) => void }} tell
 */
export async function sendParts(path, file, tell) {
  for (let at = 0; at < file.size;) {
    try {
      const part = file.slice(at, at + PART_BYTES);
      at = await read(await fetch(`${path}?at=${at}`, { method: "PUT", headers: { Accept: "application/json" }, body: part }));
      tell.sent(at);
      tell.connection(false);
    } catch (error) {
      if (error instanceof Refused && !WAITS.has(error.status)) throw error;
      if (error instanceof Refused) tell.waits(error);
      else tell.connection(true);
      await pause(PATIENCE_MS);
    }
  }
}
