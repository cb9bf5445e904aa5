// Grips that move and resize an area on a page: its corners and its middle, by dragging and by arrow keys.
import { tenth } from "./numbers.js";
import { length, t } from "./words.js";

export const LEAST_MM = 0.5;
const KEYS_END_AFTER_MS = 500;

/** @typedef {{ x: number, y: number, width: number, height: number }} Area in mm from the top left of the page */
/** @typedef {"left" | "top" | "right" | "bottom"} Edge */

/** @type {{ id: string, edges: Edge[] }[]} what each grip moves; the middle moves all */
const GRIPS = [
  { id: "left-top", edges: ["left", "top"] }, { id: "right-top", edges: ["right", "top"] },
  { id: "right-bottom", edges: ["right", "bottom"] }, { id: "left-bottom", edges: ["left", "bottom"] },
  { id: "middle", edges: ["left", "top", "right", "bottom"] },
];
/** @type {Record<string, [number, number]>} */
const STEPS = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] };

/**
 * @typedef {{ drawAs: (area: Area) => void, finish: () => void, giveUp: () => void, takeAway: () => void }} Owner of an area: told of
 *   each move, when one is over or given up, and when Del is pressed. It is as Alpine watches it, so it is not known beforehand.
 */

/**
 * Return what gives an area its grips.
 * @returns {{ of: (area: Area, owner: Owner) => import("./grips.js").Grip[], stop: () => void }} `stop` forgets an end that is due after arrow keys
 */
export function createAreaGrips() {
  let ending = 0;
  /** @type {Area} as it was when the drag began */
  let from;
  /** @param {Owner} owner @param {Edge[]} edges @param {number} dx @param {number} dy in mm */
  const drag = (owner, edges, dx, dy) => {
    const left = from.x + (edges.includes("left") ? dx : 0);
    const top = from.y + (edges.includes("top") ? dy : 0);
    const right = from.x + from.width + (edges.includes("right") ? dx : 0);
    const bottom = from.y + from.height + (edges.includes("bottom") ? dy : 0);
    owner.drawAs({
      x: tenth(Math.min(left, right)), y: tenth(Math.min(top, bottom)),
      width: tenth(Math.max(LEAST_MM, Math.abs(right - left))), height: tenth(Math.max(LEAST_MM, Math.abs(bottom - top))),
    });
  };
  /** @param {Owner} owner @param {Area} area @param {Edge[]} edges @param {KeyboardEvent} event */
  const key = (owner, area, edges, event) => {
    if (event.key === "Delete") { owner.takeAway(); return true; }
    const step = STEPS[event.key];
    if (!step || event.ctrlKey || event.altKey) return false;
    const by = event.shiftKey ? 0.1 : 1;
    from = { ...area };
    drag(owner, edges, by * step[0], by * step[1]);
    clearTimeout(ending);
    ending = window.setTimeout(() => owner.finish(), KEYS_END_AFTER_MS);
    return true;
  };
  return {
    of: (area, owner) => GRIPS.map(({ id, edges }) => ({
      id: `zone-${id}`,
      x: id === "middle" ? area.x + area.width / 2 : area.x + (edges.includes("right") ? area.width : 0),
      y: id === "middle" ? area.y + area.height / 2 : area.y + (edges.includes("bottom") ? area.height : 0),
      label: id === "middle" ? t("The zone: arrow keys move it, Del takes it away") : t("A corner of the zone, which is {width} by {height} mm", { width: length(tenth(area.width)), height: length(tenth(area.height)) }),
      begin: () => { clearTimeout(ending); from = { ...area }; },
      move: (/** @type {number} */ dx, /** @type {number} */ dy) => drag(owner, edges, dx, dy),
      end: () => owner.finish(),
      cancel: () => owner.giveUp(),
      key: (/** @type {KeyboardEvent} */ event) => key(owner, area, edges, event),
    })),
    stop: () => clearTimeout(ending),
  };
}
