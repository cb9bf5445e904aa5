"""Files that are brought in: announced, received in parts, read in their order, whatever dies."""

import io
from collections.abc import Sequence
from pathlib import Path

import numpy as np
import pikepdf
import pytest
from numpy.typing import NDArray
from PIL import Image
from sqlalchemy import select
from tests.helpers import (
    ANNA,
    QUICK_ONE_SIDE,
    WORDS,
    Drawer,
    analyse_all,
    camera_jpeg,
    desk,
    do,
    here,
    photograph,
    scan,
)

from papiermappe.core.limits import DEFAULT_LIMIT_PX
from papiermappe.core.operations import AcceptWarnings, MakeFlat, MoveToMappe, Turn, UseFound
from papiermappe.core.order.landing import BacksOrder
from papiermappe.core.paper import A4
from papiermappe.core.reading.page_text import RecognitionMode
from papiermappe.core.treatment import Treatment
from papiermappe.services import analysing, comparing, importing, keeping, mappen, reading_files, runs
from papiermappe.services.caller import MACHINE
from papiermappe.services.errors import NotFound, NotPossible
from papiermappe.services.housekeeping import check
from papiermappe.services.importing import Announced, FromFiles
from papiermappe.services.pages import analysis_of
from papiermappe.services.reading import Reader, Reading
from papiermappe.standin.paper.drawing import draw_side
from papiermappe.standin.paper.originals import ORIGINALS
from papiermappe.store.database import Store
from papiermappe.store.errors import DiskFull
from papiermappe.store.incoming import Incoming
from papiermappe.store.models import Capture, FileState, IncomingFile, Page, RunOrigin, RunState


def picture(level: int, kind: str = "PNG") -> bytes:
    """Return a small picture of one level."""
    out = io.BytesIO()
    Image.fromarray(np.full((60, 40), level, np.uint8)).save(out, kind, dpi=(100, 100))
    return out.getvalue()


def png(pixels: NDArray[np.uint8], dpi: int) -> bytes:
    """Return a picture as a file."""
    out = io.BytesIO()
    Image.fromarray(pixels).save(out, "PNG", dpi=(dpi, dpi))
    return out.getvalue()


def tiff(*levels: int) -> bytes:
    """Return a TIFF with a page for each level."""
    frames = [Image.fromarray(np.full((60, 40), level, np.uint8)) for level in levels]
    out = io.BytesIO()
    frames[0].save(out, "TIFF", save_all=True, append_images=frames[1:], dpi=(100, 100))
    return out.getvalue()


def locked_pdf(password: str) -> bytes:
    """Return a PDF with one page that opens with a password."""
    pdf = pikepdf.new()
    pdf.add_blank_page(page_size=(72, 144))
    out = io.BytesIO()
    pdf.save(out, encryption=pikepdf.Encryption(owner="o", user=password))
    return out.getvalue()


@pytest.fixture
def incoming(tmp_path: Path) -> Incoming:
    """Where files are kept on their way in."""
    return Incoming(tmp_path / "incoming")


def send(store: Store, incoming: Incoming, run: int, files: dict[str, bytes], part: int = 1 << 20) -> None:
    """Send files, part by part, in the order of the run."""
    for view in importing.files_of(ANNA, store, run):
        data = files[view.name]
        at = 0
        while at < len(data):
            at = importing.receive_part(ANNA, store, incoming, view.id, at, data[at : at + part])


def bring_in(
    store: Store, incoming: Incoming, mappe: int, files: dict[str, bytes], what: FromFiles = importing.FRONTS
) -> int:
    """Bring files in to the end, as a worker would; return the run."""
    announced = [Announced(name, len(data)) for name, data in files.items()]
    run = importing.start_import(ANNA, store, mappe, announced, what)
    send(store, incoming, run, files)
    reading_files.import_files(store, incoming, run)
    return run


