"""Filing from the command line, beside a desk whose workers do it."""

import json
import threading
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import pytest
from cryptography.fernet import Fernet
from sqlalchemy import select
from tests.helpers import ANNA, QUICK_ONE_SIDE, WORDS, Drawer, analyse_all, desk, drop_jobs, make, scan
from typer.testing import CliRunner

from papiermappe.cli import app
from papiermappe.core.documents import Division
from papiermappe.core.encode.format import Format
from papiermappe.core.encode.options import DocumentOptions
from papiermappe.destinations.settings import MailSecurity, MailSettings
from papiermappe.local.errors import CannotFile
from papiermappe.local.filing import DONE, FAILED, WAITS, Asked, file_mappe, file_mappen, in_words, open_mappen
from papiermappe.message import Message
from papiermappe.services import destinations, runs
from papiermappe.services.caller import MACHINE
from papiermappe.services.destinations import DestinationWanted
from papiermappe.services.errors import NotFound
from papiermappe.store.database import Store
from papiermappe.store.models import Filing, FilingState, RunState
from papiermappe.store.queue import JobKind, enqueue
from papiermappe.store.secrets import SecretBox

BOX = SecretBox(Fernet.generate_key())


@pytest.fixture
def full(store: Store, mappe: int, zaunkoenig: int, drawer: Drawer) -> int:
    """The Mappe with three fronts."""
    drawer.lay("lease")
    scan(store, mappe, zaunkoenig, QUICK_ONE_SIDE)
    analyse_all(store, mappe)
    drop_jobs(store, *JobKind)
    return mappe


@contextmanager
def worker(store: Store) -> Iterator[None]:
    """Have what is asked for made, as a desk's worker would."""
    over = threading.Event()

    def work() -> None:
        while not over.wait(0.1):
            with store.begin() as session:
                asked = session.scalars(select(Filing.id).where(Filing.state == FilingState.QUEUED)).all()
            for filing in asked:
                make(store, filing)

    working = threading.Thread(target=work)
    working.start()
    try:
        yield
    finally:
        over.set()
        working.join()


def test_a_mappe_is_filed_and_what_came_of_it_is_told(store: Store, full: int, tmp_path: Path) -> None:
    destinations.add_folder(ANNA, store, "Leases", tmp_path / "leases")
    with worker(store):
        outcome = file_mappe(store, BOX, full, Asked(["leases"], options=DocumentOptions(author="Mira Öz")), 60)
    (file,) = (tmp_path / "leases").iterdir()
    assert outcome.exit_code == DONE
    assert (outcome.documents, outcome.places, outcome.bytes) == ([file.name], [str(file)], file.stat().st_size)
    assert in_words(outcome, WORDS) == f"{full}\tdelivered\t{file.name}\t{file}"


def test_several_documents_are_all_named(store: Store, full: int, tmp_path: Path) -> None:
    destinations.add_folder(ANNA, store, "Leases", tmp_path / "leases")
    asked = Asked(["Leases"], format=Format.PNG, division=Division.EVERY)
    with worker(store):
        outcome = file_mappe(store, BOX, full, asked, 60)
    assert sorted(outcome.documents) == sorted(file.name for file in (tmp_path / "leases").iterdir())
    assert len(outcome.documents) == 3


def test_a_destination_that_is_away_and_a_limit_out_of_reach_are_told(store: Store, full: int, tmp_path: Path) -> None:
    settings = MailSettings(
        host="127.0.0.1", port=9, security=MailSecurity.NONE, sender="desk@a.example", recipients=("board@a.example",)
    )
    destinations.add_destination(ANNA, store, DestinationWanted(name="Board", settings=settings), None)
    with worker(store):
        away = file_mappe(store, BOX, full, Asked(["Board"]), 60)
        limited = Asked(["Board"], options=DocumentOptions(limit_bytes=10_000))
        large = file_mappe(store, BOX, full, limited, 60)
    assert (away.state, away.exit_code) == ("waiting", WAITS)
    assert away.message is not None
    assert (large.state, large.exit_code) == ("failed", FAILED)
    assert "cannot be made smaller" in in_words(large, WORDS)


