// The station Tidy: one page large, in mm, with its treatment.
import { get } from "../http.js";
import { createViewer } from "../viewer.js";
import { length, pages, size, t, twoDigits } from "../words.js";

const SURE = 0.5;

/** @param {any} mappe @param {{ stage: string, full: string }} facts */
export function tidy(mappe, facts) {
  return () => ({
    showsScan: false,
    scope: "page",
    /** @type {any} */
    detail: null,
    /** @type {any} */
    viewer: null,
    zoomText: "",

    init() {
      this.viewer = createViewer(this.$refs.stage);
      this.viewer.onZoom((/** @type {number} */ zoom) => { this.zoomText = t("{percent} % of the scan’s pixels", { percent: Math.round(100 * zoom) }); });
      mappe.on("pages", () => this.refresh());
      mappe.on("selection", () => this.refresh());
      this.refresh();
    },

    // ---- the page

    get page() { return mappe.current === null ? null : mappe.page(mappe.current); },
    get hasPage() { return Boolean(this.page); },
    get nothing() { return !this.page; },
    get number() { return this.page ? mappe.numberOf(this.page.id) : ""; },
    get known() { return this.detail && this.detail.page.id === mappe.current ? this.detail : null; },

    async refresh() {
      const page = this.page;
      if (!page) { this.detail = null; this.viewer.show(null); return; }
      this.draw();
      if (this.known?.page.revision === page.revision) return;
      try {
        const detail = await get(`/mappen/${mappe.id}/pages/${page.id}`);
        if (mappe.current !== page.id) return;
        this.detail = detail;
        this.draw();
      } catch { /* the connection is lost, which is said elsewhere; the next change asks again */ }
    },
    draw() {
      const page = this.page;
      const scan = this.showsScan && this.known;
      const path = scan ? `/pages/${page.id}/scan-${page.scan}` : `/pages/${page.id}/${page.picture}`;
      this.viewer.show({
        href: `${path}-${facts.stage}.jpg`, fullHref: `${path}-${facts.full}.jpg`,
        width: scan ? scan.scan_width_mm : page.width_mm, height: scan ? scan.scan_height_mm : page.height_mm,
        dpi: page.dpi, turned: scan ? 0 : mappe.turned(page.id),
        label: scan ? t("Page {number}, the scan", { number: this.number }) : t("Page {number}, as treated", { number: this.number }),
      });
      this.viewer.overlay(scan ? this.foundShapes : this.zoneShapes);
    },
    get foundShapes() {
      const corners = this.treatment.crop?.corners ?? [];
      return corners.length ? [{ class: "found", d: `M${corners.map((/** @type {number[]} */ corner) => corner.join(" ")).join("L")}Z` }] : [];
    },
    get zoneShapes() {
      return (this.known?.findings ?? []).map((/** @type {any} */ finding) => finding.zone).filter(Boolean)
        .map((/** @type {any} */ zone) => ({ class: "zone", d: `M${zone.x_mm} ${zone.y_mm}h${zone.width_mm}v${zone.height_mm}h${-zone.width_mm}z` }));
    },
    get caption() {
      if (!this.page) return "";
      const scan = this.showsScan && this.known;
      const [width, height] = scan ? [scan.scan_width_mm, scan.scan_height_mm] : [this.page.width_mm, this.page.height_mm];
      return t("{what}, {width} × {height} mm", { what: scan ? t("The scan") : t("As treated"), width: length(width), height: length(height) });
    },
    fit() { this.viewer.fit(); },
    ownPixels() { this.viewer.ownPixels(); },
    closer() { this.viewer.closer(); },
    farther() { this.viewer.farther(); },
    toggleScan() { this.showsScan = !this.showsScan; this.draw(); },
    get showsScanText() { return this.showsScan ? "true" : "false"; },

    // ---- its treatment

    get treatment() { return this.known?.treatment ?? {}; },
    get notAnalysed() { return !this.treatment.straighten; },
    get turnText() { return `${(this.treatment.quarter_turns ?? 0) * 90}°`; },
    get turnOrigin() { return this.treatment.quarter_turns ? originWord(this.treatment.turn_origin) : t("as scanned"); },
    get tone() { return this.treatment.tone ?? "as_scanned"; },
    /** @param {Event} event */
    async setTone(event) {
      const field = /** @type {HTMLSelectElement} */ (event.target);
      const done = await mappe.operate({ kind: "set_tone", pages: this.targets, tone: field.value });
      if (done === undefined) field.value = this.tone;
    },
    get straightPressed() { return this.treatment.straighten?.on ? "true" : "false"; },
    get cropPressed() { return this.treatment.crop?.on ? "true" : "false"; },
    get straightWord() { return this.treatment.straighten?.on ? t("On") : t("Off"); },
    get cropWord() { return this.treatment.crop?.on ? t("On") : t("Off"); },
    get skewText() {
      const step = this.treatment.straighten;
      return step ? `${twoDigits(-step.skew_deg)}°` : this.waitingText;
    },
    get cropText() {
      if (!this.treatment.crop) return this.waitingText;
      return this.treatment.crop.on ? `${length(this.page.width_mm)} × ${length(this.page.height_mm)} mm` : t("whole scan");
    },
    get waitingText() { return this.page?.analysed ? t("not found") : t("being examined…"); },
    get skewOrigin() { return originOf(this.treatment.straighten); },
    get cropOrigin() { return originOf(this.treatment.crop); },
    // First what makes the page hard to read, then what else was noticed.
    get findings() {
      const warnings = (this.page?.warnings ?? []).map((/** @type {any} */ warning) => ({ text: warning.text, tone: "grave" }));
      const others = (this.known?.findings ?? []).filter((/** @type {any} */ finding) => !finding.is_warning)
        .map((/** @type {any} */ finding) => ({ text: finding.message.text, tone: "" }));
      return [...new Map([...warnings, ...others].map((finding) => [finding.text, finding])).values()];
    },
    get scanText() {
      const known = this.known;
      if (!known) return "";
      const from = known.sheet === null ? known.file_name : t("run {run}, sheet {sheet}", { run: known.run, sheet: known.sheet });
      return t("{from}; {dpi} dpi, {size}", { from, dpi: length(this.page.dpi), size: size(this.page.byte_size) });
    },

    // ---- apply to

    get scopes() {
      const names = [["page", t("this page")], ["fronts", t("all fronts")], ["backs", t("all backs")], ["all", t("all pages")]];
      if (mappe.selectedCount > 1) names.splice(1, 0, ["selected", t("{count} selected", { count: mappe.selectedCount })]);
      return names.map(([name, label]) => ({ name, label, pressed: this.scope === name ? "true" : "false" }));
    },
    /** @param {string} name */
    scopeTo(name) { this.scope = name; },
    get targets() {
      const side = { fronts: "front", backs: "back" }[this.scope];
      if (side) return mappe.order.filter((/** @type {number} */ id) => mappe.page(id).side === side);
      if (this.scope === "all") return mappe.order;
      if (this.scope === "selected" && mappe.selectedCount) return mappe.selectedIds;
      return this.page ? [this.page.id] : [];
    },
    get scopeText() { return t("to {pages}", { pages: pages(this.targets.length) }); },
    turn() { mappe.turn(-1, this.targets); },
    turnBack() { mappe.turn(1, this.targets); },
    switchStraighten() { this.switchStep("straighten"); },
    switchCrop() { this.switchStep("crop"); },
    /** @param {"straighten" | "crop"} step */
    switchStep(step) {
      const value = this.treatment[step];
      if (value) mappe.operate({ kind: step, pages: this.targets, on: !value.on });
    },
  });
}

/** @param {string} origin */
function originWord(origin) { return origin === "by_hand" ? t("by hand") : t("found"); }

/** @param {any} step */
function originOf(step) {
  if (!step) return "";
  const unsure = step.confidence < SURE;
  if (!step.on) return unsure ? t("off, uncertain") : t("off");
  return unsure ? t("{origin}, uncertain", { origin: originWord(step.origin) }) : originWord(step.origin);
}
