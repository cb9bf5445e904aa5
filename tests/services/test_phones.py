"""Phones that add pictures to a Mappe by a link: what they may do, and what becomes of their pictures."""

from datetime import timedelta
from pathlib import Path

import numpy as np
import pytest
from sqlalchemy import func, select, update
from tests.helpers import ANNA, BEN, QUICK_ONE_SIDE, Drawer, analyse_all, camera_jpeg, desk, once, scan, undo
from tests.services.test_photos import book, taken

from papiermappe.core.limits import DEFAULT_LIMIT_PX
from papiermappe.core.operations import MakeFlat, SetAside, Turn
from papiermappe.services import camera, comparing, importing, mappen, phones, reading_files, runs
from papiermappe.services.caller import Caller
from papiermappe.services.errors import LinkOver, NotFound, NotPossible
from papiermappe.services.importing import Announced
from papiermappe.services.page_views import SpreadKind
from papiermappe.services.phones import Phone
from papiermappe.store.database import Store
from papiermappe.store.incoming import Incoming
from papiermappe.store.models import Capture, FileState, IncomingFile, Page, PhoneLink, Run, RunOrigin, RunState
from papiermappe.store.secrets import SecretBox


@pytest.fixture
def incoming(tmp_path: Path) -> Incoming:
    """Where pictures are kept on their way in."""
    return Incoming(tmp_path / "incoming")


@pytest.fixture
def box(tmp_path: Path) -> SecretBox:
    """Encrypts secrets."""
    return SecretBox.of_file(tmp_path / "secret.key")


def secret_of(store: Store, mappe: int, box: SecretBox) -> str:
    """Return the secret of a Mappe's link, which is opened where there is none."""
    phones.open_link(ANNA, store, mappe, box)
    link = phones.open_link_of(ANNA, store, mappe, box)
    assert link is not None
    return link.secret


@pytest.fixture
def phone(store: Store, mappe: int, box: SecretBox) -> Phone:
    """A phone that has come by a link into the Mappe."""
    return phones.phone_of(store, secret_of(store, mappe, box))


def photo(level: int) -> bytes:
    """Return a small picture of one level, as a camera writes it: no sheet is to be found on it."""
    return camera_jpeg(np.full((120, 90, 3), level, np.uint8))


def announce(phone: Phone, store: Store, data: bytes, again: int | None = None) -> int:
    """Say that a picture will come."""
    return phones.expect_picture(phone, store, Announced("image.jpg", len(data)), again)


def add(phone: Phone, store: Store, incoming: Incoming, level: int, again: int | None = None) -> int:
    """Send a picture and have it read; return its page."""
    data = photo(level)
    file = announce(phone, store, data, again)
    assert importing.receive_part(phone.caller, store, incoming, file, 0, data) == len(data)
    reading_files.import_files(store, incoming, run_of(store, phone).id)
    return next(shown.page.id for shown in phones.phone_view(phone, store).pages if shown.file == file)


def scan_of(store: Store, mappe: int, page: int) -> int:
    """Return the scan that a page has now."""
    return next(shown.scan for shown in desk(store, mappe).pages if shown.id == page)


def run_of(store: Store, phone: Phone) -> Run:
    """Return the newest run of a phone."""
    with store.begin() as session:
        newest = select(Run).where(Run.phone_link_id == phone.link_id).order_by(Run.id.desc()).limit(1)
        return session.scalars(newest).one()


def test_a_link_is_opened_once_and_shown_again(store: Store, mappe: int, box: SecretBox) -> None:
    first, again = secret_of(store, mappe, box), secret_of(store, mappe, box)
    assert first == again
    assert len(first) == phones.SECRET_LENGTH
    assert set(first) <= set(phones.LETTERS)
    with store.begin() as session:
        assert first not in str(session.scalars(select(PhoneLink.digest)).all())  # the secret itself is nowhere


def test_each_mappe_has_a_secret_of_its_own(store: Store, mappe: int, box: SecretBox) -> None:
    other = mappen.open_mappe(ANNA, store, "Hail")
    assert secret_of(store, mappe, box) != secret_of(store, other, box)


