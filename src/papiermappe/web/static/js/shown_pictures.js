// Which pages a window shows as pictures. A command that changes them says so: their pictures are made while the window
// hears of the change, not after it has.

const MOST = 120; // pictures that are asked for with a command

/** @typedef {{ pages: number[], size: string }} Pictures of pages, of a size */

export function createShownPictures() {
  /** @type {(() => Pictures)[]} */
  const showing = [];
  /** @type {Set<string>} pictures that have been asked for with a command, by size and page */
  const asked = new Set();
  return {
    /** Tell what is shown; the large pictures first. @param {() => Pictures} pictures @param {boolean} [large] */
    add(pictures, large = false) { if (large) showing.unshift(pictures); else showing.push(pictures); },
    /** What is shown of some pages. @param {number[]} ids @returns {Pictures[]} */
    ask(ids) {
      asked.clear(); // what a command before this one has asked for and nobody fetched is asked for once more
      const changed = new Set(ids);
      const shown = showing.map((pictures) => pictures()).map(({ pages, size }) => ({ size, pages: pages.filter((id) => changed.has(id)).slice(0, MOST) }));
      for (const { size, pages } of shown) for (const id of pages) asked.add(`${size} ${id}`);
      return shown.filter(({ pages }) => pages.length);
    },
    /** Those of some pages whose pictures have not been asked for with a command. @param {number[]} ids @param {string} size */
    others(ids, size) { return ids.filter((id) => !asked.delete(`${size} ${id}`)); },
    /** A command was refused: nothing has been asked for. */
    forget() { asked.clear(); },
  };
}
