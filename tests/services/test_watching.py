"""Watched folders: each file in exactly one Mappe or in the folder of what failed, whatever dies."""

import io
import os
import random
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
from PIL import Image
from sqlalchemy import select
from tests.helpers import ANNA, WORDS, desk

from papiermappe.core.order.places import Side
from papiermappe.devices.model import Sides, TicketSettings
from papiermappe.services import keeping, mappen, reading_files, tickets, watching
from papiermappe.services.errors import NotFound, NotPossible
from papiermappe.services.watching import Watcher
from papiermappe.store.database import Store
from papiermappe.store.incoming import Incoming
from papiermappe.store.models import IncomingFile, Mappe, Page, Run, RunState
from papiermappe.store.queue import JobKind, live_job_ids


def picture(level: int) -> bytes:
    """Return a small picture of one level."""
    out = io.BytesIO()
    Image.fromarray(np.full((60, 40), level, np.uint8)).save(out, "PNG", dpi=(100, 100))
    return out.getvalue()


def tiff(pages: int) -> bytes:
    """Return a TIFF with so many small pages."""
    frames = [Image.fromarray(np.full((60, 40), 100 + at, np.uint8)) for at in range(pages)]
    out = io.BytesIO()
    frames[0].save(out, "TIFF", save_all=True, append_images=frames[1:], dpi=(100, 100))
    return out.getvalue()


@pytest.fixture
def incoming(tmp_path: Path) -> Incoming:
    """Where files are kept on their way in."""
    return Incoming(tmp_path / "incoming")


@pytest.fixture
def folder(store: Store, tmp_path: Path) -> Path:
    """A folder that is watched."""
    watching.watch_folder(ANNA, store, "copier", [str(tmp_path / "watched")])
    return tmp_path / "watched" / "copier"


@pytest.fixture
def work(store: Store, incoming: Incoming) -> Callable[[], None]:
    """Looks twice, as far apart as a file must be quiet, and reads what was taken in, as a worker would."""
    watcher = Watcher(store, incoming, WORDS.text)
    clock = iter(range(0, 10_000, 10))

    def once() -> None:
        for _ in range(2):
            watcher.look(float(next(clock)))
        with store.begin() as session:
            live = sorted(live_job_ids(session, JobKind.IMPORT, "run_id"))
            receiving = set(session.scalars(select(Run.id).where(Run.state == RunState.RECEIVING)))
        for run in live:
            if run in receiving:
                reading_files.import_files(store, incoming, run)

    return once


def left(folder: Path) -> list[str]:
    """Return all files of the folder."""
    return sorted(str(path.relative_to(folder)) for path in folder.rglob("*") if path.is_file())


def mappen_by_subject(store: Store) -> dict[str, int]:
    """Return how many pages lie in each Mappe."""
    return {card.subject: card.page_count for card in mappen.list_open(ANNA, store).cards}


def test_dropped_files_come_into_mappen_of_their_own(store: Store, folder: Path, work: Callable[[], None]) -> None:
    (folder / "leases").mkdir(parents=True)
    (folder / "Hail.png").write_bytes(picture(10))
    (folder / "leases" / "Upper Meadow.png").write_bytes(picture(20))
    (folder / "broken.pdf").write_bytes(b"%PDF-1.7 nothing")
    work()
    work()
    assert mappen_by_subject(store) == {"Hail": 1, "Upper Meadow": 1, "broken": 0}
    assert left(folder) == [
        "done/Hail.png",
        "done/leases/Upper Meadow.png",
        "failed/broken.pdf",
        "failed/broken.pdf.txt",
    ]
    assert (folder / "failed/broken.pdf.txt").read_text() == "broken.pdf is left out: it is damaged.\n"
    with store.begin() as session:
        assert set(session.scalars(select(Run.state))) == {RunState.DONE}


def test_a_sub_folder_called_after_a_ticket_has_its_files_treated_so(
    store: Store, folder: Path, work: Callable[[], None]
) -> None:
    plain = TicketSettings(sides=Sides.BOTH, upright=False, crop=False)
    tickets.keep_ticket(ANNA, store, "Weigh notes", plain)
    (folder / "weigh NOTES" / "2026").mkdir(parents=True)
    (folder / "elsewhere").mkdir()
    (folder / "weigh NOTES" / "2026" / "one.tif").write_bytes(tiff(3))
    (folder / "elsewhere" / "two.tif").write_bytes(tiff(3))
    work()
    assert mappen_by_subject(store) == {"one": 3, "two": 3}
    with store.begin() as session:
        named = select(Mappe.subject, Run).join(Mappe, Mappe.id == Run.mappe_id)
        runs = dict(iter(session.execute(named)))
        sides = {
            subject: [page.side for page in session.scalars(select(Page).where(Page.mappe_id == run.mappe_id))]
            for subject, run in runs.items()
        }
    assert runs["one"].ticket == plain.model_dump(mode="json")
    assert runs["two"].ticket is None
    assert Side.BACK in sides["one"]
    assert Side.BACK not in sides["two"]


