"""Destinations that are kept, and deliveries that wait for them."""

from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import ClassVar

import pytest
from cryptography.fernet import Fernet
from sqlalchemy import select, text
from tests.helpers import ANNA, desk, make, request

from papiermappe.core.encode.format import Format
from papiermappe.core.naming.rule import NamingRule, SubjectPart
from papiermappe.destinations.errors import DestinationAway, DestinationPartly
from papiermappe.destinations.folder import Folder
from papiermappe.destinations.model import Parcel
from papiermappe.destinations.settings import FolderSettings, MailSecurity, MailSettings
from papiermappe.services import delivering, destinations, filing, naming_rules
from papiermappe.services.destinations import DestinationWanted, Form
from papiermappe.services.errors import NotFound, NotPossible
from papiermappe.store.database import Store
from papiermappe.store.errors import SecretUnreadable
from papiermappe.store.models import Delivery, DeliveryState, Destination
from papiermappe.store.secrets import SecretBox

NOW = datetime(2026, 11, 24, 9, 14, tzinfo=UTC)
MAIL = MailSettings(
    host="127.0.0.1", port=9, security=MailSecurity.NONE, sender="desk@a.example", recipients=("b@a.example",)
)


@pytest.fixture
def secrets() -> SecretBox:
    """A box with a new key."""
    return SecretBox(Fernet.generate_key())


def folder_wanted(path: Path, name: str = "Leases") -> DestinationWanted:
    """Return a folder as a person describes it."""
    return DestinationWanted(name=name, settings=FolderSettings(path=str(path)))


def only_delivery(store: Store) -> Delivery:
    """Return the one delivery there is."""
    with store.begin() as session:
        return session.scalars(select(Delivery)).one()


def test_a_secret_is_encrypted_and_never_told(store: Store, secrets: SecretBox) -> None:
    wanted = DestinationWanted(name="Board", settings=MAIL, secret="orchard-7")
    number = destinations.add_destination(ANNA, store, wanted, secrets)
    kept = destinations.list_destinations(ANNA, store)[0]
    assert kept.has_secret
    assert "orchard-7" not in kept.model_dump_json()
    with store.begin() as session:
        sealed = session.get_one(Destination, number).secret
        assert sealed is not None
        assert b"orchard-7" not in sealed
        assert secrets.open(sealed) == "orchard-7"
    destinations.change_destination(ANNA, store, number, wanted.model_copy(update={"secret": None}), secrets)
    assert destinations.list_destinations(ANNA, store)[0].has_secret  # it stays where none is typed
    destinations.change_destination(ANNA, store, number, wanted.model_copy(update={"secret": ""}), secrets)
    assert not destinations.list_destinations(ANNA, store)[0].has_secret


def test_the_key_is_made_once_and_only_its_owner_reads_it(tmp_path: Path) -> None:
    sealed = SecretBox.kept(tmp_path / "desk", None).seal("orchard")
    assert SecretBox.kept(tmp_path / "desk", None).open(sealed) == "orchard"
    assert (tmp_path / "desk" / "secret.key").stat().st_mode & 0o777 == 0o600
    with pytest.raises(SecretUnreadable, match="secret_unreadable"):
        SecretBox.kept(tmp_path / "other", None).open(sealed)
    (tmp_path / "broken").mkdir()
    (tmp_path / "broken" / "secret.key").write_text("no key")
    with pytest.raises(SecretUnreadable, match="secret_key_unusable"):
        SecretBox.kept(tmp_path / "broken", None)


def test_destinations_are_named_changed_removed_and_taken_back(store: Store, tmp_path: Path) -> None:
    number = destinations.add_destination(ANNA, store, folder_wanted(tmp_path / "a"), None)
    with pytest.raises(NotPossible, match="destination_name_taken"):
        destinations.add_destination(ANNA, store, folder_wanted(tmp_path / "b"), None)
    with pytest.raises(NotPossible, match="destination_of_other_kind"):
        destinations.change_destination(ANNA, store, number, DestinationWanted(name="Leases", settings=MAIL), None)
    changed = folder_wanted(tmp_path / "c").model_copy(update={"form": Form(format=Format.TIFF)})
    destinations.change_destination(ANNA, store, number, changed, None)
    kept = destinations.list_destinations(ANNA, store)[0]
    assert (kept.settings, kept.form.format) == (FolderSettings(path=str(tmp_path / "c")), Format.TIFF)
    destinations.remove_destination(ANNA, store, number)
    assert [row.settings.kind for row in destinations.list_destinations(ANNA, store)] == ["download"]
    destinations.take_destination_back(ANNA, store, number)
    assert len(destinations.list_destinations(ANNA, store)) == 2


