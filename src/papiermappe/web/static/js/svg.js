// Elements of SVG.

/** @param {string} name @param {Record<string, string>} attributes @returns {any} */
export function svg(name, attributes) {
  const element = document.createElementNS("http://www.w3.org/2000/svg", name);
  for (const [key, value] of Object.entries(attributes)) element.setAttribute(key, value);
  return element;
}
