// The station Order: the shelf of pages put away, and the tools.
"use strict";

document.addEventListener("alpine:init", () => {
  Alpine.data("order", () => ({
    get desk() { return this.$store.desk; },
    get none() { return this.desk.target.length === 0; },
    get nothingAway() { return this.desk.putAwayIds.length === 0; },
    get away() {
      return this.desk.putAwayIds.map((id) => ({
        id, side: this.desk.pages[id].side, src: this.desk.source(id, station.lane_px),
        label: `Bring back this ${this.desk.pages[id].side}`,
      }));
    },
    get blankBacks() { return this.desk.order.filter((id) => this.desk.pages[id].blank && this.desk.pages[id].side === "back"); },
    get blankBacksText() { return plural(this.blankBacks.length, "blank back"); },
    putBlankBacksAway() { this.desk.command("put-away", { pages: this.blankBacks }); },
    // What the printed page numbers tell, as far as pages have been read.
    get outOfPlace() { return this.desk.printed.out_of_place; },
    get outOfPlaceText() { return plural(this.outOfPlace, "sheet"); },
    get printedText() {
      const { numbers, missing, twice } = this.desk.printed;
      const known = Object.values(numbers);
      if (!known.length) return "";
      const gaps = missing.length ? `; ${listed(missing)} missing` : "";
      const doubles = twice.length ? `; ${listed(twice)} there twice` : "";
      return `Printed pages ${Math.min(...known)} to ${Math.max(...known)}${gaps}${doubles}`;
    },
    nudge(by) { this.desk.nudge(by); },
    bringBack(id) { this.desk.bringBack([id]); },
  }));
});
