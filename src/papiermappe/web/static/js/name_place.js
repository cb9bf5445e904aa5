// A place on page 1 whose words are a part of the name: drawn on its picture, or typed.
import { tenth } from "./numbers.js";
import { length, t } from "./words.js";

const LEAST_PLACE_MM = 3;

/** @param {any} mappe @param {() => any} naming whose part is changed */
export function createNamePlace(mappe, naming) {
  return {
    get text() { return t("{width} × {height} mm, {x} mm from the left and {y} mm from the top of page 1", { width: length(this.width), height: length(this.height), x: length(this.x), y: length(this.y) }); },
    get firstPage() { return mappe.page(mappe.order[0]); },
    get pageBox() { return this.firstPage ? `0 0 ${this.firstPage.width_mm} ${this.firstPage.height_mm}` : "0 0 210 297"; },
    get pagePicture() { return this.firstPage ? `/pages/${this.firstPage.id}/${this.firstPage.picture}-stage.jpg` : ""; },
    get pageWidth() { return this.firstPage?.width_mm ?? 210; },
    get pageHeight() { return this.firstPage?.height_mm ?? 297; },

    /** @type {{ x: number, y: number, width: number, height: number } | null} as it is being drawn, in mm of the page */
    drawn: null,
    get x() { return this.drawn?.x ?? naming().part.x_mm ?? 0; },
    get y() { return this.drawn?.y ?? naming().part.y_mm ?? 0; },
    get width() { return this.drawn?.width ?? naming().part.width_mm ?? 0; },
    get height() { return this.drawn?.height ?? naming().part.height_mm ?? 0; },
    /** @param {PointerEvent} event on the picture of the page */
    draw(event) {
      const svg = /** @type {SVGSVGElement} */ (event.currentTarget);
      if (event.button !== 0) return;
      event.preventDefault();
      svg.setPointerCapture(event.pointerId);
      const place = (/** @type {PointerEvent} */ at) => new DOMPoint(at.clientX, at.clientY).matrixTransform(svg.getScreenCTM()?.inverse());
      const from = place(event);
      const move = (/** @type {PointerEvent} */ moved) => {
        const to = place(moved);
        this.drawn = { x: Math.max(tenth(Math.min(from.x, to.x)), 0), y: Math.max(tenth(Math.min(from.y, to.y)), 0), width: tenth(Math.abs(to.x - from.x)), height: tenth(Math.abs(to.y - from.y)) };
      };
      const done = () => {
        svg.removeEventListener("pointermove", move);
        const { drawn } = this;
        this.drawn = null;
        if (drawn && drawn.width >= LEAST_PLACE_MM && drawn.height >= LEAST_PLACE_MM) naming().set({ x_mm: drawn.x, y_mm: drawn.y, width_mm: drawn.width, height_mm: drawn.height });
      };
      svg.addEventListener("pointermove", move);
      svg.addEventListener("pointerup", done, { once: true });
    },
  };
}
