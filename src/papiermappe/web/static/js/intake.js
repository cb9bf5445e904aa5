// The station Intake: the ticket, the device, the pass that is running.
"use strict";

const CARD_EVERY_MS = 1500;
const NO_CARD = { name: "", state: "looking for it…", tone: "busy", feeder: null, paper_loaded: null, has_feeder: false, has_glass: false, admin_url: null, ready: false, choices: null, costs: [] };

document.addEventListener("alpine:init", () => {
  Alpine.data("intake", () => ({
    devices: [],
    device: null,
    wish: station.ticket, // what the person asked for; the ticket is what of it the device can do
    ticket: station.ticket,
    card: NO_CARD,
    adding: false,
    left: null,
    busy: false,
    startedAt: null,

    init() {
      this.devices = station.devices.map(([id, name]) => ({ id, name, pressed: "false" }));
      const kept = Number(localStorage.getItem("papiermappe.device"));
      const first = this.devices.find((one) => one.id === kept) ?? this.devices[0];
      if (first) this.pick(first.id);
      else this.card = { ...NO_CARD, name: "No scanner yet", state: "add one by its address", tone: "bad" };
      setInterval(() => { if (!document.hidden) this.look(); }, CARD_EVERY_MS);
      window.stationKeys = (event) => this.key(event);
    },

    // ---- device and ticket

    pick(id) {
      this.device = id;
      localStorage.setItem("papiermappe.device", id);
      for (const one of this.devices) one.pressed = one.id === id ? "true" : "false";
      this.look();
    },
    // After a click the focus goes back to the page, so that Space takes in instead of picking again.
    pickByHand(id, event) {
      this.pick(id);
      if (event.detail > 0) event.target.blur();
    },
    async look() {
      if (this.device === null) return;
      const asked = this.device;
      const wanted = JSON.stringify(this.wish);
      try {
        const answer = await fetch(`/devices/${asked}/card?${new URLSearchParams(this.wish)}`, { headers: { Accept: "application/json" } });
        const card = await answer.json();
        if (!answer.ok || asked !== this.device || wanted !== JSON.stringify(this.wish)) return;
        this.card = card;
        if (card.choices) this.ticket = card.ticket;
      } catch {
        this.card = { ...this.card, state: "no connection to Papiermappe", tone: "bad", ready: false };
      }
    },
    choose(event) {
      const name = event.target.dataset.name;
      const value = name === "dpi" ? Number(event.target.value) : event.target.value;
      this.ticket = { ...this.ticket, [name]: value };
      if (name === "source" && value === "feeder") this.ticket.sides = "both sides";
      this.wish = this.ticket;
      this.look();
    },
    get options() {
      const choices = this.card.choices ?? { sides: [], paper: [], source: [], colour: [], dpi: [] };
      return Object.fromEntries(Object.entries(choices).map(([name, values]) => [
        name, values.map((value) => ({ value, label: name === "dpi" ? `${value} dpi` : value, chosen: value === this.ticket[name] })),
      ]));
    },
    askAddress() { this.adding = !this.adding; if (this.adding) this.$nextTick(() => this.$refs.address.focus()); },
    async add() {
      try {
        const id = await send("/devices", { address: this.$refs.address.value });
        if (!this.devices.some((one) => one.id === id)) this.devices.push({ id, name: this.$refs.address.value, pressed: "false" });
        this.adding = false;
        this.pick(id);
        await this.look();
        this.devices.find((one) => one.id === id).name = this.card.name;
      } catch (error) { this.$store.desk.complain(error); }
    },

    // ---- the machine

    get machineClass() { return `tone-${this.card.tone}`; },
    get fromFeeder() { return this.ticket.source === "feeder"; },
    get feederText() { return this.card.feeder ?? (this.card.has_glass && !this.card.has_feeder ? "lay one sheet on the glass" : ""); },
    get showsPile() { return this.card.paper_loaded === true || (this.taking && this.fromFeeder); },
    get hint() {
      if (!this.card.choices) return "";
      return this.fromFeeder ? "Head first, text up" : "Text down, into the marked corner";
    },

    // ---- the pass

    get last() { return this.$store.desk.passes.at(-1); },
    get taking() { return this.last?.state === "taking"; },
    get waiting() { return this.last?.state === "waiting"; },
    get broken() { return Boolean(this.last?.can_go_on) && this.left !== this.last.id; },
    get offersStart() { return !this.taking && !this.waiting && !this.broken; },
    get stopping() { return Boolean(this.last?.stopping); },
    get stopLabel() { return this.stopping ? "Stopping after this page…" : "Stop"; },
    get startBlocked() { return this.busy || !this.card.ready || (this.fromFeeder && this.card.paper_loaded === false); },
    get startLabel() { return this.fromFeeder ? "Take in the pile" : "Take the first sheet"; },
    get startHint() {
      if (!this.card.ready) return "";
      return this.fromFeeder && this.card.paper_loaded === false ? "Lay paper into the feeder." : "";
    },
    get takingLine() { return `Taking in: ${plural(this.last?.sheets ?? 0, "sheet")}, ${plural(this.last?.pages ?? 0, "page")} so far`; },
    get waitingLine() { return `Sheet ${this.last?.sheets ?? 0} is in. Lay the next one.`; },
    get brokenMessage() { return this.last?.message ?? ""; },
    get passes() {
      const words = { taking: "taking in", waiting: "waiting", done: "", stopped: "stopped", failed: "broken off" };
      return this.$store.desk.passes.map((one) => ({
        id: one.id, title: `Pass ${one.number}`, how: one.source === "feeder" ? `feeder, ${one.sides}` : "glass",
        amount: `${plural(one.sheets, "sheet")}, ${plural(one.pages, "page")}`, word: words[one.state],
        tone: one.state === "failed" ? "bad" : "quiet", time: clock(one.started_at),
      })).reverse().slice(0, 6);
    },
    async act(path, body) {
      if (this.busy) return;
      this.busy = true;
      try { await send(path, body); } catch (error) { this.$store.desk.complain(error); }
      this.busy = false;
      this.look();
    },
    start() { if (!this.startBlocked && this.offersStart) this.act(`/mappen/${this.$store.desk.mappe}/passes`, { device: this.device, ticket: this.ticket }); },
    nextSheet() { this.act(`/passes/${this.last.id}/next-sheet`); },
    stop() { this.act(`/passes/${this.last.id}/stop`); },
    goOn() { this.act(`/passes/${this.last.id}/go-on`); },
    leaveIt() { this.left = this.last.id; },

    key(event) {
      if (event.ctrlKey || event.altKey || event.metaKey) return false;
      if (event.key === " ") {
        if (this.waiting) this.nextSheet();
        else this.start();
        return true;
      }
      if (event.key === "Enter" && this.waiting) { this.stop(); return true; }
      if (event.key === "Enter" && this.broken && this.card.ready) { this.goOn(); return true; }
      if (event.key === "Escape" && this.taking) { this.stop(); return true; }
      return false;
    },
  }));
});
