"""What is logged, and what is not."""

from collections.abc import Iterator

import pytest
import structlog

from papiermappe import logs


@pytest.fixture
def log() -> Iterator[structlog.BoundLogger]:
    """A log as it is set up in every process."""
    before = structlog.get_config()
    logs.configure()
    yield structlog.get_logger()
    structlog.configure(**before)


def test_long_values_are_cut(log: structlog.BoundLogger, capsys: pytest.CaptureFixture[str]) -> None:
    log.info("refused", action="web.refused", path="/" + "x" * 1_000_000, places=["y" * 1000])
    said = capsys.readouterr().out
    assert "refused" in said
    assert "action=web.refused" in said
    assert len(said) < 2000


def test_tracebacks_do_not_show_what_variables_hold(
    log: structlog.BoundLogger, capsys: pytest.CaptureFixture[str]
) -> None:
    text_of_page = "".join(["Dear ", "members"])

    def break_down(said: str) -> None:
        raise RuntimeError(f"a fault of ours after {len(said)} letters")

    try:
        break_down(text_of_page)
    except RuntimeError:
        log.exception("unexpected error", action="web.failed")
    said = capsys.readouterr().out
    assert "RuntimeError: a fault of ours" in said
    assert "test_logs.py" in said
    assert text_of_page not in said
