// What is asked of documents beyond their format and level: what they say of themselves, a limit, a password, the slip.
import { t } from "./words.js";

const KEPT = "papiermappe.extras";
const KEPT_NAMES = /** @type {const} */ (["author", "slip", "tiff", "limitMb"]); // what is the same the next time
const BYTES_IN_MB = 1_000_000;

const SLIPS = [
  { value: "kept", text: t("stays here") },
  { value: "attached", text: t("attached to the PDF"), pdf: true },
  { value: "beside", text: t("as a file beside it") },
];
const CODINGS = [
  { value: "as_level", text: t("as the level asks") },
  { value: "fax", text: t("all black and white (G4)") },
  { value: "deflate", text: t("without loss (deflate)") },
  { value: "jpeg", text: t("JPEG") },
];

/** @param {() => string} format of the documents */
export function createExtras(format) {
  const kept = JSON.parse(localStorage.getItem(KEPT) ?? "{}");
  return {
    title: "", author: kept.author ?? "", subject: "", keywords: "", password: "",
    slip: kept.slip ?? "kept", tiff: kept.tiff ?? "as_level", limitMb: kept.limitMb ?? "",

    get isPdf() { return format() === ".pdf"; },
    get isTiff() { return format() === ".tif"; },
    get isPlain() { return [".txt", ".xml", ".jpg", ".png"].includes(format()); },
    get tells() { return !this.isPlain; },
    get slipNow() { return this.slip === "attached" && !this.isPdf ? "beside" : this.slip; },
    get slips() { return SLIPS.filter(({ pdf }) => !pdf || this.isPdf).map((slip) => ({ ...slip, chosen: slip.value === this.slipNow })); },
    get codings() { return CODINGS.map((coding) => ({ ...coding, chosen: coding.value === this.tiff })); },
    get limitBytes() {
      const typed = Number(String(this.limitMb).replace(",", "."));
      return this.isPdf && typed > 0 ? Math.round(typed * BYTES_IN_MB) : null;
    },
    /** What is asked for, in short, beside the heading. */
    get summary() {
      const parts = [];
      if (this.tells && this.title) parts.push(this.title);
      if (this.tells && this.author) parts.push(t("by {author}", { author: this.author }));
      if (this.limitBytes) parts.push(t("at most {limit} MB", { limit: this.limitMb }));
      if (this.isPdf && this.password) parts.push(t("with a password"));
      if (this.isTiff && this.tiff !== "as_level") parts.push(CODINGS.find(({ value }) => value === this.tiff)?.text ?? "");
      if (this.slipNow !== "kept") parts.push(this.slipNow === "attached" ? t("slip attached") : t("slip beside"));
      return parts.join(", ");
    },
    /** @param {Event} event of a field that names what it sets */
    set(event) {
      const field = /** @type {HTMLInputElement} */ (event.target);
      Object.assign(this, { [field.dataset.name ?? ""]: field.value });
      localStorage.setItem(KEPT, JSON.stringify(Object.fromEntries(KEPT_NAMES.map((name) => [name, this[name]]))));
    },
    get wanted() {
      const told = this.tells ? { title: this.title, author: this.author, subject: this.subject, keywords: this.keywords } : {};
      const options = { ...told, slip: this.slipNow, limit_bytes: this.limitBytes, tiff: this.isTiff ? this.tiff : "as_level" };
      return this.isPdf && this.password ? { options, password: this.password } : { options };
    },
    /** What was for one document only is forgotten. */
    filed() { Object.assign(this, { title: "", subject: "", keywords: "", password: "" }); },
  };
}