def test_the_same_file_dropped_again_is_another_one(store: Store, folder: Path, work: Callable[[], None]) -> None:
    for at_s in (1, 2):
        (folder / "Hail.png").write_bytes(picture(10))
        os.utime(folder / "Hail.png", (at_s, at_s))
        work()
        work()
    assert len(mappen.list_open(ANNA, store).cards) == 2
    assert left(folder) == ["done/Hail (2).png", "done/Hail.png"]


def test_a_file_that_changes_while_it_is_taken_in_is_taken_as_it_is_then(
    store: Store, folder: Path, incoming: Incoming, work: Callable[[], None], monkeypatch: pytest.MonkeyPatch
) -> None:
    path = folder / "Hail.png"
    path.write_bytes(picture(10))
    received = Incoming.received

    def grows(self: Incoming, file_id: int) -> int:
        if path.stat().st_mtime_ns != 7:
            path.write_bytes(picture(20) + b" and more")
            os.utime(path, ns=(7, 7))
        return received(self, file_id)

    with monkeypatch.context() as patch:
        patch.setattr(Incoming, "received", grows)
        work()
    work()
    work()
    assert sorted(mappen_by_subject(store).values()) == [1]  # both Mappen are called Hail; the first is empty
    assert left(folder) == ["done/Hail.png"]


class Killed(BaseException):
    """A worker dies."""


@pytest.mark.parametrize("seed", range(4))
def test_whatever_dies_each_file_is_in_exactly_one_place(
    seed: int, store: Store, folder: Path, incoming: Incoming, monkeypatch: pytest.MonkeyPatch
) -> None:
    rng = random.Random(seed)  # noqa: S311 (moments at which it dies)
    names = [f"{number:02}.png" for number in range(8)]
    for number, name in enumerate(names):
        (folder / name).write_bytes(picture(10 * number) if number != 3 else b"no picture")
    steps = [
        (watching, "_note"), (watching, "all_here"), (watching, "put_away"), (Incoming, "flush"), (Incoming, "write"),
        (keeping, "keep_capture"), (reading_files, "_end_file"), (reading_files, "_end_if_over"),
    ]  # fmt: skip
    clock = iter(range(0, 100_000, 10))
    for round_number in range(40):
        dies_after = rng.randrange(6) if round_number < 25 else 10_000
        before = rng.random() < 0.5
        with monkeypatch.context() as patch:
            owner, name = rng.choice(steps)
            patch.setattr(owner, name, _dying(getattr(owner, name), dies_after, before=before))
            try:
                watcher = Watcher(store, incoming, WORDS.text)
                for _ in range(2):
                    watcher.look(float(next(clock)))
                with store.begin() as session:
                    receiving = session.scalars(select(Run.id).where(Run.state == RunState.RECEIVING)).all()
                for run in receiving:
                    reading_files.import_files(store, incoming, run)
            except Killed:
                continue
    taken = {card.subject: card.page_count for card in mappen.list_open(ANNA, store).cards}
    assert taken == {Path(name).stem: 0 if name == "03.png" else 1 for name in names}
    assert len(mappen.list_open(ANNA, store).cards) == len(names)
    done = [f"done/{name}" for name in names if name != "03.png"]
    assert left(folder) == sorted([*done, "failed/03.png", "failed/03.png.txt"])


def _dying(function: Callable[..., object], after: int, *, before: bool) -> Callable[..., object]:
    """Return a function that dies at one of its calls, before or after it has done its work."""
    calls = iter(range(1_000_000))

    def called(*arguments: object, **named: object) -> object:
        if next(calls) != after:
            return function(*arguments, **named)
        if not before:
            function(*arguments, **named)
        raise Killed

    return called


def test_a_folder_is_watched_once_and_no_more_when_it_is_not_wanted(
    store: Store, folder: Path, tmp_path: Path, work: Callable[[], None]
) -> None:
    roots = [str(tmp_path / "watched")]
    with pytest.raises(NotPossible, match="folder_watched"):
        watching.watch_folder(ANNA, store, str(folder), roots)
    for elsewhere in ("/etc", "../..", str(tmp_path)):
        with pytest.raises(NotPossible, match="folder_elsewhere"):
            watching.watch_folder(ANNA, store, elsewhere, roots)
    for none in ("", "a\0b", str(folder / "nothing")):
        with pytest.raises(NotPossible, match="watch_refused"):
            watching.watch_folder(ANNA, store, none, roots)
    (view,) = watching.list_folders(ANNA, store)
    assert (view.path, view.is_there) == (str(folder), True)
    watching.stop_watching(ANNA, store, view.id)
    with pytest.raises(NotFound):
        watching.stop_watching(ANNA, store, view.id)
    (folder / "Hail.png").write_bytes(picture(10))
    work()
    assert left(folder) == ["Hail.png"]
    assert watching.list_folders(ANNA, store) == []


def test_a_folder_that_goes_and_comes_back_is_watched_on(store: Store, folder: Path, work: Callable[[], None]) -> None:
    folder.rmdir()
    work()
    assert watching.list_folders(ANNA, store)[0].is_there is False
    folder.mkdir()
    (folder / "Hail.png").write_bytes(picture(10))
    work()
    (mappe,) = mappen.list_open(ANNA, store).cards
    assert desk(store, mappe.id).runs[0].origin.value == "folder"
    with store.begin() as session:
        assert session.scalars(select(IncomingFile.source_path)).all() == ["Hail.png"]
