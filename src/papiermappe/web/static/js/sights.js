// Pictures of many elements, those in sight first: the browser fetches few at a time, and each may have to be made. Those
// that are far from what is in sight, and have not been in sight yet, are not fetched at all.
import { afterForemost } from "./foremost.js";

const REST_AFTER_MS = 900;
const LOOK_EVERY_MS = 300;
const REST_AT_LAST_MS = 8000;
const TOGETHER = 4; // fewer pictures are asked for one by one
const REST_AT_ONCE = 12; // what comes into sight has to wait for so many at most
const AROUND = "60px";
const NEAR = "800px";
const NEAR_AFTER_MS = 200;

/**
 * @param {HTMLElement} home in which elements are scrolled
 * @param {(pages: number[]) => Promise<unknown>} have has the pictures of pages made together, which is faster
 * @returns what is told of elements, and of pictures in them
 */
export function createSights(home, have) {
  /** @type {Set<Element>} */
  const inSight = new Set();
  /** @type {Map<HTMLImageElement, { src: string, page: number }>} pictures that wait, and what they are to show */
  const waiting = new Map();
  /** @type {Map<HTMLImageElement, string>} pictures that have shown nothing yet, and what they will show */
  const unseen = new Map();
  let due = 0;
  /** @type {Map<HTMLImageElement, { src: string, page: number }>} pictures in sight that are about to be asked for */
  const next = new Map();

  /** @type {WeakMap<HTMLImageElement, string>} what pictures have shown last */
  const seen = new WeakMap();

  /** @param {HTMLImageElement} picture @param {string} src */
  const show = (picture, src) => {
    waiting.delete(picture);
    unseen.delete(picture);
    if (!seen.has(picture)) {
      seen.set(picture, "");
      picture.addEventListener("load", () => seen.set(picture, picture.getAttribute("src") ?? ""));
    }
    if (picture.getAttribute("src") !== src) picture.setAttribute("src", src);
  };
  /** What it is waiting for has changed meanwhile: it must not keep a connection from those in sight. @param {HTMLImageElement} picture */
  const giveUp = (picture) => {
    const before = seen.get(picture);
    if (before) picture.setAttribute("src", before);
    else picture.removeAttribute("src");
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
  /** Those out of sight come, some at a time, when all in sight are there, or have been waited for long enough. @param {number} waited @param {HTMLImageElement[]} asked those that were asked for last */
  const rest = async (waited, asked = []) => {
    const isBusy = [...inSight].some(isLoading) || asked.some(isPending);
    if (isBusy && waited < REST_AT_LAST_MS) { due = window.setTimeout(rest, LOOK_EVERY_MS, waited + LOOK_EVERY_MS, asked); return; }
    const some = [...waiting].slice(0, REST_AT_ONCE);
    if (!some.length) return;
    const turn = due;
    await have(some.map(([, { page }]) => page)).catch(() => { /* each is asked for below */ });
    if (turn !== due) return; // pages have changed again: they come after those in sight once more
    for (const [picture, { src }] of some) if (waiting.has(picture)) show(picture, src);
    due = window.setTimeout(rest, LOOK_EVERY_MS, 0, some.map(([picture]) => picture));
  };
  /** @param {Element} element */
  const showUnseen = (element) => {
    for (const picture of element.querySelectorAll("img")) {
      const src = unseen.get(picture);
      if (src) show(picture, src);
    }
  };
  const observer = new IntersectionObserver(async (entries) => {
    for (const { target, isIntersecting } of entries) {
      if (isIntersecting) inSight.add(target);
      else inSight.delete(target);
    }
    await afterForemost();
    for (const { target } of entries) {
      if (!inSight.has(target)) continue;
      showUnseen(target);
      for (const picture of target.querySelectorAll("img")) {
        const wanted = waiting.get(picture);
        if (wanted) show(picture, wanted.src);
      }
    }
  }, { root: home, rootMargin: AROUND });
  /** @type {Set<Element>} */
  const near = new Set();
  const around = new IntersectionObserver(async (entries) => {
    for (const { target, isIntersecting } of entries) {
      if (isIntersecting) near.add(target);
      else near.delete(target);
    }
    await afterForemost();
    setTimeout(() => { for (const element of near) showUnseen(element); }, NEAR_AFTER_MS);
  }, { root: home, rootMargin: NEAR });

  return {
    /** The elements that are in sight. */
    seen() { return [...inSight]; },
    /** @param {Element} element that holds pictures */
    watch(element) {
      observer.observe(element);
      around.observe(element);
    },
    /** @param {Element} element */
    forget(element) {
      for (const watching of [observer, around]) watching.unobserve(element);
      for (const held of [inSight, near]) held.delete(element);
      for (const picture of element.querySelectorAll("img")) {
        waiting.delete(picture);
        unseen.delete(picture);
      }
    },
    /** Have a picture of a page shown: at once where its element is in sight. @param {Element} element @param {HTMLImageElement} picture @param {string} src @param {number} page */
    show(element, picture, src, page) {
      if (picture.getAttribute("src") === src) { waiting.delete(picture); return; }
      if (!picture.hasAttribute("src") && !waiting.has(picture)) {
        if (near.has(element)) show(picture, src);
        else unseen.set(picture, src);
        return;
      }
      if (inSight.has(element)) { soon(picture, src, page); return; }
      if (isPending(picture)) giveUp(picture);
      waiting.set(picture, { src, page });
      clearTimeout(due);
      due = window.setTimeout(rest, REST_AFTER_MS, REST_AFTER_MS);
    },
  };
}

/** Whether a picture of an element has been asked for and is not there. @param {Element} element */
function isLoading(element) { return [...element.querySelectorAll("img")].some(isPending); }

/** @param {HTMLImageElement} picture */
function isPending(picture) { return picture.hasAttribute("src") && !picture.complete; }
