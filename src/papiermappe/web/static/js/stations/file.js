// The station File: the look and size of each level, the name, what to check, and the filing.
import { createExtras } from "../extras.js";
import { LEVELS, createLook } from "../look.js";
import { createKeptRules } from "../kept_rules.js";
import { createNamePlace } from "../name_place.js";
import { createNaming } from "../naming.js";
import { printDocument } from "../printing.js";
import { createPlaces } from "../places.js";
import { createUnsettled } from "../unsettled.js";
import { clock, length, listed, pages, sheets, size, t } from "../words.js";

const MOST_LETTERS = 120;
const SURE = 0.5;

/** @param {any} mappe @param {any} facts */
export function file(mappe, facts) {
  const formats = [
    { value: ".pdf", text: t("as PDF/A") },
    { value: ".tif", text: t("as TIFF") },
    { value: ".jpg", text: t("as JPEG"), onePage: true },
    { value: ".png", text: t("as PNG"), onePage: true },
    { value: ".html", text: t("as web page") },
    { value: ".docx", text: t("as editable text (.docx)"), words: true },
    { value: ".txt", text: t("as plain text"), words: true },
    { value: ".xml", text: t("as text with positions (ALTO)"), words: true },
  ];
  const modes = [{ value: "accurate", text: t("accurately") }, { value: "fast", text: t("fast") }];

  return () => ({
    busy: false,
    /** @type {any} */
    look: null,
    /** @type {any} */
    extras: null,
    /** @type {any} */
    unsettled: createUnsettled(mappe.id),
    languages: facts.reading.languages,
    mode: facts.reading.mode,
    chosenDivision: "one",
    every: 2,
    /** @type {any} */
    naming: null,
    /** @type {any} */
    rules: null,
    /** @type {any} */
    namePlace: null,
    /** @type {number | null} the filing that is to be downloaded as soon as it is made */
    awaited: null,
    chosenFormat: ".pdf",
    /** @type {any} */
    places: null,
    chosenWhich: "all",
    ranges: "",

    init() {
      this.look = createLook(mappe, { isPdf: () => this.isPdf, isRead: () => this.isRead, counted: () => ({ count: this.countMeant, files: this.filesMeant }) });
      this.extras = createExtras(() => this.format);
      this.places = createPlaces(mappe, facts.destinations, (destination) => this.takeForm(destination));
      const [first, ...others] = this.places.list.filter((/** @type {any} */ { id }) => this.places.chosen.includes(id));
      if (first && !others.length) this.takeForm(first);
      this.rules = createKeptRules(mappe, facts.naming_rules, () => this.naming);
      this.naming = createNaming(mappe, { command: () => this.command, rules: () => this.rules });
      this.namePlace = createNamePlace(mappe, () => this.naming);
      this.$watch("naming.question", () => this.naming.ask());
      this.naming.askNow();
      this.$watch("ready", () => this.downloadReady());
      mappe.on("pages", () => { this.look.ask(); if (this.naming.waitsText) this.naming.ask(); });
      mappe.on("selection", () => this.look.ask());
      this.look.ask();
    },
    destroy() { this.look.stopAsking(); },

    // ---- form

    get readings() {
      const known = facts.languages;
      const single = known.map((/** @type {string[]} */ [code, name]) => ({ value: code, text: name }));
      const pairs = known.flatMap((/** @type {string[]} */ [code, name], /** @type {number} */ at) => known.slice(at + 1).map((/** @type {string[]} */ [other, second]) => (
        { value: `${code}+${other}`, text: t("{first} and {second}", { first: name, second }) })));
      const all = [...(known.length <= 4 ? pairs.reverse() : []), ...single, { value: "", text: t("no text recognition") }];
      return all.map((reading) => ({ ...reading, chosen: sameLanguages(reading.value, this.languages) }));
    },
    get modes() { return modes.map((mode) => ({ ...mode, chosen: mode.value === this.mode })); },
    get isRead() { return Boolean(this.languages); },
    /** @param {Event} event */
    chooseLanguages(event) { this.languages = valueOf(event); },
    /** @param {Event} event */
    chooseMode(event) { this.mode = valueOf(event); },
    /** A destination that was chosen says how documents are made for it. @param {any} destination */
    takeForm({ form }) {
      if (form.format) this.chosenFormat = form.format;
      if (form.level) this.look.level = form.level;
      if (form.languages !== undefined && form.languages !== null) this.languages = form.languages;
    },
    get placeRules() {
      const now = this.places.edited?.naming_rule_id ?? null;
      const kept = this.rules.list.map((/** @type {any} */ { id, name }) => ({ value: String(id), text: name, chosen: id === now }));
      return [{ value: "", text: t("the default one"), chosen: now === null }, ...kept];
    },
    get placeFormats() { return this.places.formChoices("format", formats); },
    get placeLevels() { return this.places.formChoices("level", LEVELS.map(({ level, name }) => ({ value: level, text: name }))); },
    get placeLanguages() { return this.places.formChoices("languages", this.readings); },
    // Formats that hold one page are offered where there is one, formats of text where it can be read.
    get formatsOffered() { return formats.filter((format) => (!format.onePage || this.countMeant === 1 || this.division === "page") && (!format.words || facts.languages.length)); },
    get formats() { return this.formatsOffered.map((format) => ({ ...format, chosen: format.value === this.format })); },
    get format() { return this.formatsOffered.some((format) => format.value === this.chosenFormat) ? this.chosenFormat : ".pdf"; },
    get isPdf() { return this.format === ".pdf"; },
    /** @param {Event} event */
    chooseFormat(event) { this.chosenFormat = valueOf(event); },
    // ---- which pages

    get choices() {
      const { sides } = this;
      const offered = [{ value: "all", text: t("all, {pages}", { pages: pages(mappe.pageCount) }) }];
      if (sides.front && sides.back) offered.push({ value: "fronts", text: t("fronts, {pages}", { pages: pages(sides.front) }) }, { value: "backs", text: t("backs, {pages}", { pages: pages(sides.back) }) });
      if (mappe.selectedCount) offered.push({ value: "chosen", text: t("the {count} selected", { count: mappe.selectedCount }) });
      if (mappe.pageCount > 1) offered.push({ value: "ranges", text: t("some, by number") });
      return offered.map((choice) => ({ ...choice, chosen: choice.value === this.chosenWhich }));
    },
    get sides() {
      const sides = { front: 0, back: 0 };
      for (const id of mappe.order) sides[/** @type {"front" | "back"} */ (mappe.page(id).side)] += 1;
      return sides;
    },
    /** How many pages are meant; none where that is not known before the server has read the ranges. */
    get countMeant() {
      /** @type {Record<string, number>} */
      const counts = { all: mappe.pageCount, fronts: this.sides.front, backs: this.sides.back, chosen: mappe.selectedCount };
      return counts[this.which] ?? null;
    },
    /** How many documents they become, as far as that is known here. */
    get filesMeant() {
      if (this.division === "page") return this.countMeant ?? 1;
      return this.isEvery && this.countMeant ? Math.ceil(this.countMeant / this.every) : 1;
    },
    get which() { return this.choices.some((/** @type {any} */ choice) => choice.value === this.chosenWhich) ? this.chosenWhich : "all"; },
    get hasRanges() { return this.which === "ranges"; },
    /** @param {Event} event */
    chooseWhich(event) { this.chosenWhich = valueOf(event); },
    /** @param {Event} event */
    typeRanges(event) { this.ranges = /** @type {HTMLInputElement} */ (event.target).value; },
    get divisions() {
      const offered = [{ value: "one", text: t("in one document") }];
      if (mappe.pageCount > 1) offered.push({ value: "page", text: t("one document a page") }, { value: "every", text: t("one every so many pages") });
      if (mappe.sheets.some((/** @type {any} */ sheet) => sheet.start)) offered.push({ value: "parts", text: t("one a part, as cut") });
      return offered.map((division) => ({ ...division, chosen: division.value === this.division }));
    },
    get division() { return this.chosenDivision === "parts" && !mappe.sheets.some((/** @type {any} */ sheet) => sheet.start) ? "one" : this.chosenDivision; },
    get isEvery() { return this.division === "every"; },
    /** @param {Event} event */
    chooseDivision(event) { this.chosenDivision = valueOf(event); },
    /** @param {Event} event */
    typeEvery(event) {
      const typed = Math.round(Number(/** @type {HTMLInputElement} */ (event.target).value));
      if (typed >= 1 && typed <= 10_000) this.every = typed;
    },
    // ---- a later version of what was filed

    /** @type {number | null} */
    chosenReplaced: null,
    get replaceable() {
      const documents = mappe.filings.filter((/** @type {any} */ { state }) => state === "made").flatMap((/** @type {any} */ filing) => filing.documents);
      const replaced = new Set(mappe.filings.flatMap((/** @type {any} */ filing) => filing.documents.map((/** @type {any} */ document) => document.replaces)));
      return documents.filter((/** @type {any} */ { id }) => !replaced.has(id));
    },
    get canReplace() { return this.replaceable.length > 0 && this.division === "one"; },
    get replaced() { return this.canReplace && this.replaceable.some((/** @type {any} */ { id }) => id === this.chosenReplaced) ? this.chosenReplaced : null; },
    get versions() {
      const offered = this.replaceable.map((/** @type {any} */ { id, file_name: name }) => ({ value: String(id), text: t("a later version of {name}", { name }), chosen: id === this.replaced }));
      return [{ value: "", text: t("a new document"), chosen: this.replaced === null }, ...offered];
    },
    /** @param {Event} event */
    chooseVersion(event) { this.chosenReplaced = Number(valueOf(event)) || null; },
    /** What is to be filed, but for its name. */
    get command() {
      return {
        replaces: this.replaced,
        destinations: this.places.chosen, level: this.look.level, languages: this.languages.split("+").filter(Boolean), mode: this.mode, format: this.format,
        which: this.which, chosen: this.which === "chosen" ? mappe.selectedIds : [], ranges: this.hasRanges ? this.ranges : "",
        division: this.division === "page" ? "every" : this.division, every: this.isEvery ? this.every : 1,
      };
    },

    // ---- what the first page says

    get said() { return mappe.printed.proposals ?? {}; },
    get proposals() {
      const said = this.said.subject;
      if (!said) return [];
      return [{ value: said.value, told: t("The page says: {words}", { words: said.from }), pressed: mappe.subject.includes(said.value) ? "true" : "false" }];
    },
    get hasProposals() { return this.proposals.length > 0; },
    /** Name the Mappe by what its first page is about, or no more. @param {string} value */
    useProposal(value) {
      const left = mappe.subject.includes(value) ? mappe.subject.replace(value, " ") : value;
      mappe.own("subject", { subject: left.replace(/\s+/g, " ").trim().slice(0, MOST_LETTERS) });
    },

    // ---- before filing

    get checks() { return checksOf(mappe, facts, Boolean(this.naming?.waitsText)); },

    // ---- filings

    get filings() {
      return mappe.filings.map((/** @type {any} */ filing) => {
        const state = stateOf(filing);
        return {
          ...filing, tone: state, making: isMaking(filing), canStop: isMaking(filing) || state === "waiting", done: filing.state === "made",
          ended: ["failed", "stopped", "waiting"].includes(state), isSeveral: filing.document_count > 1 && filing.state === "made", zip: `/filings/${filing.id}/documents.zip`,
          again: state === "stopped" ? t("Continue") : state === "waiting" ? t("Try now") : t("Try again"), lines: linesOf(filing), madeText: filing.made?.text ?? "",
          documents: filing.documents.map((/** @type {any} */ document) => ({ ...document, name: document.file_name || t("named as soon as page 1 has been read"), open: `/documents/${document.id}/open`, download: `/documents/${document.id}/download`, slip: `/documents/${document.id}/slip`, isPdf: document.file_name.endsWith(".pdf") })),
          ...this.othersOf(filing),
          more: filing.document_count > filing.documents.length ? t("and {count} more", { count: filing.document_count - filing.documents.length }) : "",
        };
      });
    },
    /** The address of what is to be downloaded and is made by now. */
    get ready() {
      const filing = this.filings.find((/** @type {any} */ { id, done }) => id === this.awaited && done);
      if (!filing) return "";
      return filing.isSeveral ? filing.zip : filing.documents[0].download;
    },
    downloadReady() {
      if (!this.ready) return;
      const link = document.createElement("a");
      link.href = this.ready;
      this.awaited = null;
      link.click();
    },
    /** Where the documents of a filing do not go yet. @param {any} filing */
    othersOf(filing) {
      const there = new Set(filing.deliveries.map((/** @type {any} */ { destination }) => destination));
      const others = this.places.list.filter((/** @type {any} */ { name, settings }) => !there.has(name) && settings.kind !== "download");
      return { others: others.map((/** @type {any} */ { id, name }) => ({ value: String(id), text: name })), canSend: filing.state === "made" && others.length > 0 };
    },
    /** @param {number} id @param {Event} event */
    sendOn(id, event) {
      const field = /** @type {HTMLSelectElement} */ (event.target);
      const destination = Number(field.value);
      field.value = "";
      if (destination) mappe.command(`/filings/${id}/deliveries`, { destination });
    },
    /** @param {string} address */
    print(address) { printDocument(address); },
    /** @param {string} text */
    copy(text) { navigator.clipboard?.writeText(text); },
    get fileLabel() { return this.filings.some((/** @type {any} */ filing) => filing.done) ? t("File another copy") : t("File it"); },
    get noteBelow() { return this.unsettled.waits ? this.unsettled.text : t("The scans stay as they are."); },
    get cannotFile() { return this.busy || this.places.none || !mappe.pageCount || this.filings.some((/** @type {any} */ filing) => filing.making); },
    /** What was just typed comes first: leaving a field sends it, and the filing waits for that, and for pages that will still change by themselves. */
    async fileIt() {
      if (this.cannotFile) return;
      this.busy = true;
      if (document.activeElement instanceof HTMLElement && document.activeElement.matches("input")) document.activeElement.blur();
      await mappe.settled();
      const wanted = await this.unsettled.over();
      const filed = wanted ? await mappe.own("filings", { ...this.command, ...this.naming.wanted, ...this.extras.wanted }) : undefined;
      if (filed !== undefined) {
        this.extras.filed();
        this.chosenReplaced = null;
        this.naming.byHand = {};
        if (this.places.downloads) this.awaited = filed;
      }
      this.busy = false;
    },
    /** @param {number} id */
    stop(id) { mappe.command(`/filings/${id}/stop`); },
    /** @param {number} id */
    tryAgain(id) { mappe.command(`/filings/${id}/try-again`); },
  });
}

