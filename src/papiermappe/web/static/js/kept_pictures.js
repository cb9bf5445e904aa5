// Pictures that wait until they are sent: in the browser's own database, so that a closed page loses none.

const DATABASE = "papiermappe-camera";
const STORE = "pictures";

/**
 * @typedef {{ key: string, camera: string, name: string, blob: Blob, again: number | null, instead: string, near: [number, number][] | null }} Picture
 *   `key` names its command, `camera` says for which link or which Mappe it was taken, `again` is the page that it replaces,
 *   `instead` the key of the picture that it replaces,
 *   `near` where its sheet was seen before
 */

/** @param {IDBRequest} request @returns {Promise<any>} */
function answered(request) {
  return new Promise((resolve, reject) => {
    request.addEventListener("success", () => resolve(request.result));
    request.addEventListener("error", () => reject(request.error));
  });
}

/** Open it; where the browser keeps nothing (a private window), pictures wait in the page alone. */
export async function openKept() {
  let database = null;
  try {
    const request = indexedDB.open(DATABASE, 1);
    request.addEventListener("upgradeneeded", () => { request.result.createObjectStore(STORE, { keyPath: "key" }); });
    database = await answered(request);
  } catch { /* it is kept nowhere then */ }
  /** @param {IDBTransactionMode} mode @param {(store: IDBObjectStore) => IDBRequest} ask */
  const run = async (mode, ask) => {
    try { return database ? await answered(ask(database.transaction(STORE, mode).objectStore(STORE))) : undefined; } catch { return undefined; }
  };
  return {
    /** @returns {Promise<Picture[]>} */
    async all() { return (await run("readonly", (store) => store.getAll())) ?? []; },
    /** @param {Picture} picture */
    put(picture) { return run("readwrite", (store) => store.put(picture)); },
    /** @param {string} key */
    remove(key) { return run("readwrite", (store) => store.delete(key)); },
  };
}
