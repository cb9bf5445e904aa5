// What can be dragged on a page: grips at its sides and corners, by mouse, touch and arrow keys; and a line laid on it.
import { svg as make } from "./svg.js";

const GRIP_PX = 13;
const TOUCH_PX = 30; // a finger needs more than is drawn
const LEAST_LINE_MM = 5;
const LEAST_AREA_MM = 0.5;

/**
 * @typedef {{ id: string, x: number, y: number, label: string, begin: () => void, move: (dx: number, dy: number) => void, end: () => void,
 *   cancel: () => void, key: (event: KeyboardEvent) => boolean }} Grip its place in mm; moves are in mm from where it was taken
 */

/** Grips are kept by their names while they are dragged, so that neither the drag nor the focus is lost. */
export function createGrips() {
  const group = make("g", { class: "grips" });
  /** @type {Map<string, { element: SVGGElement, grip: Grip }>} */
  const kept = new Map();
  let pxAMm = 1;

  const place = () => {
    for (const { element, grip } of kept.values()) {
      element.setAttribute("transform", `translate(${grip.x} ${grip.y}) scale(${1 / pxAMm})`);
      element.setAttribute("aria-label", grip.label);
    }
  };
  /** @param {Grip} grip */
  const added = (grip) => {
    const element = make("g", { "data-grip": grip.id, tabindex: "0", role: "button" });
    for (const [name, size] of /** @type {[string, number][]} */ ([["reach", TOUCH_PX], ["mark", GRIP_PX]])) {
      element.append(make("rect", { class: name, x: String(-size / 2), y: String(-size / 2), width: String(size), height: String(size) }));
    }
    listen(element, () => /** @type {Grip} */ (kept.get(grip.id)?.grip), () => pxAMm);
    group.append(element);
    return element;
  };
  return {
    group,
    /** @param {Grip[]} grips */
    show(grips) {
      const wanted = new Set(grips.map(({ id }) => id));
      for (const [id, { element }] of kept) if (!wanted.has(id)) { element.remove(); kept.delete(id); }
      for (const grip of grips) kept.set(grip.id, { element: kept.get(grip.id)?.element ?? added(grip), grip });
      place();
    },
    /** @param {number} scale px of the screen a mm */
    draw(scale) { pxAMm = scale; place(); },
  };
}

/** @param {SVGGElement} element @param {() => Grip} grip @param {() => number} pxAMm */
function listen(element, grip, pxAMm) {
  /** @type {{ x: number, y: number } | null} */
  let from = null;
  const letGo = () => { from = null; document.removeEventListener("keydown", escape, true); };
  /** @param {KeyboardEvent} event */
  const escape = (event) => {
    if (event.key !== "Escape" || !from) return;
    event.preventDefault();
    event.stopPropagation();
    letGo();
    grip().cancel();
  };
  element.addEventListener("pointerdown", (event) => {
    if (event.button !== 0) return;
    event.stopPropagation();
    element.setPointerCapture(event.pointerId);
    from = { x: event.clientX, y: event.clientY };
    document.addEventListener("keydown", escape, true);
    grip().begin();
  });
  element.addEventListener("pointermove", (event) => {
    if (from) grip().move((event.clientX - from.x) / pxAMm(), (event.clientY - from.y) / pxAMm());
  });
  element.addEventListener("pointerup", () => { if (from) { letGo(); grip().end(); } });
  element.addEventListener("pointercancel", () => { if (from) { letGo(); grip().cancel(); } });
  element.addEventListener("keydown", (event) => {
    if (!grip().key(event)) return;
    event.preventDefault();
    event.stopPropagation();
  });
}

/**
 * Have a line laid: the next drag on a page draws it.
 * @param {SVGSVGElement} svg @param {SVGGElement} sheet measured in mm @param {(dx: number, dy: number) => void} laid not told of a line that is too short
 * @returns {() => void} ends it
 */
export function layLine(svg, sheet, laid) {
  const line = make("line", { class: "laid", "vector-effect": "non-scaling-stroke" });
  return onNextDrag(svg, sheet, line, (from, to) => ({ x1: from.x, y1: from.y, x2: to.x, y2: to.y }), (from, to) => {
    const [dx, dy] = [to.x - from.x, to.y - from.y];
    if (Math.hypot(dx, dy) >= LEAST_LINE_MM) laid(dx, dy);
  });
}

/**
 * Have an area drawn: the next drag on a page goes from one of its corners to the opposite one.
 * @param {SVGSVGElement} svg @param {SVGGElement} sheet measured in mm
 * @param {(area: { x: number, y: number, width: number, height: number }, rises: boolean) => void} laid and whether it was
 *   drawn from the bottom left or the top right; not told of one that is too small
 * @returns {() => void} ends it
 */
export function layArea(svg, sheet, laid) {
  const rectangle = make("rect", { class: "laid", "vector-effect": "non-scaling-stroke" });
  const between = (/** @type {DOMPoint} */ from, /** @type {DOMPoint} */ to) => ({
    x: Math.min(from.x, to.x), y: Math.min(from.y, to.y), width: Math.abs(to.x - from.x), height: Math.abs(to.y - from.y),
  });
  return onNextDrag(svg, sheet, rectangle, between, (from, to) => {
    const area = between(from, to);
    if (Math.max(area.width, area.height) >= LEAST_AREA_MM) laid(area, (to.x - from.x) * (to.y - from.y) < 0);
  });
}

/**
 * @param {SVGSVGElement} svg @param {SVGGElement} sheet measured in mm @param {SVGElement} shape drawn while dragging
 * @param {(from: DOMPoint, to: DOMPoint) => Record<string, number>} drawn the attributes of the shape
 * @param {(from: DOMPoint, to: DOMPoint) => void} done
 * @returns {() => void} ends it
 */
function onNextDrag(svg, sheet, shape, drawn, done) {
  /** @type {DOMPoint | null} */
  let from = null;
  /** @param {PointerEvent} event */
  const placeOf = (event) => new DOMPoint(event.clientX, event.clientY).matrixTransform(sheet.getScreenCTM()?.inverse());
  /** @param {PointerEvent} event */
  const draw = (event) => {
    if (!from) return;
    for (const [name, value] of Object.entries(drawn(from, placeOf(event)))) shape.setAttribute(name, String(value));
  };
  /** @param {PointerEvent} event */
  const press = (event) => {
    if (event.button !== 0) return;
    event.stopPropagation();
    svg.setPointerCapture(event.pointerId);
    from = placeOf(event);
    sheet.append(shape);
    draw(event);
  };
  /** @param {PointerEvent} event */
  const release = (event) => {
    if (!from) return;
    const began = from;
    from = null;
    shape.remove();
    done(began, placeOf(event));
  };
  /** @type {[string, any][]} */
  const listeners = [["pointerdown", press], ["pointermove", draw], ["pointerup", release]];
  for (const [name, listener] of listeners) svg.addEventListener(name, listener, true);
  svg.setAttribute("data-laying", "");
  return () => {
    for (const [name, listener] of listeners) svg.removeEventListener(name, listener, true);
    svg.removeAttribute("data-laying");
    shape.remove();
  };
}
