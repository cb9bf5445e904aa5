// Asking the server. What changes something carries a request id: sent again after a lost connection, it is done once.
import { uniqueName } from "./unique.js";
import { t } from "./words.js";

const PAUSES_MS = [300, 700, 1500, 3000];

/** An answer that the server gave on purpose: its message is for the person. */
export class Refused extends Error {
  /**
   * @param {string} message
   * @param {number} status
   * @param {string} code
   */
  constructor(message, status, code) {
    super(message);
    this.status = status;
    this.code = code;
  }
}

/** There was no answer: that is said by the window as a whole, and heals by itself. */
export class Lost extends Error {}

/** @param {number} ms */
export function pause(ms) { return new Promise((resolve) => { setTimeout(resolve, ms); }); }

/** @param {Response} answer */
export async function read(answer) {
  const said = await answer.json().catch(() => null);
  if (!answer.ok) throw new Refused(said?.message ?? t("That did not work. Nothing was changed."), answer.status, said?.code ?? "");
  return said;
}

/** @param {string} path */
export async function get(path) {
  return read(await fetch(path, { headers: { Accept: "application/json" } }).catch(() => { throw new Lost(path); }));
}

/**
 * Send a command until it is answered.
 * @param {string} path
 * @param {unknown} [body]
 * @param {(lost: boolean) => void} [onConnection] told when the connection is lost, and when it is back
 * @param {string} [key] of the command: whatever is sent under it again is done once
 * @returns {Promise<any>} what it answers; rejects with Refused where it is refused
 */
export async function send(path, body = {}, onConnection = () => {}, key = uniqueName()) {
  const request = {
    method: "POST",
    keepalive: true,
    priority: /** @type {"high"} */ ("high"),
    headers: { "Content-Type": "application/json", Accept: "application/json", "Idempotency-Key": key },
    body: JSON.stringify(body),
  };
  for (let tried = 0; ; tried += 1) {
    try {
      const answer = await fetch(path, request);
      onConnection(false);
      return await read(answer);
    } catch (error) {
      if (error instanceof Refused) throw error;
      onConnection(true);
      await pause(PAUSES_MS[Math.min(tried, PAUSES_MS.length - 1)]);
    }
  }
}