def levels(store: Store, mappe: int) -> list[int]:
    """Return how bright the pages are, in reading order."""
    now = desk(store, mappe)
    with store.begin() as session:
        captures = {page.id: session.get_one(Page, page.id).capture.sha256 for page in now.pages}
    return [
        int(
            np.asarray(
                Image.open(io.BytesIO(store.blobs.get(f"captures/{captures[page][:2]}/{captures[page]}")))
            ).mean()
        )
        for page in now.order
    ]


def states(store: Store, run: int) -> list[FileState]:
    """Return the states of the files of a run."""
    return [file.state for file in importing.files_of(ANNA, store, run)]


def test_files_come_in_natural_order_and_whole(store: Store, mappe: int, incoming: Incoming) -> None:
    files = {"scan10.png": picture(100), "scan2.tif": tiff(20, 21), "Scan1.png": picture(10)}
    run = bring_in(store, incoming, mappe, files)
    assert [view.name for view in importing.files_of(ANNA, store, run)] == ["Scan1.png", "scan2.tif", "scan10.png"]
    assert levels(store, mappe) == [10, 20, 21, 100]
    now = desk(store, mappe)
    assert (now.runs[0].origin, now.runs[0].state, now.runs[0].pages) == (RunOrigin.FILES, RunState.DONE, 4)
    assert now.detail(now.order[1]).file_name == "scan2.tif"
    assert incoming.all() == []
    assert check(store).problems == []


def test_a_file_goes_on_where_it_was_cut_off(store: Store, mappe: int, incoming: Incoming) -> None:
    data = picture(50)
    run = importing.start_import(ANNA, store, mappe, [Announced("a.png", len(data))])
    (file,) = importing.files_of(ANNA, store, run)
    assert importing.receive_part(ANNA, store, incoming, file.id, 0, data[:40]) == 40
    assert importing.receive_part(ANNA, store, incoming, file.id, 0, data[:40]) == 40  # sent again: not taken twice
    assert importing.receive_part(ANNA, store, incoming, file.id, 60, data[60:]) == 40  # does not join
    assert importing.receive_part(ANNA, store, incoming, file.id, 40, b"") == 40  # only asked
    reading_files.import_files(store, incoming, run)  # nothing to be read yet
    assert desk(store, mappe).order == []
    assert importing.receive_part(ANNA, store, incoming, file.id, 40, data[40:]) == len(data)
    assert importing.receive_part(ANNA, store, incoming, file.id, 40, data[40:]) == len(data)
    reading_files.import_files(store, incoming, run)
    assert levels(store, mappe) == [50]


def test_what_cannot_be_read_is_named_and_the_rest_comes_in(store: Store, mappe: int, incoming: Incoming) -> None:
    files = {
        "1.png": picture(10),
        "2.png": b"no picture",
        "3.tif": tiff(30, 31)[:-30],
        "4.png": picture(40),
        "5.png": b"",
    }
    run = bring_in(store, incoming, mappe, files)
    assert levels(store, mappe)[0] == 10
    assert levels(store, mappe)[-1] == 40
    assert states(store, run)[1] is FileState.FAILED
    message = desk(store, mappe).runs[0].message
    assert message is not None
    assert "2.png is left out: it is not a picture or PDF that can be read." in WORDS.text(message)
    assert "5.png" in WORDS.text(message)
    assert desk(store, mappe).runs[0].state is RunState.DONE


def test_a_worker_that_dies_loses_and_doubles_nothing(
    store: Store, mappe: int, incoming: Incoming, monkeypatch: pytest.MonkeyPatch
) -> None:
    class Killed(BaseException):
        pass

    keep, calls = keeping.keep_capture, iter(range(100))

    def dies_at_the_third(*arguments: object) -> int:
        if next(calls) == 2:
            raise Killed
        return keep(*arguments)  # type: ignore[arg-type]  # passed on

    files = {"many.tif": tiff(10, 20, 30, 40), "last.png": picture(50)}
    run = importing.start_import(ANNA, store, mappe, [Announced(name, len(data)) for name, data in files.items()])
    send(store, incoming, run, files)
    monkeypatch.setattr(keeping, "keep_capture", dies_at_the_third)
    with pytest.raises(Killed):
        reading_files.import_files(store, incoming, run)
    reading_files.import_files(store, incoming, run)
    assert levels(store, mappe) == [50, 10, 20, 30, 40]  # "last" comes before "many"


