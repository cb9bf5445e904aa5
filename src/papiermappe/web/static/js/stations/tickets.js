// At the Intake: choosing a ticket, keeping, naming, copying and removing one.
import { get } from "../http.js";
import { t } from "../words.js";
import { letGo } from "../keys.js";

/** @param {any} mappe @param {any} tickets */
export function keptTickets(mappe, tickets) {
  return () => ({
    /** @type {"" | "keep" | "rename"} what the name that is typed is for */
    naming: "",
    /** @type {{ id: number, name: string } | null} */
    removed: null,

    get kept() {
      return tickets.kept.map((/** @type {any} */ ticket) => ({ ...ticket, pressed: ticket.id === tickets.chosenId ? "true" : "false" }));
    },
    get isChanged() { return tickets.changed.length > 0; },
    get isPlain() { return !this.isChanged && !this.naming; },
    get keepLabel() { return t("Keep in “{name}”", { name: tickets.chosen?.name ?? "" }); },
    get canBeDefault() { return tickets.kept.length > 1 && !tickets.chosen?.is_default; },
    get isDefault() { return tickets.kept.length > 1 && Boolean(tickets.chosen?.is_default); },
    get canBeRemoved() { return tickets.kept.length > 1; },
    get nameLabel() { return this.naming === "keep" ? t("Name of the new ticket") : t("Name of this ticket"); },
    get nameButton() { return this.naming === "keep" ? t("Keep") : t("Rename"); },
    /** @param {number} id @param {MouseEvent} event */
    choose(id, event) {
      tickets.choose(id);
      this.naming = "";
      letGo(event);
    },
    back() { tickets.back(); },
    keepChange() { return this.own("settings", tickets.wish); },
    askNewName() { this.ask("keep", ""); },
    askName() { this.ask("rename", tickets.chosen.name); },
    /** @param {"keep" | "rename"} what @param {string} name */
    ask(what, name) {
      this.naming = what;
      this.$nextTick(() => { this.$refs.name.value = name; this.$refs.name.select(); this.$refs.name.scrollIntoView({ block: "center" }); });
    },
    cancelName() { this.naming = ""; },
    async name() {
      const name = this.$refs.name.value.trim();
      const { naming } = this;
      if (!name) return;
      const done = naming === "keep"
        ? await this.become(mappe.command("/tickets", { name, settings: tickets.wish }))
        : await this.own("name", { name });
      if (done !== undefined) this.naming = "";
    },
    duplicate() { return this.become(mappe.command(`/tickets/${tickets.chosenId}/duplicate`)); },
    makeDefault() { return this.own("default"); },
    async remove() {
      const { id, name } = tickets.chosen;
      if (await this.own("remove") !== undefined) this.removed = { id, name };
    },
    get ruleOptions() {
      const now = tickets.chosen?.naming_rule_id ?? null;
      const named = tickets.rules.map((/** @type {any} */ { id, name }) => ({ value: String(id), text: name, chosen: id === now }));
      return [{ value: "", text: t("their destination’s rule"), chosen: now === null }, ...named];
    },
    /** @param {Event} event */
    nameBy(event) { return this.own("naming-rule", { rule: Number(/** @type {HTMLSelectElement} */ (event.target).value) || null }); },
    get removedText() { return this.removed ? t("The ticket {name} is removed.", { name: this.removed.name }) : ""; },
    takeBack() {
      const { id } = /** @type {{ id: number }} */ (this.removed);
      this.removed = null;
      return this.become(mappe.command(`/tickets/${id}/take-back`).then(() => id));
    },
    /** Choose the ticket that a command answers with. @param {Promise<number | undefined>} command */
    async become(command) {
      const id = await command;
      await this.refresh();
      if (id !== undefined) tickets.choose(id);
      return id;
    },
    /** @param {string} path @param {unknown} [body] */
    async own(path, body) {
      const done = await mappe.command(`/tickets/${tickets.chosenId}/${path}`, body);
      await this.refresh();
      return done;
    },
    async refresh() { tickets.apply(await get("/devices")); },
  });
}
