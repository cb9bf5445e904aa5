// The station File: the look and size of each level, the name, what to check, and the filing.
import { Refused, get } from "../http.js";
import { length, listed, pages, sheets, size, t } from "../words.js";

const ASK_EVERY_MS = 700;
const NO_ESTIMATE = { bytes_a_page: {}, sample: "" };
const KEPT_LEVEL = "papiermappe.level";
const SURE = 0.5;
const MOST_LETTERS = 120;
/** What a page can say for the name of its document. @type {Record<string, () => string>} */
const PROPOSED = { kind: () => t("Kind"), subject: () => t("Subject"), sender: () => t("Sender"), number: () => t("Number"), date: () => t("Date") };

/** @param {any} mappe @param {any} facts */
export function file(mappe, facts) {
  const levels = [
    { level: "faithful", name: t("Faithful"), words: t("no visible difference") },
    { level: "balanced", name: t("Balanced"), words: t("sharp text, smooth paper") },
    { level: "lean", name: t("Lean"), words: t("as small as it stays legible") },
  ];
  const formats = [
    { value: ".pdf", text: t("as PDF/A") },
    { value: ".tif", text: t("as TIFF") },
    { value: ".jpg", text: t("as JPEG"), onePage: true },
    { value: ".png", text: t("as PNG"), onePage: true },
    { value: ".docx", text: t("as editable text (.docx)"), words: true },
    { value: ".txt", text: t("as plain text"), words: true },
    { value: ".xml", text: t("as text with positions (ALTO)"), words: true },
  ];
  const modes = [{ value: "accurate", text: t("read accurately") }, { value: "fast", text: t("read fast") }];

  return () => ({
    busy: false,
    chosenLevel: localStorage.getItem(KEPT_LEVEL) ?? "balanced",
    /** @type {any} */
    estimate: NO_ESTIMATE,
    asking: 0,
    requestedFor: "",
    languages: facts.reading.languages,
    mode: facts.reading.mode,
    chosenDay: "",
    chosenFormat: ".pdf",
    destination: facts.destinations[0]?.[0] ?? null,
    chosenWhich: "all",
    ranges: "",

    init() {
      mappe.on("pages", () => this.ask());
      mappe.on("selection", () => this.ask());
      this.ask();
    },
    destroy() { clearTimeout(this.asking); },

    // ---- look and size

    get samplePage() { return mappe.target.find((/** @type {number} */ id) => mappe.order.includes(id)) ?? mappe.order[0] ?? null; },
    get sampleKey() { return `${this.samplePage} ${mappe.order.map((/** @type {number} */ id) => mappe.page(id).picture).join(" ")}`; },
    get sampleText() { return this.samplePage === null ? "" : t("– part of page {number}, as it would be filed", { number: mappe.numberOf(this.samplePage) }); },
    get levels() {
      return levels.map((level) => ({
        ...level, chosen: level.level === this.chosenLevel,
        picture: this.estimate.sample ? `/levels/${this.estimate.sample}/${level.level}.png` : "",
        size: this.sizeText(this.estimate.bytes_a_page[level.level]),
      }));
    },
    /** @param {number | undefined} each */
    sizeText(each) {
      if (!this.isPdf) return t("size told for PDF only");
      if (this.samplePage === null) return t("no page yet");
      if (!each) return t("calculating…");
      return this.countMeant === null ? t("about {each} a page", { each: size(each) }) : t("about {all}, {each} a page", { all: size(each * this.countMeant), each: size(each) });
    },
    get estimated() { return Boolean(this.estimate.sample) && "lean" in this.estimate.bytes_a_page; },
    /** @param {string} level */
    choose(level) { this.chosenLevel = level; localStorage.setItem(KEPT_LEVEL, level); },
    async ask(round = 0) {
      clearTimeout(this.asking);
      const key = this.sampleKey;
      const page = this.samplePage;
      if (page === null) { this.estimate = NO_ESTIMATE; return; }
      const address = `/mappen/${mappe.id}/levels/${page}`;
      try {
        const found = await get(address);
        if (key !== this.sampleKey) return;
        this.estimate = found;
        if (round && !this.estimated && this.requestedFor !== key) { // not for pages that are only passed by
          this.requestedFor = key;
          await mappe.command(address);
        }
      } catch (error) {
        if (error instanceof Refused && error.status === 404) return; // set aside elsewhere: the change asks for another
      }
      if (!this.estimated) this.asking = window.setTimeout(() => this.ask(round + 1), ASK_EVERY_MS);
    },

    // ---- name and form

    get nameParts() { return mappe.fileName.replace(/\.pdf$/, "").split("_"); },
    get today() { return this.nameParts[0]; },
    get nameDate() { return this.day || this.today; },
    get nameSubject() { return this.nameParts[1]; },
    get nameNumber() { return this.nameParts[2]; },
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
    /** @param {Event} event */
    chooseDestination(event) { this.destination = Number(valueOf(event)); },
    // Formats that hold one page are offered where there is one, formats of text where it can be read.
    get formatsOffered() { return formats.filter((format) => (!format.onePage || this.countMeant === 1) && (!format.words || facts.languages.length)); },
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
    get which() { return this.choices.some((/** @type {any} */ choice) => choice.value === this.chosenWhich) ? this.chosenWhich : "all"; },
    get hasRanges() { return this.which === "ranges"; },
    /** @param {Event} event */
    chooseWhich(event) { this.chosenWhich = valueOf(event); },
    /** @param {Event} event */
    typeRanges(event) { this.ranges = /** @type {HTMLInputElement} */ (event.target).value; },
    get days() {
      const today = { value: "", text: t("today, {day}", { day: this.today }) };
      const printed = mappe.printed.days.map((/** @type {any} */ { day, page }) => ({ value: day, text: t("{day}, printed on page {page}", { day, page }) }));
      return [today, ...printed].map((day) => ({ ...day, chosen: day.value === this.day }));
    },
    // What stands on no page any more is not in the name either.
    get day() { return this.isPrinted(this.chosenDay) ? this.chosenDay : ""; },
    /** @param {string} wanted */
    isPrinted(wanted) { return mappe.printed.days.some((/** @type {any} */ day) => day.day === wanted); },
    /** @param {Event} event */
    chooseDay(event) { this.chosenDay = valueOf(event); },

    // ---- what the first page says

    get said() { return mappe.printed.proposals ?? {}; },
    get proposals() {
      return Object.entries(PROPOSED).filter(([what]) => this.said[what] && (what !== "date" || this.isPrinted(this.said.date.value))).map(([what, name]) => {
        const { value, confidence, from } = this.said[what];
        const shown = what === "kind" ? kindWord(value) : value;
        return {
          what, value: shown, told: t("The page says: {words}", { words: from }), pressed: this.isUsed(what, shown) ? "true" : "false",
          name: confidence < SURE ? t("{what}, doubtful", { what: name() }) : name(),
        };
      });
    },
    get hasProposals() { return this.proposals.length > 0; },
    /** @param {string} what @param {string} value */
    isUsed(what, value) { return what === "date" ? this.chosenDay === value : mappe.subject.includes(value); },
    /** Put what the page says into the name, or take it out again. @param {string} what */
    useProposal(what) {
      const { value } = this.proposals.find((/** @type {any} */ row) => row.what === what) ?? { value: "" };
      if (what === "date") { this.chosenDay = this.chosenDay === value ? "" : value; return; }
      const left = mappe.subject.includes(value) ? mappe.subject.replace(value, " ") : `${mappe.subject} ${value}`;
      mappe.own("subject", { subject: left.replace(/\s+/g, " ").trim().slice(0, MOST_LETTERS) });
    },

    // ---- before filing

    get checks() { return checksOf(mappe, facts); },

    // ---- filings

    get filings() {
      return mappe.filings.map((/** @type {any} */ filing) => {
        const state = stateOf(filing);
        return {
          ...filing, tone: state, making: filing.state === "queued" || filing.state === "making", done: filing.state === "made", ended: state === "failed" || state === "stopped",
          again: state === "stopped" ? t("Continue") : t("Try again"), line: lineOf(filing), madeText: filing.made?.text ?? "",
          open: `/filings/${filing.id}/open`, download: `/filings/${filing.id}/download`,
        };
      });
    },
    get fileLabel() { return this.filings.some((/** @type {any} */ filing) => filing.done) ? t("File another copy") : t("File it"); },
    get cannotFile() { return this.busy || this.destination === null || !mappe.pageCount || this.filings.some((/** @type {any} */ filing) => filing.making); },
    /** What was just typed comes first: leaving a field sends it, and the filing waits for that. */
    async fileIt() {
      if (this.cannotFile) return;
      this.busy = true;
      if (document.activeElement instanceof HTMLElement && document.activeElement.matches("input")) document.activeElement.blur();
      await mappe.settled();
      await mappe.own("filings", {
        destination: this.destination, level: this.chosenLevel, languages: this.languages.split("+").filter(Boolean), mode: this.mode,
        dated: this.day || null, format: this.format,
        which: this.which, chosen: this.which === "chosen" ? mappe.selectedIds : [], ranges: this.hasRanges ? this.ranges : "",
      });
      this.busy = false;
    },
    /** @param {number} id */
    stop(id) { mappe.command(`/filings/${id}/stop`); },
    /** @param {number} id */
    tryAgain(id) { mappe.command(`/filings/${id}/try-again`); },
  });
}

