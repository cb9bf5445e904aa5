// The station Tidy: one page large, in mm, with its treatment.
import { createBlock } from "../block.js";
import { createCompare } from "../compare.js";
import { createCorners } from "../corners.js";
import { createFraming } from "../framing.js";
import { createGutter } from "../gutter.js";
import { get } from "../http.js";
import { numberIn, tenth } from "../numbers.js";
import { createViewer } from "../viewer.js";
import { createZones } from "../zones.js";
import { length, pages, size, t, twoDigits } from "../words.js";

const LEAST_MM = 0.5;
const HELD_MS = 350;
const READY_AFTER_MS = 100;

/** @param {any} mappe @param {any} pile the pile view @param {{ lane: string, stage: string, full: string, stage_px: number, paper_lengths_mm: number[] }} facts `stage_px` is how wide a picture is on the stage, at most */
export function tidy(mappe, pile, facts) {
  /** @type {{ timer: number, pictures: HTMLImageElement[] }} of the pages beside the one that is shown: what is held stays decoded */
  const beside = { timer: 0, pictures: [] };
  let asked = ""; // the page and its revision that are being asked for
  let checking = false;
  return () => ({
    showsScan: false,
    scope: "page",
    /** @type {any} */
    detail: null,
    /** @type {any} */
    viewer: null,
    zoomText: "",
    /** @type {any} */
    framing: null,
    /** @type {any} */
    corners: null,
    /** @type {any} */
    zones: null,
    /** @type {any} */
    gutter: null,
    /** @type {any} */
    block: null,
    /** @type {any} */
    compare: null,
    /** The part of the card that is unfolded, by its id. */
    part: "",
    /** The code of the finding whose place is shown. */
    shown: "",
    laying: false,
    /** @type {"" | import("../zones.js").ZoneKind} what the next drag draws */
    drawing: "",

    init() {
      const station = { known: () => this.known, targets: () => this.targets, redraw: () => this.draw() };
      this.framing = createFraming(mappe, facts.paper_lengths_mm, station);
      this.corners = createCorners(mappe, station);
      this.zones = createZones(mappe, station);
      this.gutter = createGutter(mappe, station);
      this.block = createBlock(mappe, station);
      this.compare = createCompare(this.framing, station);
      this.viewer = createViewer(this.$refs.stage, facts.stage_px);
      this.viewer.onLoad(() => this.readyNext());
      mappe.shown.add(() => ({ size: facts.stage, pages: this.page && !pile.active ? [this.page.id] : [] }), true);
      this.$watch("$store.pile.seen", () => this.draw());
      this.$watch("$store.pile.version", () => this.draw());
      this.$watch("$store.pile.at", () => this.draw());
      this.viewer.onZoom((/** @type {number} */ zoom) => { this.zoomText = t("{percent} % of the scan’s pixels", { percent: Math.round(100 * zoom) }); });
      document.addEventListener("keyup", (event) => { if (event.key === "0") this.endHold(); });
      mappe.on("pages", () => { this.refresh(); if (pile.active) pile.changed(this.pileTargets); });
      mappe.on("selection", () => this.refresh());
      this.refresh();
    },

    // ---- the page

    get page() { return mappe.current === null ? null : mappe.page(mappe.current); },
    get hasPage() { return Boolean(this.page); },
    get nothing() { return !this.page && !pile.active; },
    get number() { return this.page ? mappe.numberOf(this.page.id) : ""; },
    get known() { return this.detail && this.detail.page.id === mappe.current ? this.detail : null; },

    /** What changes the page by hand, on the page. */
    get tools() { return [this.framing, this.corners, this.zones, this.gutter, this.block]; },
    /** Those of them that are drawn over the page as treated. */
    get drawn() {
      const unfolded = { spreads: this.gutter, margins: this.block }[/** @type {string} */ (this.part)];
      return [this.zones, ...(unfolded ? [unfolded] : []), this.compare];
    },

    async refresh() {
      const page = this.page;
      if (this.detail && this.detail.page.id !== page?.id) this.tools.forEach((/** @type {any} */ tool) => tool.leave());
      if (this.detail?.page.id !== page?.id) this.shown = "";
      if (!page) { this.detail = null; this.viewer.show(null); return; }
      this.draw();
      if (this.viewer.isComplete) this.readyNext();
      else this.leaveNext(page);
      const wanted = `${page.id} ${page.revision}`;
      if (this.known?.page.revision === page.revision || asked === wanted) return;
      asked = wanted;
      try {
        const detail = await get(`/mappen/${mappe.id}/pages/${page.id}`);
        if (mappe.current !== page.id) return;
        this.detail = detail;
        this.tools.forEach((/** @type {any} */ tool) => tool.settle());
        this.lookAtCheck();
      } catch { /* the connection is lost, which is said elsewhere; the next change asks again */ } finally {
        if (asked === wanted) asked = "";
      }
    },
    /** Have the pages before and after fetched, so that they are there when they are asked for: once the page itself is there. */
    readyNext() {
      const at = mappe.order.indexOf(mappe.current);
      clearTimeout(beside.timer);
      if (at < 0) return;
      beside.timer = window.setTimeout(() => {
        const soon = [];
        for (const page of [at + 1, at - 1, at + 2].map((near) => mappe.page(mappe.order[near]))) {
          if (page) soon.push(fetched(`/pages/${page.id}/${page.picture}-${facts.stage}.jpg`, (image) => beside.pictures.includes(image)));
        }
        beside.pictures = soon;
      }, READY_AFTER_MS);
    },
    /** What is still to come for pages beside another one must not keep the page that is shown waiting. @param {any} page that is shown */
    leaveNext(page) {
      clearTimeout(beside.timer);
      const leaves = beside.pictures.filter((image) => !image.complete && !image.src.includes(`/pages/${page.id}/`));
      beside.pictures = beside.pictures.filter((image) => !leaves.includes(image));
      for (const image of leaves) image.removeAttribute("src");
    },
    draw() {
      const page = this.page;
      if (pile.active) { this.drawPile(); return; }
      if (!page) return;
      if (this.framingNow) { this.drawOnScan(this.framing, t("Page {number}, its frame on the scan", { number: this.number })); return; }
      if (this.cornersNow) { this.drawOnScan(this.corners, t("Page {number}, the corners of its sheet on the scan", { number: this.number })); return; }
      const scan = this.showsScan && this.known;
      const path = scan ? `/pages/${page.id}/scan-${page.scan}` : `/pages/${page.id}/${page.picture}`;
      this.viewer.show({
        href: `${path}-${facts.stage}.jpg`, fullHref: `${path}-${facts.full}.jpg`,
        ...(scan ? {} : { small: { page: page.id, href: `${path}-${facts.lane}.jpg` } }),
        width: scan ? scan.scan_width_mm : page.width_mm, height: scan ? scan.scan_height_mm : page.height_mm,
        dpi: page.dpi, turned: scan ? 0 : mappe.turned(page.id),
        label: scan ? t("Page {number}, the scan", { number: this.number }) : t("Page {number}, as treated", { number: this.number }),
      });
      this.viewer.compare(scan ? null : this.compare.over(facts.stage));
      this.viewer.overlay(scan ? this.foundShapes : [...this.zoneShapes, ...this.drawn.flatMap((/** @type {any} */ tool) => tool.shapes)]);
      this.viewer.grips(scan ? [] : this.drawn.flatMap((/** @type {any} */ tool) => tool.grips));
    },
    drawPile() {
      const { current, page } = pile;
      this.viewer.compare(null);
      this.viewer.grips(pile.grips);
      if (!current) { this.viewer.show(null); return; }
      const path = page ? `/pages/${page.id}/${page.picture}` : "";
      this.viewer.show(page ? {
        href: `${path}-${facts.stage}.jpg`, fullHref: `${path}-${facts.full}.jpg`, width: page.width_mm, height: page.height_mm, dpi: page.dpi, turned: mappe.turned(page.id),
        label: t("Page {number} under the areas", { number: mappe.numberOf(page.id) }),
      } : { href: pile.picture, fullHref: pile.picture, width: current.width_mm, height: current.height_mm, dpi: 75, turned: 0, label: t("{pages} over one another", { pages: pages(current.done) }) });
      this.viewer.overlay(pile.shapes);
    },
    /** @param {any} tool that works on the scan @param {string} label */
    drawOnScan(tool, label) {
      this.viewer.compare(null);
      const { page, known } = this;
      const path = `/pages/${page.id}/scan-${known.page.scan}`;
      this.viewer.show({
        href: `${path}-${facts.stage}.jpg`, fullHref: `${path}-${facts.full}.jpg`, ...tool.size, placed: tool.placed, dpi: page.dpi, turned: 0, label,
      });
      this.viewer.overlay(tool.shapes);
      this.viewer.grips(tool.grips);
    },
    get foundShapes() {
      const corners = this.treatment.crop?.corners ?? [];
      return corners.length ? [{ class: "found", d: `M${corners.map((/** @type {number[]} */ corner) => corner.join(" ")).join("L")}Z` }] : [];
    },
    /** The places of what is to be checked, and of what else was noticed where a person asks for it. */
    get zoneShapes() {
      return (this.known?.findings ?? []).filter((/** @type {any} */ finding) => finding.is_warning ? !finding.accepted : finding.message.code === this.shown).map((/** @type {any} */ finding) => finding.zone).filter(Boolean)
        .map((/** @type {any} */ zone) => ({ class: "zone", d: `M${zone.x_mm} ${zone.y_mm}h${zone.width_mm}v${zone.height_mm}h${-zone.width_mm}z` }));
    },
    get caption() {
      if (pile.active && !pile.page) return pile.current ? t("What its pages share, {width} × {height} mm", { width: length(pile.current.width_mm), height: length(pile.current.height_mm) }) : "";
      if (!this.page) return "";
      if (this.cornersNow) return t("The sheet on its scan; flat it is {width} × {height} mm", { width: length(this.page.width_mm), height: length(this.page.height_mm) });
      if (this.framingNow) return t("The page on its scan, {width} × {height} mm", { width: length(tenth(this.framing.frame.width)), height: length(tenth(this.framing.frame.height)) });
      const scan = this.showsScan && this.known;
      const [width, height] = scan ? [scan.scan_width_mm, scan.scan_height_mm] : [this.page.width_mm, this.page.height_mm];
      return t("{what}, {width} × {height} mm", { what: scan ? t("The scan") : t("As treated"), width: length(width), height: length(height) });
    },
    fit() { this.viewer.fit(); },
    ownPixels() { this.viewer.ownPixels(); },
    closer() { this.viewer.closer(); },
    farther() { this.viewer.farther(); },
    toggleScan() {
      this.leaveScan();
      this.showsScan = !this.showsScan;
      this.shownSince = performance.now();
      this.draw();
    },
    shownSince: 0,
    /** A key that is let go of after a while was held to compare; one that was only pressed stays. */
    endHold() {
      const isHeld = performance.now() - this.shownSince > HELD_MS;
      this.shownSince = Infinity;
      if (this.showsScan && isHeld) this.toggleScan();
    },
    /** A line across the page, with the scan on its left. */
    toggleCompare() {
      this.leaveScan();
      this.showsScan = false;
      this.compare.toggle();
    },
    get comparePressed() { return this.compare?.on ? "true" : "false"; },
    get showsScanText() { return this.showsScan ? "true" : "false"; },

    // ---- by hand, on the page

    get framingNow() { return Boolean(this.framing?.on && this.known); },
    get cornersNow() { return Boolean(this.corners?.active); },
    get viewerClass() { return this.framingNow || this.cornersNow ? "framing" : pile.active ? "pile-open" : ""; },
    get framingOn() { return this.framing?.on || this.corners?.on ? "true" : "false"; },
    get cannotFrame() { return !this.known; },
    get cannotCompare() { return !this.compare?.possible; },
    /** The frame of a scan; of a photo that was made flat, the corners of the sheet. */
    toggleFraming() { this.toggleOnScan(this.corners.isFlat ? this.corners : this.framing); },
    toggleCorners() { this.toggleOnScan(this.corners); },
    /** @param {any} tool that works on the scan */
    toggleOnScan(tool) {
      const { on } = tool;
      this.showsScan = false;
      this.stopLaying();
      this.leaveScan();
      if (!on) tool.toggle();
      else this.draw();
    },
    /** What is changed on the scan is put away. */
    leaveScan() { for (const tool of [this.framing, this.corners]) if (tool.on) tool.toggle(); },
    get isFlat() { return Boolean(this.corners?.isFlat); },
    get isNotFlat() { return !this.isFlat; },
    get cornersPicture() { return this.cornersNow ? `/pages/${this.page.id}/${this.page.picture}-${facts.stage}.jpg` : null; },
    asItCame() { this.corners.asItCame(); },
    takeCorners() { this.corners.take(); },
    /** Lay a line along a row of print; the next drag draws it. */
    toggleLaying() {
      if (this.laying) { this.stopLaying(); return; }
      this.laying = true;
      this.endLaying = this.viewer.layLine((/** @type {number} */ dx, /** @type {number} */ dy) => { this.stopLaying(); this.framing.level(dx, dy); });
    },
    stopLaying() {
      this.laying = false;
      this.drawing = "";
      this.endLaying();
      this.endLaying = () => {};
    },
    endLaying() { /* nothing is being laid */ },
    /** The next drag draws an area. @param {import("../zones.js").ZoneKind} does */
    toggleDrawing(does) {
      const stops = this.drawing === does;
      this.stopLaying();
      if (stops) return;
      this.leaveScan();
      this.showsScan = false;
      this.draw();
      this.drawing = does;
      this.endLaying = this.viewer.layArea((/** @type {import("../area_grips.js").Area} */ area, /** @type {boolean} */ rises) => {
        if (does !== "line" && Math.min(area.width, area.height) < LEAST_MM) return;
        this.stopLaying();
        const drawn = { x: tenth(area.x), y: tenth(area.y), width: Math.max(LEAST_MM, tenth(area.width)), height: Math.max(LEAST_MM, tenth(area.height)) };
        if (pile.active) pile.add(does, drawn);
        else this.zones.add(does === "line" && rises ? "rising_line" : does, drawn);
      });
    },
    /** Wipe what is dark along the edges, on the pages of the scope. */
    async cleanBorders() {
      const done = await mappe.operate({ kind: "clean_borders", pages: this.targets });
      if (done === null) mappe.notice = t("No dark rim is to be seen on {pages}.", { pages: pages(this.targets.length) });
    },
    get wipingPressed() { return this.drawing === "wipe" ? "true" : "false"; },
    get keepingPressed() { return this.drawing === "keep" ? "true" : "false"; },
    get zoneRows() { return this.zones && this.known ? this.zones.rows : []; },
    get hasZone() { return Boolean(this.zones?.current); },
    get zonex() { return this.zoneNumber("x"); },
    get zoney() { return this.zoneNumber("y"); },
    get zonewidth() { return this.zoneNumber("width"); },
    get zoneheight() { return this.zoneNumber("height"); },
    /** @param {"x" | "y" | "width" | "height"} name */
    zoneNumber(name) { const zone = this.zones?.current; return zone ? length(tenth(zone.area[name])) : ""; },
    /** @param {string} name */
    chooseZone(name) { this.zones.choose(name); },
    /** @param {string} name */
    removeZone(name) { this.zones.remove(name); },
    /** @param {Event} event */
    setZone(event) { this.zones.setNumber(event); },

    /** A part of the card has been unfolded, or folded. @param {Event} event */
    partToggled(event) {
      const part = /** @type {HTMLDetailsElement} */ (event.target);
      if (part.open) this.part = part.id;
      else if (this.part === part.id) this.part = "";
      if (part.open) this.leaveScan();
      if (part.open) part.scrollIntoView({ block: "nearest" });
      this.draw();
    },
    get spreadCount() {
      const count = mappe.order.filter((/** @type {number} */ id) => mappe.page(id).spread).length;
      return count ? t("{count} seen", { count }) : "";
    },

    // ---- the pile

    get showsPile() { return pile.active; },
    get showsValues() { return this.hasPage && !pile.active; },
    get pileTargets() { return this.scope === "page" ? mappe.order : this.targets; },
    togglePile() {
      this.stopLaying();
      if (pile.active) { pile.close(); this.draw(); return; }
      this.leaveScan();
      this.zones.leave();
      this.showsScan = false;
      pile.open(this.pileTargets);
      this.draw();
    },
    get layingPressed() { return this.laying ? "true" : "false"; },
    get angle() { return this.framing?.known ? this.framing.angle : 0; },
    get angleText() { return twoDigits(this.angle); },
    /** @param {Event} event */
    setAngle(event) {
      const field = /** @type {HTMLInputElement} */ (event.target);
      const degrees = numberIn(field.value);
      if (degrees === null || Math.abs(degrees) > 45) field.value = this.angleText;
      else this.framing.setAngle(degrees);
    },
    // ---- its treatment

    get treatment() { return this.known?.treatment ?? {}; },
    // First what makes the page hard to read, then what else was noticed.
    get findings() {
      const known = this.known?.findings ?? [];
      const warnings = (this.page?.warnings ?? []).map((/** @type {any} */ warning) => ({ text: warning.text, code: warning.code, isWarning: true }));
      const others = known.filter((/** @type {any} */ finding) => !finding.is_warning)
        .map((/** @type {any} */ finding) => ({ text: finding.message.text, code: finding.message.code, isWarning: false }));
      const placed = new Set(known.filter((/** @type {any} */ finding) => finding.zone).map((/** @type {any} */ finding) => finding.message.code));
      return [...new Map([...warnings, ...others].map((finding) => [finding.text, finding])).values()]
        .map((finding) => ({ ...finding, tone: finding.isWarning ? "grave" : "", hasPlace: placed.has(finding.code), shown: this.shown === finding.code ? "true" : "false" }));
    },
    /** Look at the place of a finding; again, to see the whole page without it. @param {{ code: string }} finding */
    showPlace({ code }) {
      this.shown = this.shown === code ? "" : code;
      const zone = this.known.findings.find((/** @type {any} */ finding) => finding.message.code === this.shown && finding.zone)?.zone;
      this.draw();
      this.lookAt(zone);
    },
    get hasWarned() { return mappe.warned.length > 0; },
    get nextCheckText() { return t("{count} page to check: next", "{count} pages to check: next", { count: mappe.warned.length }); },
    /** Go to the next page with something to check, and to its place there. */
    nextCheck() {
      const { warned, order, current } = mappe;
      const here = order.indexOf(current ?? -1);
      const next = warned.find((/** @type {number} */ id) => order.indexOf(id) > here) ?? warned[0];
      checking = true;
      if (next === current) this.lookAtCheck();
      else mappe.select([], next);
    },
    /** Show the place of what is to be checked large, once the page is known. */
    lookAtCheck() {
      if (!checking || !this.known) return;
      checking = false;
      const zone = this.known.findings.find((/** @type {any} */ finding) => finding.is_warning && !finding.accepted && finding.zone)?.zone;
      this.lookAt(zone);
    },
    /** @param {any} zone the whole page where there is none */
    lookAt(zone) {
      if (zone) this.viewer.look({ x: zone.x_mm, y: zone.y_mm, width: zone.width_mm, height: zone.height_mm });
      else this.viewer.fit();
    },
    /** It is fine, on the pages of the scope. @param {string} code */
    accept(code) { mappe.operate({ kind: "accept_warnings", pages: this.targets, codes: [code] }); },
    get scanText() {
      const known = this.known;
      if (!known) return "";
      const from = known.sheet === null ? known.file_name : t("run {run}, sheet {sheet}", { run: known.run, sheet: known.sheet });
      return t("{from}; {dpi} dpi, {size}", { from, dpi: length(this.page.dpi), size: size(this.page.byte_size) });
    },

    // ---- apply to

    get scopes() {
      const names = [["page", t("this page")], ["fronts", t("all fronts")], ["backs", t("all backs")], ["all", t("all pages")], ["onwards", t("from here on")]];
      if (mappe.selectedCount > 1) names.splice(1, 0, ["selected", t("{count} selected", { count: mappe.selectedCount })]);
      return names.map(([name, label]) => ({ name, label, pressed: this.scope === name ? "true" : "false" }));
    },
    /** @param {string} name */
    scopeTo(name) { this.scope = name; },
    get targets() {
      const side = { fronts: "front", backs: "back" }[this.scope];
      if (side) return mappe.order.filter((/** @type {number} */ id) => mappe.page(id).side === side);
      if (this.scope === "all") return mappe.order;
      if (this.scope === "onwards" && this.page) return mappe.order.slice(mappe.order.indexOf(this.page.id));
      if (this.scope === "selected" && mappe.selectedCount) return mappe.selectedIds;
      return this.page ? [this.page.id] : [];
    },
    get scopeText() { return t("to {pages}", { pages: pages(this.targets.length) }); },
  });
}

/**
 * Have a picture fetched and decoded before it is shown; one that the server could not make in time is asked for again.
 * @param {string} href @param {(image: HTMLImageElement) => boolean} isWanted whether it still is
 */
function fetched(href, isWanted) {
  const image = new Image();
  /** @param {number} pause_ms before it is asked for again: longer each time */
  const ask = (pause_ms) => {
    image.src = href;
    image.decode().catch(() => { window.setTimeout(() => { if (isWanted(image)) ask(2 * pause_ms); }, pause_ms); });
  };
  ask(READY_AFTER_MS);
  return image;
}
