// Words, numbers and times in the language of the page. Sentences are in English here; the page brings translations.
import { hundredth } from "./numbers.js";

/** @type {{ tag: string, sentences: Record<string, string | string[]> }} */
const catalogue = JSON.parse(document.getElementById("script-words")?.textContent ?? '{"tag":"en-GB","sentences":{}}');
const plurals = new Intl.PluralRules(catalogue.tag);
const numbers = new Intl.NumberFormat(catalogue.tag);
const tenths = new Intl.NumberFormat(catalogue.tag, { minimumFractionDigits: 1, maximumFractionDigits: 1 });
const hundredths = new Intl.NumberFormat(catalogue.tag, { minimumFractionDigits: 2, maximumFractionDigits: 2 });
const clocks = new Intl.DateTimeFormat(catalogue.tag, { hour: "2-digit", minute: "2-digit" });
const lists = new Intl.ListFormat(catalogue.tag, { type: "conjunction" });

/**
 * Translate a sentence: `t("Stop")`, `t("Page {number}", { number: 3 })`, or, where it depends on a number,
 * `t("{count} page", "{count} pages", { count: 3 })`.
 * @param {string} one
 * @param {string | Record<string, unknown>} [many]
 * @param {Record<string, unknown>} [params]
 * @returns {string}
 */
export function t(one, many, params) {
  const translated = catalogue.sentences[one];
  if (typeof many !== "string") return filled(typeof translated === "string" ? translated : one, many);
  const forms = Array.isArray(translated) ? translated : [one, many];
  return filled(forms[plurals.select(Number(params?.count)) === "one" ? 0 : 1], params);
}

/**
 * @param {string} sentence
 * @param {Record<string, unknown>} [params]
 */
function filled(sentence, params = {}) {
  return sentence.replace(/\{(\w+)\}/g, (_, name) => {
    const value = params[name];
    return typeof value === "number" ? numbers.format(value) : String(value);
  });
}

/** @param {number} count */
export function pages(count) { return t("{count} page", "{count} pages", { count }); }

/** @param {number} count */
export function sheets(count) { return t("{count} sheet", "{count} sheets", { count }); }

/** @param {number} bytes */
export function size(bytes) {
  return bytes >= 1e6 ? `${tenths.format(bytes / 1e6)} MB` : `${numbers.format(Math.max(bytes ? 1 : 0, Math.round(bytes / 1e3)))} KB`;
}

/** @param {number} value */
export function twoDigits(value) { return hundredths.format(hundredth(value) || 0).replace("-", "−"); }

/** @param {number} value a length in mm, with a tenth where it has one */
export function length(value) { return Number.isInteger(value) ? numbers.format(value) : tenths.format(value); }

/** @param {string} iso */
export function clock(iso) { return clocks.format(new Date(iso)); }

/**
 * "3", "3 and 5", "3, 5, 6 and 12 more"
 * @param {number[]} all
 */
export function listed(all) {
  const shown = all.length > 4 ? [...all.slice(0, 3).map(String), t("{count} more", { count: all.length - 3 })] : all.map(String);
  return lists.format(shown);
}
