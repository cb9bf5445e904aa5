// The station File: the name, what is worth a look, and the filing.
"use strict";

const LEVELS = [
  { level: "faithful", name: "Faithful", words: "no difference to be seen" },
  { level: "balanced", name: "Balanced", words: "print as sharp, paper even" },
  { level: "lean", name: "Lean", words: "as small as it can be read" },
];
const KINDS = [
  { value: ".pdf", text: "as a PDF/A" },
  { value: ".tif", text: "as a TIFF" },
  { value: ".jpg", text: "as a JPEG", onePage: true },
  { value: ".png", text: "as a PNG", onePage: true },
  { value: ".docx", text: "as text to edit, .docx", words: true },
  { value: ".txt", text: "as plain text", words: true },
  { value: ".xml", text: "as words and places, ALTO", words: true },
];
const CARES = [
  { value: "accurate", text: "read accurately" },
  { value: "fast", text: "read fast" },
];
const ASK_EVERY_MS = 700;
const NOT_READ = { value: "", text: "none: not to be searched" };

document.addEventListener("alpine:init", () => {
  Alpine.data("file", () => ({
    busy: false,
    chosenLevel: localStorage.getItem("level") || "balanced",
    trial: { bytes_a_page: {}, spot: "" },
    asking: 0,
    orderedFor: "",
    languages: station.reading.languages,
    care: station.reading.care,
    chosenDay: "",
    chosenKind: ".pdf",

    init() {
      window.stationKeys = (event) => this.key(event);
      this.$watch("spotKey", () => this.ask());
      this.ask();
    },
    destroy() { clearTimeout(this.asking); },
    get desk() { return this.$store.desk; },

    get nameParts() { return this.desk.fileName.replace(/\.pdf$/, "").split("_"); },
    get today() { return this.nameParts[0]; },
    get nameDate() { return this.day || this.today; },
    get nameSubject() { return this.nameParts[1]; },
    get nameNumber() { return this.nameParts[2]; },
    get spotPage() { return this.desk.target.find((id) => this.desk.order.includes(id)) || this.desk.order[0] || 0; },
    get spotKey() { return `${this.spotPage} ${this.desk.order.map((id) => this.desk.pages[id].picture).join(" ")}`; },
    get spotText() { return this.spotPage ? `\u2013 the same spot of page ${this.desk.numberOf(this.spotPage)}, as it would be filed` : ""; },
    get levels() {
      return LEVELS.map((one) => {
        const each = this.trial.bytes_a_page[one.level];
        return {
          ...one, chosen: one.level === this.chosenLevel,
          picture: this.trial.spot ? `/levels/${this.trial.spot}/${one.level}.png` : "",
          weight: !this.isPdf ? "weighed for PDF only" : each ? `\u2248 ${weigh(each * this.desk.pageCount)} \u00b7 ${weigh(each)} a page` : this.spotPage ? "being tried\u2026" : "no page yet",
        };
      });
    },
    get tried() { return this.trial.spot && "lean" in this.trial.bytes_a_page; },
    choose(level) { this.chosenLevel = level; localStorage.setItem("level", level); },
    async ask(round = 0) {
      clearTimeout(this.asking);
      const key = this.spotKey, page = this.spotPage;
      if (!page) { this.trial = { bytes_a_page: {}, spot: "" }; return; }
      const address = `/mappen/${this.desk.mappe}/levels/${page}`;
      try {
        const found = await fetch(address, { headers: { accept: "application/json" } });
        if (key !== this.spotKey) return;
        if (found.status === 404) return; // put away in another window: the desk hears of it, and asks for another page
        if (found.ok) this.trial = await found.json();
        if (round && !this.tried && this.orderedFor !== key) { // not for pages that are only passed by
          await send(address, {});
          this.orderedFor = key;
        }
      } catch (error) { /* the connection is lost, which is said elsewhere: asked again below */ }
      if (!this.tried) this.asking = setTimeout(() => this.ask(round + 1), ASK_EVERY_MS);
    },

    get readings() {
      const known = station.languages;
      const single = known.map(([code, name]) => ({ value: code, text: name }));
      const pairs = known.flatMap(([code, name], at) => known.slice(at + 1).map(([other, second]) => ({ value: `${code}+${other}`, text: `${name} and ${second}` })));
      const all = [...(known.length <= 4 ? pairs.reverse() : []), ...single, NOT_READ];
      return all.map((one) => ({ ...one, chosen: one.value === this.languages }));
    },
    get cares() { return CARES.map((one) => ({ ...one, chosen: one.value === this.care })); },
    chooseLanguages(event) { this.languages = event.target.value; },
    chooseCare(event) { this.care = event.target.value; },

    // Kinds that hold one page are offered where there is one, kinds of words where they can be read.
    get kindsOffered() { return KINDS.filter((one) => (!one.onePage || this.desk.pageCount === 1) && (!one.words || station.languages.length)); },
    get kinds() { return this.kindsOffered.map((one) => ({ ...one, chosen: one.value === this.kind })); },
    get kind() { return this.kindsOffered.some((one) => one.value === this.chosenKind) ? this.chosenKind : ".pdf"; },
    get isPdf() { return this.kind === ".pdf"; },
    chooseKind(event) { this.chosenKind = event.target.value; },

    get days() {
      const today = { value: "", text: `today, ${this.today}` };
      const printed = this.desk.printed.days.map(({ day, page }) => ({ value: day, text: `${day}, printed on page ${page}` }));
      return [today, ...printed].map((one) => ({ ...one, chosen: one.value === this.day }));
    },
    // What stands on no page any more is not in the name either.
    get day() { return this.desk.printed.days.some((one) => one.day === this.chosenDay) ? this.chosenDay : ""; },
    chooseDay(event) { this.chosenDay = event.target.value; },

    get checks() {
      const desk = this.desk;
      const checks = [];
      if (!desk.pageCount) return [{ tone: "warn", text: "There is no page in this Mappe yet.", href: `/mappen/${desk.mappe}/intake` }];
      const away = desk.putAwayIds.length ? `, without the ${desk.putAwayIds.length} put away` : "";
      checks.push({ tone: "good", text: `${plural(desk.pageCount, "page")} on ${plural(desk.sheets.length, "sheet")}${away}`, href: "" });
      if (!station.destinations.length) checks.push({ tone: "warn", text: "There is no folder to file into yet.", href: "" });
      if (desk.live) checks.push({ tone: "warn", text: "Pages are still being taken in.", href: `/mappen/${desk.mappe}/intake` });
      const unseen = desk.order.filter((id) => !desk.pages[id].treatment.crop);
      if (unseen.length) checks.push({ tone: "wait", text: `${plural(unseen.length, "page")} still being looked at`, href: "" });
      const sizes = new Set(desk.order.map((id) => `${desk.pages[id].width_mm} × ${desk.pages[id].height_mm} mm`));
      checks.push(sizes.size === 1 ? { tone: "good", text: `all pages ${[...sizes][0]}`, href: "" } : { tone: "note", text: `${sizes.size} sizes of pages`, href: `/mappen/${desk.mappe}/order` });
      const { out_of_place: outOfPlace, missing, twice } = desk.printed;
      const order = `/mappen/${desk.mappe}/order`;
      if (outOfPlace) checks.push({ tone: "warn", text: `By their printed numbers, ${plural(outOfPlace, "sheet")} out of place`, href: order });
      if (missing.length) checks.push({ tone: "warn", text: `Printed page ${listed(missing)} missing`, href: order });
      if (twice.length) checks.push({ tone: "warn", text: `Printed page ${listed(twice)} there twice`, href: order });
      if (!desk.subject) checks.push({ tone: "note", text: "There is no subject; the name says “papers”.", href: "" });
      for (const id of desk.order.filter((one) => desk.pages[one].look.length).slice(0, 5)) {
        checks.push({ tone: "warn", text: `Page ${desk.numberOf(id)}: ${desk.pages[id].look[0]}`, href: `/mappen/${desk.mappe}/tidy?page=${id}` });
      }
      return checks;
    },

    get filings() {
      return this.desk.filings.map((one) => ({
        ...one, busy: one.state === "queued" || one.state === "making", done: one.state === "done", ended: one.state === "failed" || one.state === "stopped", again: one.state === "stopped" ? "Go on" : "Try again",
        line: this.lineOf(one), open: `/filings/${one.id}/open`, download: `/filings/${one.id}/download`,
      }));
    },
    lineOf(one) {
      if (one.state === "done") return `Filed in ${one.destination}: ${plural(one.page_count, "page")}, ${weigh(one.byte_size)}${one.message ? `. ${one.message}` : ""}`;
      if (one.state === "failed" || one.state === "stopped") return one.message;
      if (one.stopping) return "Stopping\u2026";
      return `Making it: page ${one.pages_done} of ${one.page_count}`;
    },
    get fileLabel() { return this.filings.some((one) => one.done) ? "File it once more" : "File it"; },
    get cannotFile() { return this.busy || !station.destinations.length || !this.desk.pageCount || this.filings.some((one) => one.busy); },
    async fileIt() {
      if (this.cannotFile) return;
      this.busy = true;
      try { 
        const languages = this.languages.split("+").filter(Boolean);
        await send(`/mappen/${this.desk.mappe}/filings`, {
          destination: Number(this.$refs.destination.value), level: this.chosenLevel, languages, care: this.care, dated: this.day || null, kind: this.kind,
        });
       }
      catch (error) { this.desk.complain(error); }
      this.busy = false;
    },
    async stop(id) {
      try { await send(`/filings/${id}/stop`); } catch (error) { this.desk.complain(error); }
    },
    async tryAgain(id) {
      try { await send(`/filings/${id}/try-again`); } catch (error) { this.desk.complain(error); }
    },
    key(event) {
      if (event.key !== "Enter" || event.ctrlKey || event.altKey) return false;
      this.fileIt();
      return true;
    },
  }));
});
