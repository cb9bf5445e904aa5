"""A desk of the version before is carried over whole."""

import json
from collections.abc import Iterator

import psycopg
import pytest
from tests.helpers import ANNA, WORDS, Desk

from papiermappe.core.operations import SetTone
from papiermappe.core.treatment import Origin, Tone
from papiermappe.devices.model import Abilities
from papiermappe.local.postgres import PrivatePostgres
from papiermappe.services import devices, filed, journal, tickets, undoing
from papiermappe.services.caller import Caller
from papiermappe.store.blobs import Blobs
from papiermappe.store.database import Store
from papiermappe.store.migration import migrate
from papiermappe.store.models import RunState

OLD_TREATMENT = {
    "version": 1, "part": None, "corners": None, "margins": [0, 0], "quarter_turns": 3, "turn_origin": "by hand",
    "wipes": [],
    "straighten": {"skew_deg": 0.4, "confidence": 0.9, "origin": "found", "on": True},
    "crop": {"corners": [[2, 2], [212, 2], [212, 299], [2, 299]], "confidence": 0.3, "origin": "by hand", "on": False},
    "tone": "paper white",
}  # fmt: skip
OLDEST_TREATMENT = {name: value for name, value in OLD_TREATMENT.items() if name not in {"tone", "wipes"}}
OLD_LOOK = {
    "treatment": {**OLD_TREATMENT, "quarter_turns": 0, "turn_origin": "found", "tone": "as scanned"},
    "findings": [
        {"kind": "cut off", "message": "print may be cut off at the left", "confidence": 0.6, "zone": None},
        {"kind": "dirty", "message": "dirty: about 40 specks", "confidence": 0.7, "zone": None},
        {
            "kind": "doubled",
            "message": "12 mm longer than its neighbours; perhaps two sheets at once",
            "confidence": 0.7,
        },
    ],
    "colour": "grey",
    "turn_confidence": 1.0,
}
OLD_TICKET = {"source": "feeder", "sides": "both sides", "dpi": 300, "colour": "black and white", "paper": "any size"}

BEFORE = (
    "insert into device (name, url) values ('Zaunkönig D60', 'http://127.0.0.1:9/eSCL')",
    "insert into ticket (name, settings) values ('Everyday', {ticket})",
    "insert into destination (name, folder) values ('Leases', '/filed/leases')",
    "insert into naming_rule (name, next_number) values ('date, subject, number', 8)",
    "insert into mappe (subject, seq) values ('Lease Upper Meadow', 5), ('Hail', 1)",
    "insert into pass (mappe_id, number, device_id, ticket, state, message) values"
    " (1, 1, 1, {ticket}, 'failed', 'Sheet 2 jammed. Sheet 1 is in.'), (2, 1, 1, {ticket}, 'done', null)",
    "insert into capture (pass_id, sheet, side, sha256, media_type, byte_size, width_px, height_px, dpi) values"
    " (1, 1, 'front', repeat('a', 64), 'image/jpeg', 1000, 2526, 3555, 300),"
    " (1, 1, 'back', repeat('b', 64), 'image/jpeg', 1000, 2526, 3555, 300),"
    " (2, 1, 'front', repeat('c', 64), 'image/jpeg', 1000, 2526, 3555, 300)",
    "insert into page (mappe_id, capture_id, rank, side, put_away, treatment, look, revision) values"
    " (1, 1, 1, 'front', false, {treatment}, {look}, 4), (1, 2, 1, 'back', true, {treatment}, null, 5),"
    " (2, 3, 1, 'front', false, {oldest}, {look}, 1)",
    "insert into journal_entry (mappe_id, seq, kind, of_seq, text, at, before, after) values"
    " (1, 1, 'note', null, '', now() - interval '9 min', '{{\"1\": {{}}}}', '{{\"1\": {{}}}}'),"
    " (1, 2, 'note', null, 'Pass 1: 1 sheet, 2 pages arrived', now() - interval '8 min', '{{}}', '{{}}'),"
    " (1, 3, 'do', null, '1 page shown with white paper', now() - interval '7 min',"
    "  '{{\"1\": {{\"tone\": null}}}}', '{{\"1\": {{\"tone\": \"paper white\"}}}}'),"
    " (1, 4, 'do', null, '1 page turned 90° clockwise', now() - interval '6 min',"
    "  '{{\"1\": {{\"quarter_turns\": 0, \"turn_origin\": \"found\"}}}}',"
    "  '{{\"1\": {{\"quarter_turns\": 3, \"turn_origin\": \"by hand\"}}}}'),"
    " (1, 5, 'do', null, '1 page put away', now() - interval '5 min',"
    "  '{{\"2\": {{\"put_away\": false}}}}', '{{\"2\": {{\"put_away\": true}}}}'),"
    " (2, 1, 'note', null, '', now() - interval '8 min 30 s', '{{\"3\": {{}}}}', '{{\"3\": {{}}}}')",
    "insert into filing (mappe_id, destination_id, file_name, title, pages, page_count, kind, level, languages, care,"
    " dated, state, pages_done, message, byte_size, sha256, made, done_at) values"
    " (2, 1, '2026-11-24_hail_0007.pdf', 'Hail', {filed}, 1, '.pdf', 'lean', 'eng+deu', 'accurate', '2026-11-24',"
    " 'done', 1, null, 20000, repeat('d', 64), {made}, now()),"
    " (2, 1, '2026-11-25_hail_0008.pdf', 'Hail', {filed}, 1, '.pdf', 'lean', '', 'fast', '2026-11-25', 'failed', 0,"
    " 'The folder cannot be written to.', null, null, null, null)",
    "insert into procrastinate_jobs (queue_name, task_name, args) values"
    " ('look_at', 'look_at', '{{\"page_id\": 2}}'),"
    " ('read_ahead', 'read_ahead', '{{\"mappe_id\": 1, \"not_again\": [1]}}'),"
    " ('take_in', 'take_in', '{{\"pass_id\": 1}}'), ('render', 'render', '{{\"page_id\": 1, \"width_px\": 200}}')",
)  # fmt: skip