def test_a_locked_file_waits_for_its_password_and_keeps_its_place(store: Store, mappe: int, incoming: Incoming) -> None:
    files = {"1.png": picture(10), "2.pdf": locked_pdf("hail"), "3.png": picture(30)}
    run = bring_in(store, incoming, mappe, files)
    assert states(store, run) == [FileState.DONE, FileState.LOCKED, FileState.DONE]
    assert desk(store, mappe).runs[0].live
    file = importing.files_of(ANNA, store, run)[1].id
    importing.give_password(ANNA, store, file, "rain")
    reading_files.import_files(store, incoming, run)
    assert states(store, run)[1] is FileState.LOCKED
    importing.give_password(ANNA, store, file, "hail")
    reading_files.import_files(store, incoming, run)
    assert levels(store, mappe) == [10, 255, 30]
    assert desk(store, mappe).runs[0].state is RunState.DONE
    with store.begin() as session:
        assert session.get_one(IncomingFile, file).password is None


def test_a_file_and_a_whole_import_are_cancelled(store: Store, mappe: int, incoming: Incoming) -> None:
    files = {"1.png": picture(10), "2.png": picture(20), "3.png": picture(30)}
    run = importing.start_import(ANNA, store, mappe, [Announced(name, len(data)) for name, data in files.items()])
    views = importing.files_of(ANNA, store, run)
    importing.cancel_file(ANNA, store, views[0].id)
    importing.receive_part(ANNA, store, incoming, views[1].id, 0, files["2.png"])
    reading_files.import_files(store, incoming, run)
    assert levels(store, mappe) == [20]
    importing.receive_part(ANNA, store, incoming, views[2].id, 0, files["3.png"][:20])
    runs.stop(ANNA, store, run)
    assert desk(store, mappe).runs[0].state is RunState.STOPPED
    assert states(store, run) == [FileState.CANCELLED, FileState.DONE, FileState.CANCELLED]
    with pytest.raises(NotPossible):
        importing.receive_part(ANNA, store, incoming, views[2].id, 20, files["3.png"][20:])
    assert importing.sweep(store, incoming) == 1
    assert incoming.all() == []


def test_fronts_and_backs_in_turn(store: Store, mappe: int, incoming: Incoming) -> None:
    bring_in(store, incoming, mappe, {"a.tif": tiff(10, 11, 20), "b.tif": tiff(30, 31)}, FromFiles(both_sides=True))
    assert desk(store, mappe).lanes == [(1, 2), (3, None), (4, 5)]


@pytest.mark.parametrize(
    ("order", "lanes"),
    [
        (BacksOrder.AS_LAID, [(1, 4), (2, 5), (3, 6)]),
        (BacksOrder.TURNED_PILE, [(1, 6), (2, 5), (3, 4)]),
    ],
)
def test_fronts_from_one_file_and_backs_from_another(
    order: BacksOrder, lanes: list[tuple[int, int]], store: Store, mappe: int, incoming: Incoming
) -> None:
    fronts = bring_in(store, incoming, mappe, {"fronts.tif": tiff(10, 20, 30)})
    do(store, mappe, Turn(pages=(2,), quarter_turns=2))  # its row lies behind the others now; its place is as before
    bring_in(store, incoming, mappe, {"backs.tif": tiff(11, 21, 31)}, FromFiles(backs_of=fronts, order=order))
    assert desk(store, mappe).lanes == lanes


def test_one_mappe_each(store: Store, incoming: Incoming) -> None:
    files = {"Lease Upper Meadow.png": picture(10), "Hail.tif": tiff(20, 21)}
    started = importing.start_imports(ANNA, store, [Announced(name, len(data)) for name, data in files.items()])
    for run in started:
        send(store, incoming, run, files)
        reading_files.import_files(store, incoming, run)
    cards = {card.subject: card.page_count for card in mappen.list_open(ANNA, store).cards}
    assert cards == {"Lease Upper Meadow": 1, "Hail": 2}


