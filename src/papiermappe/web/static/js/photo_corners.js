// The photo with the corners of its sheet, dragged by a finger; what lies under the finger is seen in a magnifier.
import { createGrips } from "./grips.js";
import { svg } from "./svg.js";
import { t } from "./words.js";

const SEEN_SHARE = 0.12; // of the photo's longer side, across the magnifier
const KEY_SHARE = 0.004;
const NAMES = [() => t("Top left corner of the sheet"), () => t("Top right corner of the sheet"), () => t("Bottom right corner of the sheet"), () => t("Bottom left corner of the sheet")];
/** @type {Record<string, [number, number]>} */
const STEPS = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] };

/** @typedef {[number, number]} Place in mm of the photo */

/**
 * @param {HTMLElement} frame that it is drawn in
 * @param {string} photo where its picture is
 * @param {{ width: number, height: number }} size of the photo in mm
 * @param {Place[]} corners
 * @param {(corners: Place[]) => void} moved
 */
export function showCorners(frame, photo, { width, height }, corners, moved) {
  const whole = svg("svg", { viewBox: `0 0 ${width} ${height}`, class: "photo" });
  const loupe = svg("svg", { class: "loupe", "aria-hidden": "true" });
  const grips = createGrips();
  /** @type {any[]} */
  const outlines = [whole, loupe].map((sheet) => {
    const outline = svg("polygon", { class: "outline" });
    sheet.append(svg("image", { href: photo, width: String(width), height: String(height), preserveAspectRatio: "none" }), outline);
    return outline;
  });
  const cross = svg("path", { class: "cross" });
  loupe.append(cross);
  whole.append(grips.group);
  frame.replaceChildren(whole, loupe);
  let now = corners;
  let from = corners;
  const draw = () => {
    for (const outline of outlines) outline.setAttribute("points", now.map(([x, y]) => `${x},${y}`).join(" "));
    grips.show(now.map((corner, at) => grip(at, corner)));
    grips.draw((whole.getScreenCTM()?.a ?? 1));
  };
  /** @param {number} at */
  const magnify = (at) => {
    const [x, y] = now[at];
    const half = (SEEN_SHARE * Math.max(width, height)) / 2;
    loupe.setAttribute("viewBox", `${x - half} ${y - half} ${2 * half} ${2 * half}`);
    cross.setAttribute("d", `M${x - half / 6} ${y}h${half / 3}M${x} ${y - half / 6}v${half / 3}`);
    loupe.classList.toggle("right", x < width / 2);
    loupe.classList.add("shown");
  };
  /** @param {number} at @param {number} dx @param {number} dy in mm, from where it was taken */
  const carry = (at, dx, dy) => {
    now = from.map((corner, of) => (of === at ? [corner[0] + dx, corner[1] + dy] : corner));
    draw();
    magnify(at);
  };
  const settle = () => { loupe.classList.remove("shown"); moved(now); };
  /** @param {number} at @param {Place} corner @returns {import("./grips.js").Grip} */
  const grip = (at, corner) => ({
    id: `corner-${at}`, x: corner[0], y: corner[1], label: t("{what}: arrow keys move it", { what: NAMES[at]() }),
    begin: () => { from = now; magnify(at); },
    move: (dx, dy) => carry(at, dx, dy),
    end: settle,
    cancel: () => { now = from; draw(); settle(); },
    key: (event) => {
      const step = STEPS[event.key];
      if (!step) return false;
      const by = KEY_SHARE * Math.max(width, height);
      from = now;
      carry(at, by * step[0], by * step[1]);
      settle();
      return true;
    },
  });
  draw();
  new ResizeObserver(draw).observe(whole);
}