/** @param {string} kind a code */
function kindWord(kind) {
  /** @type {Record<string, string>} */
  const words = {
    invoice: t("invoice"), credit_note: t("credit note"), reminder: t("reminder"), delivery_note: t("delivery note"), order_confirmation: t("order confirmation"), order: t("order"),
    quotation: t("quotation"), receipt: t("receipt"), statement: t("statement"), contract: t("contract"), lease: t("lease"), notice: t("notice"), minutes: t("minutes"), letter: t("letter"),
  };
  return words[kind] ?? kind;
}

/** @param {Event} event */
function valueOf(event) { return /** @type {HTMLSelectElement} */ (event.target).value; }

/** @param {string} one @param {string} other */
function sameLanguages(one, other) { return one.split("+").sort().join() === other.split("+").sort().join(); }

/** @param {any} mappe @param {any} facts */
function checksOf(mappe, facts) {
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
  if (!mappe.subject) checks.push({ tone: "note", text: t("There is no subject; the name says “papers”."), href: "" });
  for (const id of mappe.warned.slice(0, 5)) {
    checks.push({ tone: "warn", text: t("Page {number}: {what}", { number: mappe.numberOf(id), what: mappe.page(id).warnings[0].text }), href: `${at("tidy")}?page=${id}` });
  }
  return checks;
}

/** @param {any} filing */
function stateOf(filing) {
  if (filing.state !== "made") return filing.state;
  if (filing.deliveries.some((/** @type {any} */ delivery) => delivery.state === "failed")) return "failed";
  return filing.deliveries.every((/** @type {any} */ delivery) => delivery.state === "delivered") ? "done" : "delivering";
}

/** @param {any} filing */
function lineOf(filing) {
  const state = stateOf(filing);
  const where = filing.deliveries.map((/** @type {any} */ delivery) => delivery.destination).join(", ");
  if (state === "done") return t("Filed in {where}: {pages}, {size}", { where, pages: pages(filing.page_count), size: size(filing.byte_size) });
  if (state === "failed" || state === "stopped") return filing.message?.text ?? filing.deliveries.find((/** @type {any} */ delivery) => delivery.message)?.message.text ?? "";
  if (state === "delivering") return t("Made; on its way to {where}", { where });
  if (filing.stopping) return t("Stopping…");
  return t("Making it: page {done} of {all}", { done: filing.pages_done, all: filing.page_count });
}
