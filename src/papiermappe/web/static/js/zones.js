// Zones on the page: areas that are wiped, outside which all is, that are blacked out or marked. Drawn, moved, resized,
// taken away.
import { createAreaGrips, LEAST_MM } from "./area_grips.js";
import { numberIn, tenth } from "./numbers.js";
import { length, pages, t } from "./words.js";
import { uniqueName } from "./unique.js";

/** @typedef {import("./area_grips.js").Area} Area */
/** @typedef {"wipe" | "keep" | "blackout" | "highlight" | "box" | "line" | "rising_line" | "note"} ZoneKind */

/** What a zone does, in the list. @type {Record<ZoneKind, (size: Record<string, string>) => string>} */
const SAID = {
  wipe: (size) => t("{width} × {height} mm wiped, on {pages}", size),
  keep: (size) => t("All but {width} × {height} mm wiped, on {pages}", size),
  blackout: (size) => t("{width} × {height} mm blacked out, on {pages}", size),
  highlight: (size) => t("Highlight, {width} × {height} mm, on {pages}", size),
  box: (size) => t("Box, {width} × {height} mm, on {pages}", size),
  line: (size) => t("Line, {width} × {height} mm, on {pages}", size),
  rising_line: (size) => t("Line, {width} × {height} mm, on {pages}", size),
  note: (size) => t("Note, on {pages}", size),
};
const NOTE_SHOWN = 30;
const RIMS = "rims";

/** @param {any} zone */
function isRim(zone) { return zone.name.startsWith("rim-"); }

/** @param {number[][]} corners @returns {Area} */
function boxOf(corners) {
  const across = corners.map(([x]) => x);
  const down = corners.map(([, y]) => y);
  const [x, y] = [Math.min(...across), Math.min(...down)];
  return { x, y, width: Math.max(...across) - x, height: Math.max(...down) - y };
}

/** @param {Area} area */
export function outline({ x, y, width, height }) { return `M${x} ${y}h${width}v${height}h${-width}z`; }

/** @param {Area} area as the server takes it */
export function sent({ x, y, width, height }) { return { x_mm: x, y_mm: y, width_mm: width, height_mm: height }; }

/**
 * @param {any} mappe
 * @param {{ known: () => any, targets: () => number[], redraw: () => void }} tidy the station: the page that is known, what operations are for
 */
export function createZones(mappe, tidy) {
  const grips = createAreaGrips();
  return {
    /** @type {string | null} the name of the zone that is being changed */
    chosen: null,
    /** @type {Area | null} as it has been moved, and not sent yet */
    moved: null,
    /** Whether it has been moved since it was last sent. */
    unsent: false,

    get list() {
      return (tidy.known()?.zones ?? []).map((/** @type {any} */ zone) => ({ ...zone, area: this.moved && zone.name === this.chosen ? this.moved : boxOf(zone.corners) }));
    },
    get current() { return this.list.find((/** @type {any} */ zone) => zone.name === this.chosen) ?? null; },
    get shapes() {
      return this.list.map((/** @type {any} */ zone) => ({
        class: `${zone.kind}-zone${zone.name === this.chosen ? " chosen" : ""}`,
        d: this.moved && zone.name === this.chosen ? outline(zone.area) : `M${zone.corners.map((/** @type {number[]} */ corner) => corner.join(" ")).join("L")}Z`,
      }));
    },
    /** Of a page with dark rims that are wiped, these are one row. */
    get rows() {
      const rims = this.list.filter(isRim);
      const row = { name: RIMS, text: t("Dark rims wiped"), chosen: "false" };
      return [...this.ownRows, ...(rims.length ? [row] : [])];
    },
    get ownRows() {
      return this.list.filter((/** @type {any} */ zone) => !isRim(zone)).map((/** @type {any} */ zone) => {
        const size = { width: length(tenth(zone.area.width)), height: length(tenth(zone.area.height)), pages: pages(zone.pages.length) };
        return {
          name: zone.name,
          text: zone.text ? `${SAID[/** @type {ZoneKind} */ (zone.kind)](size)}: ${shortened(zone.text)}` : SAID[/** @type {ZoneKind} */ (zone.kind)](size),
          chosen: zone.name === this.chosen ? "true" : "false",
        };
      });
    },
    /** @param {string} name */
    choose(name) {
      if (name === RIMS) return;
      this.send();
      this.chosen = this.chosen === name ? null : name;
      tidy.redraw();
    },
    leave() { this.send(); this.giveUp(); this.chosen = null; },
    /** Draw a new zone on the pages of the scope. @param {ZoneKind} does @param {Area} area */
    add(does, area) {
      const name = uniqueName();
      this.chosen = name;
      return this.put(tidy.targets(), { name, kind: does, text: "" }, area);
    },
    /** @param {number[]} ids @param {{ name: string, kind: ZoneKind, text: string }} zone @param {Area} area @param {any} [page] on which it was drawn */
    put(ids, { name, kind, text }, area, page = tidy.known().page) {
      return mappe.operate({ kind: "put_zones", pages: ids, zones: [{ name, does: kind, zone: sent(area), text }], drawn_on_mm: [page.width_mm, page.height_mm] });
    },
    /** Write what the chosen note says. @param {string} text */
    write(text) {
      const zone = this.current;
      if (zone && zone.text !== text) this.put(zone.pages, { ...zone, text }, zone.area);
    },
    /** @param {string} name */
    remove(name) {
      if (name === RIMS) {
        mappe.operate({ kind: "remove_zones", pages: [tidy.known().page.id], names: this.list.filter(isRim).map((/** @type {any} */ zone) => zone.name) });
        return;
      }
      const zone = this.list.find((/** @type {any} */ one) => one.name === name);
      this.giveUp();
      if (zone) mappe.operate({ kind: "remove_zones", pages: zone.pages, names: [name] });
    },

    // ---- moving and resizing the one that is chosen

    /** @param {Area} area */
    drawAs(area) {
      this.mean();
      this.unsent = true;
      this.moved = area;
      tidy.redraw();
    },
    finish() { this.send(); },
    giveUp() {
      grips.stop();
      this.unsent = false;
      this.moved = null;
      tidy.redraw();
    },
    takeAway() { if (this.chosen) this.remove(this.chosen); },
    get grips() { return this.current ? grips.of(this.current.area, this) : []; },
    /** @param {Event} event a number that was typed: `x`, `y`, `width` or `height` */
    setNumber(event) {
      const field = /** @type {HTMLInputElement} */ (event.target);
      const name = /** @type {keyof Area} */ (field.dataset.name);
      const typed = numberIn(field.value);
      const { area } = this.current;
      if (typed === null || (typed < LEAST_MM && (name === "width" || name === "height"))) { field.value = length(tenth(area[name])); return; }
      this.mean();
      this.moved = { ...area, [name]: typed };
      this.send();
    },
    /** @type {{ zone: any, page: any } | null} what is moved, and the page it is moved on: also when another one is shown by now */
    meant: null,
    mean() { if (!this.moved) this.meant = { zone: this.current, page: tidy.known().page }; },
    send() {
      grips.stop();
      this.unsent = false;
      if (!this.moved || !this.meant) { this.moved = null; return; }
      const { zone, page } = this.meant;
      this.put(zone.pages, zone, this.moved, page).then((/** @type {any} */ done) => { if (!done) this.settle(); });
    },
    /** The server has told the zones anew, or refused what was sent. What has not been sent goes on. */
    settle() { if (!this.unsent) this.giveUp(); },
  };
}

/** @param {string} text */
function shortened(text) { return text.length > NOTE_SHOWN ? `${text.slice(0, NOTE_SHOWN)}…` : text; }
