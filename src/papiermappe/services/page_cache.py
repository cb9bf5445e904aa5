"""Pages for windows, cached while they do not change."""

import threading
from collections import OrderedDict

from sqlalchemy import select

from papiermappe.services.caller import Caller, visible_mappe
from papiermappe.services.page_views import PageRow, page_row
from papiermappe.services.places import as_places, places
from papiermappe.store.database import Store
from papiermappe.store.models import Page

MAX_PAGES = 20_000


class PageCache:
    """Pages by number and revision of what they are. Whatever changes them gives a new one, so none goes stale.

    Args:
        max_pages: how many are kept.
    """

    def __init__(self, max_pages: int = MAX_PAGES) -> None:
        self._max_pages = max_pages
        self._rows: OrderedDict[tuple[int, int], PageRow] = OrderedDict()
        self._lock = threading.Lock()

    def pages_of(self, caller: Caller, store: Store, mappe_id: int) -> tuple[int, list[PageRow]]:
        """Return all pages of a Mappe; only those not in the cache are read in full.

        Returns:
            The newest change that the pages are sure to include, and the pages.

        Raises:
            NotFound: the Mappe is not there.
        """
        with store.begin() as session:
            cursor = visible_mappe(caller, session, mappe_id).change
            own = places().add_columns(Page.content_revision).where(Page.mappe_id == mappe_id)
            known = session.execute(own).all()
            keys = [(row.id, row.content_revision) for row in known]
            with self._lock:  # held on to here, so that what others push out meanwhile is not missed
                rows = {key[0]: self._rows[key] for key in keys if key in self._rows}
            missing = [row.id for row in known if row.id not in rows]
            pages = session.scalars(select(Page).where(Page.id.in_(missing))).all() if missing else []
            fresh = {page.id: page_row(page) for page in pages}
        with self._lock:
            for key in keys:
                if key[0] in fresh:
                    self._rows[key] = fresh[key[0]]
            while len(self._rows) > self._max_pages:
                self._rows.popitem(last=False)
        rows |= fresh
        return cursor, [rows[place.id].laid(place) for place in as_places(known) if place.id in rows]