def test_a_link_ends_when_it_is_withdrawn_and_the_next_one_is_another(store: Store, mappe: int, box: SecretBox) -> None:
    secret = secret_of(store, mappe, box)
    phones.close_link(BEN, store, phones.phone_of(store, secret).link_id)
    with pytest.raises(LinkOver) as refused:
        phones.phone_of(store, secret)
    assert refused.value.message.code == "phone_link_over"
    assert phones.open_link_of(ANNA, store, mappe, box) is None
    assert secret_of(store, mappe, box) != secret


def test_a_link_ends_after_an_hour(store: Store, mappe: int, box: SecretBox) -> None:
    secret = secret_of(store, mappe, box)
    with store.begin() as session:
        link = session.scalars(select(PhoneLink)).one()
        assert link.expires_at - link.opened_at <= timedelta(hours=1, seconds=1)
        link.expires_at = func.now() - timedelta(seconds=1)
    with pytest.raises(LinkOver):
        phones.phone_of(store, secret)
    assert secret_of(store, mappe, box) != secret


def test_a_link_into_a_mappe_that_was_cleared_opens_nothing(store: Store, mappe: int, box: SecretBox) -> None:
    secret = secret_of(store, mappe, box)
    mappen.clear(ANNA, store, mappe)
    with pytest.raises(LinkOver):
        phones.phone_of(store, secret)


@pytest.mark.parametrize("secret", ["", "222222222222", "x" * 80, "\x00", "'; drop table phone_link"])
def test_what_is_no_secret_opens_nothing(store: Store, secret: str) -> None:
    with pytest.raises(LinkOver) as refused:
        phones.phone_of(store, secret)
    assert refused.value.message.code == "phone_link_unknown"


def test_pictures_become_pages_in_a_run_of_the_camera(
    store: Store, mappe: int, phone: Phone, incoming: Incoming
) -> None:
    pages = [add(phone, store, incoming, level) for level in (40, 90, 140)]
    assert desk(store, mappe).order == pages
    run = run_of(store, phone)
    assert (run.origin, run.state, run.author) == (RunOrigin.CAMERA, RunState.RECEIVING, ANNA.author)
    view = next(shown for shown in desk(store, mappe).view.runs if shown.id == run.id)
    assert (view.by_phone, view.pages, view.live) == (True, 3, True)


def test_a_picture_does_not_wait_for_one_that_is_long_on_its_way(
    store: Store, mappe: int, phone: Phone, incoming: Incoming
) -> None:
    slow = photo(40)
    first = announce(phone, store, slow)
    quick = add(phone, store, incoming, 90)
    assert desk(store, mappe).order == [quick]
    importing.receive_part(phone.caller, store, incoming, first, 0, slow)
    reading_files.import_files(store, incoming, run_of(store, phone).id)
    late, *others = desk(store, mappe).order  # it lies where it was taken, before the other
    assert others == [quick]
    assert late != quick


def test_a_picture_that_is_announced_twice_by_one_command_is_one(store: Store, phone: Phone) -> None:
    data = photo(40)
    asking = Phone(phone.link_id, phone.mappe_id, Caller(ANNA.author, "phone:0123456789"), phone.expires_at)
    assert announce(asking, store, data) == announce(asking, store, data)
    with store.begin() as session:
        assert session.scalar(select(func.count()).select_from(IncomingFile)) == 1


def test_a_picture_taken_again_gets_the_place_of_the_first_and_undo_brings_it_back(
    store: Store, mappe: int, phone: Phone, incoming: Incoming
) -> None:
    first, second = (add(phone, store, incoming, level) for level in (40, 90))
    before = scan_of(store, mappe, first)
    assert add(phone, store, incoming, 200, again=first) == first
    assert desk(store, mappe).order == [first, second]
    assert scan_of(store, mappe, first) != before
    undo(store, mappe)
    assert scan_of(store, mappe, first) == before


