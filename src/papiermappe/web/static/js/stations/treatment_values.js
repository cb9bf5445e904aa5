// The values of a page's treatment: what each is, where it came from, and how it is changed on the pages of the scope.
import { letGo } from "../keys.js";
import { numberIn } from "../numbers.js";
import { length, t } from "../words.js";

const SURE = 0.5;
const LEAST_SIDE_MM = 5, MOST_SIDE_MM = 2000;

/** The component; `page`, `known`, `treatment`, `isFlat` and `targets` are the station's. @param {any} mappe */
export function treatmentValues(mappe) {
  return () => ({
    get widthText() { return this.page ? length(this.page.width_mm) : ""; },
    get heightText() { return this.page ? length(this.page.height_mm) : ""; },
    /** Crop the pages of the scope to a size that was typed. @param {Event} event */
    setSize(event) {
      const field = /** @type {HTMLInputElement} */ (event.target);
      const name = field.dataset.name ?? "";
      const millimetres = numberIn(field.value);
      if (!this.page) return;
      const size = { width_mm: this.page.width_mm, height_mm: this.page.height_mm };
      if (millimetres === null || millimetres < LEAST_SIDE_MM || millimetres > MOST_SIDE_MM) field.value = length(this.page[name]);
      else mappe.operate({ kind: "set_page_size", pages: this.targets, ...size, [name]: millimetres });
    },
    get turnByHand() { return this.treatment.turn_origin === "by_hand"; },
    get skewByHand() { return this.treatment.straighten?.origin === "by_hand" && (!this.isFlat || this.known.is_found_flat); },
    get cropByHand() { return this.treatment.crop?.origin === "by_hand" || (this.isFlat ? !this.known.is_found_flat : Boolean(this.known?.is_sheet_found)); },
    /** @param {string} step */
    useFound(step) {
      if (step === "crop" && this.isFlat && !this.known.is_sheet_found) this.asItCame();
      else mappe.operate({ kind: "use_found", pages: this.targets, step });
    },
    get notAnalysed() { return !this.treatment.straighten; },
    get turnText() { return `${(this.treatment.quarter_turns ?? 0) * 90}°`; },
    get turnOrigin() { return this.treatment.quarter_turns ? originWord(this.treatment.turn_origin) : t("as scanned"); },
    get tone() { return this.treatment.tone ?? "as_scanned"; },
    /** @param {Event} event */
    async setTone(event) {
      const field = /** @type {HTMLSelectElement} */ (event.target);
      letGo(event);
      const done = await mappe.operate({ kind: "set_tone", pages: this.targets, tone: field.value });
      if (done === undefined) field.value = this.tone;
    },
    get straightPressed() { return this.treatment.straighten?.on ? "true" : "false"; },
    get cropPressed() { return this.treatment.crop?.on ? "true" : "false"; },
    get straightWord() { return this.treatment.straighten?.on ? t("On") : t("Off"); },
    get cropWord() { return this.treatment.crop?.on ? t("On") : t("Off"); },
    get waitingText() { return this.page?.analysed && !this.isFlat ? t("not found") : t("being examined…"); },
    get skewOrigin() { return this.treatment.straighten ? originOf(this.treatment.straighten) : this.waitingText; },
    get cropOrigin() {
      if (this.isFlat) return this.known.is_found_flat ? t("flat, found") : t("flat, by hand");
      if (this.known?.is_sheet_found) return t("as it came");
      return this.treatment.crop ? originOf(this.treatment.crop) : this.waitingText;
    },
    get curl() { return this.isFlat ? this.treatment.curl : null; },
    get hasCurl() { return Boolean(this.curl); },
    get curlText() { return this.curl ? `${length(this.known.curl_mm)} mm` : ""; },
    get curlOrigin() { return originOf(this.curl); },
    get curlPressed() { return this.curl?.on ? "true" : "false"; },
    get curlWord() { return this.curl?.on ? t("On") : t("Off"); },
    turn() { mappe.turn(-1, this.targets); },
    turnBack() { mappe.turn(1, this.targets); },
    switchStraighten() { this.switchStep("straighten"); },
    switchCrop() { this.switchStep("crop"); },
    switchCurl() { if (this.curl) mappe.operate({ kind: "uncurl", pages: this.targets, on: !this.curl.on }); },
    /** @param {"straighten" | "crop"} step */
    switchStep(step) {
      const value = this.treatment[step];
      if (value) mappe.operate({ kind: step, pages: this.targets, on: !value.on });
    },
  });
}

/** @param {string} origin */
function originWord(origin) { return origin === "by_hand" ? t("by hand") : t("found"); }

/** @param {any} step */
function originOf(step) {
  if (!step) return "";
  const unsure = step.confidence < SURE;
  if (!step.on) return unsure ? t("off, uncertain") : t("off");
  return unsure ? t("{origin}, uncertain", { origin: originWord(step.origin) }) : originWord(step.origin);
}
