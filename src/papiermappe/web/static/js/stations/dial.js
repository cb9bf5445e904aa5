// The dial that turns a page until it is straight. It lies within the station Tidy, whose frame it turns.

const DIAL_PX_A_DEGREE = 24;

/** The component; `angle`, `angleText` and `framing` are the station's. */
export function dial() {
  return () => ({
    /** @type {{ y: number, x: number, angle: number } | null} */
    turning: null,

    get angleNow() { return String(this.angle); },
    get angleSpoken() { return `${this.angleText}°`; },
    get dialLine() { return `rotate(${-this.angle} 60 60)`; },
    /** @param {PointerEvent} event */
    pressDial(event) {
      this.turning = { x: event.clientX, y: event.clientY, angle: this.angle };
      /** @type {Element} */ (event.currentTarget).setPointerCapture(event.pointerId);
    },
    /** Up and to the right turns the page counter-clockwise; Shift turns it finely. @param {PointerEvent} event */
    moveDial(event) {
      if (!this.turning) return;
      const { x, y, angle } = this.turning;
      const degrees = (event.clientX - x + y - event.clientY) / DIAL_PX_A_DEGREE / (event.shiftKey ? 10 : 1);
      this.framing.turnBy(angle + degrees - this.angle);
    },
    releaseDial() {
      if (!this.turning) return;
      this.turning = null;
      if (this.framing.skewDeg !== null) this.framing.send();
    },
    /** @param {KeyboardEvent} event */
    keyDial(event) {
      const way = { ArrowUp: 1, ArrowRight: 1, ArrowDown: -1, ArrowLeft: -1 }[event.key];
      if (!way || event.ctrlKey || event.altKey) return;
      event.preventDefault();
      event.stopPropagation();
      this.framing.turnBy(way * (event.shiftKey ? 0.01 : 0.1));
    },
  });
}
