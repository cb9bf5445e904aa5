// The tickets that are kept, the one that this browser has chosen, and what of it is changed for this once.

const KEPT_TICKET = "papiermappe.ticket";

/** @typedef {Record<string, string | number | boolean>} Settings */
/** @typedef {{ id: number, name: string, settings: Settings, is_default: boolean, naming_rule_id: number | null }} Kept */
/** @typedef {{ tickets: Kept[], rules: { id: number, name: string }[] }} List */

/** @param {List | undefined} list the default ticket first */
export function createTickets(list) {
  return {
    kept: list?.tickets ?? [],
    /** By which tickets can name documents. */
    rules: list?.rules ?? [],
    /** @type {number | null} */
    chosenId: null,
    /** @type {Settings} what the person wants */
    wish: {},
    /** @type {(() => void)[]} */
    listeners: [],

    get chosen() { return this.kept.find((ticket) => ticket.id === this.chosenId) ?? null; },
    /** The settings that are not as in the ticket. */
    get changed() {
      const settings = this.chosen?.settings ?? {};
      return Object.keys(settings).filter((name) => settings[name] !== this.wish[name]);
    },
    /** Call whenever other settings are wanted. @param {() => void} listener */
    onWish(listener) { this.listeners.push(listener); },
    /** Choose what was chosen last, or else the default ticket. */
    chooseFirst() {
      const last = Number(localStorage.getItem(KEPT_TICKET));
      const first = this.kept.find((ticket) => ticket.id === last) ?? this.kept[0];
      if (first) this.choose(first.id);
    },
    /** @param {number} id */
    choose(id) {
      localStorage.setItem(KEPT_TICKET, String(id));
      this.chosenId = id;
      this.want({ ...this.chosen?.settings });
    },
    /** Want other settings, for this once. @param {Settings} settings */
    want(settings) {
      this.wish = settings;
      for (const listener of this.listeners) listener();
    },
    /** Go back to the ticket. */
    back() { if (this.chosenId !== null) this.choose(this.chosenId); },
    /** Take over what the server says; what is changed for this once stays. @param {List} now */
    apply(now) {
      const changed = Object.fromEntries(this.changed.map((name) => [name, this.wish[name]]));
      this.kept = now.tickets;
      this.rules = now.rules;
      if (this.chosen === null) this.chooseFirst();
      else this.want({ ...this.chosen.settings, ...changed });
    },
  };
}
