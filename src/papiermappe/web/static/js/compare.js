// Comparing the page with its scan: a line that is dragged across the page, the scan on its left; of a photo that was made
// flat, the flat sheet as its light and print were taken.
import { t } from "./words.js";

const STEP_MM = 5;

/**
 * @param {any} framing knows how the scan lies
 * @param {{ known: () => any, redraw: () => void }} tidy the station: the page that is known
 */
export function createCompare(framing, tidy) {
  let from = 0;
  return {
    on: false,
    /** Where the line is, as a share of the page's width. */
    share: 0.5,

    get possible() { return Boolean(tidy.known()); },
    get active() { return this.on && this.possible; },
    toggle() { this.on = !this.on; tidy.redraw(); },
    get width() { return tidy.known().page.width_mm; },
    get height() { return tidy.known().page.height_mm; },
    /** @param {string} size of the picture that is laid over the page */
    over(size) {
      if (!this.active) return null;
      const { page, untoned, scan_width_mm, scan_height_mm } = tidy.known();
      const until = this.share * this.width;
      if (!framing.possible) return { href: `/pages/${page.id}/${untoned}-${size}.jpg`, placed: { width: this.width, height: this.height, transform: "" }, until };
      const { a, b, c, d, e, f } = framing.matrix;
      const placed = { width: scan_width_mm, height: scan_height_mm, transform: `matrix(${[a, b, c, d, e, f].join(" ")})` };
      return { href: `/pages/${page.id}/scan-${page.scan}-${size}.jpg`, placed, until };
    },
    get shapes() {
      return this.active ? [{ class: "divide", d: `M${this.share * this.width} 0V${this.height}` }] : [];
    },
    get grips() {
      if (!this.active) return [];
      return [{
        id: "compare", x: this.share * this.width, y: this.height / 2,
        label: t("The scan is shown on the left of this line: arrow keys move it"),
        begin: () => { from = this.share; },
        move: (/** @type {number} */ dx) => this.lay(from + dx / this.width),
        end: () => {},
        cancel: () => this.lay(from),
        key: (/** @type {KeyboardEvent} */ event) => {
          const way = { ArrowLeft: -1, ArrowRight: 1 }[event.key];
          if (way) this.lay(this.share + (way * STEP_MM) / this.width);
          return Boolean(way);
        },
      }];
    },
    /** @param {number} share */
    lay(share) { this.share = Math.min(Math.max(share, 0), 1); tidy.redraw(); },
  };
}