@pytest.fixture(scope="module")
def carried_over(postgres: PrivatePostgres, tmp_path_factory: pytest.TempPathFactory) -> Iterator[Store]:
    """A desk of the version before, brought up to date."""
    url = postgres.create_database("before_and_after")
    migrate(url, "0005")
    values = {
        "ticket": OLD_TICKET, "treatment": OLD_TREATMENT, "oldest": OLDEST_TREATMENT, "look": OLD_LOOK,
        "filed": {"pages": [{"capture": 3, "treatment": OLD_TREATMENT}]},
        "made": {"pages": [{"made_of": "ink and paper apart", "byte_size": 20_000, "words": 12}]},
    }  # fmt: skip
    quoted = {name: f"'{json.dumps(value)}'" for name, value in values.items()}
    with psycopg.connect(url) as connection:
        for statement in BEFORE:
            connection.execute(statement.format(**quoted).encode())
    migrate(url)
    store = Store(url, Blobs.in_folder(tmp_path_factory.mktemp("blobs")))
    yield store
    store.close()


PERSON = Caller("desk")
"""Who has done everything before there were authors."""


def test_pages_keep_their_places_and_treatments_in_codes(carried_over: Store) -> None:
    desk = Desk(carried_over, 1, PERSON)
    assert (desk.view.subject, desk.order, desk.set_aside) == ("Lease Upper Meadow", [1], [2])
    treatment = desk.treatments()[0]
    assert (treatment.tone, treatment.turn_origin, treatment.quarter_turns) == (Tone.WHITE, Origin.BY_HAND, 3)
    assert treatment.crop is not None
    assert (treatment.crop.on, treatment.crop.origin) == (False, Origin.BY_HAND)
    said = [WORDS.text(warning) for warning in desk.pages[0].warnings]
    assert said == [
        "Print may be cut off at the left",
        "12 mm longer than its neighbours: perhaps two sheets at once",
        "The edges of the sheet are uncertain",
    ]


