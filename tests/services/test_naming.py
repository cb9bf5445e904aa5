"""What documents are called: rules that are kept, counters, names that no two have."""

from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from datetime import UTC, date, datetime, timedelta
from pathlib import Path
from typing import Any

import pytest
from tests.helpers import (
    ANNA,
    QUICK_ONE_SIDE,
    Drawer,
    FakeRecogniser,
    analyse_all,
    desk,
    do,
    document_id,
    made_document,
    make,
    page_saying,
    request,
    scan,
)

from papiermappe.core.documents import Division
from papiermappe.core.encode.format import Format
from papiermappe.core.naming.rule import SIMPLE_RULE, NamingRule
from papiermappe.core.operations import Cut, SetAside
from papiermappe.core.page_choice import WhichPages
from papiermappe.core.reading.page_text import RecognitionMode
from papiermappe.core.reading.printed import Printed
from papiermappe.core.reading.proposal import Proposal, Proposals
from papiermappe.destinations.settings import FolderSettings
from papiermappe.devices.escl import Limits
from papiermappe.services import destinations, filed, naming_rules, runs, slips, tickets
from papiermappe.services.errors import NotFound, NotPossible
from papiermappe.services.finding import find_pages, keep_words
from papiermappe.services.naming import ByHand, NameView, NameWanted, name_view
from papiermappe.services.planning import PagesWanted
from papiermappe.services.reading import NOT_READ, Reading, record_printed
from papiermappe.services.receiving import receive
from papiermappe.store.database import Store
from papiermappe.store.models import Page

NOW = datetime(2026, 11, 24, 9, 14, tzinfo=UTC)
TODAY = datetime.now().astimezone().date()
SAYS = Printed(
    dates=(date(2026, 6, 18),),
    proposals=Proposals(
        date=Proposal(value="2026-06-18", confidence=0.9, told_by="18 June 2026"),
        sender=Proposal(value="Tamsin Vale Packaging Ltd", confidence=0.8, told_by="Tamsin Vale Packaging Ltd"),
        number=Proposal(value="TV-1180", confidence=0.3, told_by="Invoice TV-1180"),
        kind=Proposal(value="delivery_note", confidence=0.9, told_by="Delivery note"),
    ),
)


def rule(*parts: dict[str, Any], **options: Any) -> NamingRule:
    """Return a rule."""
    return NamingRule.model_validate({"parts": parts, **options})


DATE, SUBJECT, COUNTER = {"kind": "date"}, {"kind": "subject"}, {"kind": "counter"}


@pytest.fixture
def leases(store: Store, tmp_path: Path) -> int:
    """A destination."""
    return destinations.add_folder(ANNA, store, "Leases", tmp_path / "leases")


@pytest.fixture
def full(store: Store, mappe: int, zaunkoenig: int, drawer: Drawer) -> int:
    """The Mappe with four fronts."""
    drawer.lay("lease", "weigh-2041")
    scan(store, mappe, zaunkoenig, QUICK_ONE_SIDE)
    return mappe


@pytest.fixture
def says(store: Store, full: int) -> Callable[[int, Printed], None]:
    """Has a page say something."""

    def say(at: int, printed: Printed) -> None:
        with store.begin() as session:
            capture = session.get_one(Page, desk(store, full).order[at]).capture_id
        record_printed(ANNA, store, capture, printed)

    return say


def named(store: Store, mappe: int, destination: int, changed: NamingRule | None = None, **wanted: Any) -> NameView:
    """Return what documents would be called now."""
    pages = wanted.pop("pages", PagesWanted())
    reading = wanted.pop("reading", NOT_READ)
    return name_view(ANNA, store, mappe, destination, NameWanted(changed=changed, **wanted), pages, reading, Format.PDF)


def names(store: Store, mappe: int) -> list[str]:
    """Return the names of the documents that were filed last."""
    return [document.file_name for document in desk(store, mappe).filings[0].documents]


def test_the_rule_that_is_there_from_the_beginning_is_the_simple_one(store: Store) -> None:
    (kept,) = naming_rules.list_rules(ANNA, store)
    assert kept.rule == SIMPLE_RULE
    assert kept.is_default


