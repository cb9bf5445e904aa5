"""Photos on the desk: corners that a person places, bent paper, the two pages of an open book."""

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from sqlalchemy import select, text
from tests.core.photo.test_corners import QUAD, SIZE, busy, laid
from tests.helpers import ANNA, analyse_all, camera_jpeg, desk, do, once, redo, undo

from papiermappe.core.geometry import quad_mm
from papiermappe.core.limits import DEFAULT_LIMIT_PX
from papiermappe.core.operations import MakeFlat, UseFound
from papiermappe.core.order.places import Side
from papiermappe.core.photo_sheet import NearCorners
from papiermappe.core.picture import Pixels
from papiermappe.core.treatment import Origin, Straightening, Treatment
from papiermappe.services import camera, comparing, flattening, importing, reading_files
from papiermappe.services.errors import NotFound
from papiermappe.services.importing import Announced
from papiermappe.services.page_views import SpreadKind
from papiermappe.services.reconciling import reconcile
from papiermappe.services.splitting import split_spreads
from papiermappe.standin.camera.optics import Camera
from papiermappe.standin.camera.photos import sheet_of
from papiermappe.standin.camera.scene import Lying, Scene, Table, corners_px, photograph
from papiermappe.store.database import Store
from papiermappe.store.incoming import Incoming
from papiermappe.store.models import Capture, Page, Run

CAMERA = Camera(2000, 1500, eye_mm=(10, 50, 470), aim_mm=(0, 0), view_deg=52)


def taken(sheet: Lying) -> Pixels:
    """Return a photo of something on a wooden table."""
    return photograph(Scene(Table.WOOD, sheet, seed=4), CAMERA)


def book(bow_mm: float = 12.0) -> Lying:
    """Return the open handbook, the right way up."""
    return replace(sheet_of("handbook", 2, Side.FRONT), bow_mm=bow_mm, turn_deg=1.5)


def bent() -> Lying:
    """Return a letter that does not lie flat."""
    letter = sheet_of("letter-share", 0, Side.FRONT)
    return Lying(letter.pixels, letter.width_mm, letter.height_mm, turn_deg=4, bow_mm=9)


def bring(store: Store, mappe: int, folder: Path, photo: Pixels) -> int:
    """Bring a photo in, have it examined, and return its page."""
    incoming, data = Incoming(folder / "incoming"), camera_jpeg(photo)
    run = importing.start_import(ANNA, store, mappe, [Announced("photo.jpg", len(data))], importing.FRONTS)
    (file,) = importing.files_of(ANNA, store, run)
    importing.receive_part(ANNA, store, incoming, file.id, 0, data)
    reading_files.import_files(store, incoming, run)
    analyse_all(store, mappe)
    return desk(store, mappe).order[-1]


def treatment(store: Store, mappe: int, page: int) -> Treatment:
    """Return what is done to a page."""
    return desk(store, mappe).detail(page).treatment


def send(
    store: Store,
    mappe: int,
    folder: Path,
    level: int | Pixels,
    again_file: int | None = None,
    near: NearCorners | None = None,
) -> int:
    """Send a picture of the desk's camera, of one level or as given; return its number."""
    pixels = np.full((120, 90, 3), level, np.uint8) if isinstance(level, int) else level
    data = camera_jpeg(pixels)
    picture = Announced("picture.jpg", len(data))
    file = camera.expect_picture(ANNA, store, mappe, picture, again_file=again_file, near=near)
    importing.receive_part(ANNA, store, Incoming(folder / "incoming"), file, 0, data)
    return file


def read(store: Store, mappe: int, folder: Path) -> int:
    """Read the pictures that are here, and examine them, as workers would; return the run."""
    with store.begin() as session:
        run = session.scalars(select(Run.id).where(Run.mappe_id == mappe).order_by(Run.id.desc())).first() or 0
    reading_files.import_files(store, Incoming(folder / "incoming"), run)
    analyse_all(store, mappe)
    return run


