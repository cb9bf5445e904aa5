// The viewer: one page large, as an SVG measured in mm. Zoom by wheel, pinch and keys up to the scan's own pixels, pan by
// dragging; what lies over the page is drawn into layers, in mm of the page, and grips on it can be dragged.
import { comesFirst } from "./foremost.js";
import { createGrips, layArea, layLine } from "./grips.js";
import { again } from "./lanes.js";
import { svg as make } from "./svg.js";

const MAX_PX_A_SCAN_PX = 4; // a scan's pixel is shown so large at most
const ENLARGED = 1.4; // so large a pixel of a picture is shown at most, before the scan's own are fetched
const STEP = 1.25;
const AROUND_MM = 15;
const RULER_PX = 18;
const MARGIN_PX = 14;

/**
 * @typedef {{ width: number, height: number, transform: string }} Placed the picture's own size in mm, and how it lies
 * @typedef {{ page: number, href: string }} Small a small picture of the page, which is shown until the large one is there
 * @typedef {{ href: string, fullHref: string, small?: Small, width: number, height: number, dpi: number, label: string, turned: number, placed?: Placed }} Shown
 */

/** @param {HTMLElement} home an element that is positioned @param {number} stagePx how wide a picture is that is not in the scan's own pixels, at most */
export function createViewer(home, stagePx) {
  const svg = make("svg", { class: "viewer-page", tabindex: "0", role: "img" });
  const sheet = make("g", {});
  const small = make("image", { preserveAspectRatio: "none" });
  const picture = make("image", { class: "page", preserveAspectRatio: "none" });
  const other = make("image", { preserveAspectRatio: "none" });
  const uncovered = make("rect", { x: "0", y: "0" });
  const clip = make("clipPath", { id: "compare-clip" });
  const compared = make("g", { "clip-path": "url(#compare-clip)", hidden: "" });
  clip.append(uncovered);
  compared.append(other);
  const layers = make("g", { class: "viewer-layers" });
  const rulers = make("svg", { class: "viewer-rulers", "aria-hidden": "true" });
  const ticks = make("path", {});
  rulers.append(ticks);
  const grips = createGrips();
  const levels = ["R", "G", "B"].map((channel) => make(`feFunc${channel}`, { type: "linear", slope: "1", intercept: "0" }));
  const filter = make("filter", { id: "tone-preview", "color-interpolation-filters": "sRGB", x: "0", y: "0", width: "1", height: "1" });
  const transfer = make("feComponentTransfer", {});
  transfer.append(...levels);
  filter.append(transfer);
  sheet.append(small, picture, compared, layers, grips.group);
  svg.append(filter, clip, sheet);
  home.append(svg, rulers);

  /** @type {Shown | null} */
  let shown = null;
  let zoom = 0; // px of the screen a mm; 0 is as large as fits
  let centre = { x: 0, y: 0 }; // in mm of the page
  let loadedFull = "";
  let complete = ""; // the address of the last picture that is there
  /** @type {Map<number, { x: number, y: number }>} */
  const fingers = new Map();
  /** @type {Set<(zoom: number) => void>} */
  const zoomListeners = new Set();
  /** @type {Set<() => void>} */
  const loadListeners = new Set();

  const room = () => ({ width: Math.max(50, home.clientWidth), height: Math.max(50, home.clientHeight) });
  const fitting = () => {
    const { width, height } = room();
    if (!shown) return 1;
    return Math.min((width - RULER_PX - 2 * MARGIN_PX) / shown.width, (height - RULER_PX - 2 * MARGIN_PX) / shown.height);
  };
  const own = () => (shown ? shown.dpi / 25.4 : 1);
  const scale = () => (zoom ? zoom : fitting());

  const draw = () => {
    if (!shown) return;
    const { width, height } = room();
    const now = scale();
    if (!zoom) centre = { x: shown.width / 2, y: shown.height / 2 };
    const left = (width + RULER_PX) / 2 - centre.x * now;
    const top = (height + RULER_PX) / 2 - centre.y * now;
    svg.setAttribute("viewBox", `0 0 ${width} ${height}`);
    sheet.setAttribute("transform", `translate(${left} ${top}) scale(${now})`);
    ticks.setAttribute("d", ruler(left, now, shown.width, (at, long) => `M${at} 0V${long}`) + ruler(top, now, shown.height, (at, long) => `M0 ${at}H${long}`));
    if (now > (ENLARGED * stagePx) / shown.width && loadedFull !== shown.fullHref) {
      loadedFull = shown.fullHref;
      picture.setAttribute("href", shown.fullHref);
    }
    grips.draw(now);
    for (const listener of zoomListeners) listener(now / own());
  };

  /** @param {number} wanted @param {{ x: number, y: number }} [at] a point of the screen that stays where it is */
  const zoomTo = (wanted, at) => {
    if (!shown) return;
    const low = Math.min(fitting(), own());
    const next = Math.min(Math.max(wanted, low * 0.5), own() * MAX_PX_A_SCAN_PX);
    const box = home.getBoundingClientRect();
    const point = at ? { x: at.x - box.left - (box.width + RULER_PX) / 2, y: at.y - box.top - (box.height + RULER_PX) / 2 } : { x: 0, y: 0 };
    const now = scale();
    centre = { x: centre.x + point.x / now - point.x / next, y: centre.y + point.y / now - point.y / next };
    zoom = next;
    keepInSight();
    draw();
  };
  const keepInSight = () => {
    if (!shown) return;
    centre.x = Math.min(Math.max(centre.x, 0), shown.width);
    centre.y = Math.min(Math.max(centre.y, 0), shown.height);
  };
  /** @param {number} across @param {number} down in px of the screen */
  const pan = (across, down) => {
    if (!zoom) return;
    centre.x -= across / scale();
    centre.y -= down / scale();
    keepInSight();
    draw();
  };

  svg.addEventListener("wheel", (event) => {
    event.preventDefault();
    zoomTo(scale() * STEP ** (-event.deltaY / 100), { x: event.clientX, y: event.clientY });
  }, { passive: false });
  svg.addEventListener("pointerdown", (event) => {
    if (event.button !== 0 || svg.hasAttribute("data-laying")) return;
    svg.setPointerCapture(event.pointerId);
    fingers.set(event.pointerId, { x: event.clientX, y: event.clientY });
  });
  svg.addEventListener("pointermove", (event) => {
    const from = fingers.get(event.pointerId);
    if (!from) return;
    const to = { x: event.clientX, y: event.clientY };
    if (fingers.size === 1) pan(to.x - from.x, to.y - from.y);
    else pinch(event.pointerId, from, to);
    fingers.set(event.pointerId, to);
  });
  /** @param {number} moved @param {{ x: number, y: number }} from @param {{ x: number, y: number }} to */
  const pinch = (moved, from, to) => {
    const other = [...fingers].find(([id]) => id !== moved)?.[1];
    if (!other) return;
    const before = Math.hypot(from.x - other.x, from.y - other.y);
    const after = Math.hypot(to.x - other.x, to.y - other.y);
    if (before > 0) zoomTo(scale() * (after / before), { x: (to.x + other.x) / 2, y: (to.y + other.y) / 2 });
  };
  for (const name of ["pointerup", "pointercancel"]) svg.addEventListener(name, (event) => fingers.delete(/** @type {PointerEvent} */ (event).pointerId));
  svg.addEventListener("keydown", (event) => {
    const step = { ArrowLeft: [60, 0], ArrowRight: [-60, 0], ArrowUp: [0, 60], ArrowDown: [0, -60] }[event.key];
    if (!step || !zoom || event.altKey || event.ctrlKey || event.shiftKey) return;
    event.preventDefault();
    event.stopPropagation();
    pan(step[0], step[1]);
  });
  for (const image of [picture, other]) image.addEventListener("error", () => again(image));
  picture.addEventListener("load", () => {
    picture.removeAttribute("visibility");
    picture.style.filter = ""; // what was tried on the picture before is in this one
    complete = picture.getAttribute("href") ?? "";
    for (const listener of loadListeners) listener();
  });
  new ResizeObserver(draw).observe(home);

  return {
    /** @param {Shown | null} next */
    show(next) {
      const sameSize = shown && next && shown.width === next.width && shown.height === next.height;
      const before = shown;
      shown = next;
      svg.toggleAttribute("hidden", next === null);
      rulers.toggleAttribute("hidden", next === null);
      if (!next) return;
      if (!sameSize && !(next.placed && before?.placed)) zoom = 0;
      if (next.small && before && before.small?.page !== next.small.page) {
        picture.style.filter = "";
        picture.setAttribute("visibility", "hidden"); // the page before is not shown in the place of this one
        small.setAttribute("href", next.small.href);
      }
      if (loadedFull !== next.fullHref) {
        loadedFull = "";
        if (picture.getAttribute("href") !== next.href) comesFirst(picture);
        picture.setAttribute("href", next.href);
      }
      small.toggleAttribute("hidden", !next.small);
      for (const image of [small, picture]) {
        image.setAttribute("width", String(next.placed?.width ?? next.width));
        image.setAttribute("height", String(next.placed?.height ?? next.height));
        image.setAttribute("transform", next.placed ? next.placed.transform : next.turned ? `rotate(${-90 * next.turned} ${next.width / 2} ${next.height / 2})` : "");
      }
      svg.setAttribute("aria-label", next.label);
      draw();
    },
    /** Draw over the page. @param {{ class: string, d: string }[]} shapes paths in mm of the page */
    overlay(shapes) {
      layers.replaceChildren(...shapes.map((shape) => make("path", { ...shape, "vector-effect": "non-scaling-stroke" })));
    },
    /** Lay another picture over the page, as far as a line from the left. @param {{ href: string, placed: Placed, until: number } | null} over `until` in mm of the page */
    compare(over) {
      compared.toggleAttribute("hidden", over === null);
      if (!over || !shown) return;
      if (other.getAttribute("href") !== over.href) other.setAttribute("href", over.href);
      for (const [name, value] of Object.entries(over.placed)) other.setAttribute(name, String(value));
      uncovered.setAttribute("width", String(Math.max(0, over.until)));
      uncovered.setAttribute("height", String(shown.height));
    },
    /** Show the picture with its levels changed, until another one is shown. @param {{ slope: number, intercept: number }} change of levels from 0 to 1 */
    tone({ slope, intercept }) {
      for (const level of levels) { level.setAttribute("slope", String(slope)); level.setAttribute("intercept", String(intercept)); }
      picture.style.filter = "url(#tone-preview)";
    },
    /** Show what can be dragged on the page. @param {import("./grips.js").Grip[]} next */
    grips(next) {
      svg.setAttribute("role", next.length ? "group" : "img"); // what is one picture has nothing in it to be reached
      grips.show(next);
      draw();
    },
    /** Have a line laid on the page; it is told in mm. @param {(dx: number, dy: number) => void} laid */
    layLine(laid) { return layLine(svg, sheet, laid); },
    /** Have an area drawn on the page; it is told in mm. @param {(area: { x: number, y: number, width: number, height: number }, rises: boolean) => void} laid */
    layArea(laid) { return layArea(svg, sheet, laid); },
    fit() { zoom = 0; draw(); },
    /** Show an area large, with some of what is around it. @param {{ x: number, y: number, width: number, height: number }} area in mm of the page */
    look(area) {
      const { width, height } = room();
      const wanted = Math.min(width / (area.width + 2 * AROUND_MM), height / (area.height + 2 * AROUND_MM));
      zoom = Math.min(Math.max(wanted, fitting()), own() * MAX_PX_A_SCAN_PX);
      centre = { x: area.x + area.width / 2, y: area.y + area.height / 2 };
      keepInSight();
      draw();
    },
    /** One pixel of the scan is one of the screen. */
    ownPixels() { zoomTo(own()); },
    closer() { zoomTo(scale() * STEP); },
    farther() { zoomTo(scale() / STEP); },
    /** @param {(zoom: number) => void} listener told how large a pixel of the scan is on the screen */
    onZoom(listener) { zoomListeners.add(listener); },
    /** Whether the picture that is to be shown is there. */
    get isComplete() { return picture.getAttribute("href") === complete; },
    /** @param {() => void} listener told when a picture is there */
    onLoad(listener) { loadListeners.add(listener); },
  };
}

/** @param {number} start @param {number} pxAMm @param {number} lengthMm @param {(at: string, long: number) => string} line */
function ruler(start, pxAMm, lengthMm, line) {
  const every = [1, 5, 10, 50].find((mm) => mm * pxAMm >= 6) ?? 50;
  let path = "";
  for (let mm = 0; mm <= lengthMm; mm += every) path += line((start + mm * pxAMm).toFixed(1), mm % (every * 5) === 0 ? 14 : 7);
  return path;
}
