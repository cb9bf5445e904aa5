// The link by which a phone adds pictures to this Mappe.
import { get } from "./http.js";

/** @typedef {{ id: number, address: string, expires_at: string, only_here: boolean }} Link */

/** @param {any} mappe */
export function createPhoneLink(mappe) {
  const path = `/mappen/${mappe.id}/phone-link`;
  let ending = 0;
  return {
    /** @type {Link | null} */
    link: null,
    shown: false,

    /** Take up the link that is open, as after this page was loaded anew. */
    async look() {
      this.link = await get(path).catch(() => this.link);
      clearTimeout(ending);
      if (this.link) ending = window.setTimeout(() => this.look(), new Date(this.link.expires_at).getTime() - Date.now() + 1000);
      else this.shown = false;
    },
    async open() {
      await mappe.command(path);
      await this.look();
      this.shown = this.link !== null;
    },
    async withdraw() {
      if (this.link) await mappe.command(`/phone-links/${this.link.id}/withdraw`);
      await this.look();
    },
    hide() { this.shown = false; },
    /** The picture of its code; anew for each link. */
    get code() { return this.link ? `${path}.svg?link=${this.link.id}` : null; },
  };
}