def test_who_does_not_wait_is_told_that_it_goes_on(store: Store, full: int, tmp_path: Path) -> None:
    destinations.add_folder(ANNA, store, "Leases", tmp_path / "leases")
    outcome = file_mappe(store, BOX, full, Asked(["Leases"]), 0)
    assert (outcome.state, outcome.exit_code) == ("making", WAITS)


def test_pages_that_are_still_being_examined_are_waited_for(store: Store, full: int, tmp_path: Path) -> None:
    destinations.add_folder(ANNA, store, "Leases", tmp_path / "leases")
    with store.begin() as session:
        enqueue(session, JobKind.FIND_UPRIGHT, page_id=desk(store, full).order[0])
    (outcome,) = file_mappen(store, BOX, [full], Asked(["Leases"]), 0)
    assert outcome.exit_code == FAILED
    assert in_words(outcome, WORDS).endswith(
        "Pages are still being examined. Nothing was filed; wait longer, or try again."
    )
    assert desk(store, full).filings == []
    threading.Timer(1, drop_jobs, (store, JobKind.FIND_UPRIGHT)).start()
    with worker(store):
        assert file_mappe(store, BOX, full, Asked(["Leases"]), 60).exit_code == DONE


def test_a_run_that_is_cut_off_while_it_is_waited_for_leaves_the_mappe_unfiled(
    store: Store, full: int, zaunkoenig: int, tmp_path: Path
) -> None:
    destinations.add_folder(ANNA, store, "Leases", tmp_path / "leases")
    run = runs.start_run(ANNA, store, full, zaunkoenig, QUICK_ONE_SIDE)
    (outcome,) = file_mappen(store, BOX, [full], Asked(["Leases"]), 0)
    assert "Pages are still being scanned. Nothing was filed" in in_words(outcome, WORDS)
    cut_off = MACHINE, store, run, RunState.INTERRUPTED, Message(code="run_cut_off")
    threading.Timer(1, runs.end, cut_off).start()
    (outcome,) = file_mappen(store, BOX, [full], Asked(["Leases"]), 60)
    assert "The run was interrupted. Nothing was filed" in in_words(outcome, WORDS)
    assert desk(store, full).filings == []


def test_what_is_not_there_is_said(store: Store, full: int, tmp_path: Path) -> None:
    destinations.add_folder(ANNA, store, "Leases", tmp_path / "leases")
    with pytest.raises(CannotFile) as caught:
        file_mappe(store, BOX, full, Asked(["Attic"]), 0)
    assert "Leases" in WORDS.text(caught.value.message)
    with pytest.raises(NotFound):
        file_mappe(store, BOX, full + 1, Asked(["Leases"]), 0)


def test_one_that_cannot_be_filed_keeps_no_other_from_it(store: Store, full: int, tmp_path: Path) -> None:
    destinations.add_folder(ANNA, store, "Leases", tmp_path / "leases")
    with worker(store):
        gone, done = file_mappen(store, BOX, [full + 1, full], Asked(["Leases"]), 60)
        out_of_range = file_mappen(store, BOX, [full], Asked(["Leases"], ranges="7-9"), 60)
    assert (gone.state, gone.exit_code) == ("refused", FAILED)
    assert "not there" in in_words(gone, WORDS)
    assert done.state == "delivered"
    assert [one.state for one in out_of_range] == ["refused"]


def test_the_command_line_lists_and_files(
    store: Store, full: int, tmp_path: Path, database_url: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    destinations.add_folder(ANNA, store, "Leases", tmp_path / "leases")
    monkeypatch.setenv("PAPIERMAPPE_DATABASE_URL", database_url)
    monkeypatch.setenv("PAPIERMAPPE_DATA_DIR", str(tmp_path / "data"))
    listed = CliRunner().invoke(app, ["mappen", "--json"])
    assert [row["pages"] for row in json.loads(listed.stdout) if row["mappe"] == full] == [3]
    done = CliRunner().invoke(app, ["file", str(full), "--to", "Leases", "--wait", "0", "--json"])
    assert (done.exit_code, json.loads(done.stdout)[0]["state"]) == (WAITS, "making")
    assert CliRunner().invoke(app, ["file", str(full), "--to", "Leases", "--divide", "every=x"]).exit_code == 2


def test_all_open_mappen_are_listed(store: Store, full: int) -> None:
    assert full in [card.id for card in open_mappen(ANNA, store, "")]
