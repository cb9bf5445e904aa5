// What a person looks at comes first: while the large picture of a page is on its way, small ones wait a moment.

const LONGEST_MS = 500;

/** @type {Promise<unknown> | null} */
let coming = null;

/** Let others wait for a picture that is being fetched, but not for long. @param {Element} picture */
export function comesFirst(picture) {
  const isThere = new Promise((resolve) => {
    for (const end of ["load", "error"]) picture.addEventListener(end, resolve, { once: true });
    setTimeout(resolve, LONGEST_MS);
  });
  coming = isThere;
  isThere.then(() => { if (coming === isThere) coming = null; });
}

/** Wait for what comes first now; what is turned to meanwhile does not make it longer. */
export async function afterForemost() { await coming; }
