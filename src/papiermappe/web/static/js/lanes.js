// The lanes: every sheet a column, its front above its back. Drawn by hand, since a Mappe may have hundreds of sheets and
// mostly one of them changes: columns are kept by the pages of their sheet, and only what differs is touched.
import { startDrag } from "./drag.js";
import { send } from "./http.js";
import { createSights } from "./sights.js";
import { startSlide } from "./slide.js";
import { t } from "./words.js";

const STATION_LANE_Y = [75, 240]; // the middles of the lanes in Order, in the units of the thread's drawing
const FIRST_PAUSE_MS = 150;
const LONGEST_PAUSE_MS = 10_000;
const NEAR_END_PX = 160;
const RIM_PX = 14;

/** @param {Element} element @param {string} name @param {string | null} value */
function setAttribute(element, name, value) {
  if (value === null) element.removeAttribute(name);
  else if (element.getAttribute(name) !== value) element.setAttribute(name, value);
}

/** The page by which the column of a sheet is kept: it goes along when the sheet is moved. @param {import("./mappe.js").Sheet} sheet */
function keeperOf({ front, back }) { return /** @type {import("./mappe.js").Page} */ (front ?? back).id; }

/** @param {Element} column */
function pagesIn(column) { return Array.from(column.querySelectorAll("[data-page]"), (cell) => Number(cell.getAttribute("data-page"))); }

/**
 * The reading thread of a sheet: from its front down to its back, and on to the sheet that comes next.
 * @param {import("./mappe.js").Sheet} sheet
 * @param {import("./mappe.js").Sheet | undefined} next
 */
function threadOf({ front, back }, next) {
  const down = front && back ? "M59 75 V240 " : "";
  if (!next) return down;
  const from = STATION_LANE_Y[back ? 1 : 0];
  const to = STATION_LANE_Y[next.front ? 0 : 1];
  return `${down}M111 ${from} C 136 ${from} 116 ${to} 141 ${to}`;
}

/**
 * @param {any} mappe
 * @param {any} pairing a proposal of pairs
 * @param {any} cutting a proposal of cuts
 * @param {any} moving between Mappen
 * @param {any} sizes how large pages are in Order
 * @param {(change: () => void) => void} unwatched changes elements without Alpine looking through them: columns hold nothing of it
 * @param {{ lane: string, stage: string, station: string }} facts
 */
