// Numbers as people type them, and rounded to what is worth telling.

/** @param {number} value */
export function tenth(value) { return Math.round(value * 10) / 10; }

/** @param {number} value */
export function hundredth(value) { return Math.round(value * 100) / 100; }

/** @param {string} text @returns {number | null} null where it is no number */
export function numberIn(text) {
  const value = Number(text.trim().replace(",", ".").replace("−", "-"));
  return text.trim() && Number.isFinite(value) ? value : null;
}