def test_a_name_is_made_of_what_the_first_page_says_for_sure(
    store: Store, full: int, leases: int, says: Callable[[int, Printed], None]
) -> None:
    says(0, SAYS)
    by = rule({"kind": "date", "source": "printed"}, {"kind": "sender"}, {"kind": "kind"}, {"kind": "number"}, COUNTER)
    told = named(store, full, leases, by)
    assert told.names == ["2026-06-18_tamsin-vale-packaging-ltd_delivery-note_0001.pdf"]
    assert told.texts == [
        "2026-06-18",
        "tamsin-vale-packaging-ltd",
        "delivery-note",
        "",
        "0001",
    ]  # the number is doubtful
    taken = named(
        store, full, leases, by, by_hand=ByHand(number="TV-1180", sender="Tamsin Vale", dated=date(2026, 7, 1))
    )
    assert taken.names == ["2026-07-01_tamsin-vale_delivery-note_tv-1180_0001.pdf"]
    make(store, request(store, full, leases, NOW, name=NameWanted(changed=by)))
    assert names(store, full) == told.names
    assert named(store, full, leases, by).names[0].endswith("_0002.pdf")


def test_what_a_sender_was_called_is_remembered(
    store: Store, full: int, leases: int, says: Callable[[int, Printed], None]
) -> None:
    doubtful = Proposal(value="Hagelwehr e.V", confidence=0.2, told_by="Hagelwehr e.V")
    says(0, Printed(proposals=Proposals(sender=doubtful)))
    by = rule({"kind": "sender"})
    assert named(store, full, leases, by).names == ["papers.pdf"]  # it is doubtful
    request(store, full, leases, NOW, name=NameWanted(changed=by, by_hand=ByHand(sender="Hagelwehr Mühlbach")))
    assert named(store, full, leases, by).names == ["hagelwehr-muehlbach_2.pdf"]
    says(0, Printed(proposals=Proposals(sender=doubtful.model_copy(update={"value": "HAGELWEHR E.V"}))))
    assert named(store, full, leases, by).names == ["hagelwehr-muehlbach_2.pdf"]  # read a little otherwise
    assert named(store, full, leases, by, by_hand=ByHand(sender="Somebody else")).names == ["somebody-else.pdf"]


def test_a_ticket_names_what_it_scanned_unless_the_destination_has_a_rule(
    store: Store, mappe: int, zaunkoenig: int, drawer: Drawer, leases: int, tmp_path: Path
) -> None:
    weigh = tickets.keep_ticket(ANNA, store, "Weigh tickets", QUICK_ONE_SIDE)
    by_ticket = naming_rules.keep_rule(ANNA, store, "Ticket", rule({"kind": "ticket"}, {"kind": "who"}, COUNTER))
    tickets.set_naming_rule(ANNA, store, weigh, by_ticket)
    drawer.lay("lease")
    receive(store, runs.start_run(ANNA, store, mappe, zaunkoenig, QUICK_ONE_SIDE, kept_ticket=weigh), Limits())

    def name(destination: int = leases) -> str:
        asked = NameWanted(by_hand=ByHand(who="Mira Öz"))
        return name_view(ANNA, store, mappe, destination, asked, PagesWanted(), NOT_READ, Format.PDF).names[0]

    assert name() == "weigh-tickets_mira-oez_0001.pdf"
    own = naming_rules.keep_rule(ANNA, store, "Own", rule({"kind": "text", "text": "own"}))
    wanted = destinations.DestinationWanted(
        name="Weigh", settings=FolderSettings(path=str(tmp_path)), naming_rule_id=own
    )
    assert name(destinations.add_destination(ANNA, store, wanted, None)) == "own.pdf"
    naming_rules.remove_rule(ANNA, store, by_ticket)
    assert name().endswith("_lease-upper-meadow_0001.pdf")
    with pytest.raises(NotFound):
        tickets.set_naming_rule(ANNA, store, weigh, by_ticket)
    tickets.set_naming_rule(ANNA, store, weigh, None)
    assert next(row for row in tickets.list_tickets(ANNA, store) if row.id == weigh).naming_rule_id is None


