"""The command line: thin over what does the work.

Each command imports what it needs when it runs, so that a desk's processes start quickly.
"""

import asyncio
import logging
import os
import sys
from pathlib import Path
from typing import Annotated

import structlog
import typer
from pydantic import ValidationError

from papiermappe.assembly.order import Colours, Order
from papiermappe.core.encode.level import Level
from papiermappe.core.page_text import Care
from papiermappe.errors import PapiermappeError
from papiermappe.local.errors import CannotStart
from papiermappe.settings import Settings

app = typer.Typer(
    add_completion=False,
    no_args_is_help=True,
    pretty_exceptions_enable=False,
    help="Papiermappe: from paper to the right file.",
)

GRACE_S = 1


def _database_url(settings: Settings) -> str:
    if settings.database_url is None:
        raise CannotStart(
            "No database is named. Set PAPIERMAPPE_DATABASE_URL, or use `papiermappe run`, which brings its own."
        )
    return str(settings.database_url)


@app.command()
def run() -> None:
    """Start everything on this machine: private database, worker, web server."""
    from papiermappe.local.desk import LocalDesk, first_destination

    desk = LocalDesk(Settings(), dict(os.environ), with_standin=False, standin_pace=1, say=_say)
    desk.run(first_destination)


@app.command()
def demo(
    pace: Annotated[float, typer.Option(min=0, help="Speed of the stand-in scanners; 0 is without waiting.")] = 1.0,
    reset: Annotated[bool, typer.Option("--reset", help="Remove the demo's data first.")] = False,
) -> None:
    """Start everything with demo data and stand-in scanners."""
    from papiermappe.demo import load_demo
    from papiermappe.local.desk import LocalDesk, remove

    settings = Settings()
    if "data_dir" not in settings.model_fields_set:
        settings = settings.model_copy(update={"data_dir": Path("var/demo").resolve()})
    if reset:
        remove(settings.data_dir)

    def prepare(desk: LocalDesk) -> None:
        _say("Laying the demo papers…")
        load_demo(desk.database_url, settings.data_dir, f"http://127.0.0.1:{desk.standin_port}", desk.standin_port)
        _say(f"The paper drawer of the stand-in scanners is at http://127.0.0.1:{desk.standin_port}")

    LocalDesk(settings, dict(os.environ), with_standin=True, standin_pace=pace, say=_say).run(prepare)


@app.command()
def web() -> None:
    """Start the web server."""
    import uvicorn

    from papiermappe.web.app import create_app

    settings = Settings()
    uvicorn.run(
        create_app(settings, _database_url(settings)),
        host=settings.host,
        port=settings.port,
        log_level="warning",
        timeout_graceful_shutdown=GRACE_S,
        server_header=False,
    )


@app.command()
def worker() -> None:
    """Start a worker; any number of them can run."""
    from papiermappe.jobs.worker import run_worker

    settings = Settings()
    asyncio.run(run_worker(settings, _database_url(settings)))


@app.command()
def migrate() -> None:
    """Bring the database's tables up to date."""
    from papiermappe.store.database import migrate as migrate_database

    migrate_database(_database_url(Settings()))


@app.command()
def standin(
    port: Annotated[int, typer.Option(help="Of the paper drawer; the devices have the three ports after it.")] = 9440,
    pace: Annotated[float, typer.Option(min=0, help="1 is the devices' own speed, 0 is without waiting.")] = 1.0,
    paper: Annotated[Path | None, typer.Option(help="Where it is kept what lies in the devices.")] = None,
) -> None:
    """Start the stand-in scanners."""
    from papiermappe.standin.scanner.run import run as run_standin

    asyncio.run(run_standin(port, pace, paper))


@app.command()
def assemble(
    sources: Annotated[list[Path], typer.Argument(metavar="PICTURE_OR_PDF...", help="In the order of the pages.")],
    out: Annotated[Path, typer.Option(help="What is made; its ending says what: .pdf .tif .png .jpg .txt .xml .docx")],
    level: Annotated[Level, typer.Option(help="How small it becomes.")] = Level.BALANCED,
    read: Annotated[str, typer.Option(metavar="LANGUAGES", help="Read the pages, as in eng+deu.")] = "",
    care: Annotated[Care, typer.Option(help="With how much pages are read.")] = Care.ACCURATE,
    straighten: Annotated[bool, typer.Option(help="Take out the skew.")] = True,
    crop: Annotated[bool, typer.Option(help="Cut to the sheet.")] = True,
    dpi: Annotated[float | None, typer.Option(min=50, max=1200, help="At most; pages of PDFs are drawn at it.")] = None,
    colour: Annotated[Colours, typer.Option(help="How much colour pages keep.")] = Colours.AUTO,
    strict: Annotated[bool, typer.Option("--strict", help="Stop at a file that cannot be read.")] = False,
    replace: Annotated[bool, typer.Option("--replace", help="Write over what is there.")] = False,
    as_json: Annotated[bool, typer.Option("--json", help="Report as JSON.")] = False,
) -> None:
    """Make one file of pictures and PDFs; without database and server.

    Ends with 0, with 1 where nothing was made, with 2 where the command cannot be understood, with 3 where a file was
    left out or a page not read.
    """
    from papiermappe.assembly.command import run as run_assembly

    order = Order(
        sources=tuple(sources),
        out=out,
        level=level,
        languages=tuple(code for code in read.split("+") if code),
        care=care,
        straighten=straighten,
        crop=crop,
        dpi=dpi,
        colours=colour,
        refuses_broken=strict,
    )
    sys.exit(run_assembly(order, replace, as_json, os.cpu_count() or 1))


def _say(sentence: str) -> None:
    typer.echo(sentence)
    sys.stdout.flush()


def main() -> None:
    """Run a command; on trouble say the causes, one a line, and exit with 1.

    With PAPIERMAPPE_DEBUG set, show the traceback instead.
    """
    logging.basicConfig(level=logging.WARNING, format="%(asctime)s %(levelname)s %(name)s: %(message)s")
    structlog.configure(wrapper_class=structlog.make_filtering_bound_logger(logging.INFO))
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
            f"The setting PAPIERMAPPE_{'_'.join(map(str, error['loc'])).upper()} does not fit: {error['msg']}."
            for error in exc.errors()
        )
    return getattr(exc, "message", None) or str(exc).partition("\n")[0]