def waiting(store: Store) -> list[int]:
    """Return the pages that wait for being examined by their corners."""
    with store.begin() as session:
        jobs = text("SELECT args->>'page_id' FROM procrastinate_jobs WHERE task_name = 'examine_flattened' ORDER BY id")
        return [int(page) for page in session.scalars(jobs)]


def examine(store: Store, page: int) -> None:
    """Examine a page by its corners, as a worker would."""
    flattening.examine_flattened(store, page, once, DEFAULT_LIMIT_PX)


def test_corners_placed_by_a_person_are_examined_anew(store: Store, mappe: int, tmp_path: Path) -> None:
    sheet = bent()
    page = bring(store, mappe, tmp_path, taken(sheet))
    found = treatment(store, mappe, page)
    assert found.corners is not None
    assert found.curl is not None
    true = quad_mm(corners_px(sheet, CAMERA) - 0.5, desk(store, mappe).detail(page).page.dpi)
    placed = tuple((round(x, 1) - 1.0, round(y, 1) + 0.5) for x, y in true)  # as exact as a person drags them
    do(store, mappe, MakeFlat(pages=(page,), corners=placed))
    assert waiting(store) == [page]
    assert treatment(store, mappe, page).straighten is None
    examine(store, page)
    now = treatment(store, mappe, page)
    assert now.corners == placed
    assert now.straighten is not None
    assert now.straighten.origin is Origin.FOUND
    assert now.curl is not None
    assert now.curl.largest_mm == pytest.approx(found.curl.largest_mm, abs=1.0)
    do(store, mappe, UseFound(pages=(page,), step="crop"))
    assert treatment(store, mappe, page) == found
    assert waiting(store) == [page]  # nothing more is to be found there
    undo(store, mappe)
    undo(store, mappe)
    assert treatment(store, mappe, page) == found
    redo(store, mappe)
    assert treatment(store, mappe, page).corners == placed


def test_a_sheet_whose_examination_was_given_up_is_left_as_its_corners_make_it(
    store: Store, mappe: int, tmp_path: Path
) -> None:
    page = bring(store, mappe, tmp_path, taken(book()))
    found = treatment(store, mappe, page)
    assert found.corners is not None
    moved = tuple((x + 2.0, y) for x, y in found.corners)
    do(store, mappe, MakeFlat(pages=(page,), corners=moved))
    assert reconcile(store) == 0  # its job still waits
    with store.begin() as session:
        session.execute(text("UPDATE procrastinate_jobs SET status = 'failed'"))
    assert reconcile(store) == 1
    left = treatment(store, mappe, page)
    assert left == found.model_copy(
        update={
            "corners": moved,
            "curl": None,
            "crop": None,
            "straighten": Straightening(skew_deg=0.0, confidence=0.0, on=False),
        }
    )
    assert reconcile(store) == 0
    undo(store, mappe)
    assert treatment(store, mappe, page) == found


def test_what_a_person_sets_while_corners_are_examined_stays(store: Store, mappe: int, tmp_path: Path) -> None:
    page = bring(store, mappe, tmp_path, taken(book()))
    found = treatment(store, mappe, page)
    assert found.corners is not None
    moved = tuple((x + 2.0, y) for x, y in found.corners)
    do(store, mappe, MakeFlat(pages=(page,), corners=moved))
    do(store, mappe, MakeFlat(pages=(page,), corners=None))
    examine(store, page)  # the first job comes late
    assert treatment(store, mappe, page).corners is None
    assert treatment(store, mappe, page).straighten is None


def test_an_open_book_becomes_two_flat_pages(store: Store, mappe: int, tmp_path: Path) -> None:
    page = bring(store, mappe, tmp_path, taken(book()))
    spread = desk(store, mappe).pages[0]
    assert spread.spread is SpreadKind.SURE
    assert treatment(store, mappe, page).curl is None  # each of its pages bends by itself
    split_spreads(ANNA, store, mappe, [page], desk(store, mappe).cursor)
    analyse_all(store, mappe)
    left, right = desk(store, mappe).pages
    width_mm = corners_px(book(0.0), CAMERA)
    truth = np.linalg.norm(width_mm[1] - width_mm[0]) / np.linalg.norm(width_mm[3] - width_mm[0])  # of the spread
    for half, turned in ((left, 1), (right, -1)):
        made = treatment(store, mappe, half.id)
        assert made.part is None
        assert made.corners is not None
        assert made.curl is not None
        assert made.curl.on
        assert made.straighten is not None
        assert abs(made.skew_deg) < 0.8
        assert half.spread is None
        assert half.width_mm / half.height_mm == pytest.approx(truth / 2, rel=0.06), turned
    undo(store, mappe)
    assert desk(store, mappe).order == [page]
    redo(store, mappe)
    assert desk(store, mappe).order == [left.id, right.id]