def test_a_later_version_is_named_after_the_first_and_takes_no_number(
    store: Store, full: int, leases: int, tmp_path: Path
) -> None:
    first = request(store, full, leases, NOW)
    make(store, first)
    second = request(store, full, leases, NOW, replaces=document_id(store, first))
    make(store, second)
    third = request(store, full, leases, NOW, replaces=document_id(store, second))
    make(store, third)
    stem = "2026-11-24_lease-upper-meadow_0001"
    assert sorted(path.name for path in (tmp_path / "leases").iterdir()) == [
        f"{stem}.pdf", f"{stem}_v2.pdf", f"{stem}_v3.pdf",
    ]  # fmt: skip
    assert named(store, full, leases).names[0].endswith("_0002.pdf")
    listed = {row.file_name: row.is_replaced for row in filed.list_filed(ANNA, store)}
    assert listed == {f"{stem}.pdf": True, f"{stem}_v2.pdf": True, f"{stem}_v3.pdf": False}
    slip = slips.slip_of(ANNA, store, document_id(store, third))
    assert slip.replaces is not None
    assert slip.replaces.file_name == f"{stem}_v2.pdf"


def test_a_document_has_one_later_version_and_one_document_is_that(store: Store, full: int, leases: int) -> None:
    first = request(store, full, leases, NOW)
    with pytest.raises(NotFound):
        request(store, full, leases, NOW, replaces=document_id(store, first))  # it is not made yet
    make(store, first)
    old = document_id(store, first)
    with pytest.raises(NotPossible, match="one_document_replaces"):
        request(store, full, leases, NOW, replaces=old, pages=PagesWanted(division=Division.EVERY))
    request(store, full, leases, NOW, replaces=old)
    with pytest.raises(NotPossible, match="document_replaced"):
        request(store, full, leases, NOW, replaces=old)


def test_a_later_version_finds_its_name_taken_and_gets_the_next_one(
    store: Store, full: int, leases: int, tmp_path: Path
) -> None:
    first = request(store, full, leases, NOW)
    make(store, first)
    (tmp_path / "leases" / "2026-11-24_lease-upper-meadow_0001_v2.pdf").write_text("somebody's own")
    second = request(store, full, leases, NOW, replaces=document_id(store, first))
    make(store, second)
    assert made_document(store, second).file_name == "2026-11-24_lease-upper-meadow_0001_v3.pdf"


@pytest.mark.parametrize(
    ("wanted", "found"),
    [
        ({}, True),
        ({"sender": "tamsin pack"}, True),
        ({"sender": "Somebody else"}, False),
        ({"sender": "%"}, False),
        ({"since": date(2026, 6, 18), "until": date(2026, 6, 18)}, True),  # the day that it tells
        ({"since": date(2026, 6, 19), "until": date(2026, 7, 1)}, False),
        ({"since": TODAY, "until": TODAY}, True),  # the day of filing
        ({"since": TODAY + timedelta(days=1)}, False),
        ({"until": date(2026, 6, 17)}, False),
    ],
)
def test_filed_documents_are_listed_and_found_by_sender_and_day(
    store: Store,
    full: int,
    leases: int,
    says: Callable[[int, Printed], None],
    wanted: dict[str, Any],
    found: bool,
) -> None:
    says(0, SAYS)
    made = request(store, full, leases, NOW)
    make(store, made)
    with store.begin() as session:
        keep_words(session, document_id(store, made), ["Packaging for pears"])
    assert bool(filed.list_filed(ANNA, store, filed.Wanted(**wanted))) is found
    assert bool(find_pages(ANNA, store, filed.Wanted("pears", **wanted))) is found
    assert filed.thumbnail(ANNA, store, document_id(store, made))[:2] == b"\xff\xd8"
    (row,) = filed.list_filed(ANNA, store)
    assert (row.sender, row.dated, row.has_thumbnail) == ("Tamsin Vale Packaging Ltd", date(2026, 6, 18), True)
    other = filed.Wanted("pears", destination_id=leases + 1)
    assert (filed.list_filed(ANNA, store, other), find_pages(ANNA, store, other)) == ([], [])