export function lanes(mappe, pairing, cutting, moving, sizes, unwatched, facts) {
  const into = (/** @type {number[]} */ pages, /** @type {string} */ target, /** @type {boolean} */ asCopies) => {
    moving.send(pages, { mappe: target === "new" ? null : Number(target) }, asCopies);
  };
  // Beside the component, and read from the Mappe itself: what is watched for changes is slow to read a thousand times.
  /** @type {Map<number, HTMLElement>} by the page that keeps them */
  const columns = new Map();
  /** @type {Map<number, HTMLElement>} by page */
  const cells = new Map();
  /** @type {Set<Element>} */
  let marked = new Set();
  const plain = mappe.plain();
  /** @type {ReturnType<typeof createSights>} */
  let sights;
  return () => ({
    /** @type {number | null} the page that was brought into sight last */
    shown: null,

    init() {
      sights = createSights(this.$refs.track, (pages) => this.have(mappe.shown.others(pages, this.pictureSize)));
      mappe.shown.add(() => ({ size: this.pictureSize, pages: sights.seen().flatMap(pagesIn) }));
      mappe.on("pages", () => this.draw());
      cutting.onChange(() => this.draw());
      this.$watch("$store.sizes.at", () => { this.draw(); this.shown = null; this.$nextTick(() => this.show()); });
      this.$refs.grid.addEventListener("change", (/** @type {Event} */ event) => named(event, cutting));
      this.$refs.grid.addEventListener("keydown", (/** @type {KeyboardEvent} */ event) => left(event));
      mappe.on("selection", () => { this.mark(); this.show(); });
      this.$refs.grid.addEventListener("error", (/** @type {Event} */ event) => again(event.target), true);
      this.draw();
      this.mark();
      this.$nextTick(() => this.show());
    },
    get empty() { return mappe.empty && !mappe.receiving; },
    get receiving() { return mappe.receiving; },
    // Empty places of backs that are being scanned wait visibly.
    get awaiting() { return mappe.run?.landing === "backs" && mappe.run.live ? "awaits-backs" : ""; },
    // A grid must have rows: before the first page arrives it is a plain group.
    get role() { return mappe.empty ? null : "grid"; },
    get rowCount() { return mappe.empty ? null : String(mappe.sheetCount); },
    // Under proposed pairs a third column holds the marks that say what speaks for each; a fourth, where documents begin.
    get columnCount() { return mappe.empty ? null : this.showsParts ? "4" : mappe.proposing ? "3" : "2"; },
    get showsParts() { return cutting.active || mappe.documentCount > 1; },
    get lanesClass() { return [this.awaiting, this.showsParts ? "has-parts" : "", `pages-${sizes.name}`].join(" ").trim(); },
    get multiple() { return mappe.empty ? null : "true"; },

    get pictureSize() { return facts.station === "order" && sizes.isLarge ? facts.stage : facts.lane; },

    /** Have pictures made together. @param {number[]} pages */
    async have(pages) { if (pages.length) await send(`/mappen/${mappe.id}/pictures`, { pages, size: this.pictureSize }); },

    draw() { unwatched(() => this.lay()); },
    lay() {
      const grid = this.$refs.grid;
      const track = this.$refs.track;
      const followed = plain.receiving && track.scrollWidth - track.scrollLeft - track.clientWidth < NEAR_END_PX;
      const focused = document.activeElement?.closest?.("[data-page]")?.getAttribute("data-page");
      const left = new Set(columns.keys());
      cells.clear();
      const starts = this.showsParts ? cutting.starts() : new Map();
      const dividing = cutting.dividing();
      /** @type {Element | null} */
      let place = grid.firstElementChild;
      plain.sheets.forEach((/** @type {import("./mappe.js").Sheet} */ sheet, /** @type {number} */ at) => {
        const keeper = keeperOf(sheet);
        const column = columns.get(keeper) ?? this.added(keeper);
        left.delete(keeper);
        this.fill(column, sheet, plain.sheets[at + 1], at);
        this.fillStart(column, starts.get(sheet.rank) ?? null, dividing.has(sheet.rank));
        if (column === place) place = place.nextElementSibling;
        else grid.insertBefore(column, place);
      });
      for (const keeper of left) {
        const gone = columns.get(keeper);
        if (gone) { sights.forget(gone); gone.remove(); }
        columns.delete(keeper);
      }
      this.mark();
      if (followed) track.scrollLeft = track.scrollWidth;
      if (focused && !document.activeElement?.closest("[data-page]") && document.activeElement === document.body) this.cellOf(plain.current)?.focus({ preventScroll: true });
    },
    /** @param {number} keeper */
    added(keeper) {
      const template = /** @type {HTMLTemplateElement} */ (document.getElementById("sheet-column"));
      const column = /** @type {any} */ (template.content.firstElementChild?.cloneNode(true));
      Object.assign(column, { pairMark: column.querySelector(".pair-mark"), partCell: column.querySelector(".part") });
      columns.set(keeper, column);
      sights.watch(column);
      return column;
    },
    /**
     * @param {any} column
     * @param {import("./mappe.js").Sheet} sheet
     * @param {import("./mappe.js").Sheet | undefined} next
     * @param {number} at
     */
    fill(column, sheet, next, at) {
      setAttribute(column, "aria-rowindex", String(at + 1));
      const thread = threadOf(sheet, next);
      if (column.thread !== thread) {
        column.thread = thread;
        for (const path of column.querySelectorAll("path")) path.setAttribute("d", thread);
      }
      for (const [cell, page, side] of [[column.children[0], sheet.front, "front"], [column.children[1], sheet.back, "back"]]) {
        this.fillCell(cell, page, side);
        if (page) cells.set(page.id, cell);
      }
      this.fillMark(column, plain.markAt(sheet.rank));
    },
    /** Name the document that begins with a sheet, and say why it does. @param {any} column @param {import("./cutting.js").Shown | null} start @param {boolean} divides whether it only divides */
    fillStart(column, start, divides) {
      column.classList.toggle("begins", start !== null);
      column.classList.toggle("begins-maybe", start?.proposed ?? false);
      column.classList.toggle("divides", divides);
      const cell = column.partCell;
      if (!cell) return;
      cell.hidden = start === null;
      if (start === null) return;
      const [name, why, join] = cell.children;
      cell.dataset.start = String(start.page);
      cell.classList.toggle("unsure", start.unsure);
      if (document.activeElement !== name) name.value = start.name;
      setAttribute(name, "aria-label", start.label);
      setAttribute(name, "title", start.name);
      why.textContent = start.why;
      setAttribute(why, "title", start.why);
      join.hidden = start.first;
    },
    /** Say under a proposed pair what speaks for it. @param {any} column @param {any} mark */
    fillMark(column, mark) {
      const button = column.pairMark;
      if (!button) return;
      button.parentElement.hidden = mark === null;
      column.classList.toggle("proposed", mark !== null);
      if (mark === null) return;
      button.textContent = mark.text;
      button.className = `pair-mark ${mark.tone}`;
      button.dataset.at = String(mark.at);
      setAttribute(button, "aria-label", mark.label);
      setAttribute(button, "title", mark.label);
      setAttribute(button, "aria-pressed", String(mark.chosen));
    },
    /** @param {any} cell @param {import("./mappe.js").Page | null} page @param {"front" | "back"} side */
    fillCell(cell, page, side) {
      const notes = page ? plain.notesOn(page.id).map((/** @type {import("./mappe.js").Note} */ note) => note.message.text) : [];
      const number = page ? plain.numberOf(page.id) : 0;
      const turned = page ? plain.turned(page.id) : 0;
      const looks = [page?.id, page?.picture, page?.warnings, page?.blank, turned, this.pictureSize, notes.join("; ")];
      const stays = cell.looks?.every((/** @type {unknown} */ look, /** @type {number} */ at) => look === looks[at]);
      if (stays && cell.number === number) return;
      Object.assign(cell, { looks, number });
      if (!stays) this.fillLeaf(cell, page, side, turned, notes);
      if (page === null) return;
      cell.shown.number.textContent = String(number); // often all that a move changes of a thousand pages
      setAttribute(cell, "aria-label", labelOf(page, number, notes));
    },
    /** @param {any} cell @param {import("./mappe.js").Page | null} page @param {"front" | "back"} side @param {number} turned by quarters @param {string[]} notes */
    fillLeaf(cell, page, side, turned, notes) {
      const [leaf, gap] = cell.children;
      cell.shown ??= { picture: leaf.querySelector("img"), note: leaf.querySelector(".page-note"), number: leaf.querySelector(".number") };
      const { picture, note } = cell.shown;
      leaf.hidden = page === null;
      gap.hidden = page !== null;
      if (page === null) {
        cell.removeAttribute("data-page");
        setAttribute(cell, "aria-label", side === "front" ? t("no front") : t("no back"));
        return;
      }
      cell.dataset.page = String(page.id);
      leaf.className = ["leaf", side, page.warnings.length ? "has-warning" : "", page.blank ? "blank" : ""].join(" ").trim();
      const said = notes.join("; ");
      note.hidden = !said;
      note.textContent = said;
      setAttribute(note, "title", said);
      sights.show(cell.parentElement, picture, `/pages/${page.id}/${page.picture}-${this.pictureSize}.jpg`, page.id);
      picture.className = turned ? `turned-${turned}` : "";
    },
    mark() {
      const grid = this.$refs.grid;
      const now = new Set();
      const current = this.cellOf(plain.current);
      for (const id of plain.selectedIds) {
        const cell = this.cellOf(id);
        if (cell) now.add(cell);
      }
      for (const cell of marked) if (!now.has(cell)) setAttribute(cell, "aria-selected", "false");
      for (const cell of now) setAttribute(cell, "aria-selected", "true");
      for (const cell of grid.querySelectorAll("[aria-current]")) if (cell !== current) { cell.removeAttribute("aria-current"); cell.tabIndex = -1; }
      if (current) { setAttribute(current, "aria-current", "true"); current.tabIndex = 0; }
      marked = now;
    },
    /** @param {number | null} id @returns {HTMLElement | null} */
    cellOf(id) {
      if (id === null) return null;
      return cells.get(id) ?? null;
    },
    show() {
      const cell = this.cellOf(mappe.current);
      if (!cell || this.shown === mappe.current) return;
      this.shown = mappe.current;
      bringIntoSight(cell, this.$refs.track);
      if (this.$refs.grid.contains(document.activeElement) && document.activeElement !== cell) cell.focus({ preventScroll: true });
    },
    /** @param {FocusEvent} event */
    focusIn(event) {
      const cell = /** @type {Element} */ (event.target).closest("[data-page]");
      if (cell) mappe.focus(Number(cell.getAttribute("data-page")));
    },
    /** @param {MouseEvent} event */
    open(event) {
      const cell = /** @type {Element} */ (event.target).closest("[data-page]");
      if (cell) mappe.goTo("tidy", Number(cell.getAttribute("data-page")));
    },
    /** @param {PointerEvent} event */
    press(event) {
      const target = /** @type {Element} */ (event.target);
      if (target.closest(".pair-mark, .part")) {
        if (target.closest(".part-join")) cutting.drop(Number(/** @type {HTMLElement} */ (target.closest(".part")).dataset.start));
        return;
      }
      const cell = target.closest(".slot.back[data-page]");
      const column = /** @type {HTMLElement | null | undefined} */ (cell?.closest(".sheet.proposed"));
      if (column && event.button === 0) startSlide(event, pairing, mappe.markAt(mappe.page(Number(cell?.getAttribute("data-page"))).rank).at, column);
      else if (!mappe.proposing) startDrag(event, mappe, this.$refs, into);
    },
  });
}

