"""The demo data."""

from types import SimpleNamespace
from typing import cast

import pytest

from papiermappe.demo import _waits
from papiermappe.services.views import MappeView
from papiermappe.store.models import RunState


@pytest.mark.parametrize(("scans", "in_time"), [([7], False), ([7, 8], True), ([7, 7, 8], True)])
def test_a_booklet_goes_on_although_somebody_has_split_a_spread_meanwhile(scans: list[int], in_time: bool) -> None:
    """The desk can be used while its demo papers are still laid; two pages of a spread share their scan."""
    pages = [SimpleNamespace(scan=scan) for scan in scans]
    now = SimpleNamespace(runs=[SimpleNamespace(state=RunState.WAITING)], pages=pages)
    assert _waits(cast(MappeView, now), pages=2) is in_time