def test_runs_keep_their_captures_and_say_what_they_said(carried_over: Store) -> None:
    (run,) = Desk(carried_over, 1, PERSON).runs
    assert (run.state, run.pages, run.can_continue) == (RunState.INTERRUPTED, 2, True)
    assert run.ticket is not None
    assert (run.ticket.sides, run.ticket.colour, run.ticket.paper) == ("both", "bilevel", "any")
    assert run.message is not None
    assert WORDS.text(run.message) == "Sheet 2 jammed. Sheet 1 is in."


def test_tickets_are_carried_over(carried_over: Store) -> None:
    assert [ticket.name for ticket in tickets.list_tickets(ANNA, carried_over)] == ["Everyday"]


def test_the_history_is_in_one_sequence_and_what_people_did_is_undone(carried_over: Store) -> None:
    desk = Desk(carried_over, 1, PERSON)
    assert desk.history == [
        "1 page set aside", "1 page turned clockwise", "1 page shown with white paper",
        "Pass 1: 1 sheet, 2 pages arrived",
    ]  # fmt: skip
    with psycopg.connect(carried_over.database_url) as connection:
        seqs = connection.execute("select mappe_id, seq from journal_mappe order by seq").fetchall()
    assert [mappe for mappe, _ in seqs] == [1, 2, 1, 1, 1, 1]
    lines = [line.seq for line in desk.view.history[:3]]
    for seq in lines:
        undoing.undo(PERSON, carried_over, 1, seq)
    after = Desk(carried_over, 1, PERSON)
    assert after.order == [1, 2]
    assert (after.treatments()[0].tone, after.treatments()[0].quarter_turns) == (Tone.AS_SCANNED, 0)


def test_a_treatment_that_lacks_newer_fields_is_changed(carried_over: Store) -> None:
    journal.apply_operation(ANNA, carried_over, 2, SetTone(pages=(3,), tone=Tone.GREY), 0)
    assert Desk(carried_over, 2, ANNA).treatments()[0].tone is Tone.GREY


def test_filings_have_become_documents_with_deliveries(carried_over: Store) -> None:
    failed, done = Desk(carried_over, 2, PERSON).filings
    assert (done.state, done.documents[0].file_name, done.byte_size) == ("made", "2026-11-24_hail_0007.pdf", 20_000)
    assert done.made is not None
    assert WORDS.text(done.made) == "Ink and paper apart; 12 words can be searched."
    assert [(delivery.destination, delivery.state) for delivery in done.deliveries] == [("Leases", "delivered")]
    assert failed.state == "failed"
    assert failed.message is not None
    assert WORDS.text(failed.message) == "The folder cannot be written to."
    (row,) = filed.list_filed(ANNA, carried_over)
    assert row.file_name == "2026-11-24_hail_0007.pdf"
    with psycopg.connect(carried_over.database_url) as connection:
        assert connection.execute("select place from delivery order by id").fetchall() == [
            ("/filed/leases/2026-11-24_hail_0007.pdf",), (None,),
        ]  # fmt: skip


def test_jobs_that_wait_have_their_new_names(carried_over: Store) -> None:
    with psycopg.connect(carried_over.database_url) as connection:
        jobs = connection.execute(
            "select task_name, queue_name, args from procrastinate_jobs where id <= 4 order by id"
        ).fetchall()
    assert jobs == [
        ("analyse", "analyse", {"page_id": 2}),
        ("read_ahead", "read_ahead", {"mappe_id": 1, "excluded": [1]}),
        ("receive", "receive", {"run_id": 1}),
    ]


def test_a_known_device_gets_its_uuid_when_it_answers_and_keeps_it_at_a_new_address(carried_over: Store) -> None:
    abilities = Abilities(name="Zaunkönig D60", uuid="urn:uuid:0000")
    for url in ("http://127.0.0.1:9/eSCL", "http://127.0.0.1:10/eSCL"):
        assert devices.record_device(ANNA, carried_over, url, abilities) == 1
    with psycopg.connect(carried_over.database_url) as connection:
        known = connection.execute("select uuid, url from device").fetchall()
    assert known == [("urn:uuid:0000", "http://127.0.0.1:10/eSCL")]
