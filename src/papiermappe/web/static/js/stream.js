// The stream of changes. A hidden window lets go, so that many tabs do not use up the browser's connections; it catches
// up when it is looked at again.

const AGAIN_MS = 2000;
const LET_GO_AFTER_MS = 5000;

/**
 * @param {any} mappe
 * @param {(now: any) => void} onIntake takes what there is to choose from at the Intake
 * @returns {{ watch: (device: number | null) => void }}
 */
export function listen(mappe, onIntake) {
  /** @type {EventSource | null} */
  let source = null;
  /** @type {number | null} */
  let device = null;
  let timer = 0;

  const close = () => { source?.close(); source = null; };
  const open = () => {
    close();
    const wanted = new URLSearchParams({ since: String(mappe.cursor) });
    if (device !== null) wanted.set("device", String(device));
    source = new EventSource(`/mappen/${mappe.id}/events?${wanted}`);
    source.addEventListener("changes", (event) => { mappe.connection(false); mappe.apply(JSON.parse(event.data)); });
    source.addEventListener("device", (event) => { mappe.device = JSON.parse(event.data); });
    source.addEventListener("intake", (event) => { onIntake(JSON.parse(event.data)); });
    source.addEventListener("trouble", (event) => { mappe.lost = event.data; });
    source.onopen = () => mappe.connection(false);
    source.onerror = () => {
      mappe.connection(true);
      if (source?.readyState === EventSource.CLOSED) timer = window.setTimeout(open, AGAIN_MS);
    };
  };
  document.addEventListener("visibilitychange", () => {
    clearTimeout(timer);
    if (document.hidden) timer = window.setTimeout(close, LET_GO_AFTER_MS);
    else if (source === null || source.readyState === EventSource.CLOSED) open();
  });
  if (!document.hidden) open();
  return { watch(id) { if (id !== device) { device = id; mappe.device = null; open(); } } };
}
