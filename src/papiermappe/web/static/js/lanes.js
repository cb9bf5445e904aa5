// The lanes: choosing, dragging pages into a gap, drawing a frame round pages.
"use strict";

const DRAG_FROM_PX = 6;

function setAttribute(element, name, value) {
  if (element.getAttribute(name) !== value) element.setAttribute(name, value);
}

function newColumn() {
  return document.getElementById("sheet-column").content.firstElementChild.cloneNode(true);
}

function fillColumn(column, sheet) {
  column.dataset.key = sheet.key;
  column.shows = sheet.signature;
  column.querySelector("path").setAttribute("d", sheet.thread);
  sheet.cells.forEach((cell, at) => {
    const [leaf, gap] = column.children[at].children;
    leaf.hidden = !cell.id;
    gap.hidden = Boolean(cell.id);
    if (!cell.id) return leaf.removeAttribute("data-page");
    const picture = leaf.querySelector("img");
    leaf.dataset.page = picture.dataset.loads = cell.id;
    leaf.className = `leaf ${cell.kind}`;
    leaf.setAttribute("aria-label", cell.label);
    leaf.querySelector(".number").textContent = cell.number;
    setAttribute(picture, "src", cell.src);
    picture.className = cell.preview;
    return undefined;
  });
}

document.addEventListener("alpine:init", () => {
  Alpine.data("lanes", () => ({
    init() {
      // Effects look at whole values only: watching what is inside hundreds of sheets would take longer than drawing.
      Alpine.effect(() => this.draw(Alpine.raw(this.desk.sheets)));
      Alpine.effect(() => this.mark(this.desk.current, Alpine.raw(this.desk.chosen)));
      this.$watch("$store.desk.current", () => this.show());
      this.$nextTick(() => this.show());
    },

    // ---- drawing: by hand, column by column, since a Mappe may have hundreds of sheets and mostly one of them changes

    draw(sheets) {
      const track = this.$refs.track;
      const there = new Map([...track.querySelectorAll(".sheet")].map((column) => [column.dataset.key, column]));
      let place = track.querySelector(".sheet") ?? this.$refs.end;
      for (const sheet of sheets) {
        const column = there.get(sheet.key) ?? newColumn();
        there.delete(sheet.key);
        if (column.shows !== sheet.signature) fillColumn(column, sheet);
        if (column === place) place = place.nextElementSibling;
        else track.insertBefore(column, place);
      }
      for (const column of there.values()) column.remove();
      this.mark(Alpine.raw(this.desk).current, Alpine.raw(Alpine.raw(this.desk).chosen));
    },
    mark(current, chosen) {
      for (const leaf of this.$refs.track.querySelectorAll("[data-page]")) {
        const id = Number(leaf.dataset.page);
        setAttribute(leaf, "aria-selected", chosen[id] ? "true" : "false");
        setAttribute(leaf, "aria-current", id === current ? "true" : "false");
        setAttribute(leaf, "tabindex", id === current ? "0" : "-1");
      }
    },
    get desk() { return this.$store.desk; },

    // A list box must have options: before the first page arrives it is a plain group.
    get listRole() { return this.desk.pageCount ? "listbox" : "group"; },
    get multiple() { return this.desk.pageCount ? "true" : null; },
    turn() { this.desk.turn(3); },
    putAway() { this.desk.putAway(); },
    open(event) {
      const leaf = event.target.closest("[data-page]");
      if (leaf) location.assign(`/mappen/${this.desk.mappe}/tidy?page=${leaf.dataset.page}`);
    },
    focusIn(event) {
      const leaf = event.target.closest("[data-page]");
      if (leaf) this.desk.current = Number(leaf.dataset.page);
    },
    show() {
      const leaf = this.$refs.track.querySelector(`[data-page="${this.desk.current}"]`);
      if (!leaf) return;
      leaf.scrollIntoView({ block: "nearest", inline: "nearest" });
      if (this.$refs.track.contains(document.activeElement)) leaf.focus({ preventScroll: true });
    },

    // ---- dragging

    press(event) {
      if (event.button !== 0) return;
      const leaf = event.target.closest("[data-page]");
      const start = { x: event.clientX, y: event.clientY };
      const track = this.$refs.track;
      if (!leaf && event.offsetY > track.clientHeight) return;
      let dragging = false;
      const onMove = (moved) => {
        if (!dragging && Math.hypot(moved.clientX - start.x, moved.clientY - start.y) < DRAG_FROM_PX) return;
        if (!dragging) {
          dragging = true;
          const id = leaf && Number(leaf.dataset.page);
          if (id && !this.desk.chosen[id]) this.desk.choose(id, {});
        }
        if (leaf) this.showGap(moved);
        else this.showFrame(start, moved);
      };
      const onUp = (up) => {
        document.removeEventListener("pointermove", onMove);
        document.removeEventListener("pointerup", onUp);
        document.removeEventListener("pointercancel", onUp);
        this.$refs.insertion.hidden = this.$refs.frame.hidden = true;
        document.body.classList.remove("dragging");
        if (up.type === "pointercancel") return;
        if (!dragging) {
          if (leaf) { this.desk.choose(Number(leaf.dataset.page), up); leaf.focus({ preventScroll: true }); }
          else this.desk.chooseOnly([]);
        } else if (leaf) this.desk.move(this.gapAt(up));
        else this.desk.chooseOnly(this.inFrame(start, up));
      };
      document.addEventListener("pointermove", onMove);
      document.addEventListener("pointerup", onUp);
      document.addEventListener("pointercancel", onUp);
      event.preventDefault();
    },
    columns() { return [...this.$refs.track.querySelectorAll(".sheet")].map((sheet) => sheet.getBoundingClientRect()); },
    gapAt(event) {
      const boxes = this.columns();
      const rows = boxes.filter((box) => event.clientY >= box.top - 8 && event.clientY <= box.bottom + 8);
      const inRow = rows.length ? rows : boxes;
      const behind = inRow.filter((box) => event.clientX > (box.left + box.right) / 2).length;
      return boxes.indexOf(inRow[0]) + behind;
    },
    showGap(event) {
      document.body.classList.add("dragging");
      const boxes = this.columns();
      const gap = this.gapAt(event);
      const home = this.$refs.track.getBoundingClientRect();
      const beside = boxes[Math.min(gap, boxes.length - 1)];
      const x = gap < boxes.length ? beside.left - 4 : beside.right + 4;
      const mark = this.$refs.insertion;
      mark.hidden = false;
      mark.style.left = `${x - home.left + this.$refs.track.scrollLeft}px`;
      mark.style.top = `${beside.top - home.top + this.$refs.track.scrollTop}px`;
      mark.style.height = `${beside.height}px`;
    },
    showFrame(start, event) {
      const home = this.$refs.track.getBoundingClientRect();
      const frame = this.$refs.frame;
      frame.hidden = false;
      frame.style.left = `${Math.min(start.x, event.clientX) - home.left + this.$refs.track.scrollLeft}px`;
      frame.style.top = `${Math.min(start.y, event.clientY) - home.top + this.$refs.track.scrollTop}px`;
      frame.style.width = `${Math.abs(event.clientX - start.x)}px`;
      frame.style.height = `${Math.abs(event.clientY - start.y)}px`;
    },
    inFrame(start, end) {
      const [left, right] = [start.x, end.clientX].sort((a, b) => a - b);
      const [top, bottom] = [start.y, end.clientY].sort((a, b) => a - b);
      return [...this.$refs.track.querySelectorAll("[data-page]")]
        .filter((leaf) => {
          const box = leaf.getBoundingClientRect();
          return box.left < right && box.right > left && box.top < bottom && box.bottom > top;
        })
        .map((leaf) => Number(leaf.dataset.page));
    },
  }));
});
