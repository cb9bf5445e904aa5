// Putting fronts and backs together: a proposal shown in the lanes before it is done, changed by sliding, then done.
import { get, pause, Refused } from "./http.js";
import { t } from "./words.js";

const ASK_EVERY_MS = 400;
const ASKED_ANEW_AFTER = 25;
export const SELECTED = "selected";
const DIGITS = 9;

/**
 * @typedef {{ front: number | null, back: number | null, step: string, sure: boolean }} Column a sheet of the proposal
 * @typedef {import("./mappe.js").Message} Message
 * @typedef {{ backs_order: string, sure: boolean, by_habit: boolean, fronts: number[], backs: number[],
 *   sheets: Column[], near: { front: number, back: number, evidence: Message[] }[] }} Proposal
 */

/**
 * Ranks for the columns of a proposal, rising, just at the place of the first page.
 * @param {string} first the lowest rank of its pages
 * @param {number} count
 */
function ranksAt(first, count) {
  const whole = first.includes(".") ? first : `${first}.`;
  const places = Array.from({ length: count }, (_, at) => (first.startsWith("-") ? count - at : at + 1));
  return places.map((place) => `${whole}${String(place).padStart(DIGITS, "0")}`);
}

/** The command was refused, and that has been told. */
class NotAsked extends Error {}

