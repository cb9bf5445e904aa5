// At the Intake: choosing a scanner, adding, naming and removing one.
import { letGo } from "../keys.js";
import { get } from "../http.js";
import { t } from "../words.js";

/** @param {any} mappe @param {any} devices @param {any} phone @param {any} camera */
export function scanners(mappe, devices, phone, camera) {
  return () => ({
    adding: false,
    renaming: false,
    /** @type {{ id: number, name: string } | null} */
    removed: null,

    get known() {
      return devices.known.map((/** @type {any} */ device) => ({ ...device, pressed: device.id === devices.chosenId ? "true" : "false" }));
    },
    get found() { return devices.found; },
    get hasFound() { return devices.found.length > 0; },
    get hasChosen() { return devices.chosen !== null && !this.adding && !this.renaming && !this.watching; },
    get canBeFirst() { return devices.known.length > 1 && !devices.chosen?.is_default; },
    get isFirst() { return devices.known.length > 1 && Boolean(devices.chosen?.is_default); },
    /** @param {number} id @param {MouseEvent} event */
    choose(id, event) {
      devices.choose(id);
      letGo(event);
    },

    // ---- adding

    askAddress() {
      this.adding = !this.adding;
      this.renaming = this.watching = false;
      if (this.adding) this.$nextTick(() => this.$refs.address.focus());
    },
    get addingText() { return this.adding ? "true" : "false"; },
    add() { return this.addAt(this.$refs.address.value); },
    /** @param {string} address */
    async addAt(address) {
      const id = await mappe.command("/devices", { address });
      if (id === undefined) return;
      this.adding = false;
      this.removed = null;
      await this.refresh();
      devices.choose(id);
    },
    /** Show the code by which a phone adds its pictures. */
    usePhone() { return phone.open(); },
    useCamera() { camera.active = true; },
    async refresh() { devices.apply(await get("/devices")); },

    // ---- watched folders

    watching: false,
    get watchingText() { return this.watching ? "true" : "false"; },
    get folders() {
      return devices.folders.map((/** @type {any} */ folder) => ({
        ...folder, name: folder.path.split("/").pop(), text: folder.is_there ? t("is watched: a Mappe for each file") : t("is not there now"),
        stop: t("Stop watching {name}", { name: folder.path }),
      }));
    },
    get hasFolders() { return devices.folders.length > 0; },
    askFolder() {
      this.watching = !this.watching;
      this.adding = this.renaming = false;
      if (this.watching) this.$nextTick(() => this.$refs.folder.focus());
    },
    async watchFolder() {
      const id = await mappe.command("/folders", { path: this.$refs.folder.value, both_sides: this.$refs.bothSides.checked });
      if (id === undefined) return;
      this.watching = false;
      this.$refs.folder.value = "";
      await this.refresh();
    },
    /** @param {number} id */
    async stopWatching(id) {
      await mappe.command(`/folders/${id}/remove`);
      await this.refresh();
    },

    // ---- the chosen one

    askName() {
      this.renaming = true;
      this.$nextTick(() => { this.$refs.name.value = devices.chosen.name; this.$refs.name.select(); });
    },
    cancelName() { this.renaming = false; },
    async rename() {
      const name = this.$refs.name.value.trim();
      this.renaming = false;
      if (name && name !== devices.chosen.name) await this.own("name", { name });
    },
    makeFirst() { return this.own("default"); },
    async remove() {
      const { id, name } = devices.chosen;
      if (await this.own("remove") !== undefined) this.removed = { id, name };
    },
    get removedText() { return this.removed ? t("{name} is removed; what it has scanned stays.", { name: this.removed.name }) : ""; },
    async takeBack() {
      const { id } = /** @type {{ id: number }} */ (this.removed);
      this.removed = null;
      await mappe.command(`/devices/${id}/take-back`);
      await this.refresh();
      devices.choose(id);
    },
    /** @param {string} path @param {unknown} [body] */
    async own(path, body) {
      const done = await mappe.command(`/devices/${devices.chosenId}/${path}`, body);
      await this.refresh();
      return done;
    },
  });
}
