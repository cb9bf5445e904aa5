// At the Intake: a camera at this computer that takes each sheet by itself once it lies still and whole.
import { click, listCameras, openCamera, pictureOf, watchFrames } from "../camera.js";
import { pause } from "../http.js";
import { createQueue } from "../picture_queue.js";
import { pages, t } from "../words.js";

const KEPT = "papiermappe.camera";
const SHOWN_MS = 900;
const FLUSH_MS = 100;

/** What is said while the camera is watched. @type {Record<string, () => string>} */
const SAID = {
  starting: () => t("Starting the camera…"),
  no_sheet: () => t("Lay a sheet before the camera. Space takes what is seen all the same."),
  moving: () => t("Hold still…"),
  hand: () => t("Move your hand away."),
  reaches_out: () => t("The sheet reaches out of the picture."),
  too_dark: () => t("It is too dark."),
  glare: () => t("A lamp is mirrored on the sheet. Move one of them."),
  blurred: () => t("The picture is blurred. Wait until the camera is in focus."),
  still: () => t("Taking it…"),
  take: () => t("Taken."),
  divider: () => t("A divider: this document ends here."),
  in: () => t("This one is in. Turn it over, or lay the next one."),
};

/** Why there is no camera, by the name of the browser's error. @type {Record<string, () => string>} */
const TROUBLE = {
  NotAllowedError: () => t("The browser does not let Papiermappe use the camera. Allow it beside the address, then try again."),
  NotFoundError: () => t("No camera is found. Connect one, then try again."),
  OverconstrainedError: () => t("This camera is not there any more. Choose another one."),
  NotReadableError: () => t("The camera is being used by another program. Close that, then try again."),
  SecurityError: () => t("A browser gives its camera only to pages of this computer itself, or over HTTPS. A phone can be used instead."),
};

/** The state that other parts of the Intake ask for. */
export function createCamera() {
  return {
    active: false,
    /** End it, with all that was taken sent. @type {() => Promise<void>} */
    end: async () => {},
  };
}