@pytest.mark.parametrize(
    ("name", "kept"),
    [
        ("../../etc/passwd", "passwd"),
        ("C:\\Scans\\hail.png", "hail.png"),
        ("a\nb\x00c.png", "a b c.png"),
        ("x" * 500 + ".png", "x" * 176 + ".png"),
        ("", "file"),
        ("..", "file"),
    ],
)
def test_names_are_made_safe(name: str, kept: str, store: Store, mappe: int) -> None:
    run = importing.start_import(ANNA, store, mappe, [Announced(name, 3)])
    (view,) = importing.files_of(ANNA, store, run)
    assert view.name == kept


def test_equal_names_are_told_apart(store: Store, mappe: int) -> None:
    run = importing.start_import(ANNA, store, mappe, [Announced("a/1.png", 3), Announced("b/1.png", 3)])
    assert [view.name for view in importing.files_of(ANNA, store, run)] == ["1.png", "1 (2).png"]


@pytest.mark.parametrize("files", [[], [Announced("a", 1)] * 2001, [Announced("a", (2 << 30) + 1)]])
def test_too_many_and_too_large_are_refused(files: Sequence[Announced], store: Store, mappe: int) -> None:
    with pytest.raises(NotPossible):
        importing.start_import(ANNA, store, mappe, files)


def test_two_at_once_are_told_apart_and_what_is_larger_than_said_is_refused(
    store: Store, mappe: int, incoming: Incoming
) -> None:
    run = importing.start_import(ANNA, store, mappe, [Announced("a.png", 3)])
    with pytest.raises(NotPossible, match="run_already"):
        importing.start_import(ANNA, store, mappe, [Announced("b.png", 3)])
    (view,) = importing.files_of(ANNA, store, run)
    with pytest.raises(NotPossible, match="file_grew"):
        importing.receive_part(ANNA, store, incoming, view.id, 0, b"four")
    with pytest.raises(NotFound):
        importing.receive_part(ANNA, store, incoming, 999, 0, b"a")


def test_a_full_disk_says_so_and_the_file_goes_on_when_there_is_room(
    store: Store, mappe: int, incoming: Incoming, monkeypatch: pytest.MonkeyPatch
) -> None:
    data = picture(70)
    run = importing.start_import(ANNA, store, mappe, [Announced("a.png", len(data))])
    (view,) = importing.files_of(ANNA, store, run)

    def full(*_: object) -> None:
        raise DiskFull("disk_full")

    with monkeypatch.context() as patch:
        patch.setattr(incoming, "put", full)
        with pytest.raises(DiskFull):
            importing.receive_part(ANNA, store, incoming, view.id, 0, data)
    importing.receive_part(ANNA, store, incoming, view.id, 0, data)
    reading_files.import_files(store, incoming, run)
    assert levels(store, mappe) == [70]


def test_a_part_that_two_requests_bring_at_the_same_time_is_there_once(incoming: Incoming) -> None:
    incoming.put(1, 0, b"first ")
    for _ in range(2):
        incoming.put(1, 6, b"second")
    assert incoming.path_of(1).read_bytes() == b"first second"


def test_a_file_that_begins_to_come_while_it_is_swept_stays(
    store: Store, mappe: int, incoming: Incoming, monkeypatch: pytest.MonkeyPatch
) -> None:
    data = picture(30)
    listed, asked = Incoming.all, iter(range(10))

    def just_sent(self: Incoming) -> list[int]:
        if next(asked) == 0:
            run = importing.start_import(ANNA, store, mappe, [Announced("a.png", len(data))])
            send(store, incoming, run, {"a.png": data})
        return listed(self)

    monkeypatch.setattr(Incoming, "all", just_sent)
    importing.sweep(store, incoming)
    reading_files.import_files(store, incoming, desk(store, mappe).runs[0].id)
    assert levels(store, mappe) == [30]


