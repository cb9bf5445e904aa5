// A Mappe at a station: puts state, stream, keys and components together.
import { createDevices } from "./devices.js";
import { createCutting } from "./cutting.js";
import { bindKeys, lettersAreOff, listOfKeys, switchLetters } from "./keys.js";
import { createImports } from "./imports.js";
import { createLanding } from "./landing.js";
import { lanes } from "./lanes.js";
import { createMappe } from "./mappe.js";
import { createMoving } from "./moving.js";
import { createPairing } from "./pairing.js";
import { createPeek } from "./peek.js";
import { cameraView, createCamera } from "./stations/camera.js";
import { createPhoneLink } from "./phone_link.js";
import { createPile } from "./pile.js";
import { createRoutines } from "./routines.js";
import { createSizes } from "./sizes.js";
import { listen } from "./stream.js";
import { cutting } from "./stations/cutting.js";
import { dial } from "./stations/dial.js";
import { dividers } from "./stations/dividers.js";
import { file } from "./stations/file.js";
import { filesChoice, incomingFiles } from "./stations/files.js";
import { createGlass, glassView } from "./stations/glass.js";
import { intake } from "./stations/intake.js";
import { margins } from "./stations/margins.js";
import { marks } from "./stations/marks.js";
import { moving, tray } from "./stations/moving.js";
import { order } from "./stations/order.js";
import { pairing } from "./stations/pairing.js";
import { phoneLink } from "./stations/phone.js";
import { pilePanel } from "./stations/pile_panel.js";
import { scanners } from "./stations/scanners.js";
import { routines, routineSteps, routineTrial } from "./stations/routines.js";
import { spreads } from "./stations/spreads.js";
import { keptTickets } from "./stations/tickets.js";
import { tidy } from "./stations/tidy.js";
import { toning } from "./stations/toning.js";
import { treatmentValues } from "./stations/treatment_values.js";
import { createTickets } from "./tickets.js";
import { size, t } from "./words.js";

/** @param {string} id */
function readData(id) { return JSON.parse(document.getElementById(id)?.textContent ?? "{}"); }

/** Change elements without Alpine looking through them; it watches again also where that fails. @param {any} Alpine */
function unwatchedBy(Alpine) {
  return (/** @type {() => void} */ change) => {
    /** @type {unknown[]} */
    const failed = [];
    Alpine.mutateDom(() => { try { change(); } catch (error) { failed.push(error); } });
    if (failed.length) throw failed[0];
  };
}

const WALK = {
  ArrowLeft: "left", ArrowRight: "right", ArrowUp: "up", ArrowDown: "down", Home: "first", End: "last", PageUp: "left", PageDown: "right",
};

