"""A short run of the fuzzers; `python -m benchmarks.fuzz` makes many thousand cases."""

import pytest
from benchmarks.fuzzing import devices, files
from benchmarks.fuzzing.tally import Tally

SEED = 7
"""Another than that of the benchmark."""


def assert_clean(tally: Tally) -> None:
    """Nothing came up that must not."""
    assert (tally.untyped, tally.late, tally.wrong) == ([], [], [])
    assert tally.answered > 0
    assert tally.refused > 0


def test_hostile_devices() -> None:
    assert_clean(devices.run(range(40), SEED))


@pytest.mark.slow
def test_broken_files() -> None:
    assert_clean(files.run(range(250), SEED))


def test_the_tally_notices_what_must_not_happen() -> None:
    def break_down() -> None:
        raise KeyError("a fault of ours")

    tally = Tally()
    tally.attempt("1", 5.0, break_down)
    tally.attempt("2", -1.0, lambda: None)
    assert len(tally.untyped) == 1
    assert len(tally.late) == 1
    assert ("untyped errors", "1", "0") in list(tally.rows())
