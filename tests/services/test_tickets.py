"""Tickets are kept, named, copied, removed and taken back; one is the default."""

from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor

import pytest
from tests.helpers import ANNA, BEN

from papiermappe.devices.model import Colour, TicketSettings
from papiermappe.services import tickets
from papiermappe.services.errors import NotFound, NotPossible
from papiermappe.store.database import Store

GREY = TicketSettings(colour=Colour.GREY, dpi=200)


def names(store: Store) -> list[str]:
    """Return the names of the tickets in their order."""
    return [ticket.name for ticket in tickets.list_tickets(ANNA, store)]


@pytest.fixture
def everyday(store: Store) -> int:
    """The ticket that a new desk has."""
    (found,) = tickets.list_tickets(ANNA, store)
    assert (found.name, found.settings, found.is_default) == ("Everyday", TicketSettings(), True)
    return found.id


@pytest.fixture
def weigh(store: Store) -> int:
    """A ticket of one's own."""
    return tickets.keep_ticket(ANNA, store, "  Weigh \n tickets", GREY)


def test_a_ticket_is_kept_changed_and_named(store: Store, everyday: int, weigh: int) -> None:
    assert names(store) == ["Everyday", "Weigh tickets"]
    tickets.change_ticket(ANNA, store, weigh, GREY.model_copy(update={"dpi": 300}))
    tickets.rename_ticket(BEN, store, weigh, "Scales")
    tickets.rename_ticket(BEN, store, weigh, "Scales")
    assert [ticket.settings.dpi for ticket in tickets.list_tickets(ANNA, store)] == [300, 300]
    assert names(store) == ["Everyday", "Scales"]


def test_another_ticket_becomes_the_default(store: Store, everyday: int, weigh: int) -> None:
    tickets.make_default(ANNA, store, weigh)
    assert names(store) == ["Weigh tickets", "Everyday"]
    assert [ticket.is_default for ticket in tickets.list_tickets(ANNA, store)] == [True, False]


def test_copies_get_numbers(store: Store, weigh: int) -> None:
    long = tickets.keep_ticket(ANNA, store, "x" * 40, GREY)
    for ticket in (weigh, weigh, long):
        tickets.duplicate_ticket(ANNA, store, ticket)
    assert names(store)[3:] == ["Weigh tickets 2", "Weigh tickets 3", "x" * 38 + " 2"]


def test_a_removed_ticket_comes_back_though_its_name_is_taken(store: Store, everyday: int, weigh: int) -> None:
    tickets.remove_ticket(ANNA, store, weigh)
    assert names(store) == ["Everyday"]
    tickets.keep_ticket(BEN, store, "Weigh tickets", TicketSettings())
    tickets.take_ticket_back(ANNA, store, weigh)
    tickets.take_ticket_back(ANNA, store, weigh)
    assert sorted(names(store)) == ["Everyday", "Weigh tickets", "Weigh tickets 2"]


def test_the_last_ticket_stays(store: Store, everyday: int) -> None:
    with pytest.raises(NotPossible, match="last_ticket"):
        tickets.remove_ticket(ANNA, store, everyday)


@pytest.mark.parametrize(
    ("name", "code"), [("", "length"), (" ", "length"), ("x" * 41, "length"), ("Everyday", "taken")]
)
def test_names_that_are_refused(store: Store, weigh: int, name: str, code: str) -> None:
    with pytest.raises(NotPossible, match=f"ticket_name_{code}"):
        tickets.keep_ticket(ANNA, store, name, GREY)
    with pytest.raises(NotPossible, match=f"ticket_name_{code}"):
        tickets.rename_ticket(ANNA, store, weigh, name)


def test_two_people_who_take_one_name_at_once(store: Store) -> None:
    def keep(_: int) -> str:
        try:
            tickets.keep_ticket(ANNA, store, "Scales", GREY)
        except NotPossible as exc:
            return exc.message.code
        return "kept"

    with ThreadPoolExecutor(8) as people:
        said = list(people.map(keep, range(8)))
    assert sorted(said) == ["kept"] + ["ticket_name_taken"] * 7


@pytest.mark.parametrize(
    "act", [tickets.make_default, tickets.remove_ticket, tickets.duplicate_ticket, tickets.take_ticket_back]
)
def test_a_ticket_that_is_not_there(store: Store, act: Callable[..., object]) -> None:
    with pytest.raises(NotFound):
        act(ANNA, store, 77)