/** Take up a document's name that was changed. @param {Event} event @param {any} cutting */
function named(event, cutting) {
  const field = /** @type {HTMLInputElement} */ (event.target);
  const part = /** @type {HTMLElement | null} */ (field.closest(".part"));
  if (part) cutting.name(Number(part.dataset.start), field.value);
}

/** Leave the name of a document with Enter, and the old one with Escape. @param {KeyboardEvent} event */
function left(event) {
  const field = /** @type {HTMLInputElement} */ (event.target);
  if (!field.matches(".part-name") || !["Enter", "Escape"].includes(event.key)) return;
  event.preventDefault();
  event.stopPropagation();
  if (event.key === "Escape") field.value = field.title;
  field.blur();
}

/**
 * Scroll the lanes, and only them, so that a page is in sight.
 * @param {HTMLElement} cell
 * @param {HTMLElement} track
 */
function bringIntoSight(cell, track) {
  const page = cell.getBoundingClientRect();
  const home = track.getBoundingClientRect();
  const across = Math.min(0, page.left - home.left - RIM_PX) + Math.max(0, page.right - home.left - track.clientWidth + RIM_PX);
  const down = Math.min(0, page.top - home.top - RIM_PX) + Math.max(0, page.bottom - home.top - track.clientHeight + RIM_PX);
  if (across) track.scrollLeft += across;
  if (down && track.scrollHeight > track.clientHeight + 1) track.scrollTop += down;
}

/** @param {import("./mappe.js").Page} page @param {number} number @param {string[]} notes */
function labelOf(page, number, notes) {
  const name = page.side === "front" ? t("Page {number}, front", { number }) : t("Page {number}, back", { number });
  return [name, page.blank ? t("blank") : "", ...page.warnings.map((warning) => warning.text), ...notes].filter(Boolean).join(", ");
}

/** Ask again for a picture that did not come: the workers are busy, or the connection was lost. @param {EventTarget | null} target */
export function again(target) {
  if (!(target instanceof HTMLImageElement) && !(target instanceof SVGImageElement)) return;
  const attribute = target instanceof HTMLImageElement ? "src" : "href";
  const source = target.getAttribute(attribute);
  const tried = target.dataset.triedFor === source ? Number(target.dataset.tried) + 1 : 1; // another picture begins anew
  Object.assign(target.dataset, { tried: String(tried), triedFor: source });
  setTimeout(() => {
    if (source && target.isConnected && target.getAttribute(attribute) === source) {
      target.removeAttribute(attribute);
      target.setAttribute(attribute, source);
    }
  }, Math.min(FIRST_PAUSE_MS * 2 ** tried, LONGEST_PAUSE_MS));
}
