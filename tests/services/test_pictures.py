"""Pictures of pages, as workers make them."""

import numpy as np
from tests.helpers import desk, do, here

from papiermappe.core.limits import DEFAULT_LIMIT_PX
from papiermappe.core.operations import SetTone
from papiermappe.core.picture import decode
from papiermappe.core.treatment import Tone
from papiermappe.services import pictures
from papiermappe.services.pictures import PictureSize, copy_key
from papiermappe.store.blobs import Blobs
from papiermappe.store.database import Store
from papiermappe.store.models import Page


def made(store: Store, mappe: int, size: PictureSize) -> list[bytes]:
    """Have the pictures of all pages made; return those that could be."""
    shown = desk(store, mappe).pages
    pictures.make_pictures(store, [page.id for page in shown], size, here, DEFAULT_LIMIT_PX)
    there = (pictures.made_picture(store, page.picture, size) for page in shown)
    return [picture for picture in there if picture is not None]


def without_captures(store: Store, pages: list[int]) -> None:
    """Have each capture decode to nothing, so that whatever is made of it cannot be made."""
    with store.begin() as session:
        for page_id in pages:
            store.blobs.keep(Blobs.capture_key(session.get_one(Page, page_id).capture.sha256), b"no picture")


def test_small_pictures_are_made_without_decoding_the_scan(store: Store, mappe: int, pages: list[int]) -> None:
    do(store, mappe, SetTone(pages=tuple(pages), tone=Tone.WHITE))
    without_captures(store, pages)
    assert len(made(store, mappe, PictureSize.LANE)) == len(pages)
    assert made(store, mappe, PictureSize.STAGE) == []


def test_small_pictures_are_the_same_with_and_without_the_copy(store: Store, mappe: int, pages: list[int]) -> None:
    do(store, mappe, SetTone(pages=tuple(pages), tone=Tone.GREY))
    with_copy = [decode(picture).astype(float) for picture in made(store, mappe, PictureSize.LANE)]
    for page in desk(store, mappe).pages:
        store.blobs.remove(Blobs.picture_key(page.picture, PictureSize.LANE))
    with store.begin() as session:
        for page_id in pages:
            store.blobs.remove(copy_key(session.get_one(Page, page_id).capture.sha256))
    from_scan = [decode(picture).astype(float) for picture in made(store, mappe, PictureSize.LANE)]
    assert len(with_copy) == len(from_scan) == len(pages)
    for small, whole in zip(with_copy, from_scan, strict=True):
        assert small.shape == whole.shape
        assert np.corrcoef(small.ravel(), whole.ravel())[0, 1] > 0.97
        assert abs(small.mean() - whole.mean()) < 1
