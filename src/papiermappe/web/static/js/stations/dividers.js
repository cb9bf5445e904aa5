// Dividers to print, and codes of other kinds that count as such.
import { get } from "../http.js";
import { t } from "../words.js";

/** @param {any} mappe */
export function dividers(mappe) {
  return () => ({
    /** @type {{ id: number, text: string }[]} */
    rules: [],
    pattern: "",
    format: "",
    use: "divider",
    init() { this.load(); },
    async load() {
      try {
        const found = await get("/code-rules");
        this.rules = found.map((/** @type {any} */ { id, rule }) => ({ id, text: this.told(rule) }));
      } catch (error) { mappe.complain(error); }
    },
    /** Add names that are in use, a line each. @param {"tickets" | "destinations" | "mappen"} kind */
    async addNames(kind) {
      try {
        const known = await get("/divider-names");
        const field = /** @type {HTMLTextAreaElement} */ (this.$refs.names);
        const there = field.value.split("\n").map((line) => line.trim()).filter(Boolean);
        field.value = [...new Set([...there, ...known[kind]])].join("\n");
      } catch (error) { mappe.complain(error); }
    },
    /** @param {{ format: string | null, pattern: string, use: string }} rule */
    told({ format, pattern, use }) {
      const select = /** @type {HTMLSelectElement} */ (this.$refs.use);
      const formats = /** @type {HTMLSelectElement} */ (this.$refs.format);
      const word = (/** @type {HTMLSelectElement} */ field, /** @type {string} */ value) => field.querySelector(`option[value="${value}"]`)?.textContent ?? value;
      return t("{format} “{pattern}”: {use}", { format: word(formats, format ?? ""), pattern, use: word(select, use) });
    },
    /** @param {Event} event */
    take(event) {
      const field = /** @type {HTMLInputElement | HTMLSelectElement} */ (event.target);
      /** @type {any} */ (this)[field.name] = field.value;
    },
    get cannotAdd() { return !this.pattern.trim(); },
    async add() {
      const rule = { format: this.format || null, pattern: this.pattern.trim(), use: this.use };
      if ((await mappe.command("/code-rules", rule)) !== undefined) this.pattern = "";
      await this.load();
    },
    /** @param {number} id */
    async remove(id) {
      await mappe.command(`/code-rules/${id}/remove`);
      await this.load();
    },
    close() { /** @type {HTMLDialogElement} */ (document.getElementById("dividers")).close(); },
  });
}