def test_what_has_fallen_silent_ends_with_what_is_in(
    store: Store, mappe: int, incoming: Incoming, monkeypatch: pytest.MonkeyPatch
) -> None:
    files = {"1.png": picture(10), "2.png": picture(20)}
    run = importing.start_import(ANNA, store, mappe, [Announced(name, len(data)) for name, data in files.items()])
    first, _ = importing.files_of(ANNA, store, run)
    importing.receive_part(ANNA, store, incoming, first.id, 0, files["1.png"])
    importing.sweep(store, incoming)
    assert states(store, run) == [FileState.WAITING, FileState.COMING]
    monkeypatch.setattr(importing, "SILENT_S", -1.0)
    importing.sweep(store, incoming)
    reading_files.import_files(store, incoming, run)
    assert levels(store, mappe) == [10]
    message = desk(store, mappe).runs[0].message
    assert message is not None
    assert WORDS.text(message) == "1 file was left out. 2.png is left out: it did not come. Bring it in again."


def test_files_join_a_mappe_of_scans_and_go_to_another_one(
    store: Store, mappe: int, zaunkoenig: int, drawer: Drawer, incoming: Incoming
) -> None:
    drawer.lay("hail")
    scan(store, mappe, zaunkoenig, QUICK_ONE_SIDE)
    bring_in(store, incoming, mappe, {"a.png": picture(10)})
    other = mappen.open_mappe(ANNA, store)
    do(store, mappe, MoveToMappe(pages=(desk(store, mappe).order[-1],), mappe=other))
    assert levels(store, other) == [10]


def written_pdf(words: str) -> bytes:
    """Return a PDF with a page that says something."""
    pdf = pikepdf.new()
    page = pdf.add_blank_page(page_size=(300, 400))
    font = pikepdf.Dictionary(Type=pikepdf.Name.Font, Subtype=pikepdf.Name.Type1, BaseFont=pikepdf.Name.Helvetica)
    page.Resources = pikepdf.Dictionary(Font={"/F1": font})
    page.Contents = pdf.make_stream(f"BT /F1 20 Tf 72 300 Td ({words}) Tj ET".encode())
    out = io.BytesIO()
    pdf.save(out)
    return out.getvalue()


def test_what_a_file_says_is_known_without_being_recognised(store: Store, incoming: Incoming, mappe: int) -> None:
    run = bring_in(store, incoming, mappe, {"written.pdf": written_pdf("Upper Meadow")})
    with store.begin() as session:
        capture = session.scalars(select(Capture).where(Capture.run_id == run)).one()
    reader = Reader(store, None, Reading("eng", RecognitionMode.ACCURATE))
    treatment = Treatment()
    picture = treatment.picture_key(capture.sha256)
    assert reader.known(picture) is None
    text = reader.brought(capture.id, treatment, picture)
    assert text is not None
    assert (text.text, text.languages) == ("Upper Meadow", ("eng",))
    assert reader.known(picture) == text
    not_to_be_read = Reader(store, None, Reading("", RecognitionMode.ACCURATE))
    assert not_to_be_read.brought(capture.id, treatment, picture) is None


def test_a_likely_resolution_is_said(store: Store, incoming: Incoming, mappe: int) -> None:
    out = io.BytesIO()
    Image.fromarray(np.full((1754, 1240), 230, np.uint8)).save(out, "PNG")
    run = bring_in(store, incoming, mappe, {"page.png": out.getvalue(), "known.png": picture(200)})
    said = {view.name: view.message for view in importing.files_of(ANNA, store, run)}
    assert said["known.png"] is None
    assert said["page.png"] is not None
    assert (
        WORDS.text(said["page.png"])
        == "1 page names no resolution that can be true: 300 dpi is taken, by the size of paper."
    )