def test_pictures_of_an_open_book_are_split_once_all_are_in(store: Store, mappe: int, tmp_path: Path) -> None:
    for _ in range(2):
        send(store, mappe, tmp_path, taken(book()))
    camera.end_pictures(ANNA, store, mappe, open_book=True)
    run = read(store, mappe, tmp_path)
    spreads = desk(store, mappe).order
    comparing.compare_run(store, run, once, DEFAULT_LIMIT_PX)
    now = desk(store, mappe)
    assert len(now.order) == 4
    assert now.undo == "2 spreads split into two pages each"
    undo(store, mappe)
    comparing.compare_run(store, run, once, DEFAULT_LIMIT_PX)  # the job comes again: what was taken back stays so
    assert desk(store, mappe).order == spreads


def test_pictures_of_single_sheets_are_not_split(store: Store, mappe: int, tmp_path: Path) -> None:
    send(store, mappe, tmp_path, taken(book()))
    camera.end_pictures(ANNA, store, mappe)
    comparing.compare_run(store, read(store, mappe, tmp_path), once, DEFAULT_LIMIT_PX)
    assert len(desk(store, mappe).order) == 1


def file_names(store: Store, mappe: int) -> list[str]:
    """Return the names of the pictures that pages show now, in reading order."""
    with store.begin() as session:
        rows = session.execute(select(Page.id, Capture.file_name).join(Page.capture))
        names = {row.id: row.file_name for row in rows}
    return [names[page] or "" for page in desk(store, mappe).order]


@pytest.mark.parametrize("read_between", [True, False], ids=["already a page", "still on its way"])
def test_the_picture_taken_last_is_taken_again(store: Store, mappe: int, tmp_path: Path, read_between: bool) -> None:
    send(store, mappe, tmp_path, 40)
    last = send(store, mappe, tmp_path, 80)
    if read_between:
        read(store, mappe, tmp_path)
    better = send(store, mappe, tmp_path, 120, again_file=last)
    send(store, mappe, tmp_path, 160, again_file=better)
    read(store, mappe, tmp_path)
    assert file_names(store, mappe) == ["picture (1).jpg", "picture (4).jpg"]
    undo(store, mappe)
    assert file_names(store, mappe) == ["picture (1).jpg", "picture (3).jpg"]


def test_what_takes_the_place_of_a_picture_that_is_gone_is_a_page_of_its_own(
    store: Store, mappe: int, tmp_path: Path
) -> None:
    last = send(store, mappe, tmp_path, 80)
    importing.cancel_file(ANNA, store, last)
    send(store, mappe, tmp_path, 120, again_file=last)
    read(store, mappe, tmp_path)
    assert file_names(store, mappe) == ["picture (2).jpg"]
    with pytest.raises(NotFound):
        send(store, mappe, tmp_path, 160, again_file=last + 1000)


def test_where_the_camera_saw_the_sheet_helps_on_a_table_of_many_edges(
    store: Store, mappe: int, tmp_path: Path
) -> None:
    photo = laid(busy(), rows=0)
    first, second, third, fourth = ((float(x), float(y)) for x, y in QUAD / np.array(SIZE[::-1]))
    send(store, mappe, tmp_path, photo)
    send(store, mappe, tmp_path, photo, near=(first, second, third, fourth))
    read(store, mappe, tmp_path)
    alone, helped = desk(store, mappe).treatments()
    assert alone.corners is None  # a person places them
    assert helped.corners is not None
