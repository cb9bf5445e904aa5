// What names are made of: the kinds of parts, the choices that each has, and their words.
import { t } from "./words.js";

const NEW_COUNTER = { kind: "counter", width: 4, restarts: "never" };

/** @typedef {Record<string, any> & { kind: string }} Part */

/** What can be a part of a name, in the order in which it is offered. @type {Record<string, { name: () => string, made: () => Part }>} */
export const KINDS = {
  date: { name: () => t("a date"), made: () => ({ kind: "date", source: "printed", form: "day" }) },
  subject: { name: () => t("the subject"), made: () => ({ kind: "subject" }) },
  sender: { name: () => t("the sender"), made: () => ({ kind: "sender" }) },
  kind: { name: () => t("the kind of document"), made: () => ({ kind: "kind" }) },
  number: { name: () => t("its printed number"), made: () => ({ kind: "number" }) },
  counter: { name: () => t("a counter"), made: () => ({ ...NEW_COUNTER }) },
  text: { name: () => t("fixed text"), made: () => ({ kind: "text", text: t("papers") }) },
  place: { name: () => t("words from a place on page 1"), made: () => ({ kind: "place", x_mm: 120, y_mm: 10, width_mm: 80, height_mm: 25 }) },
  pattern: { name: () => t("a word like a pattern"), made: () => ({ kind: "pattern", pattern: "AB-*" }) },
  device: { name: () => t("the device"), made: () => ({ kind: "device" }) },
  ticket: { name: () => t("the ticket"), made: () => ({ kind: "ticket" }) },
  who: { name: () => t("who files it"), made: () => ({ kind: "who" }) },
  folder: { name: () => t("a folder"), made: () => ({ kind: "folder" }) },
};
export const DAYS = { today: () => t("today"), scanned: () => t("the day of scanning"), printed: () => t("the day on the page") };
export const FORMS = { day: "2026-11-24", digits: "20261124", month: "2026-11", year: "2026" };
export const RESTARTS = { never: () => t("never"), yearly: () => t("each year"), monthly: () => t("each month") };
export const SEPARATORS = { _: () => t("_ low line"), "-": () => t("- hyphen"), ".": () => t(". full stop"), " ": () => t("space") };
export const LETTERS = { plain: () => t("a to z only, ä as ae"), all: () => t("as written") };
/** What a page can say, and a person can say instead. */
export const SAID = ["sender", "number", "kind"];

/** @param {Record<string, string | (() => string)>} list @param {string} chosen @returns {{ value: string, text: string, chosen: boolean }[]} */
export function options(list, chosen) {
  return Object.entries(list).map(([value, text]) => ({ value, text: typeof text === "string" ? text : text(), chosen: value === chosen }));
}

/** @param {string} kind a code */
export function kindWord(kind) {
  /** @type {Record<string, string>} */
  const words = {
    invoice: t("invoice"), credit_note: t("credit note"), reminder: t("reminder"), delivery_note: t("delivery note"), order_confirmation: t("order confirmation"), order: t("order"),
    quotation: t("quotation"), receipt: t("receipt"), statement: t("statement"), contract: t("contract"), lease: t("lease"), notice: t("notice"), minutes: t("minutes"), letter: t("letter"),
  };
  return words[kind] ?? kind;
}
