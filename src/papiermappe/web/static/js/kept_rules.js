// The naming rules that are kept: chosen, kept as changed, renamed, removed, taken back.
import { get } from "./http.js";
import { t } from "./words.js";

/** @param {any} mappe @param {any[]} rules as they are kept @param {() => any} naming which uses one of them */
export function createKeptRules(mappe, rules, naming) {
  return {
    list: rules,
    /** @type {number | null} the rule that a person has chosen; none: that of the destination */
    chosenId: null,
    newName: "",
    /** @type {{ id: number, name: string } | null} the rule that was removed last */
    removed: null,
    get kept() { return this.list.find(({ id }) => id === (this.chosenId ?? naming().told?.rule_id)) ?? this.list[0]; },
    get options() { return this.list.map(({ id, name }) => ({ value: String(id), text: name, chosen: id === this.kept?.id })); },
    /** @param {Event} event */
    choose(event) {
      this.chosenId = Number(/** @type {HTMLSelectElement} */ (event.target).value);
      naming().backToRule();
    },
    async reload() {
      this.list = await get("/naming-rules");
      naming().ask();
    },
    async keep() {
      const rule = naming().changed;
      if (await mappe.command(`/naming-rules/${this.kept.id}/rule`, rule) === undefined) return;
      await this.reload();
      naming().changed = null;
    },
    /** @param {Event} event */
    typeName(event) { this.newName = /** @type {HTMLInputElement} */ (event.target).value; },
    async keepAs() {
      const id = await mappe.command("/naming-rules", { name: this.newName, rule: naming().rule });
      if (id === undefined) return;
      await this.reload();
      this.chosenId = id;
      naming().changed = null;
      this.newName = "";
    },
    async rename() {
      if (await mappe.command(`/naming-rules/${this.kept.id}/name`, { name: this.newName }) === undefined) return;
      this.newName = "";
      await this.reload();
    },
    get cannotKeepAs() { return !this.newName.trim(); },
    get isDefault() { return Boolean(this.kept?.is_default); },
    async makeDefault() { await mappe.command(`/naming-rules/${this.kept.id}/default`); await this.reload(); },
    async remove() {
      const { id, name } = this.kept;
      if (await mappe.command(`/naming-rules/${id}/remove`) === undefined) return;
      this.removed = { id, name };
      this.chosenId = null;
      naming().changed = null;
      await this.reload();
    },
    async takeBack() {
      if (this.removed) await mappe.command(`/naming-rules/${this.removed.id}/take-back`);
      this.removed = null;
      await this.reload();
    },
    get removedText() { return this.removed ? t("The rule “{name}” is removed.", { name: this.removed.name }) : ""; },
  };
}