NOTE = page_saying("Delivery note no. TV-1180", "Subject: Crates of pears", "Dear Sir", "Twelve crates were delivered.")
READ = Reading("eng", RecognitionMode.ACCURATE)
BY_NUMBER = NameWanted(changed=rule({"kind": "number"}, COUNTER))


def test_what_is_filed_before_its_page_has_been_read_is_named_once_it_has(
    store: Store, full: int, leases: int, tmp_path: Path
) -> None:
    assert named(store, full, leases, BY_NUMBER.changed, reading=READ).waits
    first, second = (request(store, full, leases, NOW, reading=READ, name=BY_NUMBER) for _ in range(2))
    assert [filed_name(store, full, filing) for filing in (first, second)] == ["", ""]
    make(store, second, FakeRecogniser(NOTE))
    make(store, first, FakeRecogniser(NOTE))
    assert filed_name(store, full, second) == "tv-1180_0001.pdf"  # no number is left out
    assert filed_name(store, full, first) == "tv-1180_0002.pdf"
    assert sorted(path.name for path in (tmp_path / "leases").iterdir()) == ["tv-1180_0001.pdf", "tv-1180_0002.pdf"]
    assert not named(store, full, leases, BY_NUMBER.changed, reading=READ).waits


def test_a_page_that_cannot_be_read_leaves_its_part_of_the_name_out(store: Store, full: int, leases: int) -> None:
    filing = request(store, full, leases, NOW, reading=READ, name=BY_NUMBER)
    assert filed_name(store, full, filing) == ""
    make(store, filing)  # there is no recogniser
    assert filed_name(store, full, filing) == "0001.pdf"


def test_nothing_waits_that_is_named_without_the_page(store: Store, full: int, leases: int) -> None:
    by = NameWanted(changed=rule(DATE, SUBJECT, COUNTER))
    filing = request(store, full, leases, NOW, reading=READ, name=by)  # somebody has named the Mappe
    assert filed_name(store, full, filing) == "2026-11-24_lease-upper-meadow_0001.pdf"
    not_read = request(store, full, leases, NOW, name=BY_NUMBER)
    assert filed_name(store, full, not_read) == "0002.pdf"  # the same counter


def test_documents_of_one_filing_are_numbered_in_their_order_though_some_pages_have_been_read(
    store: Store, full: int, leases: int, says: Callable[[int, Printed], None]
) -> None:
    says(1, SAYS.model_copy(update={"words": 12}))
    each = PagesWanted(division=Division.EVERY, every=1)
    make(store, request(store, full, leases, NOW, reading=READ, name=BY_NUMBER, pages=each), FakeRecogniser(NOTE))
    assert names(store, full) == [f"tv-1180_000{number}.pdf" for number in (1, 2, 3, 4)]


def test_what_was_typed_holds_also_for_a_name_that_is_made_later(store: Store, full: int, leases: int) -> None:
    by = NameWanted(changed=rule({"kind": "sender"}, {"kind": "number"}), by_hand=ByHand(sender="Vale", number="9"))
    first = request(store, full, leases, NOW, reading=READ, name=by)
    note = page_saying("Tamsin Vale Packaging Ltd", "Dear Sir", "Delivery note no. TV-1180")
    make(store, first, FakeRecogniser(note))
    assert filed_name(store, full, first) == "vale_9.pdf"
    again = rule({"kind": "sender"}, COUNTER)
    assert named(store, full, leases, again, reading=READ).names == ["vale_0001.pdf"]  # and is remembered


def test_asking_takes_no_number(store: Store, full: int, leases: int) -> None:
    told = [named(store, full, leases).names for _ in range(3)]
    assert told[0] == told[1] == told[2]
    assert desk(store, full).view.file_name == told[0][0]


