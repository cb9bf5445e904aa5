"""Commands that start a desk, or one of its processes."""

import asyncio
import os
from pathlib import Path
from typing import Annotated

import typer

from papiermappe.cli.console import chosen_words, database_url, say
from papiermappe.settings import Settings

app = typer.Typer()


@app.command()
def run() -> None:
    """Start everything on this machine: private database, worker, web server."""
    from papiermappe.local.desk import LocalDesk, first_destination

    desk = LocalDesk(Settings(), dict(os.environ), with_standin=False, standin_pace=1, say=say)
    desk.run(first_destination)


@app.command()
def demo(
    pace: Annotated[float, typer.Option(min=0, help="Speed of the stand-in scanners; 0 is without waiting.")] = 1.0,
    reset: Annotated[bool, typer.Option("--reset", help="Remove the demo's data first.")] = False,
) -> None:
    """Start everything with demo data and stand-in scanners."""
    from papiermappe.demo import load_demo
    from papiermappe.local.desk import LocalDesk, remove
    from papiermappe.store.secrets import SecretBox

    settings = Settings()
    if "data_dir" not in settings.model_fields_set:
        settings = settings.model_copy(update={"data_dir": Path("var/demo").resolve()})
    if reset:
        remove(settings.data_dir)

    def prepare(desk: LocalDesk) -> None:
        say("Laying the demo papers…")
        secrets = SecretBox.kept(settings.data_dir, settings.secret_key)
        try:
            load_demo(desk.database_url, settings.data_dir, desk.standin_port, desk.places_port, secrets)
        except TimeoutError:
            say("Not all demo papers were scanned in time. What is there can be used; `make demo-reset` begins anew.")
        say(f"The paper drawer of the stand-in scanners is at http://127.0.0.1:{desk.standin_port}")
        say(f"What the stand-in mail server and object store get is at http://127.0.0.1:{desk.places_port}")

    LocalDesk(settings, dict(os.environ), with_standin=True, standin_pace=pace, say=say).run(prepare)


@app.command()
def web() -> None:
    """Start the web server."""
    from papiermappe.web.server import serve

    serve(Settings(), database_url(Settings()))


@app.command()
def worker() -> None:
    """Start a worker; any number of them can run."""
    from papiermappe.jobs.worker import run_worker

    settings = Settings()
    asyncio.run(run_worker(settings, database_url(settings), chosen_words()))


@app.command()
def migrate() -> None:
    """Bring the database's tables up to date."""
    from papiermappe.store.migration import migrate as migrate_database

    migrate_database(database_url(Settings()))