def test_a_phone_sees_and_changes_nothing_but_its_own_pages(
    store: Store, mappe: int, phone: Phone, incoming: Incoming, zaunkoenig: int, drawer: Drawer
) -> None:
    drawer.lay("letter-share")
    scan(store, mappe, zaunkoenig, QUICK_ONE_SIDE)
    (scanned,) = desk(store, mappe).order
    own = add(phone, store, incoming, 40)
    assert [shown.page.id for shown in phones.phone_view(phone, store).pages] == [own]
    with pytest.raises(NotFound):
        phones.own_page(phone, store, scanned)
    with pytest.raises(NotFound):
        announce(phone, store, photo(50), again=scanned)
    for operation in (Turn(pages=(scanned,), quarter_turns=1), SetAside(pages=(own, scanned))):
        with pytest.raises(NotFound):
            phones.operate(phone, store, operation, desk(store, mappe).cursor)
    assert desk(store, mappe).set_aside == []


def test_a_page_that_was_moved_away_is_not_the_phones_any_more(
    store: Store, mappe: int, phone: Phone, incoming: Incoming
) -> None:
    own = add(phone, store, incoming, 40)
    other = mappen.open_mappe(ANNA, store, "Hail")
    with store.begin() as session:
        session.execute(update(Page).where(Page.id == own).values(mappe_id=other))
    assert phones.phone_view(phone, store).pages == []
    with pytest.raises(NotFound):
        phones.own_page(phone, store, own)


def test_a_phone_of_another_mappe_cannot_send_to_this_one(
    store: Store, phone: Phone, incoming: Incoming, box: SecretBox
) -> None:
    file = announce(phone, store, photo(40))
    stranger = phones.phone_of(store, secret_of(store, mappen.open_mappe(ANNA, store, "Hail"), box))
    with pytest.raises(NotFound):
        phones.must_be_its_file(stranger, store, file)
    phones.must_be_its_file(phone, store, file)


def test_a_page_is_made_flat_by_the_corners_that_are_dragged(
    store: Store, mappe: int, phone: Phone, incoming: Incoming
) -> None:
    own = add(phone, store, incoming, 40)
    analyse_all(store, mappe)
    known = phones.own_page(phone, store, own)
    width, height = known.scan_width_mm, known.scan_height_mm
    corners = ((width * 0.1, height * 0.1), (width * 0.9, height * 0.12), (width * 0.88, height * 0.9), (0.0, height))
    rounded = tuple((round(x, 1), round(y, 1)) for x, y in corners)
    seen = phones.phone_view(phone, store).cursor
    phones.operate(phone, store, MakeFlat(pages=(own,), corners=rounded), seen)
    assert phones.own_page(phone, store, own).treatment.corners == rounded
    undo(store, mappe)  # whoever opened the link can take it back at the desk
    assert phones.own_page(phone, store, own).treatment.corners is None


def test_while_a_scanner_is_at_work_pictures_wait_in_the_phone(store: Store, mappe: int, phone: Phone) -> None:
    with store.begin() as session:
        session.add(Run(mappe_id=mappe, number=1, origin=RunOrigin.FILES, state=RunState.RECEIVING))
    assert phones.phone_view(phone, store).waits_for_scanner
    with pytest.raises(NotPossible) as refused:
        announce(phone, store, photo(40))
    assert refused.value.message.code == "run_already"


def test_done_ends_the_link_and_the_run_when_all_is_read(
    store: Store, mappe: int, phone: Phone, incoming: Incoming
) -> None:
    add(phone, store, incoming, 40)
    data = photo(90)
    unread, unsent = announce(phone, store, data), announce(phone, store, data)
    importing.receive_part(phone.caller, store, incoming, unread, 0, data)
    phones.close_link(phone.caller, store, phone.link_id)
    run = run_of(store, phone)
    assert run.stop_requested
    reading_files.import_files(store, incoming, run.id)
    ended = run_of(store, phone)
    assert (ended.state, ended.message) == (RunState.DONE, None)
    assert len(desk(store, mappe).order) == 2  # what was here is read; what was not stays in the phone
    with store.begin() as session:
        assert session.get_one(IncomingFile, unsent).state is FileState.CANCELLED