def test_folders_of_a_rule_are_made_at_the_destination(store: Store, full: int, leases: int, tmp_path: Path) -> None:
    by = rule({"kind": "date", "form": "year"}, {"kind": "folder"}, SUBJECT, COUNTER)
    made = request(store, full, leases, NOW, name=NameWanted(changed=by))
    make(store, made)
    file = tmp_path / "leases" / "2026" / "lease-upper-meadow_0001.pdf"
    assert file.read_bytes() == made_document(store, made).data
    assert made_document(store, made).file_name == "lease-upper-meadow_0001.pdf"
    assert [row.file_name for row in filed.list_filed(ANNA, store)] == ["2026/lease-upper-meadow_0001.pdf"]


def test_a_folder_that_leads_out_of_its_place_is_refused(store: Store, full: int, leases: int, tmp_path: Path) -> None:
    (tmp_path / "leases").mkdir()
    (tmp_path / "elsewhere").mkdir()
    (tmp_path / "leases" / "2026").symlink_to(tmp_path / "elsewhere")
    by = rule({"kind": "date", "form": "year"}, {"kind": "folder"}, SUBJECT, {"kind": "folder"}, DATE)
    make(store, request(store, full, leases, NOW, name=NameWanted(changed=by)))
    (delivery,) = desk(store, full).filings[0].deliveries
    assert delivery.message is not None
    assert delivery.message.code == "folder_leads_out"
    assert list((tmp_path / "elsewhere").iterdir()) == []


def test_without_a_counter_alike_names_get_a_number(store: Store, full: int, leases: int) -> None:
    by = NameWanted(changed=rule(DATE, SUBJECT))
    filings = [request(store, full, leases, NOW, name=by) for _ in range(3)]
    assert [filed_name(store, full, filing) for filing in filings] == [
        "2026-11-24_lease-upper-meadow.pdf",
        "2026-11-24_lease-upper-meadow_2.pdf",
        "2026-11-24_lease-upper-meadow_3.pdf",
    ]


def filed_name(store: Store, mappe: int, filing: int) -> str:
    """Return the name of the document of a filing."""
    (found,) = [row for row in desk(store, mappe).filings if row.id == filing]
    return found.documents[0].file_name


def test_a_counter_begins_anew_with_its_period_and_goes_on_within_it(store: Store, full: int, leases: int) -> None:
    by = NameWanted(changed=rule({"kind": "date", "form": "year"}, {**COUNTER, "width": 2, "restarts": "yearly"}))
    days = [datetime(2026, 11, 24, tzinfo=UTC), datetime(2026, 12, 1, tzinfo=UTC), datetime(2027, 1, 4, tzinfo=UTC)]
    filings = [request(store, full, leases, day, name=by) for day in days]
    given = [filed_name(store, full, filing) for filing in filings]
    assert given == ["2026_01.pdf", "2026_02.pdf", "2027_01.pdf"]


def test_two_who_ask_at_once_get_two_names_also_without_a_counter(store: Store, full: int, leases: int) -> None:
    by = NameWanted(changed=rule(SUBJECT))
    with ThreadPoolExecutor(8) as clerks:
        list(clerks.map(lambda _: request(store, full, leases, NOW, name=by), range(16)))
    given = {filing.documents[0].file_name for filing in desk(store, full).filings}
    assert given == {"lease-upper-meadow.pdf"} | {f"lease-upper-meadow_{number}.pdf" for number in range(2, 17)}


def test_words_from_a_place_on_the_page(store: Store, full: int, leases: int) -> None:
    analyse_all(store, full)
    reading = Reading("deu", RecognitionMode.FAST)
    made = request(store, full, leases, NOW, reading=reading)
    make(store, made, FakeRecogniser(page_saying("Kiste 17b", "Hollerbeck")))
    here = rule({"kind": "place", "x_mm": 20, "y_mm": 15, "width_mm": 90, "height_mm": 12}, COUNTER)
    assert named(store, full, leases, here, reading=reading).names == ["kiste-17b_0002.pdf"]
    assert named(store, full, leases, here).names == ["0002.pdf"]  # not read in this way
    like = rule({"kind": "pattern", "pattern": "Holler*"})
    assert named(store, full, leases, like, reading=reading).names == ["hollerbeck.pdf"]


