// Where documents go: the destinations that are chosen, and the dialog that keeps them.
import { get, send } from "./http.js";
import { t } from "./words.js";

const KEPT = "papiermappe.where";

/** @typedef {{ id: number, name: string, settings: any, has_secret: boolean, form: any, naming_rule_id: number | null }} Destination */

/** What a new destination of a kind begins with. @type {Record<string, any>} */
const NEW = {
  folder: { kind: "folder", path: "" },
  object_store: { kind: "object_store", endpoint: "https://", bucket: "", region: "us-east-1", prefix: "", access_key: "" },
  mail: { kind: "mail", host: "", port: 465, security: "tls", user: "", sender: "", recipients: [], subject: "{title}", text: "" },
};

/** @param {Destination} destination */
export function told({ settings }) {
  if (settings.kind === "folder") return t("folder, {path}", { path: settings.path });
  if (settings.kind === "object_store") return t("object store, {bucket}", { bucket: [settings.bucket, settings.prefix].filter(Boolean).join("/") });
  if (settings.kind === "download") return t("download");
  const [first, ...others] = settings.recipients;
  return others.length ? t("mail to {first} and {count} more", { first, count: others.length }) : t("mail to {first}", { first });
}

/**
 * @param {any} mappe
 * @param {Destination[]} list as they are kept
 * @param {(destination: Destination) => void} onChosen told of one that was chosen
 */
