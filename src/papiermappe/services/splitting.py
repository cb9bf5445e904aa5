"""Spreads split into two pages."""

from collections.abc import Sequence

from sqlalchemy import select
from sqlalchemy.orm import Session

from papiermappe.core.geometry import Quad
from papiermappe.core.halves import GutterLine, half_of
from papiermappe.core.operations import Halves, SplitSpreads
from papiermappe.core.treatment import Part, flat_size_mm, page_box
from papiermappe.services.caller import Caller, locked_mappe
from papiermappe.services.errors import NotPossible
from papiermappe.services.journal import record
from papiermappe.services.pages import analysis_of, treatment_of
from papiermappe.services.transaction import transaction
from papiermappe.store.models import Page


@transaction
def split_spreads(
    caller: Caller, session: Session, mappe_id: int, pages: Sequence[int], seen: int, *, right_to_left: bool = False
) -> int | None:
    """Split pages along their gutters: as somebody has drawn them, or else as they were found.

    Pages without a gutter stay as they are. Each page that comes of it is examined by itself.

    Args:
        caller: who asks.
        session: of the transaction.
        mappe_id: in which they are.
        pages: to be split.
        seen: the newest change that the author knew.
        right_to_left: the right page is read first.

    Returns:
        The number of the new journal entry.

    Raises:
        NotFound: the Mappe is not there.
        NotPossible: none of the pages has a gutter.
        ChangedMeanwhile: somebody else has moved one of them since `seen`.
    """
    mappe = locked_mappe(caller, session, mappe_id)
    lying = select(Page).where(Page.mappe_id == mappe_id, Page.id.in_(pages), ~Page.set_aside)
    spreads = [(page, gutter) for page in session.scalars(lying) if (gutter := gutter_of(page)) is not None]
    spreads = [(page, gutter) for page, gutter in spreads if _has_two_sides(page, gutter)]
    if not spreads:
        raise NotPossible("no_gutter")
    sides = (True, False) if right_to_left else (False, True)
    made = [tuple(_half(page, gutter, right=right) for right in sides) for page, gutter in spreads]
    session.add_all(half for pair in made for half in pair)
    session.flush()
    operation = SplitSpreads(
        pages=tuple(page.id for page, _ in spreads),
        halves=tuple(
            Halves(spread=page.id, first=first.id, second=second.id)
            for (page, _), (first, second) in zip(spreads, made, strict=True)
        ),
    )
    return record(caller, session, {mappe_id: mappe}, operation, seen)


def gutter_of(page: Page) -> GutterLine | None:
    """Return where a page would be split: on its capture, or on the sheet of a photo; None where it is no spread."""
    treatment, analysis = treatment_of(page), analysis_of(page)
    if treatment.part is not None:
        return None
    return treatment.gutter or (analysis.spread.gutter if analysis and analysis.spread else None)


def _has_two_sides(page: Page, gutter: GutterLine) -> bool:
    corners = _corners(page)
    return all(half_of(corners, gutter, right) is not None for right in (False, True))


def _corners(page: Page) -> Quad:
    capture, treatment = page.capture, treatment_of(page)
    return page_box(*flat_size_mm(capture.width_px, capture.height_px, capture.dpi, treatment), treatment).corners


def _half(spread: Page, gutter: GutterLine, *, right: bool) -> Page:
    """Return a page of a spread, which lies nowhere yet; how it is straightened and cropped will be found."""
    anew = {"gutter": None, "straighten": None, "crop": None, "margins": (0.0, 0.0)}
    own = treatment_of(spread).model_copy(update={**anew, "part": Part(gutter=gutter, right=right)})
    return Page(
        capture_id=spread.capture_id,
        rank=spread.rank,
        side=spread.side,
        treatment=own.model_dump(mode="json"),
        revision=spread.revision,
        content_revision=spread.revision,
    )