# ---- several documents


def test_every_two_pages_become_a_document_of_their_own(store: Store, full: int, leases: int, tmp_path: Path) -> None:
    wanted = PagesWanted(division=Division.EVERY, every=3)
    assert named(store, full, leases, pages=wanted).documents == 2
    made = request(store, full, leases, NOW, pages=wanted)
    make(store, made)
    assert names(store, full) == ["2026-11-24_lease-upper-meadow_0001.pdf", "2026-11-24_lease-upper-meadow_0002.pdf"]
    counts = [row.page_count for row in sorted(filed.list_filed(ANNA, store), key=lambda row: row.file_name)]
    assert counts == [3, 1]
    files = {path.name: path.read_bytes() for path in (tmp_path / "leases").iterdir()}
    assert files == {made_document(store, made, at).file_name: made_document(store, made, at).data for at in (1, 2)}
    view = desk(store, full).filings[0]
    assert (view.document_count, view.page_count, view.pages_done) == (2, 4, 4)
    assert view.byte_size == sum(map(len, files.values()))
    assert "2 documents filed in Leases" in desk(store, full).history[0]


def test_each_part_becomes_a_document_with_its_own_name(
    store: Store, full: int, leases: int, says: Callable[[int, Printed], None]
) -> None:
    first, _, third, fourth = desk(store, full).order
    do(store, full, Cut(pages=(third,), names=("Hail damage",)))
    do(store, full, SetAside(pages=(fourth,)))
    says(2, SAYS)
    by = NameWanted(changed=rule({"kind": "sender"}, SUBJECT))
    request(store, full, leases, NOW, name=by, pages=PagesWanted(division=Division.PARTS))
    assert names(store, full) == ["lease-upper-meadow.pdf", "tamsin-vale-packaging-ltd_hail-damage.pdf"]
    only = PagesWanted(WhichPages.CHOSEN, (first,), division=Division.PARTS)
    assert named(store, full, leases, pages=only).documents == 1


def test_formats_of_one_page_take_one_document_a_page(store: Store, full: int, leases: int) -> None:
    with pytest.raises(NotPossible, match="format_holds_one_page"):
        request(store, full, leases, NOW, format=Format.PNG, pages=PagesWanted(division=Division.EVERY, every=2))
    made = request(store, full, leases, NOW, format=Format.PNG, pages=PagesWanted(division=Division.EVERY))
    make(store, made)
    assert [made_document(store, made, at).data[:4] for at in (1, 2, 3, 4)] == [b"\x89PNG"] * 4


# ---- keeping rules


def test_a_rule_is_kept_changed_named_and_removed(store: Store, full: int, leases: int) -> None:
    number = naming_rules.keep_rule(ANNA, store, "  By subject ", rule(SUBJECT))
    naming_rules.change_rule(ANNA, store, number, rule(SUBJECT, DATE))
    naming_rules.rename_rule(ANNA, store, number, "Subject first")
    with pytest.raises(NotPossible, match="naming_rule_name_taken"):
        naming_rules.keep_rule(ANNA, store, "Subject first", rule(SUBJECT))
    assert [(kept.name, kept.is_default) for kept in naming_rules.list_rules(ANNA, store)] == [
        ("Date, subject, number", True),
        ("Subject first", False),
    ]
    naming_rules.make_default(ANNA, store, number)
    assert named(store, full, leases).rule_id == number
    with pytest.raises(NotPossible, match="naming_rule_is_default"):
        naming_rules.remove_rule(ANNA, store, number)
    (_, simple) = naming_rules.list_rules(ANNA, store)
    naming_rules.remove_rule(ANNA, store, simple.id)
    with pytest.raises(NotFound, match="naming_rule_gone"):
        named(store, full, leases, rule_id=simple.id)
    naming_rules.take_rule_back(ANNA, store, simple.id)
    assert len(naming_rules.list_rules(ANNA, store)) == 2