export function createPlaces(mappe, list, onChosen) {
  const wanted = (localStorage.getItem(KEPT) ?? "").split(",").map(Number);
  const known = list.filter(({ id }) => wanted.includes(id)).map(({ id }) => id);
  return {
    list,
    /** @type {number[]} */
    chosen: known.length ? known : list.slice(0, 1).map(({ id }) => id),

    get cards() {
      return this.list.map((destination) => ({
        id: destination.id, field: `where-${destination.id}`, name: destination.settings.kind === "download" ? t("This computer") : destination.name,
        told: told(destination), short: destination.settings.kind === "folder" ? t("folder") : told(destination), chosen: this.chosen.includes(destination.id), kept: destination.settings.kind !== "download",
      }));
    },
    get names() { return this.cards.filter(({ chosen }) => chosen).map(({ name }) => name).join(", "); },
    get none() { return !this.chosen.length; },
    get downloads() { return this.list.some(({ id, settings }) => settings.kind === "download" && this.chosen.includes(id)); },
    /** @param {number} id */
    toggle(id) {
      const there = this.chosen.includes(id);
      this.chosen = there ? this.chosen.filter((one) => one !== id) : [...this.chosen, id];
      localStorage.setItem(KEPT, this.chosen.join());
      const destination = this.list.find((one) => one.id === id);
      if (!there && destination) onChosen(destination);
    },
    async reload() {
      this.list = await get("/destinations");
      const there = new Set(this.list.map(({ id }) => id));
      this.chosen = this.chosen.filter((id) => there.has(id));
    },

    // ---- the dialog

    /** @type {{ id: number | null, name: string, settings: any, secret: string | null, hasSecret: boolean, form: any, naming_rule_id: number | null } | null} */
    edited: null,
    outcome: "",
    wentWell: false,
    busy: false,
    /** @type {{ id: number, name: string } | null} */
    removed: null,
    show() { this.edited = null; this.outcome = ""; /** @type {HTMLDialogElement} */ (document.getElementById("destinations")).showModal(); },
    close() { /** @type {HTMLDialogElement} */ (document.getElementById("destinations")).close(); },
    /** @param {string} kind */
    begin(kind) {
      this.edited = { id: null, name: "", settings: structuredClone(NEW[kind]), secret: null, hasSecret: false, form: {}, naming_rule_id: null };
      this.outcome = "";
    },
    beginFolder() { this.begin("folder"); },
    beginStore() { this.begin("object_store"); },
    beginMail() { this.begin("mail"); },
    /** @param {number} id */
    edit(id) {
      const one = this.list.find((destination) => destination.id === id);
      if (!one) return;
      this.edited = { id, name: one.name, settings: JSON.parse(JSON.stringify(one.settings)), secret: null, hasSecret: one.has_secret, form: { ...one.form }, naming_rule_id: one.naming_rule_id };
      this.outcome = "";
    },
    back() { this.edited = null; this.outcome = ""; },
    get isOpen() { return this.edited !== null; },
    get isList() { return this.edited === null; },
    get isNew() { return this.edited?.id === null; },
    get isKept() { return typeof this.edited?.id === "number"; },
    get kind() { return this.edited?.settings.kind ?? ""; },
    get isFolder() { return this.kind === "folder"; },
    get isStore() { return this.kind === "object_store"; },
    get isMail() { return this.kind === "mail"; },
    get title() { return { folder: t("A folder"), object_store: t("An object store"), mail: t("People, by mail") }[this.kind] ?? ""; },
    get name() { return this.edited?.name ?? ""; },
    get settings() { return this.edited?.settings ?? {}; },
    get recipients() { return (this.settings.recipients ?? []).join(", "); },
    get secretPlaceholder() { return this.edited?.hasSecret ? t("kept; type to change it") : ""; },
    /** @param {Event} event */
    setName(event) { if (this.edited) this.edited.name = valueOf(event); },
    /** @param {Event} event a field that says in `data-name` what it sets */
    set(event) {
      const name = /** @type {HTMLElement} */ (event.target).dataset.name ?? "";
      const value = valueOf(event);
      if (name === "port") this.settings.port = Number(value);
      else if (name === "recipients") this.settings.recipients = value.split(/[\s,;]+/).filter(Boolean);
      else this.settings[name] = value;
      this.outcome = "";
    },
    /** @param {Event} event */
    setSecret(event) { if (this.edited) this.edited.secret = valueOf(event); },
    /** @param {Event} event */
    setForm(event) {
      const name = /** @type {HTMLElement} */ (event.target).dataset.name ?? "";
      const value = valueOf(event);
      if (this.edited) this.edited.form = { ...this.edited.form, [name]: value === "last" ? null : value };
    },
    /** @param {Event} event */
    setRule(event) { if (this.edited) this.edited.naming_rule_id = Number(valueOf(event)) || null; },
    /** The choices of a part of the form, the first being as a person has chosen last. @param {string} name @param {{ value: string, text: string }[]} choices */
    formChoices(name, choices) {
      const now = this.edited?.form[name] ?? "last";
      return [{ value: "last", text: t("as chosen last") }, ...choices].map(({ value, text }) => ({ value, text, chosen: value === now }));
    },
    get wanted() {
      const { name, settings, secret, form, naming_rule_id: rule } = /** @type {NonNullable<typeof this.edited>} */ (this.edited);
      return { name, settings, secret, form, naming_rule_id: rule };
    },
    async attempt() {
      if (!this.edited) return;
      this.busy = true;
      this.outcome = t("Trying…");
      try {
        const { problem } = await send("/destinations/trial", { id: this.edited.id, wanted: { ...this.wanted, name: this.name || "?" } });
        this.wentWell = !problem;
        this.outcome = problem || t("It works. Nothing was left there.");
      } catch (error) {
        this.wentWell = false;
        this.outcome = /** @type {Error} */ (error).message;
      }
      this.busy = false;
    },
    async keep() {
      if (!this.edited) return;
      const { id } = this.edited;
      try {
        const made = await send(id === null ? "/destinations" : `/destinations/${id}`, this.wanted);
        await this.reload();
        if (id === null) this.toggle(made);
        this.edited = null;
      } catch (error) {
        this.wentWell = false;
        this.outcome = /** @type {Error} */ (error).message;
      }
    },
    async remove() {
      if (!this.edited || this.edited.id === null) return;
      const { id, name } = this.edited;
      if (await mappe.command(`/destinations/${id}/remove`) === undefined) return;
      this.removed = { id, name };
      this.edited = null;
      await this.reload();
    },
    async takeBack() {
      if (this.removed) await mappe.command(`/destinations/${this.removed.id}/take-back`);
      this.removed = null;
      await this.reload();
    },
    get removedText() { return this.removed ? t("“{name}” is removed. What was filed there stays.", { name: this.removed.name }) : ""; },
  };
}

/** @param {Event} event */
function valueOf(event) { return /** @type {HTMLInputElement} */ (event.target).value; }
