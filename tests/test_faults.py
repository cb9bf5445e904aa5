"""A short run of the benchmark of kills; `python -m benchmarks.faults` plays hundreds of rounds."""

import random
from pathlib import Path

import pytest
from benchmarks.faulting.at_sheet import at_sheet
from benchmarks.faulting.desk import VICTIMS, Desk
from benchmarks.faulting.rounds import SCENARIOS, play

from papiermappe.services.housekeeping import check

SEED = 3
"""Another than that of the benchmark."""


@pytest.mark.slow
def test_kills_at_random_moments_lose_nothing(tmp_path: Path) -> None:
    rng = random.Random(SEED)  # noqa: S311 (rounds that can be played again)
    with Desk(tmp_path) as desk:
        faults = {scenario: play(desk, scenario, (rng.choice(VICTIMS),), rng).faults for scenario in SCENARIOS}
        assert faults == {scenario: [] for scenario in SCENARIOS}
        assert check(desk.store).problems == []


@pytest.mark.slow
def test_faults_of_the_device_at_a_sheet_lose_nothing_and_are_named(tmp_path: Path) -> None:
    """A sample; `python -m benchmarks.faults --devices` has each fault at each of ten sheets."""
    sample = [("feeder", "mispick", 1), ("feeder", "restart", 3), ("feeder", "gone", 2), ("glass", "restart", 2)]
    with Desk(tmp_path) as desk:
        for source, fault, sheet in sample:
            assert at_sheet(desk, source, fault, sheet, sheets=3) == [], (source, fault, sheet)
        assert check(desk.store).problems == []
