// The station Tidy: one page large, in mm, with what is done to it.
"use strict";

document.addEventListener("alpine:init", () => {
  Alpine.data("tidy", () => ({
    asScanned: false,
    scope: "page",
    ticksX: "",
    ticksY: "",

    init() {
      window.stationKeys = (event) => this.key(event);
      window.addEventListener("resize", () => this.measure());
      this.$watch("$store.desk.current", (id) => {
        if (id) history.replaceState(null, "", `?page=${id}`);
        this.$nextTick(() => this.measure());
      });
    },
    get desk() { return this.$store.desk; },
    get page() { return this.desk.current ? this.desk.pages[this.desk.current] : null; },
    get hasPage() { return this.page !== null; },
    get nothing() { return this.page === null; },
    get number() { return this.page ? this.desk.numberOf(this.page.id) : ""; },
    get source() { return this.page ? this.desk.source(this.page.id, station.stage_px, this.asScanned) : ""; },
    get alt() { return `Page ${this.number}, ${this.asScanned ? "as scanned" : "as treated"}`; },
    get preview() {
      const turned = this.page && !this.asScanned ? this.desk.previews[this.page.id] : 0;
      return turned ? `turned-${turned}` : "";
    },
    get sizeMm() {
      if (!this.page) return [1, 1];
      return this.asScanned ? [this.page.scanned_width_mm, this.page.scanned_height_mm] : [this.page.width_mm, this.page.height_mm];
    },
    get caption() {
      if (!this.page) return "";
      const [width, height] = this.sizeMm;
      return `${this.asScanned ? "as scanned" : "as treated"} · ${width} × ${height} mm`;
    },

    // ---- values

    get treatment() { return this.page?.treatment ?? {}; },
    get notLooked() { return !this.treatment.straighten; },
    get turnText() { return `${(this.treatment.quarter_turns ?? 0) * 90}°`; },
    get turnOrigin() { return this.treatment.quarter_turns ? this.treatment.turn_origin : "as scanned"; },
    get tone() { return this.treatment.tone ?? "as scanned"; },
    setTone(event) { this.desk.setTone(this.targets, event.target.value); },
    get straightOn() { return this.treatment.straighten?.on ? "true" : "false"; },
    get cropOn() { return this.treatment.crop?.on ? "true" : "false"; },
    get straightWord() { return this.treatment.straighten?.on ? "On" : "Off"; },
    get cropWord() { return this.treatment.crop?.on ? "On" : "Off"; },
    get skewText() {
      const value = this.treatment.straighten;
      if (!value) return "looking…";
      return `${(-value.skew_deg).toFixed(2).replace("-", "−")}°`;
    },
    get cropText() {
      if (!this.treatment.crop) return "looking…";
      if (!this.treatment.crop.on) return "whole scan";
      return `${this.page.width_mm} × ${this.page.height_mm} mm`;
    },
    get skewOrigin() { return this.originOf(this.treatment.straighten); },
    get cropOrigin() { return this.originOf(this.treatment.crop); },
    originOf(value) {
      if (!value) return "";
      if (!value.on) return value.confidence < 0.5 ? "off, not sure" : "off";
      return value.confidence < 0.5 ? `${value.origin}, not sure` : value.origin;
    },
    // First what makes the page hard to read, then what else was noticed.
    get looks() {
      const grave = this.page?.look ?? [];
      const others = (this.page?.findings ?? []).map((finding) => finding.message).filter((text) => !grave.includes(text));
      return [...grave.map((text) => ({ text, tone: "grave" })), ...[...new Set(others)].map((text) => ({ text, tone: "" }))];
    },
    get scanText() {
      return this.page ? `pass ${this.page.pass_number}, sheet ${this.page.pass_sheet}, ${this.page.side}; ${this.page.dpi} dpi, ${weigh(this.page.byte_size)}` : "";
    },
    get scannedWord() { return this.asScanned ? "As treated" : "As scanned"; },
    toggleScanned() { this.asScanned = !this.asScanned; },

    // ---- what was found, drawn on the scan

    get showFound() { return this.asScanned && Boolean(this.treatment.crop); },
    get foundPoints() { return (this.treatment.crop?.corners ?? []).map((corner) => corner.join(",")).join(" "); },

    get zones() { return (this.page?.findings ?? []).map((finding) => finding.zone).filter(Boolean); },
    get showZones() { return !this.asScanned && this.zones.length > 0; },
    get zonePath() {
      return this.zones.map((zone) => `M${zone.x_mm} ${zone.y_mm}h${zone.width_mm}v${zone.height_mm}h${-zone.width_mm}z`).join("");
    },

    // ---- scope

    get scopes() {
      const names = [["page", "this page"], ["fronts", "all fronts"], ["backs", "all backs"], ["all", "all pages"]];
      if (this.desk.chosenCount > 1) names.splice(1, 0, ["chosen", `${this.desk.chosenCount} chosen`]);
      return names.map(([name, label]) => ({ name, label, pressed: this.scope === name ? "true" : "false" }));
    },
    scopeTo(name) { this.scope = name; },
    get targets() {
      const side = { fronts: "front", backs: "back" }[this.scope];
      if (side) return this.desk.order.filter((id) => this.desk.pages[id].side === side);
      if (this.scope === "all") return this.desk.order;
      if (this.scope === "chosen" && this.desk.chosenCount) return this.desk.chosenIds;
      return this.page ? [this.page.id] : [];
    },
    turn() { this.desk.turn(3, this.targets); },
    flip(step) { if (this.treatment[step]) this.desk.flip(this.targets, step, !this.treatment[step].on); },

    // ---- rulers

    measure() {
      const picture = this.$refs.picture;
      const viewer = this.$refs.viewer;
      if (!picture?.naturalWidth || !this.page) return;
      this.desk.settled(this.page.id);
      const box = picture.getBoundingClientRect();
      const home = viewer.getBoundingClientRect();
      const [width, height] = this.sizeMm;
      const light = this.$refs.light.getBoundingClientRect();
      for (const drawing of [this.$refs.found, this.$refs.zones]) {
        drawing.setAttribute("viewBox", `0 0 ${width} ${height}`);
        Object.assign(drawing.style, {
          left: `${box.left - light.left}px`, top: `${box.top - light.top}px`, width: `${box.width}px`, height: `${box.height}px`,
        });
      }
      this.ticksX = this.ticks(box.left - home.left, box.width / width, width, (at, long) => `M${at} 0V${long}`);
      this.ticksY = this.ticks(box.top - home.top, box.height / height, height, (at, long) => `M0 ${at}H${long}`);
    },
    ticks(start, pxPerMm, lengthMm, draw) {
      let path = "";
      for (let mm = 0; mm <= lengthMm; mm += 10) path += draw((start + mm * pxPerMm).toFixed(1), mm % 50 === 0 ? 14 : 7);
      return path;
    },

    key(event) {
      if (event.ctrlKey || event.altKey || event.metaKey) return false;
      const key = event.key.toLowerCase();
      if (key === "s") this.flip("straighten");
      else if (key === "c") this.flip("crop");
      else if (key === "0") this.toggleScanned();
      else if (key === "r") this.desk.turn(event.shiftKey ? 1 : 3, this.targets);
      else return false;
      return true;
    },
  }));
});
