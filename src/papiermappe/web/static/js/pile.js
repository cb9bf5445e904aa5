// The pile view: pages over one another, fronts and backs apart, with what to wipe on all of them.
import { createAreaGrips } from "./area_grips.js";
import { get, pause, Refused } from "./http.js";
import { tenth } from "./numbers.js";
import { length, listed, pages, t } from "./words.js";
import { outline, sent } from "./zones.js";
import { uniqueName } from "./unique.js";

const ASK_EVERY_MS = 200;
const ASKED_ANEW_AFTER = 50; // times; the pages may have changed while they were laid
const LOOKS = 20; // so often it is tried to see what print a zone would take
const CHANGED_MS = 400;
const MOST_PAGES = 1000;

/** @type {Record<string, () => string>} */
const KINDS = {
  hole: () => t("Hole"), staple: () => t("Staple"), fold: () => t("Fold"), edge_shadow: () => t("Shadow along an edge"), dust_line: () => t("Line of dust"),
};

/** @typedef {import("./area_grips.js").Area} Area */
/** @typedef {{ name: string, does: "wipe" | "keep", found: string, area: Area, onScan: any, text: string, printed: number[] | null, spares: number[] }} Item something that is to be wiped, if it is not left out; not on the pages that it spares; `found` is what was found there, if anything */

