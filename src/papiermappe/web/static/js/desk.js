// The Mappe on the desk: its state, kept up to date by server-sent events; its commands; its keys.
"use strict";

const LANE_Y = [75, 240]; // the middle of the lanes in Order, in the units of the thread's drawing

// The reading thread of one sheet: from its front down to its back, and on to the sheet that comes next.
function threadOf([front, back], next) {
  const down = front && back ? "M59 75 V240 " : "";
  if (!next) return down;
  const from = LANE_Y[back ? 1 : 0];
  const to = LANE_Y[next[0] ? 0 : 1];
  return `${down}M111 ${from} C 136 ${from} 116 ${to} 141 ${to}`;
}

const CATCH_UP_MS = 1500;

function readData(id) {
  return JSON.parse(document.getElementById(id).textContent);
}

async function send(path, body) {
  const answer = await fetch(path, {
    method: "POST",
    headers: { "Content-Type": "application/json", Accept: "application/json" },
    body: JSON.stringify(body ?? {}),
  });
  const said = await answer.json().catch(() => ({}));
  if (!answer.ok) throw new Error(said?.message ?? "That did not work. Nothing was changed.");
  return said;
}

function clock(iso) {
  return new Date(iso).toLocaleTimeString("en-GB", { hour: "2-digit", minute: "2-digit" });
}

function weigh(bytes) {
  return bytes >= 1e6 ? `${(bytes / 1e6).toFixed(1)} MB` : `${Math.round(bytes / 1e3)} KB`;
}

function plural(number, noun) {
  return `${number} ${noun}${number === 1 ? "" : "s"}`;
}

// "3", "3 and 5", "3, 5 and 6", "3, 5, 6 and 12 more"
function listed(numbers) {
  const shown = numbers.length > 4 ? [...numbers.slice(0, 3), `${numbers.length - 3} more`] : numbers;
  return shown.length > 1 ? `${shown.slice(0, -1).join(", ")} and ${shown.at(-1)}` : `${shown[0]}`;
}

const station = readData("station-data");