@pytest.mark.parametrize("splits", [True, False])
def test_an_open_book_that_a_phone_took_is_split_when_all_is_taken(
    store: Store, mappe: int, phone: Phone, incoming: Incoming, splits: bool
) -> None:
    data = camera_jpeg(taken(book()))
    file = announce(phone, store, data)
    importing.receive_part(phone.caller, store, incoming, file, 0, data)
    reading_files.import_files(store, incoming, run_of(store, phone).id)
    analyse_all(store, mappe)
    assert [shown.page.spread for shown in phones.phone_view(phone, store).pages] == [SpreadKind.SURE]
    phones.close_link(phone.caller, store, phone.link_id, open_book=splits)
    reading_files.import_files(store, incoming, run_of(store, phone).id)
    comparing.compare_run(store, run_of(store, phone).id, once, DEFAULT_LIMIT_PX)
    assert len(desk(store, mappe).order) == 1 + splits


def test_who_ends_the_run_at_the_desk_ends_the_link(
    store: Store, phone: Phone, incoming: Incoming, mappe: int, box: SecretBox
) -> None:
    secret = secret_of(store, mappe, box)
    add(phone, store, incoming, 40)
    runs.stop(BEN, store, run_of(store, phone).id)
    with pytest.raises(LinkOver):
        phones.phone_of(store, secret)


def test_a_phone_that_falls_silent_gives_the_mappe_free_and_can_go_on(
    store: Store, mappe: int, phone: Phone, incoming: Incoming
) -> None:
    first = add(phone, store, incoming, 40)
    assert camera.end_silent(store) == 0
    with store.begin() as session:
        session.execute(update(IncomingFile).values(asked_at=func.now() - timedelta(hours=1)))
    assert camera.end_silent(store) == 1
    silent = run_of(store, phone)
    reading_files.import_files(store, incoming, silent.id)
    assert run_of(store, phone).state is RunState.DONE
    second = add(phone, store, incoming, 90)
    assert desk(store, mappe).order == [first, second]
    assert run_of(store, phone).id != silent.id


def test_the_run_of_a_link_that_has_expired_is_ended(store: Store, phone: Phone, incoming: Incoming) -> None:
    add(phone, store, incoming, 40)
    with store.begin() as session:
        session.execute(update(PhoneLink).values(expires_at=func.now() - timedelta(seconds=1)))
    assert camera.end_silent(store) == 1
    assert run_of(store, phone).stop_requested


def test_a_picture_that_cannot_be_read_is_said_and_the_run_goes_on(
    store: Store, mappe: int, phone: Phone, incoming: Incoming
) -> None:
    broken = b"\xff\xd8\xff" + bytes(500)
    file = announce(phone, store, broken)
    importing.receive_part(phone.caller, store, incoming, file, 0, broken)
    reading_files.import_files(store, incoming, run_of(store, phone).id)
    (shown,) = phones.phone_view(phone, store).files
    assert (shown.id, shown.state) == (file, FileState.FAILED)
    assert shown.message is not None
    assert desk(store, mappe).order == []
    assert add(phone, store, incoming, 90) in desk(store, mappe).order


def test_an_empty_picture_is_said_to_be_unreadable(store: Store, phone: Phone, incoming: Incoming) -> None:
    announce(phone, store, b"")
    reading_files.import_files(store, incoming, run_of(store, phone).id)
    assert [shown.state for shown in phones.phone_view(phone, store).files] == [FileState.FAILED]


def test_the_camera_of_a_desk_needs_no_link(store: Store, mappe: int, incoming: Incoming) -> None:
    data = photo(40)
    file = camera.expect_picture(ANNA, store, mappe, Announced("picture.jpg", len(data)))
    importing.receive_part(ANNA, store, incoming, file, 0, data)
    with store.begin() as session:
        run = session.scalars(select(Run)).one()
    assert run.phone_link_id is None
    reading_files.import_files(store, incoming, run.id)
    with store.begin() as session:
        assert session.scalars(select(Capture.by_camera)).one()
    camera.end_pictures(ANNA, store, mappe)
    camera.end_pictures(ANNA, store, mappe)  # once more is as well
    reading_files.import_files(store, incoming, run.id)
    assert not next(shown for shown in desk(store, mappe).view.runs if shown.id == run.id).live
