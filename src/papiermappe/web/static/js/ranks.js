// Ranks of sheets: decimals of any length, as text. They are compared digit by digit, never as floating point.

/**
 * @param {string} rank
 * @returns {{ negative: boolean, whole: string, part: string }}
 */
function parsed(rank) {
  const negative = rank.startsWith("-");
  const [whole, part = ""] = rank.replace("-", "").split(".");
  return { negative, whole: whole.replace(/^0+(?=\d)/, ""), part: part.replace(/0+$/, "") };
}

/**
 * Below zero where the first rank comes before the second.
 * @param {string} first
 * @param {string} second
 */
export function compareRanks(first, second) {
  const a = parsed(first);
  const b = parsed(second);
  if (a.negative !== b.negative) return a.negative ? -1 : 1;
  const larger = a.whole.length - b.whole.length || compare(a.whole, b.whole) || compare(a.part, b.part);
  return a.negative ? -larger : larger;
}

/**
 * @param {string} a
 * @param {string} b
 */
function compare(a, b) { return a < b ? -1 : Number(a > b); }