def test_what_goes_to_a_destination_is_named_by_its_rule(
    store: Store, mappe: int, pages: list[int], tmp_path: Path
) -> None:
    rule = naming_rules.keep_rule(ANNA, store, "Subject", NamingRule(parts=(SubjectPart(),)))
    wanted = folder_wanted(tmp_path / "leases").model_copy(update={"naming_rule_id": rule})
    place = destinations.add_destination(ANNA, store, wanted, None)
    make(store, request(store, mappe, place, NOW))
    assert [path.name for path in (tmp_path / "leases").iterdir()] == ["lease-upper-meadow.pdf"]
    naming_rules.remove_rule(ANNA, store, rule)  # from then on by the default one
    make(store, request(store, mappe, place, NOW))
    assert (tmp_path / "leases" / "2026-11-24_lease-upper-meadow_0001.pdf").exists()


def test_a_removed_destination_takes_nothing_new(store: Store, mappe: int, pages: list[int], tmp_path: Path) -> None:
    place = destinations.add_folder(ANNA, store, "Leases", tmp_path / "leases")
    made = request(store, mappe, place, NOW)
    destinations.remove_destination(ANNA, store, place)
    make(store, made)  # what was on its way still goes
    assert len(list((tmp_path / "leases").iterdir())) == 1
    with pytest.raises(NotFound, match="destination_gone"):
        request(store, mappe, place, NOW)


def test_a_trial_says_what_is_wrong(store: Store, secrets: SecretBox, tmp_path: Path) -> None:
    (tmp_path / "file").write_text("no folder")
    problem = destinations.try_destination(ANNA, store, folder_wanted(tmp_path / "file"), secrets)
    assert problem is not None
    assert problem.code == "folder_refused"
    away = destinations.try_destination(ANNA, store, DestinationWanted(name="Board", settings=MAIL), secrets)
    assert away is not None
    assert away.code == "mail_away"
    assert destinations.try_destination(ANNA, store, folder_wanted(tmp_path / "new"), secrets) is None
    assert list((tmp_path / "new").iterdir()) == []


# ---- waiting


class Moody(Folder):
    """A folder that is away at first."""

    away = 0

    def deliver(self, parcel: Parcel) -> str:
        """Be away, as often as was said."""
        if Moody.away > 0:
            Moody.away -= 1
            raise DestinationAway("object_store_away", place="the archive")
        return super().deliver(parcel)


