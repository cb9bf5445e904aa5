// What was taken goes to the desk one picture after the other; what cannot go yet waits and goes on by itself.
import { pause, Refused, send } from "./http.js";
import { sendParts } from "./parts.js";
import { uniqueName } from "./unique.js";
import { openKept } from "./kept_pictures.js";

const SCANNER_PATIENCE_MS = 2000;
const OVER = new Set([404, 410]);

/**
 * @typedef {import("./kept_pictures.js").Picture} Picture
 * @typedef {Picture & { file: number | null, sent: number, first: string }} Waiting `file` is its number at the desk,
 *   `first` the key that it was given when it was taken
 */

/**
 * @param {{ name: string, announce: string, part: (file: number) => string }} camera what it is called, and where its pictures go
 * @param {{ changed: () => void, connection: (lost: boolean) => void, over: (why: string) => void, refused: (why: string) => void }} tell
 */
export function createQueue(camera, tell) {
  /** @type {Awaited<ReturnType<typeof openKept>> | null} */
  let kept = null;
  let sending = false;
  return {
    /** @type {Waiting[]} */
    waiting: [],
    /** @type {Picture[]} taken by others of its kind before, and not sent */
    left: [],
    over: false,
    /** @type {Map<string, number>} the numbers of pictures at the desk, by their keys */
    known: new Map(),

    async open() {
      kept = await openKept();
      const all = await kept.all();
      const kind = camera.name.split(" ")[0];
      this.left = all.filter((picture) => picture.camera !== camera.name && picture.camera.startsWith(kind));
      this.waiting.push(...all.filter((picture) => picture.camera === camera.name).map(asWaiting));
      tell.changed();
      this.go();
    },
    /**
     * Have pictures sent; return their keys.
     * @param {File[]} files
     * @param {number | null} again the page that is taken again
     * @param {string} instead the key of the picture that is taken again
     * @param {[number, number][] | null} near the corners of the sheet, as they were seen before
     */
    add(files, again, instead = "", near = null) {
      const taken = files.map((file) => ({ key: uniqueName(), camera: camera.name, name: file.name, blob: file, again, instead, near }));
      this.waiting.push(...taken.map(asWaiting));
      tell.changed();
      this.keepAndGo(taken);
      return taken.map(({ key }) => key);
    },
    /** @param {Picture[]} taken */
    async keepAndGo(taken) {
      for (const picture of taken) await kept?.put(picture);
      this.go();
    },
    /** Send what was taken by others before. */
    async adopt() {
      const here = this.left.map((picture) => ({ ...picture, camera: camera.name, again: null, instead: "" }));
      this.left = [];
      for (const picture of here) await kept?.put(picture);
      this.waiting.push(...here.map(asWaiting));
      tell.changed();
      this.go();
    },
    async drop() {
      for (const { key } of this.left) await kept?.remove(key);
      this.left = [];
      tell.changed();
    },
    async go() {
      if (sending) return;
      sending = true;
      try {
        while (this.waiting.length && !this.over) await this.next(this.waiting[0]);
      } finally { sending = false; }
    },
    /** @param {Waiting} picture */
    async next(picture) {
      try {
        const { key, name, blob, again, instead, near } = picture;
        const replaced = instead ? { again_file: this.known.get(instead) ?? null } : again ? { again } : {};
        picture.file ??= await send(camera.announce, { name, byte_size: blob.size, ...replaced, ...(near ? { near } : {}) }, tell.connection, key);
        this.known.set(picture.first, picture.file);
        await sendParts(camera.part(picture.file), blob, {
          sent: (bytes) => { picture.sent = bytes; tell.changed(); },
          connection: tell.connection,
          waits: (why) => tell.refused(why.message),
        });
        await this.settle(picture);
      } catch (error) {
        if (!(error instanceof Refused)) throw error;
        if (error.code === "run_already") await pause(SCANNER_PATIENCE_MS);
        else if (error.code === "file_not_expected") await this.renew(picture);
        else if (OVER.has(error.status) && error.code !== "page_gone") { this.over = true; tell.over(error.message); }
        else if (error.code === "page_gone") Object.assign(picture, { again: null, instead: "" }); // what it should replace has gone: a page of its own
        else { await this.settle(picture); tell.refused(error.message); }
      }
    },
    /** The desk expects it no more, as after a long pause: it is announced once more. @param {Waiting} picture */
    async renew(picture) {
      const { key: before, camera: by, name, blob, again, instead, near } = picture;
      picture.key = uniqueName();
      picture.file = null;
      await kept?.put({ key: picture.key, camera: by, name, blob, again, instead, near });
      await kept?.remove(before);
    },
    /** It waits no more. @param {Waiting} picture */
    async settle(picture) {
      await kept?.remove(picture.key);
      this.waiting = this.waiting.filter(({ key }) => key !== picture.key);
      tell.changed();
    },
  };
}

/** @param {Picture} picture @returns {Waiting} */
function asWaiting(picture) { return { ...picture, file: null, sent: 0, first: picture.key }; }