/** @param {any} mappe @param {ReturnType<typeof createCamera>} camera */
export function cameraView(mappe, camera) {
  /** @type {MediaStream | null} */
  let stream = null;
  /** @type {ReturnType<typeof watchFrames> | null} */
  let watch = null;
  return () => ({
    state: "starting",
    trouble: "",
    /** @type {[number, number][] | null} */
    corners: null,
    /** Whether the empty table told where they are. */
    byTable: false,
    /** @type {{ id: string, label: string }[]} */
    cameras: [],
    chosen: "",
    pixels: "",
    taken: 0,
    flashing: false,
    ending: false,
    /** @type {number | null} how many sheets the person has counted */
    counted: null,
    /** The picture that was taken last, and whether the next one is to take its place. */
    last: "",
    again: false,
    kept: { sound: true, flash: true, byItself: true, book: false, ...JSON.parse(localStorage.getItem(KEPT) ?? "{}") },
    queue: /** @type {any} */ (null),

    init() {
      this.queue = createQueue(
        { name: `desk ${mappe.id}`, announce: `/mappen/${mappe.id}/camera-pictures`, part: (file) => `/imports/${file}` },
        {
          changed: () => {}, connection: (lost) => mappe.connection(lost),
          over: (why) => mappe.complain(new Error(why)), refused: (why) => mappe.complain(new Error(why)),
        },
      );
      this.queue.open(); // what was taken before the page was closed goes on
      camera.end = () => this.end();
      this.$watch("$store.camera.active", (/** @type {boolean} */ active) => { if (active) this.start(); });
      if (new URLSearchParams(location.search).has("camera")) camera.active = true;
    },

    // ---- the camera

    async start(id = this.kept.camera ?? "") {
      this.leave();
      Object.assign(this, { state: "starting", trouble: "", corners: null, ending: false });
      const video = /** @type {HTMLVideoElement} */ (this.$refs.video);
      try {
        stream = await openCamera(video, id).catch((error) => (id && error.name === "OverconstrainedError" ? openCamera(video, "") : Promise.reject(error)));
      } catch (error) {
        const { name } = /** @type {DOMException} */ (error);
        this.trouble = (TROUBLE[name] ?? (() => t("The camera does not start ({name}).", { name })))();
        return;
      }
      if (!camera.active) { this.leave(); return; }
      const [track] = stream.getVideoTracks();
      track.addEventListener("ended", () => { this.leave(); this.trouble = t("The camera has gone. What was taken is in."); });
      this.pixels = t("{width} by {height} px", { width: video.videoWidth, height: video.videoHeight });
      this.$refs.seen.style.aspectRatio = `${video.videoWidth} / ${video.videoHeight}`;
      this.cameras = await listCameras();
      this.chosen = track.getSettings().deviceId ?? "";
      watch = watchFrames(video, `/mappen/${mappe.id}/camera`, { seen: (seen, picture) => this.seen(seen, picture), connection: (lost) => mappe.connection(lost) });
    },
    leave() {
      watch?.end();
      watch = null;
      for (const track of stream?.getTracks() ?? []) track.stop();
      stream = null;
    },
    restart() { this.start(); },
    /** @param {Event} event */
    choose(event) {
      const id = /** @type {HTMLSelectElement} */ (event.target).value;
      this.keep({ camera: id });
      this.start(id);
    },
    /** @param {Record<string, unknown>} changes */
    keep(changes) {
      Object.assign(this.kept, changes);
      localStorage.setItem(KEPT, JSON.stringify(this.kept));
    },
    switchSound() { this.keep({ sound: !this.kept.sound }); },
    switchFlash() { this.keep({ flash: !this.kept.flash }); },
    switchBook() { this.keep({ book: !this.kept.book }); },
    switchByItself() { this.keep({ byItself: !this.kept.byItself }); },

    // ---- what it sees

    /** @param {import("../camera.js").Seen} seen @param {() => Promise<Blob | null>} picture in which that is seen */
    seen(seen, picture) {
      const before = this.state;
      this.state = seen.state;
      this.corners = seen.corners;
      this.byTable = seen.by_table;
      if (this.ending || seen.state === before) return;
      if (seen.state === "take" && this.kept.byItself) this.take(picture());
      if (seen.state === "divider" && this.taken) this.nextDocument(seen.name ?? "");
    },
    /** @param {Promise<Blob | null>} coming */
    async take(coming) {
      const near = this.byTable ? this.corners : null;
      const picture = await coming;
      if (!picture) return;
      const instead = this.again ? this.last : "";
      if (!instead) this.taken += 1;
      this.again = false;
      [this.last] = this.queue.add([new File([picture], "picture.jpg", { type: "image/jpeg" })], null, instead, near);
      if (this.kept.sound) click();
      if (this.kept.flash) this.showTaken(picture);
      if (this.counted !== null && this.taken >= this.counted) this.end();
    },
    takeByHand() {
      if (this.trouble || this.state === "starting") return;
      watch?.noteTaken();
      const video = /** @type {HTMLVideoElement} */ (this.$refs.video);
      if (video.videoWidth) this.take(pictureOf(video));
    },
    takeLastAgain() {
      this.again = !this.again;
      if (this.again) watch?.forget();
    },
    /** Show what was taken for a moment. @param {Blob} picture */
    async showTaken(picture) {
      const canvas = /** @type {HTMLCanvasElement} */ (this.$refs.flash);
      const bitmap = await createImageBitmap(picture);
      [canvas.width, canvas.height] = [bitmap.width, bitmap.height];
      canvas.getContext("2d")?.drawImage(bitmap, 0, 0);
      bitmap.close();
      this.flashing = true;
      await pause(SHOWN_MS);
      this.flashing = false;
    },

    // ---- the end of a document

    /** End the document when all that was taken has been sent. */
    async end() {
      this.ending = true;
      this.leave();
      while (this.queue.waiting.length && !this.queue.over) await pause(FLUSH_MS);
      await mappe.command(`/mappen/${mappe.id}/camera-end`, { open_book: this.kept.book });
      Object.assign(this, { taken: 0, counted: null, last: "", again: false });
      camera.active = false;
    },
    /** A divider was seen: go on with the next document, which it may name. @param {string} name */
    async nextDocument(name) {
      await this.end();
      const answer = await fetch("/mappen", { method: "POST", headers: { Accept: "text/html" } });
      const [, next] = new URL(answer.url).pathname.match(/^\/mappen\/(\d+)/) ?? [];
      if (!next) return;
      if (name) await mappe.command(`/mappen/${next}/subject`, { subject: name });
      location.assign(`/mappen/${next}/intake?camera`);
    },
    /** @param {Event} event */
    setCount(event) { this.counted = Number(/** @type {HTMLInputElement} */ (event.target).value.replace(/\D/g, "")) || null; },

    // ---- what is shown

    get active() { return camera.active; },
    get said() {
      if (this.again && !this.trouble) return this.state === "in" ? t("Lay the last one again: the next picture takes its place.") : this.seenText;
      return this.seenText;
    },
    get seenText() { return this.trouble || (this.ending ? t("Sending what was taken…") : (SAID[this.state] ?? SAID.starting)()); },
    get tone() { return this.trouble ? "trouble" : ["take", "in"].includes(this.state) ? "good" : ["still", "starting", "no_sheet"].includes(this.state) ? "" : "wait"; },
    get outline() { return (this.corners ?? []).map(([x, y]) => `${x},${y}`).join(" "); },
    get takenText() {
      if (this.counted !== null) return t("{number} of {count} taken", { number: this.taken, count: this.counted });
      return this.taken ? t("{pages} taken", { pages: pages(this.taken) }) : t("Nothing taken yet");
    },
    get choices() { return this.cameras.map(({ id, label }, at) => ({ id, label: label || t("Camera {number}", { number: at + 1 }), chosen: id === this.chosen })); },
    get canChoose() { return this.cameras.length > 1; },
    get soundPressed() { return String(this.kept.sound); },
    get flashPressed() { return String(this.kept.flash); },
    get bookPressed() { return String(this.kept.book); },
    get againPressed() { return String(this.again); },
    get cannotTakeAgain() { return this.cannotTake || !this.last; },
    get byItselfPressed() { return String(this.kept.byItself); },
    get cannotTake() { return Boolean(this.trouble) || this.state === "starting" || this.ending; },
  });
}
