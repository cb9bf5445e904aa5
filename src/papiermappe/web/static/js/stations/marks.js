// Marks, within Tidy: what is drawn on the page, and what is blacked out.

/** A part of the station Tidy, whose `drawing` and `zones` it uses. */
export function marks() {
  return () => ({
    /** @param {string} kind */
    pressed(kind) { return this.drawing === kind ? "true" : "false"; },
    get blackoutPressed() { return this.pressed("blackout"); },
    get highlightPressed() { return this.pressed("highlight"); },
    get boxPressed() { return this.pressed("box"); },
    get linePressed() { return this.pressed("line"); },
    get notePressed() { return this.pressed("note"); },
    get hasNote() { return this.zones?.current?.kind === "note"; },
    get noteText() { return this.zones?.current?.text ?? ""; },
    /** @param {Event} event */
    write(event) { this.zones.write(/** @type {HTMLTextAreaElement} */ (event.target).value); },
  });
}
