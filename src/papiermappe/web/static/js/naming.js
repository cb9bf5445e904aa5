// The name of what is filed: a rule whose parts are chips in the name, each changed in place.
import { Lost, send } from "./http.js";
import { DAYS, FORMS, KINDS, LETTERS, RESTARTS, SAID, SEPARATORS, kindWord, options } from "./name_parts.js";
import { numberIn } from "./numbers.js";
import { t } from "./words.js";

/** @typedef {import("./name_parts.js").Part} Part */

const ASK_AFTER_MS = 120;
const KEPT_WHO = "papiermappe.who";
const SURE = 0.5;
const DRAG_FROM_PX = 6;
/**
 * @param {any} mappe
 * @param {{ command: () => Record<string, unknown>, rules: () => any }} station what is to be filed, but for its name, and the rules that are kept
 */
export function createNaming(mappe, station) {
  let asking = 0;
  let asked = 0;
  return {
    /** @type {any} the rule as it is changed for this once */
    changed: null,
    /** @type {Record<string, string>} what a person has said instead of the page: `dated`, `sender`, `number`, `kind` */
    byHand: {},
    /** @type {{ rule_id: number, rule: any, texts: string[], names: string[], documents: number, waits: boolean } | null} as the server tells it */
    told: null,
    problem: "",
    /** @type {number | "ending" | null} the chip that is being changed */
    chosen: null,

    // ---- what the server says

    /** What belongs to a filing of the name. */
    get wanted() { return { naming_rule: station.rules().chosenId, changed_rule: this.changed, by_hand: { ...this.byHand, who: this.who } }; },
    /** When this changes, the name may. */
    get question() {
      const { subject, printed, order, filings } = mappe;
      return JSON.stringify([station.command(), this.wanted, subject, printed.proposals, printed.days, order.length, order[0], filings.length]);
    },
    ask() {
      clearTimeout(asking);
      asking = window.setTimeout(() => this.askNow(), ASK_AFTER_MS);
    },
    async askNow() {
      asked += 1;
      const number = asked;
      if (!mappe.pageCount) { this.told = null; this.problem = ""; return; }
      try {
        const told = await send(`/mappen/${mappe.id}/name`, { ...station.command(), ...this.wanted });
        if (number !== asked) return;
        this.told = told;
        this.problem = "";
      } catch (error) {
        if (number === asked && !(error instanceof Lost)) this.problem = /** @type {Error} */ (error).message;
      }
    },
    get rule() { return this.changed ?? this.told?.rule ?? station.rules().kept?.rule ?? null; },
    get isChanged() { return this.changed !== null; },

    // ---- the chips

    get chips() {
      const parts = this.rule?.parts ?? [];
      const shown = this.told?.texts.length === parts.length ? this.told?.texts : null;
      return parts.map((/** @type {Part} */ part, /** @type {number} */ at) => ({
        at, id: String(at), isFolder: part.kind === "folder", isPart: part.kind !== "folder",
        text: part.kind === "folder" ? "/" : (this.isBeingRead(part) ? "" : (shown?.[at] ?? "")) || "…",
        label: part.kind === "folder" ? t("folder") : this.labelOf(part, shown?.[at] ?? ""),
        before: at && part.kind !== "folder" && parts[at - 1].kind !== "folder" ? this.rule.separator : "",
        pressed: this.chosen === at ? "true" : "false",
        tone: part.kind !== "folder" && !shown?.[at] ? this.doubt(part) ? "doubtful" : "unknown" : "",
      }));
    },
    /** Whether a part is made of what page 1 says, which has still to be read. @param {Part} part */
    isBeingRead(part) {
      if (!this.told?.waits) return false;
      if (part.kind === "date") return part.source === "printed" && !this.byHand.dated;
      if (part.kind === "subject") return !mappe.subject;
      return (SAID.includes(part.kind) && this.byHand[part.kind] === undefined) || part.kind === "place" || part.kind === "pattern";
    },
    get waitsText() { return this.told?.waits ? t("Page 1 has not been read yet. What is filed now gets its name as soon as it has been.") : ""; },
    /** @param {Part} part @param {string} text what it gives */
    labelOf(part, text) {
      if (part.kind === "date" && !this.isBeingRead(part)) {
        if (part.source !== "printed") return DAYS[/** @type {keyof typeof DAYS} */ (part.source)]();
        return this.dayOnPage ? t("date on page {page}", { page: this.dayOnPage }) : t("today, no date read");
      }
      /** @type {Record<string, string>} */
      const labels = {
        date: t("date"), subject: t("subject"), sender: t("sender"), kind: t("kind"), number: t("printed number"), counter: t("counter"),
        text: t("fixed"), place: t("place"), pattern: t("pattern"), device: t("device"), ticket: t("ticket"), who: t("who"),
      };
      if (this.isBeingRead(part)) return t("{what}, not read yet", { what: labels[part.kind] });
      if (part.kind === "subject" && text && !mappe.subject) return this.proposals.subject?.confidence >= SURE ? t("subject on page 1") : t("kind and number, no subject read");
      if (text) return this.byHand[part.kind] === undefined ? labels[part.kind] : t("{what}, by hand", { what: labels[part.kind] });
      return this.doubt(part) ? t("{what}, doubtful", { what: labels[part.kind] }) : t("{what}, not known", { what: labels[part.kind] });
    },
    get proposals() { return mappe.printed.proposals ?? {}; },
    /** What a page says doubtfully is left out of the name until somebody takes it. @param {Part} part */
    doubt(part) {
      const said = this.proposals[part.kind];
      return SAID.includes(part.kind) && said && said.confidence < SURE && this.byHand[part.kind] === undefined ? said : null;
    },
    get dayMeant() {
      const said = this.proposals.date;
      return this.byHand.dated ?? (said && said.confidence >= SURE ? said.value : "");
    },
    get dayOnPage() { return this.dayMeant ? (mappe.printed.days.find((/** @type {any} */ { day }) => day === this.dayMeant)?.page ?? 1) : 0; },
    get ending() { return this.told?.names[0]?.match(/\.\w+$/)?.[0] ?? ""; },
    get endingPressed() { return this.chosen === "ending" ? "true" : "false"; },
    /** The name as it is read out, and where several documents are made, what the others are called. */
    get wholeName() { return this.told?.names[0] ?? mappe.fileName; },
    get isSeveral() { return (this.told?.documents ?? 1) > 1; },
    get severalText() {
      const { names, documents } = this.told ?? { names: [], documents: 1 };
      const others = names.slice(1).map((name) => name.replace(/^.*\//, "")).join(", ");
      return names.length < documents ? t("{documents} documents; the next are {names} …", { documents, names: others }) : t("{documents} documents; the next is {names}", { documents, names: others });
    },

    // ---- changing the rule

    /** @param {number | "ending"} at */
    choose(at) { this.chosen = this.chosen === at ? null : at; station.rules().newName = ""; },
    chooseEnding() { this.choose("ending"); },
    close() { this.chosen = null; },
    backToRule() { this.changed = null; this.chosen = null; },
    get hasPart() { return typeof this.chosen === "number" && Boolean(this.part.kind); },
    get hasEnding() { return this.chosen === "ending"; },
    /** @returns {Part} the one that is being changed */
    get part() { return (typeof this.chosen === "number" ? this.rule?.parts[this.chosen] : null) ?? { kind: "" }; },
    /** @param {(rule: any) => any} change */
    change(change) { this.changed = change(JSON.parse(JSON.stringify(this.rule))); },
    /** @param {Record<string, unknown>} values of the part that is being changed */
    set(values) { this.change((rule) => { Object.assign(rule.parts[/** @type {number} */ (this.chosen)], values); return rule; }); },
    /** @param {Event} event a field that says which value it is in `data-name` */
    setFrom(event) {
      const field = /** @type {HTMLInputElement} */ (event.target);
      if (field.dataset.number === undefined) {
        if (field.value.trim()) this.set({ [field.dataset.name ?? ""]: field.value.trim() });
        else field.value = this.part[field.dataset.name ?? ""];
        return;
      }
      const typed = numberIn(field.value);
      const [least, most] = [Number(field.min), Number(field.max)];
      if (typed !== null && typed >= least && typed <= most) this.set({ [field.dataset.name ?? ""]: typed });
      field.value = String(this.part[field.dataset.name ?? ""]);
    },
    /** @param {Event} event a field of the rule as a whole */
    setRule(event) {
      const field = /** @type {HTMLInputElement} */ (event.target);
      const name = field.dataset.name ?? "";
      this.change((rule) => {
        if (name === "small") rule.small = !field.checked;
        else if (name === "max_characters") rule.max_characters = Math.min(Math.max(Math.round(numberIn(field.value) ?? 120), 20), 180);
        else rule[name] = field.value;
        return rule;
      });
    },
    /** @param {-1 | 1} by */
    shift(by) {
      const at = /** @type {number} */ (this.chosen);
      this.put(at, at + by);
    },
    shiftLeft() { this.shift(-1); },
    shiftRight() { this.shift(1); },
    get isFirst() { return this.chosen === 0; },
    get isLast() { return this.chosen === (this.rule?.parts.length ?? 0) - 1; },
    /** Lay a part elsewhere in the name. @param {number} from @param {number} to */
    put(from, to) {
      const parts = this.rule?.parts ?? [];
      if (to < 0 || to >= parts.length || from === to) return;
      const order = [...parts];
      order.splice(to, 0, ...order.splice(from, 1));
      if (order[order.length - 1].kind === "folder") return;
      this.change((rule) => ({ ...rule, parts: order }));
      this.chosen = to;
    },
    get canTakeOut() { return this.rule?.parts.filter((/** @type {Part} */ part) => part.kind !== "folder").length > 1 || this.part.kind === "folder"; },
    takeOut() {
      const at = /** @type {number} */ (this.chosen);
      this.chosen = null;
      this.change((rule) => {
        rule.parts.splice(at, 1);
        while (rule.parts[rule.parts.length - 1].kind === "folder") rule.parts.pop();
        return rule;
      });
    },
    get kindsToAdd() {
      const has = new Set((this.rule?.parts ?? []).map((/** @type {Part} */ { kind }) => kind));
      return Object.entries(KINDS).filter(([kind]) => kind !== "counter" || !has.has("counter")).map(([value, { name }]) => ({ value, text: name() }));
    },
    /** A new part is the last; a folder begins the name. @param {Event} event */
    add(event) {
      const field = /** @type {HTMLSelectElement} */ (event.target);
      const made = KINDS[field.value]?.made();
      field.value = "";
      if (!made || !this.rule) return;
      const at = made.kind === "folder" ? 1 : this.rule.parts.length;
      if (made.kind === "folder" && this.rule.parts.length < 2) return;
      this.change((rule) => { rule.parts.splice(at, 0, made); return rule; });
      this.chosen = at;
    },

    // ---- a part by its kind

    get isDate() { return this.part.kind === "date"; },
    get isPrintedDate() { return this.isDate && this.part.source === "printed"; },
    get isSubject() { return this.part.kind === "subject"; },
    get isSaid() { return SAID.includes(this.part.kind); },
    get isText() { return this.part.kind === "text"; },
    get isCounter() { return this.part.kind === "counter"; },
    get isPlace() { return this.part.kind === "place"; },
    get isPattern() { return this.part.kind === "pattern"; },
    get isDevice() { return this.part.kind === "device"; },
    get isTicket() { return this.part.kind === "ticket"; },
    get isWho() { return this.part.kind === "who"; },
    who: localStorage.getItem(KEPT_WHO) ?? "",
    /** @param {Event} event */
    setWho(event) {
      this.who = /** @type {HTMLInputElement} */ (event.target).value.trim();
      localStorage.setItem(KEPT_WHO, this.who);
    },
    get isFolder() { return this.part.kind === "folder"; },
    get dayOptions() { return options(DAYS, this.part.source); },
    get formOptions() { return options(FORMS, this.part.form); },
    get restartOptions() { return options(RESTARTS, this.part.restarts); },
    get separatorOptions() { return options(SEPARATORS, this.rule?.separator); },
    get letterOptions() { return options(LETTERS, this.rule?.letters); },
    get hasCapitals() { return this.rule ? !this.rule.small : false; },
    get longest() { return this.rule?.max_characters ?? 120; },
    get days() {
      const printed = mappe.printed.days.map((/** @type {any} */ { day, page }) => ({ value: day, text: t("{day}, printed on page {page}", { day, page }) }));
      return [{ value: "", text: t("as page 1 says") }, ...printed].map((day) => ({ ...day, chosen: day.value === (this.byHand.dated ?? "") }));
    },
    /** @param {Event} event */
    chooseDay(event) { this.say("dated", /** @type {HTMLSelectElement} */ (event.target).value); },
    /** @param {string} what @param {string} value nothing: as the page says */
    say(what, value) {
      const { [what]: _, ...others } = this.byHand;
      this.byHand = value ? { ...others, [what]: value } : others;
    },
    get said() { return this.proposals[this.part.kind] ?? null; },
    get saidValue() { return this.part.kind === "kind" ? kindWord(this.said?.value ?? "") : (this.said?.value ?? ""); },
    get typedValue() { return this.byHand[this.part.kind] ?? (this.doubt(this.part) ? "" : this.saidValue); },
    get saidText() {
      if (!this.said) return t("Page 1 does not say it, or has not been read yet.");
      const told = { value: this.saidValue, words: this.said.from };
      return this.said.confidence < SURE ? t("Page 1 says {value}, not surely: “{words}”", told) : t("Page 1 says {value}: “{words}”", told);
    },
    get canTake() { return Boolean(this.said) && this.byHand[this.part.kind] === undefined && this.said.confidence < SURE; },
    get canForget() { return this.byHand[this.part.kind] !== undefined; },
    takeSaid() { this.say(this.part.kind, this.saidValue); },
    forgetTyped() { this.say(this.part.kind, ""); },
    /** @param {Event} event */
    type(event) {
      const { value } = /** @type {HTMLInputElement} */ (event.target);
      this.say(this.part.kind, value.trim() === this.saidValue && !this.doubt(this.part) ? "" : value.trim());
    },
    get saidLabel() { return { sender: t("Sender"), number: t("Printed number"), kind: t("Kind of document") }[this.part.kind] ?? ""; },
    // ---- moving chips by dragging them

    /** @param {PointerEvent} event */
    grab(event) {
      const chip = /** @type {HTMLElement} */ (event.currentTarget);
      if (event.button !== 0) return;
      let at = Number(chip.dataset.part);
      let dragged = false;
      const from = event.clientX;
      const move = (/** @type {PointerEvent} */ moved) => {
        if (!dragged && Math.abs(moved.clientX - from) < DRAG_FROM_PX) return;
        dragged = true;
        const over = document.elementFromPoint(moved.clientX, moved.clientY)?.closest("[data-part]");
        const to = over instanceof HTMLElement ? Number(over.dataset.part) : at;
        if (to !== at) { this.put(at, to); at = this.chosen === to ? to : at; }
      };
      const done = () => {
        document.removeEventListener("pointermove", move);
        document.removeEventListener("pointerup", done);
        document.removeEventListener("pointercancel", done);
        if (dragged) document.addEventListener("click", (click) => click.stopPropagation(), { capture: true, once: true });
      };
      document.addEventListener("pointermove", move);
      document.addEventListener("pointerup", done);
      document.addEventListener("pointercancel", done);
    },
  };
}
