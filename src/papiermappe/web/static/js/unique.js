// Names that nothing else has.

/** 32 hexadecimal digits. `crypto.randomUUID` is missing where a page did not come over HTTPS. */
export function uniqueName() {
  return [...crypto.getRandomValues(new Uint8Array(16))].map((byte) => byte.toString(16).padStart(2, "0")).join("");
}