/** @param {any} mappe */
export function createPairing(mappe) {
  let asked = 0;
  /** @type {Map<string, Message[]>} what speaks for pairs, by front and back */
  let near = new Map();
  return {
    active: false,
    busy: false,
    changed: false,
    /** @type {number | null} a run; null where selected pages are paired */
    fronts: null,
    /** @type {number | null} */
    backs: null,
    /** @type {number[]} the pages that were selected, in their order */
    selected: [],
    /** how many of these, from the first, are fronts */
    frontCount: 0,
    /** @type {string} an order that a person has chosen; "" for the one that is proposed */
    order: "",
    /** @type {Proposal | null} */
    proposal: null,
    /** @type {Column[]} */
    columns: [],
    /** @type {number | null} the column whose evidence is told */
    chosen: null,

    /** The runs that brought in one side of sheets each, and are in the lanes. */
    get runs() {
      return mappe.runs.filter((/** @type {any} */ run) => run.pages && !run.live && run.ticket?.sides !== "both" && run.landing !== "again" && run.landing !== "before");
    },
    get possible() { return this.runs.length > 1 || mappe.selectedCount > 1; },
    /** @param {number} [fronts] @param {number} [backs] */
    open(fronts, backs) {
      const { runs } = this;
      if (!this.possible) return;
      this.active = true;
      this.selected = mappe.selectedCount > 1 ? mappe.selectedIds : [];
      this.frontCount = Math.ceil(this.selected.length / 2);
      const isPart = this.selected.length > 1 && this.selected.length < mappe.pageCount;
      if (fronts === undefined && (runs.length < 2 || isPart)) {
        this.chooseSelected();
        return;
      }
      this.backs = backs ?? runs.at(-1).number;
      const last = runs.find((/** @type {any} */ run) => run.number === this.backs);
      this.fronts = fronts ?? last?.fronts_run ?? runs.filter((/** @type {any} */ run) => run.number !== this.backs).at(-1).number;
      this.order = "";
      this.ask();
    },
    close() {
      this.active = false;
      this.proposal = null;
      this.columns = [];
      asked += 1;
      mappe.propose(null);
    },
    /** @param {"fronts" | "backs"} side @param {number} run */
    choose(side, run) {
      if (this.fronts === null) this.backs = this.runs.filter((/** @type {any} */ other) => other.number !== run).at(-1).number;
      if (run === this[side === "fronts" ? "backs" : "fronts"]) [this.fronts, this.backs] = [this.backs, this.fronts];
      else this[side] = run;
      this.order = "";
      return this.ask();
    },
    /** Pair the selected pages with each other. */
    chooseSelected() {
      this.fronts = null;
      this.backs = null;
      this.order = "";
      return this.ask();
    },
    /** @param {number} count */
    countFronts(count) {
      this.frontCount = Math.min(Math.max(1, count), this.selected.length - 1);
      return this.ask();
    },
    /** @param {string} order */
    lies(order) { this.order = order; return this.ask(); },
    async ask() {
      asked += 1;
      const mine = asked;
      this.busy = true;
      this.proposal = null;
      this.columns = [];
      mappe.propose(null);
      const sides = this.fronts === null ? { pages: this.selected, front_count: this.frontCount } : { fronts: this.fronts, backs: this.backs };
      const address = `/mappen/${mappe.id}/pairing`;
      try {
        let found = null;
        let name = "";
        for (let times = 0; !found && mine === asked; times += 1) {
          // pages may have left or changed while they were compared: then this is asked for anew
          if (times % ASKED_ANEW_AFTER === 0) name = await mappe.command(address, { sides, ...(this.order ? { order: this.order } : {}) });
          else await pause(ASK_EVERY_MS);
          if (name === undefined) throw new NotAsked();
          found = mine === asked ? await get(`${address}/${name}`) : null;
        }
        if (mine !== asked) return;
        this.take(/** @type {Proposal} */ (found));
      } catch (error) {
        if (mine !== asked) return;
        this.close();
        if (error instanceof Refused) mappe.complain(error);
      } finally {
        if (mine === asked) this.busy = false;
      }
    },
    /** @param {Proposal} proposal */
    take(proposal) {
      this.proposal = proposal;
      near = new Map(proposal.near.map((pair) => [`${pair.front} ${pair.back}`, pair.evidence]));
      this.columns = proposal.sheets.map((sheet) => ({ ...sheet }));
      this.changed = false;
      const unsure = this.columns.findIndex((column) => !column.sure);
      this.chosen = this.columns.length ? Math.max(0, unsure < 0 ? this.at(mappe.current) : unsure) : null;
      this.show();
    },
    /** Show the columns in the lanes as if they were done. */
    show() {
      const { columns } = this;
      const ids = columns.flatMap(({ front, back }) => [front, back]).filter((id) => id !== null && mappe.page(id));
      if (!ids.length) return mappe.propose(null);
      const ranks = ranksAt(mappe.lowestRank(ids), columns.length);
      const places = new Map();
      columns.forEach(({ front, back }, at) => {
        if (front !== null) places.set(front, { rank: ranks[at], side: "front", set_aside: false });
        if (back !== null) places.set(back, { rank: ranks[at], side: "back", set_aside: false });
      });
      return mappe.propose({ places, marks: new Map(columns.map((column, at) => [ranks[at], { ...this.markOf(column), at, chosen: at === this.chosen }])) });
    },
    /** @param {{ front: number | null, back: number | null }} column @returns {Message[]} what speaks for its two sides being of one sheet */
    evidenceOf({ front, back }) {
      return near.get(`${front} ${back}`) ?? [];
    },
    /** @param {Column} column @returns {{ text: string, label: string, tone: string }} */
    markOf(column) {
      const { step, front, back } = column;
      if (step.endsWith("twice")) return { text: t("twice"), label: t("The same side came twice; it will be set aside"), tone: "doubled" };
      if (back === null) return { text: t("no back"), label: t("Its back is missing"), tone: "gap" };
      if (front === null) return { text: t("no front"), label: t("Its front is missing"), tone: "gap" };
      const evidence = this.evidenceOf(column);
      const short = evidence.map(({ code }) => SHORT[code]?.()).filter(Boolean);
      if (!evidence.length && column.sure) return { text: t("by its place"), label: t("Its neighbours on both sides are sure"), tone: "sure" };
      if (!evidence.length) return { text: "?", label: t("Nothing tells that these two belong together"), tone: "unsure" };
      return { text: column.sure ? short[0] : `${short[0]} ?`, label: evidence.map(({ text }) => text).join("; "), tone: column.sure ? "sure" : "unsure" };
    },
    get unsureCount() { return this.columns.filter((column) => this.markOf(column).tone === "unsure").length; },

    // ---- changed by hand: a column is where a front and a back lie, or an empty place

    /** @param {number | null} at */
    pick(at) { this.chosen = at; this.show(); },
    /** Pick the pair of a page, where it has one. @param {number | null} page */
    pickOf(page) {
      const at = this.at(page);
      if (at >= 0 && at !== this.chosen) this.pick(at);
    },
    /** @param {number | null} page @returns {number} where it lies, -1 where it is in no pair */
    at(page) { return this.columns.findIndex(({ front, back }) => page !== null && (front === page || back === page)); },
    /** Move a back, and all behind it, by whole sheets. @param {number} at @param {number} by towards the end where positive */
    slide(at, by) {
      const backs = this.columns.map((column) => column.back);
      const moved = by > 0 ? [...backs.slice(0, at), ...Array(by).fill(null), ...backs.slice(at)] : withoutGaps(backs, at, -by);
      this.lay(this.columns.map((column) => column.front), moved);
    },
    /** @param {(number | null)[]} fronts @param {(number | null)[]} backs */
    lay(fronts, backs) {
      const before = this.columns;
      const known = new Map(before.map((column) => [`${column.front} ${column.back}`, column]));
      const count = Math.max(lastOf(fronts), lastOf(backs)) + 1;
      const twice = new Set(before.filter((column) => column.step.endsWith("twice")).map((column) => column.front ?? column.back));
      this.columns = Array.from({ length: count }, (_, at) => {
        const [front, back] = [fronts[at] ?? null, backs[at] ?? null];
        const as = known.get(`${front} ${back}`);
        if (as) return as;
        const step = front !== null && back !== null ? "pair" : front === null ? "back_alone" : "front_alone";
        return { front, back, step: step !== "pair" && twice.has(front ?? back) ? `${step.split("_")[0]}_twice` : step, sure: this.evidenceOf({ front, back }).length > 0 };
      }).filter(({ front, back }) => front !== null || back !== null);
      this.changed = true;
      this.chosen = Math.min(this.chosen ?? 0, this.columns.length - 1);
      this.show();
    },
    /** Swap both sides of a sheet. @param {number} at */
    swap(at) {
      this.columns = this.columns.map((column, here) => (here === at ? { ...column, front: column.back, back: column.front, step: "pair" } : column));
      this.changed = true;
      this.show();
    },
    /** Have backs be fronts and fronts backs. */
    swapAll() {
      this.columns = this.columns.map((column) => ({ ...column, front: column.back, back: column.front }));
      this.changed = true;
      this.show();
    },
    async done() {
      const { columns } = this;
      const pages = columns.flatMap(({ front, back }) => [front, back]).filter((id) => id !== null);
      const aside = columns.filter(({ step }) => step.endsWith("twice")).map(({ front, back }) => front ?? back);
      const entry = await mappe.operate({ kind: "interleave", pages, sheets: columns.map(({ front, back }) => ({ front, back })), aside });
      if (entry !== undefined) this.close();
      return entry;
    },
  };
}

/** @type {Record<string, () => string>} */
const SHORT = {
  evidence_numbers: () => t("numbers"), evidence_show_through: () => t("shows through"), evidence_text: () => t("text goes on"),
  evidence_size: () => t("size"), evidence_tint: () => t("paper"), evidence_holes: () => t("holes"),
};

/** @param {(number | null)[]} sides */
function lastOf(sides) { return sides.findLastIndex((side) => side !== null); }

/**
 * Close as many empty places as there are before a back, at most so many.
 * @param {(number | null)[]} backs @param {number} at @param {number} by
 */
function withoutGaps(backs, at, by) {
  const kept = backs.slice(0, at);
  let left = by;
  for (let place = kept.length - 1; place >= 0 && left; place -= 1) {
    if (kept[place] === null) { kept.splice(place, 1); left -= 1; }
  }
  return [...kept, ...backs.slice(at)];
}
