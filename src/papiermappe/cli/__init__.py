"""The command line: thin over what does the work.

Each command imports what it needs when it runs, so that a desk's processes start quickly.
"""

import os
import sys

import typer
from pydantic import ValidationError

from papiermappe import logs
from papiermappe.cli import assembling, desk, processes, standins
from papiermappe.cli.console import chosen_words
from papiermappe.errors import PapiermappeError

app = typer.Typer(
    add_completion=False,
    no_args_is_help=True,
    pretty_exceptions_enable=False,
    help="Papiermappe: from paper to the right file.",
)
for part in (processes, desk, standins, assembling):
    app.add_typer(part.app)


def main() -> None:
    """Run a command; on trouble say the causes, one a line, and exit with 1.

    With PAPIERMAPPE_DEBUG set, show the traceback instead.
    """
    logs.configure()
    try:
        app()
    except (PapiermappeError, ValidationError, OSError) as exc:
        if os.environ.get("PAPIERMAPPE_DEBUG"):
            raise
        cause: BaseException | None = exc
        while cause is not None:
            typer.echo(_sentence(cause), err=True)
            cause = cause.__cause__
        sys.exit(1)


def _sentence(exc: BaseException) -> str:
    if isinstance(exc, ValidationError):
        return "\n".join(
            f"{_place(exc.title, error['loc'])} does not fit: {error['msg']}." for error in exc.errors()[:3]
        )
    if isinstance(exc, PapiermappeError):
        return chosen_words().text(exc.message)
    return str(exc).partition("\n")[0]


def _place(model: str, at: tuple[int | str, ...]) -> str:
    """Return where a value does not fit: a setting, or a place in a file."""
    if model == "Settings":
        return f"The setting PAPIERMAPPE_{'_'.join(map(str, at)).upper()}"
    return f"“{'.'.join(map(str, at))}”" if at else "It"
