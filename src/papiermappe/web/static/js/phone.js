// The page that a phone opens: pictures are taken, sent to the desk, seen as pages, and put right.
import { get, Lost, pause, Refused, send } from "./http.js";
import { showCorners } from "./photo_corners.js";
import { createQueue } from "./picture_queue.js";
import { clock, pages as pageCount, t } from "./words.js";

const SOON_MS = 250;
const LATER_MS = 4000;
const PICTURE_AGAIN_MS = 700;
const SETTLES_MS = 4000;
const SHOWN_PX = 1000; // of a photo that is shown before the desk has it
const OVER = new Set([404, 410]);

/** @param {string} id */
function readData(id) { return JSON.parse(document.getElementById(id)?.textContent ?? "{}"); }

/** @param {any} facts */
function phone(facts) {
  const home = `/phone/${facts.secret}`;
  return () => ({
    /** @type {{ subject: string, cursor: number, expires_at: string, waits_for_scanner: boolean, pages: any[], files: any[] }} */
    view: { subject: "", cursor: 0, expires_at: "", waits_for_scanner: false, pages: [], files: [] },
    /** @type {number | null} the page that is shown; null: the picture that is on its way */
    current: null,
    /** @type {number | null} the picture that is to be shown as soon as it is a page */
    follow: null,
    /** @type {any} what is known of the page whose corners are shown */
    known: null,
    /** @type {[number, number][] | null} corners that have been moved, and not sent */
    moved: null,
    mode: "page",
    lost: false,
    over: facts.over ?? "",
    finished: false,
    problem: "",
    tries: 0,
    /** Whether pictures of an open book are to be split into its pages once all are taken. */
    splitsBooks: true,
    /** Until when the page is looked at often: corners were sent, and what follows from them is being found. */
    settles: 0,
    /** Whether the picture that was taken last can be shown as the phone has it. */
    previewed: false,
    /** The large picture that is there. @type {string | null} */
    loaded: null,
    queue: /** @type {any} */ (null),
    wake: () => {},

    init() {
      this.queue = createQueue({ name: `phone ${facts.secret}`, announce: `${home}/pictures`, part: (file) => `${home}/pictures/${file}` }, {
        changed: () => this.queueChanged(),
        connection: (lost) => { this.lost = lost; },
        over: (why) => { this.over = why; },
        refused: (why) => { this.problem = why; this.wake(); },
      });
      this.queue.open();
      if (!this.over) this.watch();
    },

    // ---- what the desk says

    async watch() {
      while (!this.over && !this.finished) {
        if (!document.hidden) await this.look();
        await Promise.race([pause(this.isBusy ? SOON_MS : LATER_MS), new Promise((resolve) => { this.wake = () => resolve(undefined); })]);
      }
    },
    async look() {
      try {
        this.apply(await get(`${home}/pages`));
        this.lost = false;
      } catch (error) {
        if (error instanceof Lost) this.lost = true;
        else if (error instanceof Refused && OVER.has(error.status)) this.over = error.message;
        else if (error instanceof Refused) this.problem = error.message;
        else throw error;
      }
    },
    /** @param {any} view */
    apply(view) {
      this.view = view;
      const came = view.pages.find((/** @type {any} */ { file }) => file === this.follow);
      if (came) { this.follow = null; this.show(came.page.id); }
      if (this.page === null && this.follow === null && !this.queue.waiting.length) this.current = view.pages.at(-1)?.page.id ?? null;
      const failed = view.files.find((/** @type {any} */ { id, state }) => id === this.follow && ["failed", "locked"].includes(state));
      if (failed) { this.follow = null; this.problem = failed.message?.text ?? t("This picture cannot be read."); }
    },
    queueChanged() {
      const sending = this.queue.waiting.find((/** @type {any} */ { file }) => file !== null);
      if (sending && this.current === null) this.follow = sending.file;
      this.wake();
    },

    // ---- where things are

    get subject() { return this.over ? "Papiermappe" : this.view.subject || t("New Mappe"); },
    get until() { return this.view.expires_at && !this.over && !this.finished ? t("This link is good until {time}.", { time: clock(this.view.expires_at) }) : ""; },
    get pages() { return this.view.pages.filter((/** @type {any} */ { page }) => !page.set_aside); },
    get coming() { return this.queue?.waiting.length ?? 0; },
    get reading() { return this.view.files.filter((/** @type {any} */ { state }) => state === "waiting").length; },
    get isBusy() { return this.settles > Date.now() || this.coming > 0 || this.reading > 0 || this.follow !== null || this.view.pages.some((/** @type {any} */ { page }) => !page.analysed); },
    get page() { return this.view.pages.find((/** @type {any} */ { page }) => page.id === this.current)?.page ?? null; },
    get isEmpty() { return !this.over && !this.finished && !this.page && !this.isComing; },
    get isComing() { return !this.over && !this.finished && !this.page && (this.coming > 0 || this.reading > 0 || this.follow !== null); },
    get isShown() { return !this.over && !this.finished && Boolean(this.page); },
    get showsPage() { return this.isShown && this.mode === "page"; },
    get showsCorners() { return this.isShown && this.mode === "corners"; },
    get canGoOn() { return !this.over && !this.finished && this.mode === "page"; },
    get showsPreview() { return this.previewed && this.mode === "page" && (this.isComing || (this.isBeingExamined && this.loaded !== this.large)); },
    get showsImage() { return this.showsPage && !this.showsPreview; },
    get pictures() {
      return this.pages.map(({ page }, /** @type {number} */ at) => ({
        id: page.id, src: this.pictureOf(page, facts.lane), label: t("Page {number}", { number: at + 1 }), current: page.id === this.current ? "true" : "false",
        warned: page.warnings.length > 0,
      }));
    },
    /** @param {any} page @param {string} size */
    pictureOf(page, size) { return page ? `${home}/pages/${page.id}/page-${size}.jpg?of=${page.picture}&try=${this.tries}` : null; },
    get large() { return this.page?.analysed ? this.pictureOf(this.page, facts.stage) : this.page ? `${home}/pages/${this.page.id}/soon-${facts.stage}.jpg?of=${this.page.scan}&try=${this.tries}` : null; },
    pictureLoaded() { this.loaded = this.large; },
    get isBeingExamined() { return Boolean(this.page) && !this.page.analysed; },
    pictureLate() { setTimeout(() => { this.tries += 1; }, PICTURE_AGAIN_MS); },
    get facts() {
      if (!this.page?.analysed) return "";
      const { width_mm: width, height_mm: height, dpi } = this.page;
      return t("{width} by {height} mm, {dpi} dpi", { width: Math.round(width), height: Math.round(height), dpi: Math.round(dpi) });
    },
    get warnings() { return [...new Set((this.page?.warnings ?? []).map((/** @type {any} */ warning) => warning.text))]; },
    get isBook() { return this.page?.spread === "sure" && !this.isAside; },
    get bookText() { return this.splitsBooks ? t("An open book: split into its pages when you are done.") : t("An open book: stays one picture."); },
    get bookSwitch() { return this.splitsBooks ? t("Do not split") : t("Split"); },
    switchBook() { this.splitsBooks = !this.splitsBooks; },
    get isAside() { return Boolean(this.page?.set_aside); },
    get comingText() {
      if (this.view.waits_for_scanner && this.coming) return t("Other pages are coming in at the desk just now. {pictures} here until they are in.", { pictures: waiting(this.coming) });
      return this.coming ? t("Sending {count} picture", "Sending {count} pictures", { count: this.coming }) : t("Making it flat…");
    },
    get statusText() {
      if (this.lost) return this.coming ? t("No connection. {count} picture waits here and goes on by itself.", "No connection. {count} pictures wait here and go on by themselves.", { count: this.coming }) : t("No connection. It is tried again by itself.");
      return this.coming && this.page ? this.comingText : "";
    },
    get countText() { return this.over ? "" : pageCount(this.pages.length); },
    get takeLabel() { return this.view.pages.length || this.isComing ? t("Next picture") : t("Take a picture"); },
    get isNotDone() { return this.coming > 0 || this.reading > 0; },
    get offersDone() { return this.canGoOn && this.view.pages.length > 0; },
    get overText() {
      const waits = this.coming ? ` ${t("{pictures} here, and can go on by the new code.", { pictures: waiting(this.coming) })}` : "";
      return this.over + waits;
    },
    get doneText() { return t("{pages} are at the desk. This page can be closed.", { pages: pageCount(this.pages.length) }); },
    get leftText() { return t("{count} picture taken earlier was not sent.", "{count} pictures taken earlier were not sent.", { count: this.queue?.left.length ?? 0 }); },
    get hasLeft() { return this.canGoOn && (this.queue?.left.length ?? 0) > 0; },
    sendLeft() { this.queue.adopt(); },
    dropLeft() { this.queue.drop(); },
    closeProblem() { this.problem = ""; },

    // ---- taking pictures

    /** @param {Event} event */
    take(event) { this.taken(event, null); },
    /** @param {Event} event */
    takeAgain(event) { this.taken(event, this.current); },
    /** @param {Event} event @param {number | null} again */
    taken(event, again) {
      const field = /** @type {HTMLInputElement} */ (event.target);
      const files = [...(field.files ?? [])];
      field.value = "";
      if (!files.length) return;
      this.problem = "";
      this.current = null;
      this.follow = null;
      this.preview(files[0]);
      this.queue.add(files, again);
    },
    /** Show a picture before the desk has it. @param {File} file */
    async preview(file) {
      const canvas = /** @type {HTMLCanvasElement} */ (this.$refs.preview);
      this.previewed = false;
      const picture = await createImageBitmap(file, { resizeWidth: SHOWN_PX, resizeQuality: "medium" }).catch(() => null); // a kind that it does not know
      if (!picture) return;
      [canvas.width, canvas.height] = [picture.width, picture.height];
      canvas.getContext("2d")?.drawImage(picture, 0, 0);
      picture.close();
      this.previewed = true;
    },

    // ---- putting a page right

    /** @param {number} id */
    pick(id) { this.previewed = false; this.show(id); },
    /** @param {number} id */
    show(id) { this.current = id; this.mode = "page"; this.moved = null; },
    /** @param {string} path @param {Record<string, unknown>} body */
    async command(path, body) {
      try {
        await send(`${home}/pages/${this.current}/${path}`, { ...body, seen: this.view.cursor }, (lost) => { this.lost = lost; });
      } catch (error) {
        if (!(error instanceof Refused)) throw error;
        this.problem = error.message;
      }
      await this.look();
    },
    turn() { this.command("turn", { quarter_turns: -1 }); },
    leaveOut() { this.command("leave-out", { left_out: true }); },
    bringBack() { this.command("leave-out", { left_out: false }); },
    async openCorners() {
      const id = this.current;
      const known = await get(`${home}/pages/${id}`).catch((error) => { this.problem = error.message; return null; });
      if (!known || this.current !== id) return;
      this.known = known;
      this.mode = "corners";
      this.moved = null;
      await this.$nextTick();
      const size = { width: known.scan_width_mm, height: known.scan_height_mm };
      showCorners(this.$refs.corners, `${home}/pages/${id}/photo-${facts.stage}.jpg?of=${known.page.scan}`, size, known.sheet_corners, (corners) => { this.moved = corners; });
    },
    get asCame() { return this.mode === "corners" && this.known?.treatment.corners === null; },
    get isFlat() { return !this.asCame; },
    async takeCorners() {
      const corners = (this.moved ?? this.known.sheet_corners).map((/** @type {[number, number]} */ place) => place.map((mm) => Math.round(mm * 10) / 10));
      this.mode = "page";
      await this.command("corners", { corners });
      this.settles = Date.now() + SETTLES_MS;
      this.wake();
    },
    async asItCame() { this.mode = "page"; await this.command("corners", { corners: null }); },
    leaveCorners() { this.mode = "page"; },
    async done() {
      if (this.isNotDone) return;
      try {
        await send(`${home}/done`, { open_book: this.splitsBooks }, (lost) => { this.lost = lost; });
      } catch (error) {
        if (!(error instanceof Refused)) throw error; // it was over already
      }
      this.finished = true;
    },
  });
}

/** @param {number} count */
function waiting(count) { return t("{count} picture waits", "{count} pictures wait", { count }); }

document.addEventListener("alpine:init", () => {
  const { Alpine } = /** @type {any} */ (window);
  Alpine.data("phone", phone(readData("facts")));
});