/** @param {Event} event */
function valueOf(event) { return /** @type {HTMLSelectElement} */ (event.target).value; }

/** @param {string} one @param {string} other */
function sameLanguages(one, other) { return one.split("+").sort().join() === other.split("+").sort().join(); }

/** @param {any} mappe @param {any} facts @param {boolean} waits whether page 1 has still to be read for the name */
function checksOf(mappe, facts, waits) {
  const at = (/** @type {string} */ station) => `/mappen/${mappe.id}/${station}`;
  if (!mappe.pageCount) return [{ tone: "warn", text: t("There is no page in this Mappe yet."), href: at("intake") }];
  const all = { pages: pages(mappe.pageCount), sheets: sheets(mappe.sheetCount) };
  const aside = mappe.aside.length;
  const checks = [{ tone: "good", text: aside ? t("{pages} on {sheets}; {aside} set aside", { ...all, aside: pages(aside) }) : t("{pages} on {sheets}", all), href: "" }];
  if (!facts.destinations.length) checks.push({ tone: "warn", text: t("There is no folder to file into yet."), href: "" });
  if (mappe.receiving) checks.push({ tone: "warn", text: t("Pages are still being scanned."), href: at("intake") });
  const waiting = mappe.order.filter((/** @type {number} */ id) => !mappe.page(id).analysed).length;
  if (waiting) checks.push({ tone: "wait", text: t("{count} page is still being examined", "{count} pages are still being examined", { count: waiting }), href: "" });
  const sizes = new Set(mappe.order.map((/** @type {number} */ id) => `${length(mappe.page(id).width_mm)} × ${length(mappe.page(id).height_mm)} mm`));
  checks.push(sizes.size === 1 ? { tone: "good", text: t("All pages {size}", { size: [...sizes][0] }), href: "" } : { tone: "note", text: t("Pages of {count} sizes", { count: sizes.size }), href: at("order") });
  const { out_of_place: outOfPlace, missing, twice } = mappe.printed;
  if (outOfPlace) checks.push({ tone: "warn", text: t("By their printed numbers, {count} sheet is out of place", "By their printed numbers, {count} sheets are out of place", { count: outOfPlace }), href: at("order") });
  if (missing.length) checks.push({ tone: "warn", text: missing.length === 1 ? t("Printed page {pages} is missing", { pages: listed(missing) }) : t("Printed pages {pages} are missing", { pages: listed(missing) }), href: at("order") });
  if (twice.length) checks.push({ tone: "warn", text: twice.length === 1 ? t("Printed page {pages} is there twice", { pages: listed(twice) }) : t("Printed pages {pages} are there twice", { pages: listed(twice) }), href: at("order") });
  const { subject } = mappe.printed.proposals ?? {};
  if (!waits && !mappe.subject && !(subject?.confidence >= SURE)) checks.push({ tone: "note", text: t("There is no subject: the name is made without it."), href: "" });
  for (const id of mappe.warned.slice(0, 5)) {
    checks.push({ tone: "warn", text: t("Page {number}: {what}", { number: mappe.numberOf(id), what: mappe.page(id).warnings[0].text }), href: `${at("tidy")}?page=${id}` });
  }
  return checks;
}

