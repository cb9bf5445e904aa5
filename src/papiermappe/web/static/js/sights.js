// Pictures of many elements, those in sight first: the browser fetches few at a time, and each may have to be made.

const REST_AFTER_MS = 900;
const AROUND = "60px";

/** @param {HTMLElement} home in which elements are scrolled @returns what is told of elements, and of pictures in them */
export function createSights(home) {
  /** @type {Set<Element>} */
  const inSight = new Set();
  /** @type {Map<HTMLImageElement, string>} pictures that wait, and what they are to show */
  const waiting = new Map();
  let due = 0;

  /** @param {HTMLImageElement} picture @param {string} src */
  const show = (picture, src) => {
    waiting.delete(picture);
    if (picture.getAttribute("src") !== src) picture.setAttribute("src", src);
  };
  const rest = () => { for (const [picture, src] of waiting) show(picture, src); };
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
    /** Have a picture shown: at once where its element is in sight or it has shown nothing yet. @param {Element} element @param {HTMLImageElement} picture @param {string} src */
    show(element, picture, src) {
      if (inSight.has(element) || !picture.hasAttribute("src")) { show(picture, src); return; }
      waiting.set(picture, src);
      clearTimeout(due);
      due = window.setTimeout(rest, REST_AFTER_MS);
    },
  };
}
