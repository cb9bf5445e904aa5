// One Mappe: what is known of it, what is selected, and the commands that change it. No drawing here.
import { get, Lost, Refused, send } from "./http.js";
import { compareRanks } from "./ranks.js";
import { createShownPictures } from "./shown_pictures.js";
import { pages as pagesInWords, t } from "./words.js";

/**
 * @typedef {{ code: string, text: string }} Message
 * @typedef {{ id: number, revision: number, rank: string, side: "front" | "back", set_aside: boolean, begins?: string | null, picture: string, scan: number,
 *   width_mm: number, height_mm: number, dpi: number, byte_size: number, analysed: boolean, blank: boolean, spread: "sure" | "unsure" | "by_hand" | null, warnings: Message[] }} Page
 * @typedef {{ id: number, revision: number, rank: string, side: "front" | "back", set_aside: boolean, begins?: string | null }} Place
 * @typedef {{ id: number, revision: number, picture: string, width_mm: number, height_mm: number }} Picture
 * @typedef {{ rank: string, front: Page | null, back: Page | null, start: Start | null }} Sheet
 * @typedef {{ page: number, name: string }} Start a document that begins with a sheet: the page that says so, and its name
 * @typedef {{ page: number, kind: string, turn: number, message: Message }} Note
 * @typedef {{ seq: number, at: string, message: Message }} Line
 * @typedef {{ undo?: Line, redo?: Line }} UndoStack
 */

const HISTORY_SHOWN = 30;
const ANNOUNCE_EVERY_MS = 4000;

/**
 * @param {any} event the whole Mappe, as the first event of the stream would bring it
 * @param {{ author: string, station: string, lane: string }} facts
 */
