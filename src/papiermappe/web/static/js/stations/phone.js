// At the Intake: the code that a phone scans to add its pictures.
import { clock, pages, t } from "../words.js";

/** @param {any} mappe @param {any} phone */
export function phoneLink(mappe, phone) {
  return () => ({
    /** Whether a run of a phone was live when this was looked at last. */
    wasLive: false,

    init() {
      phone.look();
      mappe.on("pages", () => {
        const live = Boolean(mappe.run?.live && mappe.run.by_phone);
        if (this.wasLive && !live) phone.look(); // "Done" at the phone ends the link too
        this.wasLive = live;
      });
    },
    get code() { return phone.code; },
    get address() { return phone.link?.address ?? ""; },
    get until() { return phone.link ? t("Good until {time}, for this Mappe only.", { time: clock(phone.link.expires_at) }) : ""; },
    get onlyHere() { return Boolean(phone.link?.only_here); },
    get came() {
      const { run } = mappe;
      return run?.by_phone && run.live ? t("{pages} from the phone so far.", { pages: pages(run.pages) }) : "";
    },
    withdraw() { return phone.withdraw(); },
    hide() { phone.hide(); },
  });
}
