// The devices there are, and the one that this browser has chosen.

const KEPT_DEVICE = "papiermappe.device";

/** @typedef {{ id: number, name: string, is_default: boolean }} Known */
/** @typedef {{ name: string, address: string }} Found */

/** @typedef {{ id: number, path: string, is_there: boolean }} Folder */

/** @param {{ known: Known[], found: Found[], folders: Folder[] } | undefined} list the default one first */
export function createDevices(list) {
  return {
    known: list?.known ?? [],
    found: list?.found ?? [],
    folders: list?.folders ?? [],
    /** @type {number | null} */
    chosenId: null,
    /** @type {((id: number | null) => void)[]} */
    listeners: [],

    get chosen() { return this.known.find((device) => device.id === this.chosenId) ?? null; },
    /** Call with the device whenever another one is chosen. @param {(id: number | null) => void} listener */
    onChoice(listener) { this.listeners.push(listener); },
    /** Choose what was chosen last, or else the default device. */
    chooseFirst() {
      const kept = Number(localStorage.getItem(KEPT_DEVICE));
      this.choose((this.known.find((device) => device.id === kept) ?? this.known[0])?.id ?? null);
    },
    /** @param {number | null} id */
    choose(id) {
      if (id !== null) localStorage.setItem(KEPT_DEVICE, String(id));
      this.chosenId = id;
      for (const listener of this.listeners) listener(id);
    },
    /** Take over what the server says; where the chosen device is gone, choose another. @param {{ known: Known[], found: Found[], folders: Folder[] }} now */
    apply(now) {
      this.known = now.known;
      this.found = now.found;
      this.folders = now.folders;
      if (this.chosen === null) this.chooseFirst();
    },
  };
}