export function createMappe(event, facts) {
  /** @type {Map<number, Page>} as the server told them last */
  const known = new Map();
  /** @type {Map<number, Partial<Page>>} what a command that is on its way makes of pages */
  const expected = new Map();
  /** @type {Map<number, Picture>} how a command has made pages look of which the window has not heard yet, by page */
  const looks = new Map();
  /** @type {Map<number, Partial<Page>>} where pages would lie after what is proposed */
  let proposed = new Map();
  /** @type {Map<string, any>} what is said of the sheets of a proposal, by their ranks */
  let marks = new Map();
  /** @type {Map<number, Note[]>} what stands out on pages among others */
  let notes = new Map();
  /** @type {Map<number, number>} quarter turns that pictures do not show yet */
  const turning = new Map();
  /** @type {Sheet[]} */
  let sheets = [];
  /** @type {number[]} the pages that lie in the lanes, in reading order */
  let order = [];
  /** @type {Map<number, number>} */
  let numbers = new Map();
  /** @type {Set<number>} */
  let selected = new Set();
  const listeners = { pages: new Set(), selection: new Set() };
  /** @type {Promise<unknown>} */
  let queue = Promise.resolve();
  let announced = 0;
  let arrivedSince = 0;

  /** @param {number} id */
  const pageOf = (id) => {
    const page = known.get(id);
    return page && (expected.has(id) || looks.has(id) || proposed.has(id)) ? { ...page, ...looks.get(id), ...expected.get(id), ...proposed.get(id) } : page;
  };

  /** @param {"pages" | "selection"} kind */
  const emit = (kind) => { for (const listener of listeners[kind]) listener(); };

  /** Say with which sheets documents begin: where the page that says so is set aside, with the next sheet. */
  const begin = () => {
    const starts = [...known.keys()].map((id) => /** @type {Page} */ (pageOf(id))).filter((page) => typeof page.begins === "string");
    starts.sort((a, b) => compareRanks(a.rank, b.rank));
    let at = 0;
    for (const page of starts) {
      while (at < sheets.length && compareRanks(sheets[at].rank, page.rank) < 0) at += 1;
      if (at < sheets.length) sheets[at].start = { page: page.id, name: page.begins ?? "" };
    }
  };

  const lay = () => {
    /** @type {Map<string, Sheet>} */
    const byRank = new Map();
    for (const id of known.keys()) {
      const page = /** @type {Page} */ (pageOf(id));
      if (page.set_aside) continue;
      const sheet = byRank.get(page.rank) ?? { rank: page.rank, front: null, back: null, start: null };
      sheet[page.side] = page;
      byRank.set(page.rank, sheet);
    }
    sheets = [...byRank.values()].sort((a, b) => compareRanks(a.rank, b.rank));
    begin();
    order = sheets.flatMap(({ front, back }) => [front, back]).filter((page) => page !== null).map((page) => page.id);
    numbers = new Map(order.map((id, at) => [id, at + 1]));
    Object.freeze(sheets); // what cannot change is not watched: a thousand pages are read without asking who reads them
    Object.freeze(order);
  };

  const mappe = {
    id: 0,
    cursor: 0,
    subject: "",
    fileName: "",
    version: 0, // rises when pages change: what is read of pages below is read anew
    selectionVersion: 0,
    /** @type {number | null} */
    current: null,
    /** @type {number | null} */
    anchor: null,
    /** @type {any} */
    printed: { out_of_place: 0, missing: [], twice: [], days: [], proposals: null, notes: [] },
    /** @type {any[]} */
    runs: [],
    /** @type {any[]} */
    filings: [],
    /** @type {Line[]} */
    history: [],
    /** @type {UndoStack} */
    undoStack: {},
    device: null,
    problem: "",
    notice: "", // that there was nothing to do: no trouble
    lost: "",
    arrivals: "",
    commanding: 0,
    answered: 0, // the newest entry of which a command has told
    shown: createShownPictures(),

    // ---- what is known

    /** The Mappe as it is, for what reads much of it and is told of its changes. */
    plain() { return mappe; },
    get sheets() { void this.version; return sheets; },
    get order() { void this.version; return order; },
    get pageCount() { return this.order.length; },
    get sheetCount() { return this.sheets.length; },
    /** How many documents the pages fall into. */
    get documentCount() { return this.sheets.filter((sheet, at) => at > 0 && sheet.start !== null).length + (this.empty ? 0 : 1); },
    get empty() { return this.pageCount === 0; },
    /** @param {number} id */
    page(id) { void this.version; return pageOf(id); },
    /** @param {number} id */
    numberOf(id) { void this.version; return numbers.get(id) ?? 0; },
    get aside() {
      void this.version;
      return [...known.keys()].map((id) => /** @type {Page} */ (pageOf(id))).filter((page) => page.set_aside);
    },
    get warned() { return this.order.filter((id) => pageOf(id)?.warnings.length); },
    /** Of the scans, each counted once: two pages of a spread share theirs. */
    get byteSize() {
      const scans = new Map(this.order.map((id) => [pageOf(id)?.scan, pageOf(id)?.byte_size ?? 0]));
      return [...scans.values()].reduce((sum, size) => sum + size, 0);
    },
    get run() { return this.runs.at(-1); },
    get receiving() { return this.runs.some((run) => run.state === "receiving"); },
    /** The name that was given last, or else the one to come. */
    get tabName() { return this.filings[0]?.documents[0]?.file_name || this.fileName; },
    /** @param {number} id */
    turned(id) { return turning.get(id) ?? 0; },

    /**
     * @param {"pages" | "selection"} kind
     * @param {() => void} listener
     */
    on(kind, listener) { listeners[kind].add(listener); return () => listeners[kind].delete(listener); },

    /** Take up what has changed. @param {any} told */
    apply({ changes, printed }) {
      const place = Math.max(0, order.indexOf(this.current ?? -1));
      const before = order.length;
      this.id = changes.mappe;
      this.cursor = changes.cursor;
      this.subject = changes.subject ?? this.subject;
      this.fileName = changes.file_name;
      for (const [id, { revision }] of looks) if (revision <= changes.cursor) looks.delete(id);
      for (const page of changes.pages) {
        if (pageOf(page.id)?.picture !== page.picture) turning.delete(page.id);
        known.set(page.id, page);
        expected.delete(page.id);
      }
      for (const place of changes.moved) this.layAt(place);
      for (const id of changes.gone) known.delete(id);
      this.runs = merged(this.runs, changes.runs, (a, b) => a.number - b.number);
      this.filings = merged(this.filings, changes.filings, (a, b) => b.id - a.id);
      const seen = new Set(this.history.map((line) => line.seq));
      this.history = [...changes.history.filter((/** @type {Line} */ line) => !seen.has(line.seq)), ...this.history].slice(0, HISTORY_SHOWN);
      this.undoStack = changes.undo[facts.author] ?? this.undoStack;
      if (printed) this.note(printed);
      if (printed || changes.pages.length || changes.moved.length || changes.gone.length) this.refresh(place);
      if (order.length > before) this.announce(order.length - before);
    },
    /** @param {any} printed */
    note(printed) {
      this.printed = printed;
      notes = new Map();
      for (const note of printed.notes) notes.set(note.page, [...(notes.get(note.page) ?? []), note]);
    },
    /** What stands out on a page among others. @param {number} id @returns {Note[]} */
    notesOn(id) { return notes.get(id) ?? []; },
    /** The notes of a kind, of pages that lie in the lanes. @param {string} kind @returns {Note[]} */
    notesOf(kind) { void this.version; return this.printed.notes.filter((/** @type {Note} */ note) => note.kind === kind && numbers.has(note.page)); },
    /** Set all pages upright of which the machine is sure that they are not. */
    turnUpright() {
      for (const turn of [1, 2, 3]) {
        const ids = this.notesOf("turned").filter((note) => note.turn === turn).map((note) => note.page);
        if (ids.length) this.turn(turn, ids);
      }
    },
    /** @param {number} [place] where the current page lay */
    refresh(place = Math.max(0, order.indexOf(this.current ?? -1))) {
      lay();
      selected = new Set(order.filter((id) => selected.has(id)));
      if (!numbers.has(this.current ?? -1)) this.current = order[Math.min(place, order.length - 1)] ?? null;
      this.version += 1;
      this.selectionVersion += 1;
      emit("pages");
      emit("selection");
    },
    /** Say how many pages have arrived, now and then and not each. @param {number} count */
    announce(count) {
      arrivedSince += count;
      const wait = Math.max(0, announced + ANNOUNCE_EVERY_MS - Date.now());
      if (arrivedSince > count && wait) return;
      setTimeout(() => {
        announced = Date.now();
        this.arrivals = t("{count} page arrived", "{count} pages arrived", { count: arrivedSince });
        arrivedSince = 0;
      }, wait);
    },

    // ---- commands

    /** Whether a command is on its way. */
    get busy() { return this.commanding > 0; },

    /**
     * Send a command after those before it. Resolves to undefined where it was refused, which is said.
     * @param {string} path
     * @param {unknown} [body]
     */
    command(path, body) {
      this.clearMessages(); // what was said before it has been seen
      this.commanding += 1;
      const run = async () => {
        try {
          return await send(path, body, (lost) => this.connection(lost));
        } catch (error) {
          this.complain(error);
          return undefined;
        } finally {
          this.commanding -= 1;
        }
      };
      const sent = queue.then(run);
      queue = sent;
      return sent;
    },
    /** Resolves when all commands are answered. */
    settled() { return queue; },
    /** @param {string} name @param {unknown} body */
    own(name, body) { return this.command(`/mappen/${this.id}/${name}`, body); },
    /**
     * Do an operation on pages.
     * @param {Record<string, unknown>} operation
     * @param {Partial<Page>} [expecting] what it will make of its pages, shown at once
     */
    async operate(operation, expecting) {
      const ids = /** @type {number[]} */ (operation.pages ?? []);
      if (expecting) this.expect(ids, expecting);
      const done = await this.own("operations", { operation, seen: this.cursor, shown: this.shown.ask(ids) });
      if (!done) { this.expect(ids, null); this.shown.forget(); return done; }
      this.place(done);
      return done.entry;
    },
    /** Show pages where a command has laid them and as it has made them, until the window hears all of it. @param {{ entry: number, places: Place[], pictures: Picture[] } | undefined} done */
    place(done) {
      this.answered = Math.max(this.answered, done?.entry ?? 0);
      if (!done || done.entry <= this.cursor || !(done.places.length || done.pictures.length)) return;
      for (const place of done.places) this.layAt(place);
      // one that is shown turned needs no other picture until all is told
      for (const look of done.pictures) if (!turning.has(look.id)) looks.set(look.id, look);
      this.refresh();
    },
    /** @param {Place} place */
    layAt(place) {
      const page = known.get(place.id);
      expected.delete(place.id);
      if (!page) return;
      const lies = page.rank === place.rank && page.side === place.side && page.set_aside === place.set_aside && page.begins === place.begins;
      if (lies) page.revision = place.revision; // the window has shown it there already
      else known.set(page.id, { ...page, ...place });
    },
    /** @param {number[]} ids @param {Partial<Page> | null} fields */
    expect(ids, fields) {
      let changed = false;
      for (const id of ids) {
        if (fields) expected.set(id, fields);
        changed = fields ? true : expected.delete(id) || turning.delete(id) || changed;
      }
      if (changed) this.refresh();
    },
    /** Show pages as they would lie, faint, or as they do. @param {{ places: Map<number, Partial<Page>>, marks: Map<string, any> } | null} proposal */
    propose(proposal) {
      if (!proposal && !proposed.size) return;
      proposed = proposal?.places ?? new Map();
      marks = proposal?.marks ?? new Map();
      this.refresh();
    },
    /** Whether something is proposed. */
    get proposing() { void this.version; return proposed.size > 0; },
    /** @param {string} rank */
    markAt(rank) { return marks.get(rank) ?? null; },
    /** Whether sheets lie so already. @param {{ front: number | null, back: number | null }[]} columns */
    liesSo(columns) {
      const places = columns.map(({ front, back }) => [front, back].map((id) => (id === null ? null : known.get(id))));
      const ranks = places.map(([front, back]) => (front ?? back)?.rank ?? "");
      return places.every(([front, back]) => front?.side !== "back" && back?.side !== "front" && (!front || !back || front.rank === back.rank))
        && ranks.every((rank, at) => !at || compareRanks(ranks[at - 1], rank) < 0);
    },
    /** Of the pages as they lie. @param {number[]} ids */
    lowestRank(ids) {
      const ranks = ids.map((id) => /** @type {Page} */ (known.get(id)).rank);
      return ranks.reduce((lowest, rank) => (compareRanks(rank, lowest) < 0 ? rank : lowest));
    },
    /** @param {unknown} error */
    complain(error) {
      if (error instanceof Lost) return;
      this.problem = error instanceof Refused ? error.message : t("That did not work. Nothing was changed.");
    },
    clearMessages() { this.problem = ""; this.notice = ""; },
    /** @param {boolean} lost */
    connection(lost) {
      this.lost = lost ? t("No connection. What has arrived is safe; this page catches up by itself.") : "";
    },

    /** The pages that a command is for: the selected ones, or else the current one. */
    get target() { return this.selectedIds.length ? this.selectedIds : this.current === null ? [] : [this.current]; },

    /** @param {number} quarters counter-clockwise @param {number[]} [ids] */
    turn(quarters, ids = this.target) {
      if (!ids.length) return undefined;
      for (const id of ids) turning.set(id, ((((turning.get(id) ?? 0) + quarters) % 4) + 4) % 4);
      this.version += 1;
      emit("pages");
      return this.operate({ kind: "turn", pages: ids, quarter_turns: quarters });
    },
    /** @param {number[]} [ids] */
    setAside(ids = this.target) { return ids.length ? this.operate({ kind: "set_aside", pages: ids }, { set_aside: true }) : undefined; },
    /** @param {number[]} ids */
    bringBack(ids) { return this.operate({ kind: "bring_back", pages: ids }, { set_aside: false }); },
    /** @param {number[]} ids @param {number | null} before a page of the sheet before which they go */
    move(ids, before) { return this.operate({ kind: "move", pages: ids, before }); },
    /** @param {-1 | 1} by */
    nudge(by) { return this.target.length ? this.operate({ kind: "nudge", pages: this.target, by }) : undefined; },
    /** @param {number[]} [ids] none: all */
    reverse(ids = []) { return this.operate({ kind: "reverse", pages: ids }); },
    /** @param {"sort_by_arrival" | "sort_by_files"} kind @param {number[]} [ids] none: all */
    sort(kind, ids = []) { return this.operate({ kind, pages: ids }); },
    /** Begin a document with a page's sheet, under a name. @param {number} page @param {string} name */
    beginAt(page, name = "") { return this.operate({ kind: "cut", pages: [page], names: [name] }, { begins: name }); },
    /** @param {number[]} pages that begin documents no more */
    joinParts(pages) { return this.operate({ kind: "uncut", pages }, { begins: null }); },
    /** @param {number | null} id @returns {Sheet | undefined} */
    sheetOf(id) { return this.sheets.find(({ front, back }) => id !== null && (front?.id === id || back?.id === id)); },
    /** The title that is printed on a page; empty where none is known. @param {number} page @returns {Promise<string>} */
    async titleOf(page) {
      try {
        return (await get(`/mappen/${this.id}/pages/${page}`)).title;
      } catch { return ""; }
    },
    /** Begin a document with the current sheet, or no more. */
    async toggleCut() {
      const sheet = this.sheetOf(this.current);
      if (!sheet || sheet === sheets[0]) return undefined;
      const first = /** @type {Page} */ (sheet.front ?? sheet.back);
      return sheet.start ? this.joinParts([sheet.start.page]) : this.beginAt(first.id, await this.titleOf(first.id));
    },
    sortByNumbers() { return this.operate({ kind: "sort_by_numbers" }); },
    get undoText() { return this.undoStack.undo ? t("Undo: {what}", { what: this.undoStack.undo.message.text }) : ""; },
    get noUndoText() { return !this.undoText; },
    get redoText() { return this.undoStack.redo ? t("Redo: {what}", { what: this.undoStack.redo.message.text }) : ""; },
    /** Whether something was done here that the window has not heard of yet. */
    get unheard() { return this.busy || this.answered > this.cursor; },
    get cannotUndo() { return !this.undoStack.undo && !this.unheard; },
    get cannotRedo() { return !this.undoStack.redo && !this.unheard; },
    // the server knows the newest: what was done a moment ago may not have been heard of here
    async undo() { this.place(await this.own("undo")); },
    async redo() { this.place(await this.own("redo")); },
    /** Show the subject in a field, unless somebody is typing in it. @param {HTMLInputElement} field */
    showSubject(field) {
      const { subject } = this;
      if (document.activeElement !== field) field.value = subject;
    },
    /** Name the Mappe; where that is refused, the field shows the old name again. @param {Event} changed */
    async rename(changed) {
      const field = /** @type {HTMLInputElement} */ (changed.target);
      if ((await this.own("subject", { subject: field.value })) === undefined) field.value = this.subject;
    },

    // ---- the selection

    get selectedIds() { void this.selectionVersion; return order.filter((id) => selected.has(id)); },
    get selectedCount() { void this.selectionVersion; return selected.size; },
    get selectedText() { return t("{pages} selected", { pages: pagesInWords(this.selectedCount) }); },
    /** @param {number} id */
    isSelected(id) { return selected.has(id); },
    /** @param {Iterable<number>} ids @param {number | null} [current] */
    select(ids, current = this.current) {
      selected = new Set(ids);
      if (current !== this.current) this.notice = "";
      this.current = current;
      this.selectionVersion += 1;
      emit("selection");
    },
    /** @param {number} id @param {{ shiftKey?: boolean, ctrlKey?: boolean, metaKey?: boolean }} how */
    pick(id, how) {
      if (how.shiftKey) return this.selectTo(id);
      this.anchor = id;
      if (!how.ctrlKey && !how.metaKey) return this.select([id], id);
      const others = new Set(selected);
      if (!others.delete(id)) others.add(id);
      return this.select(others, id);
    },
    /** @param {number} id */
    selectTo(id) {
      if (!numbers.has(this.anchor ?? -1)) this.anchor = this.current ?? id;
      const ends = [order.indexOf(/** @type {number} */ (this.anchor)), order.indexOf(id)].sort((a, b) => a - b);
      this.select(order.slice(ends[0], ends[1] + 1), id);
    },
    selectAll() { this.select(order); },
    /** @param {number} id */
    focus(id) { if (numbers.has(id) && id !== this.current) this.select(selected, id); },
    /**
     * Go from the current page to one beside it.
     * @param {"left" | "right" | "up" | "down" | "first" | "last"} way
     * @param {boolean} extend
     */
    walk(way, extend) {
      const next = this.neighbour(way);
      if (next === null) return;
      if (extend) {
        this.anchor ??= this.current;
        this.selectTo(next);
      } else {
        this.anchor = next;
        this.select([next], next);
      }
    },
    /** @param {string} way @returns {number | null} */
    neighbour(way) {
      if (way === "first" || way === "last") return order.at(way === "first" ? 0 : -1) ?? null;
      const at = sheets.findIndex(({ front, back }) => front?.id === this.current || back?.id === this.current);
      if (at < 0) return order[0] ?? null;
      const side = sheets[at].front?.id === this.current ? "front" : "back";
      if (way === "up" || way === "down") return sheets[at][way === "up" ? "front" : "back"]?.id ?? null;
      const beside = sheets[at + (way === "left" ? -1 : 1)];
      return beside ? (beside[side] ?? beside.front ?? beside.back)?.id ?? null : null;
    },
    /** What is kept when the station changes. */
    get bookmark() { return { selected: [...selected], current: this.current, anchor: this.anchor }; },
    /** @param {{ selected: number[], current: number | null, anchor: number | null }} kept */
    restore(kept) {
      selected = new Set(kept.selected.filter((id) => numbers.has(id)));
      this.anchor = kept.anchor;
      this.current = numbers.has(kept.current ?? -1) ? kept.current : order[0] ?? null;
      this.selectionVersion += 1;
      emit("selection");
    },
  };
  mappe.apply(event);
  return mappe;
}

/**
 * @template {{ id: number }} T
 * @param {T[]} old
 * @param {T[]} changed
 * @param {(a: T, b: T) => number} compare
 */
function merged(old, changed, compare) {
  if (!changed.length) return old;
  const byId = new Map(old.map((row) => [row.id, row]));
  for (const row of changed) byId.set(row.id, row);
  return [...byId.values()].sort(compare);
}
