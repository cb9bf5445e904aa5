// The station Intake: the ticket, the device, the run.
import { get } from "../http.js";
import { clock, pages, sheets, t } from "../words.js";
import { letGo } from "../keys.js";

const CHOICES = ["sides", "paper", "source", "colour", "dpi", "lies", "turns_over", "brightness", "contrast", "routine"];
const STEPS = ["straighten", "crop", "upright", "blank_backs_aside", "cut_at_dividers", "pair_backs"];
const NUMBERS = new Set(["dpi", "brightness", "contrast", "routine"]);
const LEAST_MM = 20;
const MOST_MM = 1200;

/**
 * @param {any} mappe
 * @param {any} devices
 * @param {any} tickets
 * @param {any} landing
 * @param {any} glass
 * @param {any} phone
 * @param {any} camera
 * @param {{ stage: string, lane: string }} facts
 */
export function intake(mappe, devices, tickets, landing, glass, phone, camera, facts) {
  return () => ({
    /** @type {Record<string, string | number>} what of the wish the device can do */
    ticket: {},
    /** @type {Record<string, { value: string | number, label: string }[]>} */
    choices: {},
    /** @type {string[]} */
    notes: [],
    /** @type {{ text: string, is_measured: boolean }[]} */
    offeredCosts: [],
    /** @type {number | null} how many sheets the person has counted */
    counted: null,
    offering: Promise.resolve(),
    busy: false,
    backsOrder: "turned_pile",

    init() {
      tickets.chooseFirst();
      tickets.onWish(() => this.offer());
      devices.onChoice(() => this.offer());
      devices.chooseFirst();
    },

    // ---- device and ticket

    get device() {
      const { chosen } = devices;
      if (chosen === null) return { name: t("No scanner yet"), state: devices.found.length ? t("choose one that was found") : t("add one by its address"), tone: "bad", feeder: null };
      return mappe.device?.id === chosen.id ? { ...mappe.device, name: chosen.name } : { name: chosen.name, state: t("looking for it…"), tone: "busy", feeder: null };
    },
    /** Ask what the device offers for what is wished. */
    offer() { this.offering = this.askOffer(); },
    async askOffer() {
      if (devices.chosenId === null) { this.choices = {}; return; }
      const { wish } = tickets;
      const asked = `${devices.chosenId} ${JSON.stringify(wish)}`;
      try {
        const offer = await get(`/devices/${devices.chosenId}/offer?${new URLSearchParams(wish)}`);
        if (asked !== `${devices.chosenId} ${JSON.stringify(tickets.wish)}`) return;
        this.ticket = offer.ticket;
        this.notes = offer.notes;
        this.choices = offer.choices;
        this.offeredCosts = offer.costs;
      } catch (error) { mappe.complain(error); }
    },
    /** @param {Event} event */
    set(event) {
      const field = /** @type {HTMLSelectElement} */ (event.target);
      const name = field.dataset.name ?? "";
      const value = NUMBERS.has(name) ? Number(field.value) : field.value;
      tickets.want({ ...tickets.wish, [name]: value, ...(name === "source" && value !== "glass" ? { sides: "both" } : {}) });
      letGo(event);
    },
    /** Switch a step on or off that is done when pages arrive. @param {MouseEvent} event */
    toggle(event) {
      const word = /** @type {HTMLElement} */ (event.currentTarget);
      const name = word.dataset.name ?? "";
      tickets.want({ ...tickets.wish, [name]: !tickets.wish[name] });
      letGo(event);
    },
    get pressed() {
      return Object.fromEntries(STEPS.map((name) => [name, String(Boolean(this.ticket[name]))]));
    },
    get countText() { return this.counted === null ? "" : String(this.counted); },
    /** @param {Event} event */
    setCount(event) {
      const field = /** @type {HTMLInputElement} */ (event.target);
      const digits = field.value.replace(/\D/g, "");
      this.counted = Number(digits) || null;
      if (field.value !== digits) field.value = digits;
    },
    /** @param {Event} event */
    leaveCount(event) { /** @type {HTMLInputElement} */ (event.target).blur(); },
    /** The settings that are changed for this once, for their words to be marked. */
    get marks() { return Object.fromEntries(tickets.changed.map((/** @type {string} */ name) => [name, "changed"])); },
    get hasOwnSize() { return this.ticket.paper === "own"; },
    get canLieSideways() { return !["own", "any"].includes(String(this.ticket.paper)); },
    get hasBacks() { return this.ticket.sides === "both"; },
    get offersPairing() { return this.ticket.sides === "one" && this.ticket.source !== "glass"; },
    get offersRoutine() { return (this.choices.routine ?? []).length > 1; },
    get hasBrightness() { return (this.choices.brightness ?? []).length > 0; },
    get hasContrast() { return (this.choices.contrast ?? []).length > 0; },
    get lengths() { return { width_mm: String(this.ticket.width_mm ?? ""), height_mm: String(this.ticket.height_mm ?? "") }; },
    /** Take a length of the paper; what is no length leaves it as it was. @param {Event} event */
    setLength(event) {
      const field = /** @type {HTMLInputElement} */ (event.target);
      const name = field.dataset.name ?? "";
      const millimetres = Number(field.value.replace(",", "."));
      if (millimetres >= LEAST_MM && millimetres <= MOST_MM) tickets.want({ ...tickets.wish, [name]: millimetres });
      else field.value = String(this.ticket[name]);
    },
    get costs() { return this.offeredCosts.map(({ text, is_measured: measured }) => ({ text, how: measured ? t("measured") : t("estimated") })); },
    get offered() { return Object.keys(this.choices).length > 0; },
    get options() {
      return Object.fromEntries(CHOICES.map((name) => [
        name, (this.choices[name] ?? []).map((choice) => ({ ...choice, chosen: choice.value === this.ticket[name] })),
      ]));
    },

    // ---- the machine

    get machineClass() { return `tone-${this.device.tone}`; },
    get fromFeeder() { return this.ticket.source === "feeder" || (this.ticket.source === "either" && this.device.paper_loaded === true); },
    get showsTray() { return Boolean(this.device.has_feeder) && (this.fromFeeder || !this.offered); },
    get showsGlass() { return !this.showsTray; },
    get feederText() { return this.device.feeder ?? (this.device.has_glass && !this.device.has_feeder ? t("lay one sheet on the glass") : ""); },
    get showsPile() { return this.device.paper_loaded === true || (this.receiving && this.fromFeeder); },
    get hint() {
      if (!this.offered || this.waiting) return "";
      return this.fromFeeder ? t("Top edge first, face up") : t("Face down, into the marked corner");
    },
    get adminUrl() { return this.device.admin_url ?? ""; },

    // ---- the run

    get run() { return mappe.run; },
    get receiving() { return this.run?.state === "receiving"; },
    get waiting() { return this.run?.state === "waiting"; },
    get interrupted() { return Boolean(this.run?.can_continue); },
    get offersStart() { return !this.receiving && !this.waiting && !this.interrupted && !camera.active; },
    get stopping() { return Boolean(this.run?.stopping); },
    get stopLabel() {
      if (this.run?.origin === "camera") return this.stopping ? t("Ending when the last picture is read…") : t("End");
      if (!this.stopping) return t("Stop");
      return this.run?.origin === "scanner" ? t("Stopping after this sheet…") : t("Stopping after this page…");
    },
    get cannotContinue() { return !this.device.ready || this.busy; },
    get startBlocked() { return this.busy || !this.device.ready || (this.fromFeeder && this.device.paper_loaded === false); },
    get startLabel() {
      if (this.showsAreas) return t("Scan this one", "Scan these {count}", { count: glass.areas.length });
      if (landing.isAgain) return t("Scan again");
      return this.fromFeeder ? t("Scan the pile") : t("Scan the first sheet");
    },
    get startHint() {
      if (this.device.ready && this.fromFeeder && this.device.paper_loaded === false) return t("Lay paper into the feeder.");
      return this.endedOnGlass ? t("Take your original off the glass.") : "";
    },
    get endedOnGlass() { return this.run?.ticket?.source === "glass" && !this.run.live && !this.interrupted; },
    get landingText() { return this.offersStart ? landing.text : ""; },
    landAtEnd() { landing.atEnd(); },

    // ---- two-sided by hand: the backs of a run of fronts

    get offersFiles() { return this.offersStart && !this.offersBacks; },
    get showsSentence() { return this.offered && !camera.active && (this.offersStart || this.interrupted); },
    get showsCosts() { return this.offersStart && !this.offersBacks; },
    // ---- a look at the glass

    get canLook() { return this.offersStart && this.offered && !this.fromFeeder && Boolean(this.device.has_glass); },
    get offersLook() { return this.canLook && !glass.active; },
    get showsLook() { return this.canLook && glass.active; },
    get showsAreas() { return this.showsLook && glass.areas.length > 0; },
    get cannotLook() { return glass.looking || !this.device.ready; },
    get lookLabel() { return glass.looking ? t("Looking…") : t("Look at the glass"); },
    look() { glass.look(); },
    get showsCamera() { return camera.active; },
    get showsPhone() { return phone.shown && !this.showsCamera && !this.waiting && !this.showsLook; },
    get showsMachine() { return !this.waiting && !this.showsLook && !this.showsPhone && !this.showsCamera; },
    get besideHead() { return this.showsCamera ? t("Before the camera") : this.showsPhone ? t("From a phone") : t("At the scanner"); },
    get offersBacks() {
      const { run } = this;
      return this.offersStart && run?.ticket?.source === "feeder" && run.ticket.sides === "one" && run.landing !== "backs"
        && run.landing !== "again" && run.sheets > 0 && this.fromFeeder && !landing.now;
    },
    get backsText() { return t("{fronts} came in. If the backs are printed too, turn the whole pile over and lay it back.", { fronts: t("{count} front", "{count} fronts", { count: this.run?.sheets ?? 0 }) }); },
    get turnedPressed() { return String(this.backsOrder === "turned_pile"); },
    get asLaidPressed() { return String(this.backsOrder === "as_laid"); },
    turnedPile() { this.backsOrder = "turned_pile"; },
    asLaid() { this.backsOrder = "as_laid"; },
    get backsHint() {
      return this.backsOrder === "turned_pile"
        ? t("The last sheet’s back comes first; the backs land counting down.")
        : t("The first sheet’s back comes first: the pile was sorted anew.");
    },
    async startBacks() {
      if (this.startBlocked) return;
      await this.offering;
      const ticket = { ...this.ticket, sides: "one" };
      await this.act(`/runs/${this.run.id}/backs`, { device: devices.chosenId, ticket, order: this.backsOrder });
    },
    get receivingLine() {
      const { sheets: so_far = 0, pages: page_count = 0, counted = null, landing: place = null, to_come = null, retaking = false } = this.run ?? {};
      if (retaking) return t("Taking sheet {number} again", { number: so_far });
      if (this.run?.origin === "camera") return t("Taking pictures: {pages} so far", { pages: pages(page_count) });
      if (isFiles(this.run)) return t("Bringing in files: {pages} so far", { pages: pages(page_count) });
      if (place === "backs") return t("Scanning backs: {number} of {count} so far", { number: so_far, count: to_come });
      return counted === null
        ? t("Scanning: {sheets}, {pages} so far", { sheets: sheets(so_far), pages: pages(page_count) })
        : t("Scanning: {number} of {sheets}, {pages} so far", { number: so_far, sheets: sheets(counted), pages: pages(page_count) });
    },
    get waitingLine() {
      const { sheets: number = 0, counted = null } = this.run ?? {};
      return counted === null
        ? t("Sheet {number} is in. Another one, or done?", { number })
        : t("Sheet {number} of {counted} is in. Lay the next one.", { number, counted });
    },
    get countLine() {
      const { sheets: number = 0, counted = null } = this.run ?? {};
      return counted === null ? String(number) : t("{number} of {count}", { number, count: counted });
    },
    /** The page that came in last, large enough to be judged. */
    get newest() {
      const id = mappe.order.length ? Math.max(...mappe.order) : null;
      return id === null ? null : mappe.page(id);
    },
    get newestPicture() { return this.newest ? `/pages/${this.newest.id}/${this.newest.picture}-${facts.stage}.jpg` : null; },
    get newestSmall() { return this.newest ? `/pages/${this.newest.id}/${this.newest.picture}-${facts.lane}.jpg` : null; },
    get lastInText() { return this.newest ? t("Page {number} came in last: it is the one shown here.", { number: mappe.numberOf(this.newest.id) }) : ""; },
    get newestText() { return this.newest ? t("Page {number}", { number: mappe.numberOf(this.newest.id) }) : ""; },
    get layNextText() { return t("Lay the next one face down, into the marked corner."); },
    get newestWarnings() { return this.newest ? this.newest.warnings.map((/** @type {any} */ warning) => warning.text) : []; },
    retake() { this.act(`/runs/${this.run.id}/retake`); },
    get interruptedText() { return this.run?.message?.text ?? ""; },
    // What became of laying the backs of the last run to their fronts.
    get pairsText() { return this.run?.pairing?.text ?? ""; },
    get pairsPlace() { return this.pairsText ? `/mappen/${mappe.id}/order?pair=${this.run.fronts_run}-${this.run.number}` : null; },
    get hasRuns() { return mappe.runs.length > 0; },
    get runs() {
      const words = { receiving: t("scanning"), waiting: t("waiting"), done: "", stopped: t("stopped"), interrupted: t("interrupted") };
      return mappe.runs.map((/** @type {any} */ run) => ({
        id: run.id, title: t("Run {number}", { number: run.number }), how: howOf(run),
        amount: amountOf(run), word: isFiles(run) && run.live ? t("coming in") : run.state === "done" && run.message ? run.message.text : words[/** @type {keyof typeof words} */ (run.state)],
        tone: run.state === "interrupted" || run.message ? "bad" : "quiet", time: clock(run.started_at),
      })).reverse().slice(0, 6);
    },
    /** @param {string} path @param {unknown} [body] */
    async act(path, body) {
      if (this.busy) return undefined;
      this.busy = true;
      const answer = await mappe.command(path, body);
      this.busy = false;
      return answer;
    },
    async start() {
      if (this.startBlocked) return;
      await this.offering; // a word may have been changed just before
      const run = await this.act(`/mappen/${mappe.id}/runs`, { device: devices.chosenId, ticket: this.ticket, counted: this.counted, landing: landing.now, areas: this.showsAreas ? glass.wanted : [], kept_ticket: tickets.chosenId });
      if (run === undefined) return;
      glass.close();
      landing.atEnd();
      tickets.back(); // what was changed was for this once
      this.counted = null;
    },
    nextSheet() { this.act(`/runs/${this.run.id}/next-sheet`); },
    stop() { return camera.active ? camera.end() : this.act(`/runs/${this.run.id}/stop`); },
    continueRun() { this.act(`/runs/${this.run.id}/continue`); },
    dismiss() { this.act(`/runs/${this.run.id}/dismiss`); },
  });
}

/** @param {any} run */
function amountOf(run) {
  if (isFiles(run)) return pages(run.pages);
  const came = `${sheets(run.sheets)}, ${pages(run.pages)}`;
  return run.aside ? `${came}, ${t("{count} set aside", { count: run.aside })}` : came;
}

/** @param {any} run */
function howOf({ ticket, landing, origin, by_phone: byPhone }) {
  if (origin === "camera") return byPhone ? t("phone") : t("camera");
  if (origin === "folder") return t("watched folder");
  if (origin === "files") return landing === "backs" ? t("files, backs") : t("files");
  if (!ticket) return "";
  if (landing === "backs") return t("feeder, backs");
  if (landing === "again") return t("scanned again");
  if (ticket.source === "glass") return t("glass");
  return ticket.sides === "both" ? t("feeder, both sides") : t("feeder, one side");
}

/** Whether a run brings in pages of which it is not known to what sheets they belong. @param {any} run */
function isFiles(run) { return ["files", "folder", "camera"].includes(run?.origin); }
