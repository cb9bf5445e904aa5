// A page seen large while Space is held: the one under the pointer, or else the current one; arrows go on to others.

/** @param {KeyboardEvent} event */
function isMeant(event) {
  if (event.code !== "Space" || event.ctrlKey || event.altKey || event.metaKey) return false;
  const { target } = event;
  if (!(target instanceof Element) || document.querySelector("dialog[open]")) return false;
  return !target.closest("button, a, summary, select, input, textarea");
}

/** @param {any} mappe @param {{ stage: string }} facts */
export function createPeek(mappe, facts) {
  let held = false;
  const peek = {
    /** @type {number | null} the page that is shown */
    page: null,
    get src() { return this.page === null ? null : `/pages/${this.page}/${mappe.page(this.page)?.picture}-${facts.stage}.jpg`; },
    get shown() { return this.page !== null; },
    /** @param {number | null} page */
    show(page) { this.page = page !== null && mappe.page(page) ? page : null; },
    hide() { this.page = null; },
    /** @param {any} store this, as components see it */
    listen(store) {
      document.addEventListener("keydown", (event) => {
        if (!isMeant(event)) return;
        event.preventDefault();
        if (held) return;
        held = true;
        const under = document.querySelector(".slot[data-page]:hover")?.getAttribute("data-page");
        store.show(under ? Number(under) : mappe.current);
      });
      const end = () => { held = false; store.hide(); };
      document.addEventListener("keyup", (event) => { if (event.code === "Space") end(); });
      addEventListener("blur", end);
      mappe.on("selection", () => { if (store.shown) store.show(mappe.current); });
    },
  };
  return peek;
}
