"""What tests of services share."""

import pytest
from tests.helpers import QUICK_ONE_SIDE, Drawer, analyse_all, desk, scan

from papiermappe.store.database import Store


@pytest.fixture
def pages(store: Store, mappe: int, zaunkoenig: int, drawer: Drawer) -> list[int]:
    """Three fronts, analysed."""
    drawer.lay("lease")
    scan(store, mappe, zaunkoenig, QUICK_ONE_SIDE)
    analyse_all(store, mappe)
    return desk(store, mappe).order
