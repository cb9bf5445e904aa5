// Printing a filed document: the browser's own print of the very file.

/** @param {string} address of a PDF */
export function printDocument(address) {
  document.getElementById("printed")?.remove();
  const frame = document.createElement("iframe");
  frame.id = "printed";
  frame.className = "visually-hidden";
  frame.tabIndex = -1;
  frame.setAttribute("aria-hidden", "true");
  frame.addEventListener("load", () => { frame.contentWindow?.focus(); frame.contentWindow?.print(); });
  frame.src = address;
  document.body.append(frame);
}
