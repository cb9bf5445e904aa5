"""Commands that start what a fresh machine lacks: scanners, a camera, a mail server, an object store."""

import asyncio
from pathlib import Path
from typing import Annotated

import typer

from papiermappe.cli.console import say

app = typer.Typer()


@app.command()
def standin(
    port: Annotated[int, typer.Option(help="Of the paper drawer; the devices have the three ports after it.")] = 9440,
    pace: Annotated[float, typer.Option(min=0, help="1 is the devices' own speed, 0 is without waiting.")] = 1.0,
    paper: Annotated[Path | None, typer.Option(help="Where it is kept what lies in the devices.")] = None,
    announce: Annotated[bool, typer.Option("--announce", help="Announce the devices by mDNS on loopback.")] = False,
) -> None:
    """Start the stand-in scanners."""
    from papiermappe.standin.scanner.run import run as run_standin

    asyncio.run(run_standin(port, pace, paper, announce))


@app.command()
def standin_camera(
    folder: Annotated[Path, typer.Argument(help="Where the pictures and the film are written.")] = Path("var/camera"),
) -> None:
    """Write what the stand-in camera takes: photos of papers on tables, and a film for a browser's camera."""
    from papiermappe.standin.camera.photos import write_demo_photos
    from papiermappe.standin.camera.session import film, write_film

    photos = write_demo_photos(folder)
    path = folder / "session.mjpeg"
    write_film(path, film())
    say(f"{len(photos)} photos for the phone's page, and {path.name} for a browser's camera, are in {folder}")


@app.command()
def standin_places(
    port: Annotated[int, typer.Option(help="Of the page; mail and object store have the two ports after it.")] = 9444,
    folder: Annotated[Path, typer.Option(help="Where mails are kept.")] = Path("var/standin-mail"),
) -> None:
    """Start the stand-in mail server and object store."""
    from papiermappe.standin.places.run import run as run_places

    run_places(port, folder)