@pytest.fixture
def moody(store: Store, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> int:
    """A destination that is away twice."""
    Moody.away = 2
    monkeypatch.setattr(delivering, "place_of", lambda *_: Moody(tmp_path / "archive"))
    return destinations.add_folder(ANNA, store, "Archive", tmp_path / "archive")


def test_a_destination_that_was_away_gets_its_document_later(
    store: Store, mappe: int, pages: list[int], moody: int, tmp_path: Path
) -> None:
    make(store, request(store, mappe, moody, datetime.now(UTC)))
    first = only_delivery(store)
    assert (first.state, first.tries, first.message and first.message["code"]) == (
        DeliveryState.WAITING,
        1,
        "object_store_away",
    )
    assert first.next_try_at is not None
    with store.begin() as session:
        later = "select scheduled_at from procrastinate_jobs where task_name = 'deliver' and scheduled_at is not null"
        (scheduled,) = session.scalars(text(later)).all()
    assert abs(scheduled - first.next_try_at) < timedelta(seconds=2)
    delivering.deliver(store, first.id)
    second = only_delivery(store)
    assert second.next_try_at is not None
    # the pause doubles: 30 s, then 60 s; both begin at their try
    assert second.next_try_at - first.next_try_at > timedelta(seconds=29)
    delivering.deliver(store, first.id)
    third = only_delivery(store)
    assert (third.state, third.tries, third.next_try_at, third.message) == (DeliveryState.DELIVERED, 3, None, None)
    delivering.deliver(store, first.id)  # a job that was late does no harm
    assert len(list((tmp_path / "archive").iterdir())) == 1


class HalfDeaf(Folder):
    """A place with two readers, of whom one cannot get it at first."""

    asked: ClassVar[list[tuple[str, ...]]] = []

    def deliver(self, parcel: Parcel) -> str:
        """Give it to the first at once and to the other on the second try."""
        HalfDeaf.asked.append(parcel.got_by)
        if len(HalfDeaf.asked) == 1:
            raise DestinationPartly(
                "mail_partly", ("anna@x.example",), host="x", address="rosa@x.example", answer="451"
            )
        return "anna@x.example, rosa@x.example"


def test_who_has_a_document_is_remembered_until_the_others_have_it(
    store: Store, mappe: int, pages: list[int], tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    HalfDeaf.asked = []
    monkeypatch.setattr(delivering, "place_of", lambda *_: HalfDeaf(tmp_path))
    make(store, request(store, mappe, destinations.add_folder(ANNA, store, "Board", tmp_path), datetime.now(UTC)))
    first = only_delivery(store)
    assert (first.state, first.place) == (DeliveryState.WAITING, "anna@x.example")
    delivering.deliver(store, first.id)
    second = only_delivery(store)
    assert (second.state, second.place) == (DeliveryState.DELIVERED, "anna@x.example, rosa@x.example")
    assert HalfDeaf.asked == [(), ("anna@x.example",)]


def test_waiting_is_given_up_after_some_days_and_stopped_at_any_time(
    store: Store, mappe: int, pages: list[int], moody: int
) -> None:
    long_ago = datetime.now(UTC) - timedelta(days=5)
    make(store, request(store, mappe, moody, long_ago))
    assert only_delivery(store).state is DeliveryState.FAILED
    made = desk(store, mappe).filings[0].id
    filing.try_again(ANNA, store, made)
    with store.begin() as session:
        session.execute(text("update filing set requested_at = now()"))
    delivering.deliver(store, only_delivery(store).id)
    assert desk(store, mappe).filings[0].deliveries[0].next_try_at is not None
    filing.stop(ANNA, store, made)
    stopped = only_delivery(store)
    assert (stopped.state, stopped.message and stopped.message["code"]) == (DeliveryState.FAILED, "delivery_stopped")
    filing.try_again(ANNA, store, made)
    delivering.deliver(store, stopped.id)
    assert only_delivery(store).state is DeliveryState.DELIVERED


def test_a_made_document_is_sent_to_another_place(store: Store, mappe: int, pages: list[int], tmp_path: Path) -> None:
    first, second = (destinations.add_folder(ANNA, store, name, tmp_path / name) for name in ("a", "b"))
    made = request(store, mappe, first, NOW)
    with pytest.raises(NotPossible, match="documents_go_there"):
        filing.send_on(ANNA, store, made, second, NOW)  # not made yet
    make(store, made)
    filing.send_on(ANNA, store, made, second, NOW)
    with store.begin() as session:
        on_its_way = session.scalars(select(Delivery.id).where(Delivery.destination_id == second)).one()
    delivering.deliver(store, on_its_way)
    (there,), (too,) = ((path.read_bytes() for path in (tmp_path / name).iterdir()) for name in ("a", "b"))
    assert there == too
    with pytest.raises(NotPossible, match="documents_go_there"):
        filing.send_on(ANNA, store, made, second, NOW)


def test_several_destinations_at_once_have_the_document_under_one_name(
    store: Store, mappe: int, pages: list[int], tmp_path: Path
) -> None:
    places = tuple(destinations.add_folder(ANNA, store, name, tmp_path / name) for name in ("a", "b"))
    made = filing.request_filing(ANNA, store, mappe, filing.FilingRequest(places), NOW)
    make(store, made)
    names = [[path.name for path in (tmp_path / name).iterdir()] for name in ("a", "b")]
    assert names[0] == names[1] == ["2026-11-24_lease-upper-meadow_0001.pdf"]
    assert [delivery.state for delivery in desk(store, mappe).filings[0].deliveries] == [DeliveryState.DELIVERED] * 2