const desk = {
  mappe: 0,
  seq: 0,
  subject: "",
  fileName: "",
  pages: {},
  sheets: [],
  order: [],
  putAwayIds: [],
  printed: { numbers: {}, out_of_place: 0, missing: [], twice: [], days: [] },
  passes: [],
  filings: [],
  history: [],
  undoText: null,
  redoText: null,
  chosen: {},
  current: null,
  anchor: null,
  previews: {},
  queue: Promise.resolve(),
  waiting: [],
  problem: "",
  lost: "",
  arrivals: "",

  init() {
    this.apply(readData("desk-data"));
    const asked = Number(new URLSearchParams(location.search).get("page"));
    this.current = this.pages[asked] ? asked : this.order[0] ?? null;
    this.listen();
  },

  // ---- state

  apply(now) {
    const place = Math.max(0, this.order.indexOf(this.current));
    this.mappe = now.mappe;
    this.seq = now.seq;
    this.subject = now.subject;
    this.fileName = now.file_name;
    for (const page of now.pages) this.pages[page.id] = Object.freeze(page);
    this.order = now.lanes.flat().filter((id) => id !== null);
    this.putAwayIds = now.put_away;
    this.printed = now.printed;
    this.passes = now.passes;
    this.filings = now.filings;
    this.history = now.history.map((line) => ({ seq: line.seq, time: clock(line.at), text: line.text }));
    this.undoText = now.undo;
    this.redoText = now.redo;
    this.lay(now.lanes);
    this.wake();
    const there = new Set(this.order);
    this.chooseOnly(this.chosenIds.filter((id) => there.has(id)));
    if (!there.has(this.current)) this.current = this.order[Math.min(place, this.order.length - 1)] ?? null;
  },

  lay(lanes) {
    let number = 0;
    this.sheets = lanes.map(([front, back], at) => {
      const cells = [this.cell(front, "front", front ? ++number : 0), this.cell(back, "back", back ? ++number : 0)];
      const thread = threadOf([front, back], lanes[at + 1]);
      return { key: `${front}-${back}`, cells, thread, signature: JSON.stringify([cells, thread]) };
    });
  },

  cell(id, side, number) {
    if (!id) return { id: null };
    const page = this.pages[id];
    const turned = this.previews[id] ?? 0;
    return {
      id, number,
      kind: [side, page.look.length ? "wants-look" : "", page.blank ? "blank" : ""].join(" ").trim(),
      src: this.source(id, station.lane_px),
      preview: turned ? `turned-${turned}` : "",
      label: `Page ${number}, ${side} of a sheet${page.look.length ? ", look here" : ""}${page.blank ? ", blank" : ""}`,
    };
  },

  source(id, width, scanned) {
    const page = this.pages[id];
    return `/pages/${id}/${scanned ? page.scanned : page.picture}-${width}.jpg`;
  },

  // What stands on the tab: the name that was given last, or else the one to come.
  get tabName() { return this.filings[0]?.file_name ?? this.fileName; },
  get sheetWord() { return this.sheets.length === 1 ? "sheet" : "sheets"; },
  get pageWord() { return this.pageCount === 1 ? "page" : "pages"; },
  get pageCount() { return this.order.length; },
  get lookCount() { return this.order.filter((id) => this.pages[id].look.length).length; },
  // Of the scans; the file of them weighs about as much, or much less where pages are black and white.
  get weight() { return weigh(this.order.reduce((sum, id) => sum + this.pages[id].byte_size, 0)); },
  get live() { return this.passes.some((one) => one.state === "taking"); },
  get empty() { return this.order.length === 0 && !this.live; },
  get chosenIds() { return this.order.filter((id) => this.chosen[id]); },
  get chosenCount() { return this.chosenIds.length; },
  get target() { return this.chosenCount ? this.chosenIds : this.current ? [this.current] : []; },
  numberOf(id) { return this.order.indexOf(id) + 1; },

  // ---- live updates

  listen() {
    const source = new EventSource(`/mappen/${this.mappe}/events?since=${this.seq}`);
    source.onmessage = (event) => {
      this.lost = "";
      const before = this.order.length;
      this.apply(JSON.parse(event.data));
      if (this.order.length > before) this.arrivals = `Page ${this.order.length} arrived.`;
    };
    source.onopen = () => { this.lost = ""; };
    source.addEventListener("trouble", (event) => { this.lost = event.data; });
    source.onerror = () => {
      this.lost = "No connection. What has arrived is safe; this page catches up by itself.";
      if (source.readyState === EventSource.CLOSED) setTimeout(() => this.listen(), 2000);
    };
  },

  // ---- commands

  // Commands go out one after the other, each when this window has seen what the one before it did: who presses
  // keys quickly does not run into their own changes. Resolves to undefined where a command was refused.
  command(name, body) {
    const run = async () => {
      try {
        const seq = await send(`/mappen/${this.mappe}/${name}`, { ...body, seen: this.seq });
        if (typeof seq === "number") await this.caughtUp(seq);
        return seq;
      } catch (error) {
        this.complain(error);
        return undefined;
      }
    };
    this.queue = this.queue.then(run);
    return this.queue;
  },
  caughtUp(seq) {
    return new Promise((resolve) => {
      this.waiting.push({ seq, resolve });
      setTimeout(resolve, CATCH_UP_MS);
      this.wake();
    });
  },
  wake() {
    for (const one of this.waiting.filter((each) => each.seq <= this.seq)) one.resolve();
    this.waiting = this.waiting.filter((each) => each.seq > this.seq);
  },
  complain(error) { this.problem = error.message; },
  clearProblem() { this.problem = ""; },

  move(gap) { return this.command("move", { pages: this.target, gap }); },
  nudge(by) { if (this.target.length) this.command("nudge", { pages: this.target, by }); },
  putAway() { if (this.target.length) this.command("put-away", { pages: this.target }); },
  bringBack(ids) { this.command("bring-back", { pages: ids }); },
  putInPrintedOrder() { this.command("printed-order"); },
  undo() { if (this.undoText) this.command("undo"); },
  redo() { if (this.redoText) this.command("redo"); },
  setTone(pages, tone) { return this.command("tone", { pages, tone }); },
  flip(pages, step, on) { return this.command("switch", { pages, step, on }); },
  async turn(quarters, ids) {
    const pages = ids ?? this.target;
    if (!pages.length) return;
    for (const id of pages) this.previews[id] = ((this.previews[id] ?? 0) + quarters) % 4;
    this.refresh();
    const done = await this.command("turn", { pages, quarter_turns: quarters });
    if (done === undefined) for (const id of pages) this.settled(id);
  },
  settled(id) {
    if (this.previews[id] === undefined) return;
    delete this.previews[id];
    this.refresh();
  },
  refresh() { this.lay(this.sheets.map((sheet) => sheet.cells.map((cell) => cell.id))); },
  rename(event) { this.command("subject", { subject: event.target.value }); },

  // ---- choosing

  choose(id, event) {
    if (event.shiftKey && this.anchor) return this.chooseTo(id);
    if (event.ctrlKey || event.metaKey) this.chosen = { ...this.chosen, [id]: !this.chosen[id] };
    else this.chosen = { [id]: true };
    this.anchor = this.current = id;
  },
  chooseTo(id) {
    const [from, to] = [this.order.indexOf(this.anchor), this.order.indexOf(id)].sort((a, b) => a - b);
    this.chosen = Object.fromEntries(this.order.slice(from, to + 1).map((one) => [one, true]));
    this.current = id;
  },
  chooseAll() { this.chosen = Object.fromEntries(this.order.map((id) => [id, true])); },
  chooseOnly(ids) { this.chosen = Object.fromEntries(ids.map((id) => [id, true])); },

  walk(key, extend) {
    const sheetAt = this.sheets.findIndex((sheet) => sheet.cells.some((cell) => cell.id === this.current));
    if (sheetAt < 0) return;
    const row = this.sheets[sheetAt].cells[0].id === this.current ? 0 : 1;
    let next = null;
    if (key === "ArrowUp" || key === "ArrowDown") next = this.sheets[sheetAt].cells[key === "ArrowUp" ? 0 : 1].id;
    else {
      const beside = this.sheets[sheetAt + (key === "ArrowLeft" ? -1 : 1)];
      if (beside) next = beside.cells[row].id ?? beside.cells[1 - row].id;
    }
    if (!next) return;
    if (extend) {
      this.anchor ??= this.current;
      this.chooseTo(next);
    } else {
      this.chosen = { [next]: true };
      this.anchor = this.current = next;
    }
  },
};