document.addEventListener("alpine:init", () => {
  const { Alpine } = /** @type {any} */ (window);
  const facts = readData("facts");
  Alpine.store("mappe", createMappe(readData("mappe"), facts));
  const mappe = Alpine.store("mappe");
  const kept = `papiermappe.selection.${mappe.id}`;

  // ---- the selection and the page go along to other stations; the page stands in the URL

  const asked = Number(new URLSearchParams(location.search).get("page"));
  mappe.restore(JSON.parse(sessionStorage.getItem(kept) ?? '{"selected":[],"current":null,"anchor":null}'));
  if (mappe.page(asked)) mappe.select(mappe.selectedIds.includes(asked) ? mappe.selectedIds : [], asked);
  const keep = () => {
    sessionStorage.setItem(kept, JSON.stringify(mappe.bookmark));
    const here = mappe.current === null ? location.pathname : `?page=${mappe.current}`;
    if (here !== location.search) history.replaceState(null, "", here);
  };
  let keeping = 0;
  mappe.on("selection", () => { clearTimeout(keeping); keeping = window.setTimeout(keep, 150); });
  addEventListener("pagehide", () => { sessionStorage.setItem(kept, JSON.stringify(mappe.bookmark)); });

  /** Go to a station when all that was sent is answered. @param {string} station @param {number | null} [page] */
  mappe.goTo = async (station, page = mappe.current) => {
    if (document.activeElement instanceof HTMLElement && document.activeElement.matches("input")) document.activeElement.blur();
    await mappe.settled();
    if (page !== mappe.current) mappe.select([], page);
    location.assign(`/mappen/${mappe.id}/${station}${page === null ? "" : `?page=${page}`}`);
  };

  Alpine.store("devices", createDevices(facts.intake));
  Alpine.store("tickets", createTickets(facts.intake));
  Alpine.store("landing", createLanding(mappe));
  Alpine.store("imports", createImports(mappe));
  Alpine.store("pairing", createPairing(mappe));
  Alpine.store("cutting", createCutting(mappe));
  Alpine.store("moving", createMoving(mappe));
  Alpine.store("camera", createCamera());
  Alpine.store("phone", createPhoneLink(mappe));
  Alpine.store("pile", createPile(mappe));
  Alpine.store("routines", createRoutines(mappe));
  Alpine.store("sizes", createSizes());
  Alpine.store("peek", createPeek(mappe, facts));
  if (facts.station === "order") Alpine.store("peek").listen(Alpine.store("peek"));
  const devices = Alpine.store("devices");
  const tickets = Alpine.store("tickets");
  Alpine.store("glass", createGlass(mappe, devices));
  const stream = listen(mappe, (/** @type {any} */ now) => {
    if (!facts.intake) return; // another station: it watches no device
    devices.apply(now);
    tickets.apply(now);
  });
  devices.onChoice(stream.watch);
  Alpine.data("lanes", lanes(mappe, Alpine.store("pairing"), Alpine.store("cutting"), Alpine.store("moving"), Alpine.store("sizes"), unwatchedBy(Alpine), facts));
  Alpine.data("intake", intake(mappe, devices, tickets, Alpine.store("landing"), Alpine.store("glass"), Alpine.store("phone"), Alpine.store("camera"), facts));
  Alpine.data("glassView", glassView(Alpine.store("glass")));
  Alpine.data("tickets", keptTickets(mappe, tickets));
  Alpine.data("scanners", scanners(mappe, devices, Alpine.store("phone"), Alpine.store("camera")))
  Alpine.data("cameraView", cameraView(mappe, Alpine.store("camera")))
  Alpine.data("phoneLink", phoneLink(mappe, Alpine.store("phone")));
  Alpine.data("incomingFiles", incomingFiles(Alpine.store("imports")));
  Alpine.data("filesChoice", filesChoice(mappe, Alpine.store("imports")));
  Alpine.data("order", order(mappe, Alpine.store("pairing"), Alpine.store("cutting"), facts));
  Alpine.data("cutting", cutting(mappe, Alpine.store("cutting"), Alpine.store("pairing")));
  Alpine.data("dividers", dividers(mappe));
  Alpine.data("moving", moving(mappe, Alpine.store("moving")));
  Alpine.data("tray", tray(mappe, Alpine.store("moving")));
  Alpine.data("pairing", pairing(mappe, Alpine.store("pairing")));
  Alpine.data("tidy", tidy(mappe, Alpine.store("pile"), facts));
  Alpine.data("treatmentValues", treatmentValues(mappe));
  Alpine.data("dial", dial());
  Alpine.data("pilePanel", pilePanel(mappe, Alpine.store("pile")));
  Alpine.data("margins", margins(mappe));
  Alpine.data("toning", toning(mappe));
  Alpine.data("marks", marks());
  Alpine.data("spreads", spreads(mappe));
  Alpine.data("routines", routines(mappe, Alpine.store("routines")));
  Alpine.data("routineSteps", routineSteps(mappe, Alpine.store("routines")));
  Alpine.data("routineTrial", routineTrial(mappe, Alpine.store("routines")));
  Alpine.data("file", file(mappe, facts));
  Alpine.data("desk", () => ({
    get sheetCount() { return mappe.sheetCount; },
    get pageCount() { return mappe.pageCount; },
    get warnedCount() { return mappe.warned.length; },
    get sheetWord() { return t("sheet", "sheets", { count: mappe.sheetCount }); },
    get pageWord() { return t("page", "pages", { count: mappe.pageCount }); },
    get size() { return size(mappe.byteSize); },
    /** @param {MouseEvent} event */
    station(event) {
      if (event.ctrlKey || event.metaKey || event.shiftKey) return;
      event.preventDefault();
      mappe.goTo(/** @type {HTMLElement} */ (event.currentTarget).dataset.station);
    },
    undo() { mappe.undo(); },
    redo() { mappe.redo(); },
  }));
  Alpine.data("goTo", () => ({
    get range() { return t("1 to {count}", { count: mappe.pageCount }); },
    open() { if (!mappe.empty) /** @type {HTMLDialogElement} */ (document.getElementById("goto")).showModal(); },
    go() {
      const number = Number.parseInt(this.$refs.number.value, 10);
      this.$refs.number.value = "";
      const page = mappe.order[Math.min(number, mappe.pageCount) - 1];
      if (page !== undefined) mappe.select([page], page);
    },
  }));
  Alpine.data("keyList", () => ({
    /** @type {{ keys: string[], does: string }[]} */
    rows: [],
    lettersOff: lettersAreOff(),
    open() {
      this.rows = listOfKeys();
      /** @type {HTMLDialogElement} */ (document.getElementById("keys")).showModal();
    },
    switchLetters() {
      this.lettersOff = !this.lettersOff;
      switchLetters(this.lettersOff);
    },
  }));

  bindKeys((name) => {
    const key = name.replace("Shift+", "");
    if (name === "Ctrl+A") { mappe.selectAll(); return true; }
    if (!(key in WALK)) return false;
    mappe.walk(WALK[/** @type {keyof typeof WALK} */ (key)], name.startsWith("Shift+"));
    return true;
  });
});