/** @param {any} filing */
function isMaking({ state }) { return state === "queued" || state === "making"; }

/** @param {any} filing */
function stateOf(filing) {
  if (filing.state !== "made") return filing.state;
  if (filing.deliveries.some((/** @type {any} */ delivery) => delivery.state === "failed")) return "failed";
  if (filing.deliveries.some((/** @type {any} */ delivery) => delivery.next_try_at)) return "waiting";
  return filing.deliveries.every((/** @type {any} */ delivery) => delivery.state === "delivered") ? "done" : "delivering";
}

/** What is told of a filing: how it is made, then each destination. @param {any} filing @returns {{ text: string, tone: string, place?: string }[]} */
function linesOf(filing) {
  if (filing.state === "failed" || filing.state === "stopped") return [{ text: filing.message?.text ?? "", tone: "" }];
  if (filing.stopping) return [{ text: t("Stopping…"), tone: "" }];
  if (isMaking(filing)) return [{ text: t("Making it: page {done} of {all}", { done: filing.pages_done, all: filing.page_count }), tone: "" }];
  return filing.deliveries.map((/** @type {any} */ delivery) => lineOf(filing, delivery));
}

/** @param {any} filing @param {any} delivery */
function lineOf(filing, { destination: where, state, message, next_try_at: later, place }) {
  const what = filing.document_count > 1 ? t("{count} document", "{count} documents", { count: filing.document_count }) : pages(filing.page_count);
  if (state === "delivered") {
    return { text: t("Filed in {where}: {what}, {size}", { where, what, size: size(filing.byte_size) }), tone: "", place };
  }
  if (state === "failed") return { text: `${where}: ${message?.text ?? ""}`, tone: "bad" };
  if (later) return { text: t("{where}: {why} It is tried again at {time}.", { where, why: message?.text ?? "", time: clock(later) }), tone: "bad" };
  return { text: t("Made; on its way to {where}", { where }), tone: "" };
}
