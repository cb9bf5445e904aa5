// Pictures of many elements, those in sight first: the browser fetches few at a time, and each may have to be made.

const REST_AFTER_MS = 900;
const LOOK_EVERY_MS = 300;
const REST_AT_LAST_MS = 8000;
const TOGETHER = 4; // fewer pictures are asked for one by one
const AROUND = "60px";

/**
 * @param {HTMLElement} home in which elements are scrolled
 * @param {(pages: number[]) => Promise<unknown>} have has the pictures of pages made together, which is faster
 * @returns what is told of elements, and of pictures in them
 */
export function createSights(home, have) {
  /** @type {Set<Element>} */
  const inSight = new Set();
  /** @type {Map<HTMLImageElement, string>} pictures that wait, and what they are to show */
  const waiting = new Map();
  let due = 0;
  /** @type {Map<HTMLImageElement, { src: string, page: number }>} pictures in sight that are about to be asked for */
  const next = new Map();

  /** @param {HTMLImageElement} picture @param {string} src */
  const show = (picture, src) => {
    waiting.delete(picture);
    if (picture.getAttribute("src") !== src) picture.setAttribute("src", src);
  };
  /** Those in sight change together where many pages were changed: then they are made together. */
  const flush = async () => {
    const wanted = [...next];
    next.clear();
    if (wanted.length >= TOGETHER) await have(wanted.map(([, { page }]) => page)).catch(() => { /* each is asked for below */ });
    for (const [picture, { src }] of wanted) if (!next.has(picture)) show(picture, src);
  };
  /** @param {HTMLImageElement} picture @param {string} src @param {number} page */
  const soon = (picture, src, page) => {
    waiting.delete(picture);
    if (!next.size) queueMicrotask(flush);
    next.set(picture, { src, page });
  };
  /** Those out of sight come when all in sight are there, or have been waited for long enough. @param {number} waited */
  const rest = (waited) => {
    if (waited < REST_AT_LAST_MS && [...inSight].some(isLoading)) { due = window.setTimeout(rest, LOOK_EVERY_MS, waited + LOOK_EVERY_MS); return; }
    for (const [picture, src] of waiting) show(picture, src);
  };
  const observer = new IntersectionObserver((entries) => {
    for (const { target, isIntersecting } of entries) {
      if (!isIntersecting) { inSight.delete(target); continue; }
      inSight.add(target);
      for (const picture of target.querySelectorAll("img")) {
        const src = waiting.get(picture);
        if (src) show(picture, src);
      }
    }
  }, { root: home, rootMargin: AROUND });

  return {
    /** @param {Element} element that holds pictures */
    watch(element) { observer.observe(element); },
    /** @param {Element} element */
    forget(element) {
      observer.unobserve(element);
      inSight.delete(element);
      for (const picture of element.querySelectorAll("img")) waiting.delete(picture);
    },
    /** Have a picture of a page shown: at once where its element is in sight or it has shown nothing yet. @param {Element} element @param {HTMLImageElement} picture @param {string} src @param {number} page */
    show(element, picture, src, page) {
      if (picture.getAttribute("src") === src) { waiting.delete(picture); return; }
      if (!picture.hasAttribute("src")) { show(picture, src); return; }
      if (inSight.has(element)) { soon(picture, src, page); return; }
      waiting.set(picture, src);
      clearTimeout(due);
      due = window.setTimeout(rest, REST_AFTER_MS, REST_AFTER_MS);
    },
  };
}

/** Whether a picture of an element has been asked for and is not there. @param {Element} element */
function isLoading(element) { return [...element.querySelectorAll("img")].some((picture) => picture.hasAttribute("src") && !picture.complete); }
