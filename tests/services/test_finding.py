"""Filed documents found by what they say: stems, quoted words, the page, the words marked in their line."""

from datetime import UTC, datetime
from pathlib import Path

import pytest
from tests.helpers import (
    ANNA,
    QUICK_ONE_SIDE,
    Drawer,
    FakeRecogniser,
    analyse_all,
    make,
    page_saying,
    request,
    scan,
)

from papiermappe.core.reading.page_text import RecognitionMode
from papiermappe.services import destinations
from papiermappe.services.filed import Wanted
from papiermappe.services.finding import find_pages, keep_words
from papiermappe.services.reading import Reading
from papiermappe.store.database import Store
from papiermappe.store.models import Document

NOW = datetime(2026, 11, 24, 9, 14, tzinfo=UTC)
READ = Reading("eng", RecognitionMode.FAST)
LEASE = page_saying("The upper meadow is leased for ten years.", "Pachtverträge gelten <b>zehn</b> Jahre.")


@pytest.fixture
def filed(store: Store, mappe: int, zaunkoenig: int, drawer: Drawer, tmp_path: Path) -> int:
    """A document of three pages that all say the same; its filing."""
    place = destinations.add_folder(ANNA, store, "Leases", tmp_path / "leases")
    drawer.lay("lease")
    scan(store, mappe, zaunkoenig, QUICK_ONE_SIDE)
    analyse_all(store, mappe)
    made = request(store, mappe, place, NOW, reading=READ)
    make(store, made, FakeRecogniser(LEASE))
    return made


def say(store: Store, filing: int, *texts: str) -> None:
    """Have the pages of a document say something else."""
    with store.begin() as session:
        document = session.query(Document).where(Document.filing_id == filing).one()
        keep_words(session, document.id, texts)


def test_words_are_found_by_their_stems_in_both_languages(store: Store, filed: int) -> None:
    for find in ("meadow", "MEADOWS", "leasing", "Pachtvertrag", '"upper meadow"', "zehn -twelve"):
        (found,) = find_pages(ANNA, store, Wanted(find))
        assert (find, found.page, found.destination) == (find, 1, "Leases")
        assert found.file_name == "2026-11-24_lease-upper-meadow_0001.pdf"


def test_what_is_not_said_is_not_found(store: Store, filed: int) -> None:
    wanted = ("", "  ", "orchard", '"meadow upper"', "meadow -leased", "'; drop table document; --", "&|!")
    assert [find for find in wanted if find_pages(ANNA, store, Wanted(find))] == []


def test_quoted_words_stand_one_behind_the_other_as_they_are(store: Store, filed: int) -> None:
    say(store, filed, "The gate of the meadow. Of a gate, the post.", "Gates of the meadow")
    (found,) = find_pages(ANNA, store, Wanted('"gates of the meadow"'))
    assert found.page == 2
    assert len(find_pages(ANNA, store, Wanted('"of the" post'))) == 1
    assert len(find_pages(ANNA, store, Wanted('"gate post" or "of the meadow"'))) == 1
    assert len(find_pages(ANNA, store, Wanted('meadow -"gate post"'))) == 1
    # each pair of it stands on page 1, but not all three words in a row
    assert find_pages(ANNA, store, Wanted('"the gate the"')) == []
    assert find_pages(ANNA, store, Wanted('"meadow gate"')) == []


def test_the_words_are_marked_in_their_line_and_nothing_else_is(store: Store, filed: int) -> None:
    say(store, filed, "", "Nothing of it here.", "Our meadows \x02 are leased & let.")
    (found,) = find_pages(ANNA, store, Wanted("meadow"))
    assert found.page == 3
    assert [part.text for part in found.line if part.marked] == ["meadows"]
    assert "".join(part.text for part in found.line) == "Our meadows are leased & let."


def test_the_page_that_says_it_more_often_is_shown(store: Store, filed: int) -> None:
    say(store, filed, "A meadow.", "Meadow by meadow by meadow.", "A field.")
    assert [found.page for found in find_pages(ANNA, store, Wanted("meadow"))] == [2]


def test_made_twice_it_is_found_once(store: Store, filed: int) -> None:
    say(store, filed, "one")
    say(store, filed, "two")
    assert find_pages(ANNA, store, Wanted("one")) == []
    assert len(find_pages(ANNA, store, Wanted("two"))) == 1