def test_files_are_compared_in_the_order_of_their_pages(store: Store, mappe: int, incoming: Incoming) -> None:
    """By their letters scan-10 would come before scan-2, and not behind scan-9, which it repeats."""
    lease = [png(draw_side(A4, sheet.front).raster(100), 100) for sheet in ORIGINALS["lease"].sheets]
    files = {"scan-2.png": lease[0], "scan-9.png": lease[1], "scan-10.png": lease[1]}
    run = bring_in(store, incoming, mappe, files)
    analyse_all(store, mappe)
    comparing.compare_run(store, run, here, DEFAULT_LIMIT_PX)
    told = [[warning.code for warning in page.warnings] for page in desk(store, mappe).pages]
    assert [codes.count("finding_same_again") for codes in told] == [0, 0, 1]


def test_a_photo_becomes_a_flat_page_and_what_a_person_sets_stays(store: Store, mappe: int, incoming: Incoming) -> None:
    page_picture = draw_side(ORIGINALS["lease"].paper, ORIGINALS["lease"].sheets[0].front).raster(150)
    run = bring_in(store, incoming, mappe, {"table.jpg": photograph(page_picture)})
    (file,) = importing.files_of(ANNA, store, run)
    assert file.message is not None
    assert file.message.code == "photo_scaled"
    analyse_all(store, mappe)
    (page,) = desk(store, mappe).pages
    detail = desk(store, mappe).detail(page.id)
    assert (page.width_mm, page.height_mm) == (210, 297)
    assert detail.is_found_flat
    assert page.warnings == []

    corners = ((90.0, 40.0), (300.0, 50.0), (310.0, 330.0), (80.0, 320.0))
    do(store, mappe, MakeFlat(pages=(page.id,), corners=corners))
    assert not desk(store, mappe).detail(page.id).is_found_flat
    with store.begin() as session:
        analysis = analysis_of(session.get_one(Page, page.id))
    assert analysis is not None
    analysing.record_analysis(MACHINE, store, page.id, analysis)  # looked at once more
    assert desk(store, mappe).treatments()[0].corners == corners
    do(store, mappe, MakeFlat(pages=(page.id,), corners=None))
    detail = desk(store, mappe).detail(page.id)
    assert (desk(store, mappe).treatments()[0].corners, detail.is_sheet_found, detail.is_found_flat) == (
        None,
        True,
        False,
    )
    do(store, mappe, UseFound(pages=(page.id,), step="crop"))
    assert desk(store, mappe).detail(page.id).is_found_flat


def test_of_a_photo_without_a_sheet_one_thing_is_said(store: Store, mappe: int, incoming: Incoming) -> None:
    pattern = np.random.default_rng(8).normal(120, 30, (60, 80, 3)).clip(0, 255).astype(np.uint8)
    table = np.kron(pattern, np.ones((12, 12, 1), np.uint8))
    bring_in(store, incoming, mappe, {"table.jpg": camera_jpeg(table)})
    analyse_all(store, mappe)
    (page,) = desk(store, mappe).pages
    assert [warning.code for warning in page.warnings] == ["sheet_uncertain"]
    assert desk(store, mappe).detail(page.id).findings == []
    do(store, mappe, AcceptWarnings(pages=(page.id,), codes=("sheet_uncertain",)))
    assert desk(store, mappe).pages[0].warnings == []


def test_a_photo_that_is_not_sure_is_to_be_checked_and_its_corners_begin_at_the_guess(
    store: Store, mappe: int, incoming: Incoming
) -> None:
    two = np.full((750, 1000, 3), 62, np.uint8)  # two sheets alike: which of them is meant?
    two[150:640, 60:420] = two[150:640, 560:920] = 235
    bring_in(store, incoming, mappe, {"table.jpg": camera_jpeg(two)})
    analyse_all(store, mappe)
    (page,) = desk(store, mappe).pages
    detail = desk(store, mappe).detail(page.id)
    with store.begin() as session:
        analysis = analysis_of(session.get_one(Page, page.id))
    assert analysis is not None
    assert analysis.photo_sheet is not None
    assert 0 < analysis.photo_sheet.confidence < 0.5
    assert detail.sheet_corners == analysis.photo_sheet.corners
    assert [warning.code for warning in page.warnings] == ["sheet_uncertain"]
    assert desk(store, mappe).treatments()[0].corners is None
