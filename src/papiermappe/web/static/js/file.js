// The station File: the name, what is worth a look, and the filing.
"use strict";

document.addEventListener("alpine:init", () => {
  Alpine.data("file", () => ({
    busy: false,

    init() { window.stationKeys = (event) => this.key(event); },
    get desk() { return this.$store.desk; },

    get nameParts() { return this.desk.fileName.replace(/\.pdf$/, "").split("_"); },
    get nameDate() { return this.nameParts[0]; },
    get nameSubject() { return this.nameParts[1]; },
    get nameNumber() { return this.nameParts[2]; },
    get pagesText() {
      const away = this.desk.putAwayIds.length;
      return `all ${this.desk.pageCount}${away ? `, without the ${away} put away` : ""}; ${this.desk.weightWord} ${this.desk.weight}`;
    },

    get checks() {
      const desk = this.desk;
      const checks = [];
      if (!desk.pageCount) return [{ tone: "warn", text: "There is no page in this Mappe yet.", href: `/mappen/${desk.mappe}/intake` }];
      checks.push({ tone: "good", text: `${plural(desk.pageCount, "page")} on ${plural(desk.sheets.length, "sheet")}`, href: "" });
      if (!station.destinations.length) checks.push({ tone: "warn", text: "There is no folder to file into yet.", href: "" });
      if (desk.live) checks.push({ tone: "warn", text: "Pages are still being taken in.", href: `/mappen/${desk.mappe}/intake` });
      const unseen = desk.order.filter((id) => !desk.pages[id].treatment.crop);
      if (unseen.length) checks.push({ tone: "wait", text: `${plural(unseen.length, "page")} still being looked at`, href: "" });
      const sizes = new Set(desk.order.map((id) => `${desk.pages[id].width_mm} × ${desk.pages[id].height_mm} mm`));
      checks.push(sizes.size === 1 ? { tone: "good", text: `all pages ${[...sizes][0]}`, href: "" } : { tone: "note", text: `${sizes.size} sizes of pages`, href: `/mappen/${desk.mappe}/order` });
      if (!desk.subject) checks.push({ tone: "note", text: "There is no subject; the name says “papers”.", href: "" });
      for (const id of desk.order.filter((one) => desk.pages[one].look.length).slice(0, 5)) {
        checks.push({ tone: "warn", text: `Page ${desk.numberOf(id)}: ${desk.pages[id].look[0]}`, href: `/mappen/${desk.mappe}/tidy?page=${id}` });
      }
      return checks;
    },

    get filings() {
      return this.desk.filings.map((one) => ({
        ...one, busy: one.state === "queued" || one.state === "making", done: one.state === "done", failed: one.state === "failed",
        line: this.lineOf(one), open: `/filings/${one.id}/open`, download: `/filings/${one.id}/download`,
      }));
    },
    lineOf(one) {
      if (one.state === "done") return `Filed in ${one.destination}: ${plural(one.page_count, "page")}, ${weigh(one.byte_size)}`;
      if (one.state === "failed") return one.message;
      return `Making it: page ${one.pages_done} of ${one.page_count}`;
    },
    get fileLabel() { return this.filings.some((one) => one.done) ? "File it once more" : "File it"; },
    get cannotFile() { return this.busy || !station.destinations.length || !this.desk.pageCount || this.filings.some((one) => one.busy); },
    async fileIt() {
      if (this.cannotFile) return;
      this.busy = true;
      try { await send(`/mappen/${this.desk.mappe}/filings`, { destination: Number(this.$refs.destination.value) }); }
      catch (error) { this.desk.complain(error); }
      this.busy = false;
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