// ---- keys; a station adds its own through window.stationKeys

const STATIONS = ["intake", "order", "tidy", "file"];

function typing(target) {
  return target.closest("input, select, textarea, [contenteditable]") !== null;
}

function deskKey(event, store) {
  const key = event.key.length === 1 ? event.key.toLowerCase() : event.key;
  if (event.ctrlKey || event.metaKey) {
    if (key === "z") return event.shiftKey ? store.redo() : store.undo();
    if (key === "a") return store.chooseAll();
    return false;
  }
  if (event.altKey) {
    if (key === "ArrowLeft" || key === "ArrowRight") return store.nudge(key === "ArrowLeft" ? -1 : 1);
    return false;
  }
  if (key.startsWith("Arrow")) return store.walk(key, event.shiftKey);
  if (key === "r") return store.turn(event.shiftKey ? 1 : 3);
  if (key === "Delete") return store.putAway();
  if (key === "?") return document.getElementById("keys").showModal();
  if (["1", "2", "3", "4"].includes(key)) return location.assign(`/mappen/${store.mappe}/${STATIONS[Number(key) - 1]}`);
  return false;
}

document.addEventListener("keydown", (event) => {
  if (typing(event.target) || document.querySelector("dialog[open]")) return;
  const onButton = event.target.closest("button, a, summary") && (event.key === "Enter" || event.key === " ");
  if (onButton) return;
  const store = Alpine.store("desk");
  const own = window.stationKeys?.(event);
  if (own || deskKey(event, store) !== false) event.preventDefault();
});

document.addEventListener("load", (event) => {
  const id = Number(event.target.dataset?.loads);
  if (id) Alpine.store("desk").settled(id);
}, true);

document.addEventListener("alpine:init", () => Alpine.store("desk", desk));