/** @param {any} mappe */
export function createPile(mappe) {
  let asked = 0;
  let changing = 0;
  /** @type {number[]} */
  let laid = [];
  /** @type {Map<string, Item[]>} by side */
  const items = new Map();
  /** @type {{ side: string, found: string, area: Area }[]} what a person has left out or moved: it is not suggested again while the pile is open */
  let settled = [];
  const grips = createAreaGrips();
  /** @type {Pick<Item, "area" | "printed" | "spares"> | null} what was said of the area that is being moved */
  let before = null;
  return {
    active: false,
    /** @type {any} */
    seen: null,
    name: "",
    side: "front",
    at: 0, // 0 is the pile, then each of its pages
    version: 0,
    chosen: "", // the name of the area that has grips

    get current() { return this.seen?.sides.find((/** @type {any} */ one) => one.side === this.side) ?? null; },
    get sides() { return (this.seen?.sides ?? []).map((/** @type {any} */ one) => ({ side: one.side, text: one.side === "front" ? t("{count} front", "{count} fronts", { count: one.pages.length }) : t("{count} back", "{count} backs", { count: one.pages.length }), pressed: one.side === this.side ? "true" : "false" })); },
    get whole() { return Boolean(this.seen?.whole); },
    get progress() {
      const now = this.current;
      if (!now) return t("Laying the pages over one another…");
      return this.whole ? "" : t("{done} of {count} pages", { done: now.done, count: now.pages.length });
    },
    /** @returns {Item[]} */
    get items() { void this.version; return items.get(this.side) ?? []; },
    /** The page that is shown under the zones; null for the pile. */
    get page() { return this.at ? mappe.page(this.current?.pages[this.at - 1]) ?? null : null; },
    get picture() {
      const now = this.current;
      return now ? `/mappen/${mappe.id}/pile/${this.name}/${now.side}.png?${now.done}` : "";
    },
    get shapes() { return this.items.filter(({ spares }) => !this.page || !spares.includes(this.page.id)).map(({ name, does, area }) => ({ class: `${does}-zone${name === this.chosen ? " chosen" : ""}`, d: outline(area) })); },
    /** The chosen area; a line of dust lies where it does on all scans, and cannot be moved. */
    get movable() { return this.items.find((item) => item.name === this.chosen && !item.onScan) ?? null; },
    get grips() { return this.movable ? grips.of(this.movable.area, this) : []; },
    /** @param {string} name */
    choose(name) {
      this.chosen = this.chosen === name ? "" : name;
      this.version += 1;
    },
    /** @param {Area} area */
    drawAs(area) {
      const item = this.movable;
      if (!item) return;
      before ??= { area: item.area, printed: item.printed, spares: item.spares };
      Object.assign(item, { area, printed: null, spares: [] });
      this.version += 1;
    },
    /** An area has been moved: it is not as it was found any more, and something else may lie under it. */
    finish() {
      const item = this.movable;
      const { area = null } = before ?? {};
      before = null;
      grips.stop();
      if (!item) return;
      if (item.found) {
        settled.push({ side: this.side, found: item.found, area: area ?? item.area });
        item.found = "";
        this.chosen = item.name = uniqueName();
      } else item.text = sizeText(item.does, item.area);
      this.look(this.side, item);
    },
    giveUp() {
      if (this.movable && before) Object.assign(this.movable, before);
      before = null;
      this.version += 1;
    },
    takeAway() { this.leaveOut(this.chosen); },

    /** @param {number[]} ids */
    open(ids) {
      this.active = true;
      this.at = 0;
      settled = [];
      laid = ids.slice(0, MOST_PAGES);
      return this.ask();
    },
    close() {
      this.active = false;
      this.seen = null;
      items.clear();
      asked += 1;
    },
    /** Pages have come or changed: lay them anew when that has stopped for a moment. @param {number[]} ids */
    changed(ids) {
      laid = ids.slice(0, MOST_PAGES);
      clearTimeout(changing);
      changing = window.setTimeout(() => { if (this.active) this.ask(); }, CHANGED_MS);
    },
    async ask() {
      asked += 1;
      const mine = asked;
      const address = `/mappen/${mappe.id}/pile`;
      try {
        let name = "";
        for (let times = 0; mine === asked; times += 1) {
          if (times % ASKED_ANEW_AFTER === 0) name = await mappe.command(address, { pages: laid });
          else await pause(ASK_EVERY_MS);
          if (name === undefined || mine !== asked) return;
          const seen = await get(`${address}/${name}`);
          if (seen && mine === asked) await this.take(name, seen);
          if (seen?.whole) return;
        }
      } catch (error) {
        if (mine !== asked) return;
        if (error instanceof Refused) { mappe.complain(error); this.close(); return; }
        await pause(ASK_EVERY_MS); // an answer was lost
        if (mine === asked) await this.ask();
      }
    },
    /** @param {string} name @param {any} seen */
    async take(name, seen) {
      this.name = name;
      this.seen = seen;
      if (!this.current) this.side = seen.sides[0].side;
      if (seen.whole) for (const one of seen.sides) this.suggest(one);
    },
    /** @param {any} one a side */
    suggest(one) {
      const drawn = (items.get(one.side) ?? []).filter((item) => !item.found);
      const found = one.suggestions.map((/** @type {any} */ suggestion, /** @type {number} */ at) => ({
        name: `found-${this.name}-${at}`.slice(0, 40),
        does: "wipe",
        found: suggestion.kind,
        area: { x: suggestion.zone.x_mm, y: suggestion.zone.y_mm, width: suggestion.zone.width_mm, height: suggestion.zone.height_mm },
        onScan: suggestion.on_scan,
        text: t("{what}, on {shown} of {count}", { what: KINDS[suggestion.kind](), shown: suggestion.pages, count: one.pages.length }),
        printed: null,
        spares: suggestion.spares,
      }));
      const isSettled = (/** @type {Item} */ item) => settled.some(({ side, found: kind, area }) => side === one.side && kind === item.found && coincide(area, item.area));
      items.set(one.side, [...found.filter((/** @type {Item} */ item) => !isSettled(item)), ...drawn]);
      this.version += 1;
      for (const item of items.get(one.side) ?? []) this.look(one.side, item);
    },
    /** See what of a single page a zone would take. @param {string} side @param {Item} item */
    async look(side, item) {
      const query = new URLSearchParams(Object.entries(sent(item.area)).map(([name, value]) => [name, String(tenth(value))]));
      if (item.does === "keep" || item.onScan) { item.printed = []; return; }
      const { name } = this;
      const { area } = item;
      for (let times = 0; times < LOOKS && this.active && name === this.name && area === item.area; times += 1) {
        try {
          const printed = await get(`/mappen/${mappe.id}/pile/${name}/${side}/printed?${query}`);
          if (area === item.area) item.printed = printed.filter((/** @type {number} */ page) => !item.spares.includes(page));
          this.version += 1;
          return;
        } catch { await pause(ASK_EVERY_MS); } // what was said of an earlier pile must not stay
      }
    },
    /** @param {"wipe" | "keep"} does @param {Area} area */
    add(does, area) {
      /** @type {Item} */
      const item = { name: uniqueName(), does, found: "", area, onScan: null, text: sizeText(does, area), printed: null, spares: [] };
      items.set(this.side, [...this.items, item]);
      this.chosen = item.name;
      this.version += 1;
      this.look(this.side, item);
    },
    /** @param {string} name */
    leaveOut(name) {
      for (const { name: own, found, area } of this.items) if (own === name && found) settled.push({ side: this.side, found, area });
      items.set(this.side, this.items.filter((item) => item.name !== name));
      this.version += 1;
    },
    /** @param {Item} item */
    warning(item) {
      if (!item.printed?.length) return "";
      const numbers = item.printed.map((id) => mappe.numberOf(id)).filter(Boolean);
      return t("Print lies under it on page {pages}", { pages: listed(numbers) });
    },
    /** @param {Item} item */
    spared(item) {
      const numbers = item.spares.map((id) => mappe.numberOf(id)).filter(Boolean);
      return numbers.length ? t("Not on page {pages}, where something is printed", { pages: listed(numbers) }) : "";
    },
    /** Show the first page that has print under a zone, or that it spares. @param {string} name */
    showPrint(name) {
      const item = this.items.find((one) => one.name === name);
      const page = item?.printed?.[0] ?? item?.spares[0];
      if (page !== undefined) this.at = this.current.pages.indexOf(page) + 1;
    },
    /** The pages on which something is to be wiped. @returns {number[]} */
    get reached() { return (this.current?.pages ?? []).filter((/** @type {number} */ id) => this.items.some(({ spares }) => !spares.includes(id))); },
    get wipeText() { return this.current ? t("Wipe {count} area on {pages}", "Wipe {count} areas on {pages}", { count: this.items.length, pages: pages(this.reached.length) }) : ""; },
    async wipe() {
      const now = this.current;
      const zones = this.items.filter((item) => !item.onScan).map(({ name, does, area, spares }) => ({ name, does, zone: sent(area), spares }));
      const onScan = this.items.filter((item) => item.onScan).map(({ name, onScan: { x_mm: x, y_mm: y, width_mm: width, height_mm: height } }) => ({
        name, kind: "wipe", corners: [[x, y], [x + width, y], [x + width, y + height], [x, y + height]],
      }));
      const done = await mappe.operate({ kind: "put_zones", pages: now.pages, zones, on_scan: onScan, drawn_on_mm: [now.width_mm, now.height_mm] });
      if (!done) return;
      items.delete(this.side);
      this.version += 1;
    },
  };
}

/** Whether two areas are of the same thing: they cover most of the smaller; those along two edges share a corner only. @param {Area} one @param {Area} other */
function coincide(one, other) {
  const across = Math.min(one.x + one.width, other.x + other.width) - Math.max(one.x, other.x);
  const down = Math.min(one.y + one.height, other.y + other.height) - Math.max(one.y, other.y);
  return across > 0 && down > 0 && across * down > Math.min(one.width * one.height, other.width * other.height) / 2;
}

/** @param {"wipe" | "keep"} does @param {Area} area */
function sizeText(does, area) {
  const size = { width: length(tenth(area.width)), height: length(tenth(area.height)) };
  return does === "keep" ? t("All but {width} × {height} mm", size) : t("{width} × {height} mm", size);
}
