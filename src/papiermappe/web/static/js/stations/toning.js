// Tone, within Tidy: brightness, contrast, how much is ink, specks, and what shines through.
import { t } from "../words.js";

const NAMES = ["brightness", "contrast", "ink_more", "without_specks", "without_show_through"];
const NONE = { brightness: 0, contrast: 0, ink_more: 0, without_specks: false, without_show_through: false };

/** A part of the station Tidy, whose `known`, `treatment`, `targets` and `viewer` it uses. @param {any} mappe */
export function toning(mappe) {
  return () => ({
    /** @type {Record<string, number>} as the sliders stand, before that is sent */
    moved: {},

    /** @param {string} name @returns {number} */
    value(name) { return this.moved[name] ?? this.treatment[name] ?? 0; },
    get brightness() { return this.value("brightness"); },
    get contrast() { return this.value("contrast"); },
    get ink_more() { return this.value("ink_more"); },
    get brightnessText() { return signed(this.brightness); },
    get contrastText() { return signed(this.contrast); },
    get ink_moreText() { return signed(this.ink_more); },
    get without_specks() { return Boolean(this.treatment.without_specks); },
    get without_show_through() { return Boolean(this.treatment.without_show_through); },
    get isBilevel() { return this.tone === "bilevel"; },
    get mayShine() { return this.tone !== "white"; },
    get isAdjusted() { return NAMES.some((name) => Boolean(this.treatment[name])); },
    get adjustedText() { return this.isAdjusted ? t("adjusted") : ""; },
    /** What the machine saw on the page. @returns {string} */
    get proposal() {
      return {
        bilevel: t("Print only: filed in black and white unless you choose otherwise."),
        grey: t("Without colour: filed in grey unless you choose otherwise."),
        colour: t("It has colour, which is kept."),
      }[/** @type {string} */ (this.known?.colour ?? "")] ?? "";
    },
    /** Show at once about what it will be. @param {Event} event */
    preview(event) {
      const field = /** @type {HTMLInputElement} */ (event.target);
      this.moved = { ...this.moved, [field.dataset.name ?? ""]: Number(field.value) };
      const { brightness = 0, contrast = 0, ink_more: inkMore = 0 } = this.treatment;
      const before = levels(brightness, contrast);
      const after = levels(this.brightness, this.contrast);
      const slope = after.slope / Math.max(before.slope, 0.02);
      this.viewer.tone({ slope, intercept: after.intercept - slope * before.intercept - (this.ink_more - inkMore) / 400 });
    },
    /** @param {Event} event */
    async set(event) {
      const field = /** @type {HTMLInputElement} */ (event.target);
      await mappe.operate({ kind: "adjust", pages: this.targets, [field.dataset.name ?? ""]: Number(field.value) });
      this.moved = {};
    },
    /** @param {Event} event */
    switchOn(event) {
      const field = /** @type {HTMLInputElement} */ (event.target);
      mappe.operate({ kind: "adjust", pages: this.targets, [field.dataset.name ?? ""]: field.checked });
    },
    forget() { mappe.operate({ kind: "adjust", pages: this.targets, ...NONE }); },
  });
}

/** How a level of 0 to 1 is changed, as the server does it. @param {number} brightness @param {number} contrast */
function levels(brightness, contrast) {
  const slope = 1 + contrast / (contrast > 0 ? 50 : 100);
  return { slope, intercept: (128 * (1 - slope) + 1.28 * brightness) / 255 };
}

/** @param {number} value */
function signed(value) { return value > 0 ? `+${value}` : String(value).replace("-", "−"); }
