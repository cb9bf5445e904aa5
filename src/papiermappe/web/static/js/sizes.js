// How large pages are in the lanes of Order: kept on this computer.

const KEPT = "papiermappe.page-size";
const SIZES = ["small", "middle", "large"];

export function createSizes() {
  const kept = localStorage.getItem(KEPT) ?? "";
  return {
    at: Math.max(0, SIZES.includes(kept) ? SIZES.indexOf(kept) : 1),
    get name() { return SIZES[this.at]; },
    get isLarge() { return this.name === "large"; },
    get smallest() { return this.at === 0; },
    get largest() { return this.at === SIZES.length - 1; },
    /** @param {number} by */
    change(by) {
      this.at = Math.min(SIZES.length - 1, Math.max(0, this.at + by));
      localStorage.setItem(KEPT, this.name);
    },
    smaller() { this.change(-1); },
    larger() { this.change(1); },
  };
}
