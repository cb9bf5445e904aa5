// A look at the glass: what lies there, outlined; outlines are moved and resized by mouse, touch, arrow keys and numbers.
import { get, pause } from "../http.js";
import { tenth } from "../numbers.js";
import { svg } from "../svg.js";
import { length, t } from "../words.js";

const ASK_EVERY_MS = 200;
const PATIENCE_MS = 90_000;
const LEAST_MM = 10;
const SNAP_MM = 4;
const HANDLE_MM = 6;
const STEPS = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] };
/** Sheets by the sizes that their areas snap to, in mm. */
const SIZES = [[210, 297], [148, 210], [105, 148], [85.6, 54], [125, 88]];

/** @typedef {{ id: number, x_mm: number, y_mm: number, width_mm: number, height_mm: number }} Area */

/** @param {any} mappe @param {any} devices */
export function createGlass(mappe, devices) {
  let next = 1;
  return {
    looking: false,
    /** @type {{ picture: string, width_mm: number, height_mm: number, light_gets_in: boolean } | null} */
    seen: null,
    /** @type {Area[]} without the margin */
    areas: [],
    /** @type {number | null} */
    chosen: null,
    marginMm: 3,

    get active() { return this.seen !== null; },
    /** What is scanned: the areas with their margin, as far as they lie on the glass. */
    get wanted() {
      const { seen, marginMm } = this;
      if (!seen) return [];
      return this.areas.map(({ x_mm: x, y_mm: y, width_mm: width, height_mm: height }) => {
        const left = Math.max(0, x - marginMm);
        const top = Math.max(0, y - marginMm);
        return {
          x_mm: left, y_mm: top,
          width_mm: Math.min(seen.width_mm, x + width + marginMm) - left, height_mm: Math.min(seen.height_mm, y + height + marginMm) - top,
        };
      });
    },
    async look() {
      if (this.looking || devices.chosenId === null) return;
      this.looking = true;
      const seen = await this.seenBy(await mappe.command(`/devices/${devices.chosenId}/look`));
      this.looking = false;
      if (!seen) return;
      this.seen = seen;
      this.areas = seen.originals.map((/** @type {Omit<Area, "id">} */ original) => ({ ...original, id: next++ }));
      this.chosen = this.areas[0]?.id ?? null;
    },
    /** Wait for what a look shows; nothing where something is in the way, which is told. @param {string | undefined} name */
    async seenBy(name) {
      const until = Date.now() + PATIENCE_MS;
      try {
        while (name !== undefined && Date.now() < until) {
          const seen = await get(`/devices/looks/${name}`);
          if (seen) return seen;
          await pause(ASK_EVERY_MS);
        }
        if (name !== undefined) mappe.problem = t("The scanner has not shown its glass. Nothing was scanned. Look once more.");
      } catch (error) { mappe.complain(error); }
      return null;
    },
    close() { this.seen = null; this.areas = []; this.chosen = null; },
    /** @param {number} id */
    area(id) { return this.areas.find((area) => area.id === id) ?? null; },
    /** @param {Omit<Area, "id">} place */
    add(place) {
      const area = { ...place, id: next++ };
      this.areas = [...this.areas, area];
      this.chosen = area.id;
      return area.id;
    },
    /** @param {number} id */
    remove(id) {
      this.areas = this.areas.filter((area) => area.id !== id);
      this.chosen = this.areas[0]?.id ?? null;
    },
    /** Give an area another place or size, kept on the glass. @param {number} id @param {Partial<Area>} change */
    change(id, change) {
      this.areas = this.areas.map((area) => (area.id === id ? this.kept({ ...area, ...change }) : area));
    },
    /** @param {Area} area @returns {Area} */
    kept(area) {
      const { width_mm: most = 0, height_mm: highest = 0 } = this.seen ?? {};
      const width = Math.min(Math.max(LEAST_MM, area.width_mm), most);
      const height = Math.min(Math.max(LEAST_MM, area.height_mm), highest);
      return {
        ...area, width_mm: tenth(width), height_mm: tenth(height),
        x_mm: tenth(Math.min(Math.max(0, area.x_mm), most - width)), y_mm: tenth(Math.min(Math.max(0, area.y_mm), highest - height)),
      };
    },
    /** Make an area exactly as large as a sheet that it is nearly as large as. @param {number} id */
    snap(id) {
      const area = this.area(id);
      if (!area) return;
      const both = SIZES.flatMap(([width, height]) => [[width, height], [height, width]]);
      const size = both.find(([width, height]) => Math.abs(width - area.width_mm) < SNAP_MM && Math.abs(height - area.height_mm) < SNAP_MM);
      if (size) this.change(id, { width_mm: size[0], height_mm: size[1] });
    },
  };
}

