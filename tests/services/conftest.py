"""What tests of services share."""

import pytest
from tests.helpers import QUICK_ONE_SIDE, Drawer, here, orders

from papiermappe.core.picture import DEFAULT_LIMIT_PX
from papiermappe.devices.escl import Limits
from papiermappe.services import intake, passes
from papiermappe.services.pictures import look_at_page
from papiermappe.store.database import Store


@pytest.fixture
def pages(store: Store, mappe: int, zaunkoenig: int, drawer: Drawer) -> list[int]:
    """Three fronts, looked at."""
    drawer.lay("lease")
    intake.take_in(store, passes.start_pass(store, mappe, zaunkoenig, QUICK_ONE_SIDE), Limits())
    for page in orders(store, mappe):
        look_at_page(store, page, here, DEFAULT_LIMIT_PX)
    return orders(store, mappe)
