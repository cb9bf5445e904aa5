// Files that are brought in: where they come from, and the card that tells how far they are.
import { pages, size, t } from "../words.js";

/** @param {any} imports */
export function incomingFiles(imports) {
  return () => ({
    dropping: false,

    init() {
      imports.join();
      addEventListener("dragover", (event) => { if (hasFiles(event)) { event.preventDefault(); this.dropping = true; } });
      addEventListener("dragleave", (event) => { if (event.relatedTarget === null) this.dropping = false; });
      addEventListener("drop", (event) => {
        this.dropping = false;
        if (!hasFiles(event)) return;
        event.preventDefault();
        imports.take([...(event.dataTransfer?.files ?? [])]);
      });
      addEventListener("paste", (event) => {
        if (event.target instanceof HTMLInputElement) return;
        imports.take([...(event.clipboardData?.files ?? [])]);
      });
      addEventListener("beforeunload", (event) => { if (imports.sending) event.preventDefault(); });
    },
    get shown() { return imports.files.length > 0; },
    get active() { return imports.active; },
    get finished() { return !imports.active; },
    get head() {
      const count = imports.files.length;
      if (imports.active) return t("Bringing in {count} file", "Bringing in {count} files", { count });
      return t("{pages} from {files}", { pages: pages(this.pageCount), files: t("{count} file", "{count} files", { count }) });
    },
    get pageCount() { return imports.files.reduce((/** @type {number} */ sum, /** @type {any} */ file) => sum + file.pages, 0); },
    get inOtherMappen() { return imports.each && this.finished; },
    get rows() {
      return imports.files.map((/** @type {any} */ file) => ({
        id: file.id, name: file.state === "failed" ? "" : file.name, locked: file.state === "locked", canLeaveOut: ["coming", "waiting", "locked"].includes(file.state),
        tone: file.state === "failed" ? "bad" : "quiet", text: this.textOf(file), leaveOut: t("Leave out {name}", { name: file.name }),
      }));
    },
    /** @param {any} file */
    textOf(file) {
      if (file.state === "coming") return t("{sent} of {all} sent", { sent: size(imports.sent[file.id] ?? 0), all: size(file.byte_size) });
      if (file.state === "waiting") return file.pages ? t("{pages} so far", { pages: pages(file.pages) }) : t("waiting to be read");
      if (file.state === "cancelled") return t("left out; {pages} came", { pages: pages(file.pages) });
      if (file.state === "locked") return t("needs its password");
      return file.state === "done" ? [pages(file.pages), file.text].filter(Boolean).join(". ") : file.text;
    },
    /** @param {number} id */
    leaveOut(id) { imports.leaveOut(id); },
    /** @param {SubmitEvent} event @param {number} id */
    unlock(event, id) {
      event.preventDefault();
      const field = /** @type {HTMLInputElement | null} */ (/** @type {HTMLFormElement} */ (event.target).querySelector("input"));
      imports.unlock(id, field?.value ?? "");
      if (field) field.value = "";
    },
    stop() { imports.stop(); },
    close() { imports.close(); },
  });
}

/** Where files are chosen, and what their pages are. @param {any} mappe @param {any} imports */
export function filesChoice(mappe, imports) {
  return () => ({
    /** @param {Event} event */
    choose(event) {
      const field = /** @type {HTMLInputElement} */ (event.target);
      imports.take([...(field.files ?? [])]);
      field.value = "";
    },
    get kinds() {
      const fronts = mappe.runs.filter((/** @type {any} */ run) => !run.live && run.pages > 0 && run.landing !== "backs" && (run.origin === "files" || run.ticket?.sides === "one"));
      const backs = fronts.slice(-3).flatMap((/** @type {any} */ run) => [
        { value: `as_laid ${run.id}`, label: t("the backs of run {number}, first sheet first", { number: run.number }) },
        { value: `turned_pile ${run.id}`, label: t("the backs of run {number}, last sheet first", { number: run.number }) },
      ]);
      return [
        { value: "fronts", label: t("fronts of sheets") },
        { value: "both", label: t("fronts and backs in turn") },
        { value: "each", label: t("fronts, each file in a Mappe of its own") },
        ...backs,
      ];
    },
    /** @param {Event} event */
    setKind(event) {
      const [kind, run] = /** @type {HTMLSelectElement} */ (event.target).value.split(" ");
      imports.what = { each: kind === "each", both_sides: kind === "both", backs_of: run ? Number(run) : null, order: run ? kind : "as_laid" };
    },
  });
}

/** @param {DragEvent} event */
function hasFiles(event) { return event.dataTransfer?.types.includes("Files") ?? false; }