/** @param {any} glass */
export function glassView(glass) {
  return () => ({
    /** @type {{ id: number, kind: string, start: { x: number, y: number }, area: Area } | null} */
    drag: null,

    init() { this.$watch("rows", () => this.draw()); },
    get shown() { return glass.active; },
    /** Have the drawing show all of the glass, in mm. @param {SVGSVGElement} drawing */
    frame(drawing) {
      const { width_mm: width = 1, height_mm: height = 1 } = glass.seen ?? {};
      drawing.setAttribute("viewBox", `0 0 ${width} ${height}`);
    },
    get picture() { return glass.seen?.picture ?? ""; },
    get glassWidth() { return String(glass.seen?.width_mm ?? 1); },
    get glassHeight() { return String(glass.seen?.height_mm ?? 1); },
    get rows() {
      return glass.areas.map((/** @type {Area} */ area, /** @type {number} */ at) => ({
        id: area.id, number: String(at + 1), x: String(area.x_mm), y: String(area.y_mm), width: String(area.width_mm), height: String(area.height_mm),
        tone: area.id === glass.chosen ? "area chosen" : "area", labelX: String(area.x_mm + 5), labelY: String(area.y_mm + 11),
        right: String(area.x_mm + area.width_mm - HANDLE_MM), bottom: String(area.y_mm + area.height_mm - HANDLE_MM),
        label: t("Original {number}: {width} by {height} mm", { number: at + 1, width: length(area.width_mm), height: length(area.height_mm) }),
      }));
    },
    get lightGetsIn() { return glass.seen?.light_gets_in ?? false; },
    get nothing() { return glass.active && glass.areas.length === 0; },
    get chosen() { return glass.chosen === null ? null : glass.area(glass.chosen); },
    get hasChosen() { return this.chosen !== null; },
    get fields() { return { x: value(this.chosen?.x_mm), y: value(this.chosen?.y_mm), width: value(this.chosen?.width_mm), height: value(this.chosen?.height_mm) }; },
    get chosenText() { return t("Original {number}", { number: glass.areas.findIndex((/** @type {Area} */ area) => area.id === glass.chosen) + 1 }); },
    get marginValue() { return String(glass.marginMm); },

    /** Draw the areas; elements are kept by their area, so that the focus stays. */
    draw() {
      const place = /** @type {SVGGElement} */ (this.$refs.areas);
      const left = new Set([...place.children].map((child) => child.getAttribute("data-area")));
      for (const row of this.rows) {
        const id = String(row.id);
        const group = place.querySelector(`[data-area="${id}"]`) ?? this.added(place, row.id);
        left.delete(id);
        const [box, first, last, number] = group.children;
        group.setAttribute("class", row.tone);
        group.setAttribute("aria-label", row.label);
        for (const [name, at] of Object.entries({ x: row.x, y: row.y, width: row.width, height: row.height })) box.setAttribute(name, at);
        first.setAttribute("x", row.x);
        first.setAttribute("y", row.y);
        last.setAttribute("x", row.right);
        last.setAttribute("y", row.bottom);
        number.setAttribute("x", row.labelX);
        number.setAttribute("y", row.labelY);
        number.textContent = row.number;
      }
      for (const id of left) place.querySelector(`[data-area="${id}"]`)?.remove();
    },
    /** @param {SVGGElement} place @param {number} id */
    added(place, id) {
      const group = svg("g", { "data-area": String(id), tabindex: "0", role: "group" });
      group.append(svg("rect", {}), svg("rect", { "data-handle": "start", width: String(HANDLE_MM), height: String(HANDLE_MM) }), svg("rect", { "data-handle": "end", width: String(HANDLE_MM), height: String(HANDLE_MM) }), svg("text", {}));
      group.addEventListener("keydown", (event) => this.key(/** @type {KeyboardEvent} */ (event), id));
      group.addEventListener("focus", () => this.focus(id));
      place.append(group);
      return group;
    },
    /** @param {PointerEvent} event */
    placeOf(event) {
      const drawing = /** @type {SVGSVGElement} */ (this.$refs.glass);
      const place = new DOMPoint(event.clientX, event.clientY).matrixTransform(drawing.getScreenCTM()?.inverse());
      return { x: place.x, y: place.y };
    },
    /** @param {PointerEvent} event */
    press(event) {
      const target = /** @type {Element} */ (event.target);
      const start = this.placeOf(event);
      const id = Number(target.closest("[data-area]")?.getAttribute("data-area")) || null;
      if (id === null) {
        const drawn = glass.add({ x_mm: start.x, y_mm: start.y, width_mm: 0, height_mm: 0 });
        this.drag = { id: drawn, kind: "draw", start, area: glass.area(drawn) };
      } else {
        glass.chosen = id;
        this.drag = { id, kind: target.getAttribute("data-handle") ?? "move", start, area: glass.area(id) };
      }
      /** @type {SVGElement} */ (this.$refs.glass).setPointerCapture(event.pointerId);
    },
    /** @param {PointerEvent} event */
    move(event) {
      if (!this.drag) return;
      const { id, kind, start, area } = this.drag;
      const now = this.placeOf(event);
      const dx = now.x - start.x;
      const dy = now.y - start.y;
      if (kind === "move") glass.change(id, { x_mm: area.x_mm + dx, y_mm: area.y_mm + dy });
      else if (kind === "draw") glass.change(id, { x_mm: Math.min(start.x, now.x), y_mm: Math.min(start.y, now.y), width_mm: Math.abs(dx), height_mm: Math.abs(dy) });
      else if (kind === "end") glass.change(id, { width_mm: area.width_mm + dx, height_mm: area.height_mm + dy });
      else {
        const right = area.x_mm + area.width_mm;
        const bottom = area.y_mm + area.height_mm;
        const x = Math.min(Math.max(0, area.x_mm + dx), right - LEAST_MM);
        const y = Math.min(Math.max(0, area.y_mm + dy), bottom - LEAST_MM);
        glass.change(id, { x_mm: x, y_mm: y, width_mm: right - x, height_mm: bottom - y });
      }
    },
    release() {
      if (!this.drag) return;
      const { id, kind } = this.drag;
      const drawn = glass.area(id);
      this.drag = null;
      if (kind === "draw" && drawn && drawn.width_mm <= LEAST_MM && drawn.height_mm <= LEAST_MM) glass.remove(id); // a click beside everything
      else if (kind !== "move") glass.snap(id);
    },
    /** @param {KeyboardEvent} event @param {number} id */
    key(event, id) {
      const area = glass.area(id);
      const step = STEPS[/** @type {keyof typeof STEPS} */ (event.key)];
      if (event.key === "Delete" || event.key === "Backspace") glass.remove(id);
      else if (step && area) {
        const [dx, dy] = step.map((by) => (event.altKey ? by / 10 : by));
        glass.change(id, event.shiftKey ? { width_mm: area.width_mm + dx, height_mm: area.height_mm + dy } : { x_mm: area.x_mm + dx, y_mm: area.y_mm + dy });
      } else return;
      event.preventDefault();
      event.stopPropagation();
    },
    /** @param {number} id */
    focus(id) { glass.chosen = id; },
    /** @param {Event} event */
    setField(event) {
      const field = /** @type {HTMLInputElement} */ (event.target);
      const number = Number(field.value.replace(",", "."));
      if (glass.chosen !== null && Number.isFinite(number)) glass.change(glass.chosen, { [field.dataset.name ?? ""]: number });
      const kept = glass.area(glass.chosen);
      field.value = value(kept?.[/** @type {keyof Area} */ (field.dataset.name)]);
    },
    /** @param {Event} event */
    setMargin(event) { glass.marginMm = Number(/** @type {HTMLSelectElement} */ (event.target).value); },
    removeChosen() { if (glass.chosen !== null) glass.remove(glass.chosen); },
    lookAgain() { glass.look(); },
    close() { glass.close(); },
  });
}

/** @param {number | undefined} mm */
function value(mm) { return mm === undefined ? "" : String(mm); }
