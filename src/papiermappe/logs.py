"""Logs for whoever runs the desk: a sentence, an action, ids; never what pages say, never as long as what was sent."""

import logging
from collections.abc import MutableMapping
from typing import Any

import structlog

MAX_CHARACTERS = 500


def configure() -> None:
    """Set up logging for this process, to standard output and standard error."""
    logging.basicConfig(level=logging.WARNING, format="%(asctime)s %(levelname)s %(name)s: %(message)s")
    structlog.configure(
        processors=[
            structlog.processors.add_log_level,
            structlog.dev.set_exc_info,
            structlog.processors.TimeStamper(fmt="%Y-%m-%d %H:%M:%S", utc=False),
            _shorten,
            # Tracebacks without the values of variables, which may be what a page says.
            structlog.dev.ConsoleRenderer(colors=False, exception_formatter=structlog.dev.plain_traceback),
        ],
        wrapper_class=structlog.make_filtering_bound_logger(logging.INFO),
    )


def _shorten(_: Any, __: str, event: MutableMapping[str, Any]) -> MutableMapping[str, Any]:
    """Cut long values, whoever has sent them."""
    for name, value in event.items():
        if name != "exc_info" and len(text := str(value)) > MAX_CHARACTERS:
            event[name] = text[:MAX_CHARACTERS] + "…"
    return event
