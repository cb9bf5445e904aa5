// Keys are bound to their buttons: a key does what the visible, enabled button that names it would do. So no key does
// what cannot be seen, and the list of keys is made from the buttons of the screen.
import { t } from "./words.js";

/** Keys that start a device: held down, they do it once. */
const ONCE = "data-key-once";
const SWITCH = "papiermappe.letters-off";

/** @param {KeyboardEvent} event */
function nameOf(event) {
  const key = event.key === " " ? "Space" : event.key.length === 1 ? event.key.toUpperCase() : event.key;
  const modifiers = [event.ctrlKey || event.metaKey ? "Ctrl" : "", event.altKey ? "Alt" : ""];
  if (event.shiftKey && (event.key.length > 1 || /[a-z]/i.test(event.key))) modifiers.push("Shift");
  return [...modifiers.filter(Boolean), key].join("+");
}

/** @param {Element} element */
function usable(element) {
  return element instanceof HTMLElement && !element.hasAttribute("disabled") && element.getAttribute("aria-disabled") !== "true" && element.checkVisibility();
}

/** @param {EventTarget | null} target */
function typing(target) {
  return target instanceof Element && target.closest("input:not([type=radio], [type=checkbox]), textarea, [contenteditable]") !== null;
}

export function lettersAreOff() { return localStorage.getItem(SWITCH) === "yes"; }
/** @param {boolean} off */
export function switchLetters(off) { localStorage.setItem(SWITCH, off ? "yes" : "no"); }

/** The buttons of the screen that have keys, as they can be used now. */
export function boundButtons() { return [...document.querySelectorAll("[data-keys]")].filter(usable); }

/**
 * @param {(name: string, event: KeyboardEvent) => boolean} walk what arrow keys do; says whether it did something
 */
export function bindKeys(walk) {
  document.addEventListener("keydown", (event) => {
    if (event.defaultPrevented || typing(event.target) || document.querySelector("dialog[open]")) return;
    const name = nameOf(event);
    if (/^[A-Z0-9?]$/.test(name) && lettersAreOff()) return;
    const onControl = event.target instanceof Element && event.target.closest("button, a, summary, select, input, [role=gridcell]");
    if (onControl && ["Space", "Enter"].includes(name) && onControl.getAttribute("role") !== "gridcell") return;
    if (event.target instanceof HTMLSelectElement && !event.ctrlKey && !event.altKey) return;
    if (event.target instanceof HTMLInputElement && name.startsWith("Arrow")) return;
    const button = boundButtons().find((element) => (element.getAttribute("data-keys") ?? "").split(" ").includes(name));
    if (button instanceof HTMLElement) {
      event.preventDefault();
      if (!(event.repeat && button.hasAttribute(ONCE))) button.click();
    } else if (walk(name, event)) event.preventDefault();
  });
}

/** @returns {{ keys: string[], does: string }[]} */
export function listOfKeys() {
  return boundButtons().map((button) => ({
    keys: (button.getAttribute("data-keys") ?? "").split(" ").map(shown),
    does: button.getAttribute("data-does") ?? button.getAttribute("aria-label") ?? own(button),
  }));
}

/** @param {Element} button */
function own(button) {
  const copy = /** @type {Element} */ (button.cloneNode(true));
  for (const key of copy.querySelectorAll("kbd, svg")) key.remove();
  return (copy.textContent ?? "").trim().replace(/\s+/g, " ");
}

/** @param {string} key */
function shown(key) {
  return key.replace("ArrowLeft", "←").replace("ArrowRight", "→").replace("Delete", t("Del")).replace("Space", t("Space")).replace("+", " ");
}

/** After the mouse has chosen, the focus goes back to the page, so that keys do what they do there. @param {Event} event */
export function letGo(event) {
  const field = /** @type {HTMLElement} */ (/** @type {Element} */ (event.target).closest("button, select, input"));
  if (!field.matches(":focus-visible") || (event instanceof MouseEvent && event.detail > 0)) field.blur();
}
