"""The command line: thin over what does the work.

Each command imports what it needs when it runs, so that a desk's processes start quickly.
"""

import asyncio
import json
import os
import sys
from collections.abc import Iterator
from contextlib import contextmanager
from enum import StrEnum
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer
from pydantic import SecretStr, ValidationError
from typer.core import TyperCommand

from papiermappe import logs
from papiermappe.assembly.request import AssemblyRequest, Colours, CutRequest, format_of
from papiermappe.core.documents import Division
from papiermappe.core.encode.format import Format
from papiermappe.core.encode.level import Level
from papiermappe.core.encode.options import DocumentOptions, SlipPlace, TiffCoding
from papiermappe.core.order.cut_rule import CutRule
from papiermappe.core.order.landing import BacksOrder
from papiermappe.core.reading.page_text import RecognitionMode
from papiermappe.errors import PapiermappeError
from papiermappe.local.errors import CannotStart
from papiermappe.settings import Settings
from papiermappe.words.marks import N_

if TYPE_CHECKING:
    from papiermappe.store.database import Store
    from papiermappe.words import Words

app = typer.Typer(
    add_completion=False,
    no_args_is_help=True,
    pretty_exceptions_enable=False,
    help="Papiermappe: from paper to the right file.",
)

MOST_SHEETS_A_PART = 10_000
_CHECKED = N_("{captures} scans and {documents} documents checked, {problems} problems found.")
_KNOWN = N_("{file} is the document {name} that was filed on {at}, unchanged; its pages: {pages}.")
_STRANGE = N_("{file} is no document that was filed here, or it was changed since.")


def _database_url(settings: Settings) -> str:
    """Return the URL of the database that is named, or else of the private one of a desk that runs here."""
    from papiermappe.local.postgres import PrivatePostgres

    if settings.database_url is not None:
        return str(settings.database_url)
    running = PrivatePostgres.running_url(settings.data_dir / "postgres")
    if running is None:
        raise CannotStart("no_database_named")
    return running


@contextmanager
def _store(settings: Settings) -> "Iterator[Store]":
    """Yield the rows and files of a desk."""
    from papiermappe.store.blobs import Blobs
    from papiermappe.store.database import Store

    store = Store(_database_url(settings), Blobs.in_folder(settings.blob_dir))
    try:
        yield store
    finally:
        store.close()


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
    from papiermappe.store.secrets import SecretBox

    settings = Settings()
    if "data_dir" not in settings.model_fields_set:
        settings = settings.model_copy(update={"data_dir": Path("var/demo").resolve()})
    if reset:
        remove(settings.data_dir)

    def prepare(desk: LocalDesk) -> None:
        _say("Laying the demo papers…")
        secrets = SecretBox.kept(settings.data_dir, settings.secret_key)
        load_demo(desk.database_url, settings.data_dir, desk.standin_port, desk.places_port, secrets)
        _say(f"The paper drawer of the stand-in scanners is at http://127.0.0.1:{desk.standin_port}")
        _say(f"What the stand-in mail server and object store get is at http://127.0.0.1:{desk.places_port}")

    LocalDesk(settings, dict(os.environ), with_standin=True, standin_pace=pace, say=_say).run(prepare)


@app.command()
def web() -> None:
    """Start the web server."""
    from papiermappe.web.server import serve

    serve(Settings(), _database_url(Settings()))


@app.command()
def worker() -> None:
    """Start a worker; any number of them can run."""
    from papiermappe.jobs.worker import run_worker

    settings = Settings()
    asyncio.run(run_worker(settings, _database_url(settings), _words()))


@app.command()
def migrate() -> None:
    """Bring the database's tables up to date."""
    from papiermappe.store.migration import migrate as migrate_database

    migrate_database(_database_url(Settings()))


@app.command()
def check() -> None:
    """Prove that scans and documents on disk are those that the database knows; exit with 1 where they are not."""
    from papiermappe.services.housekeeping import check as check_store

    with _store(Settings()) as store:
        report = check_store(store)
    words = _words()
    for message in (*report.problems, *report.leftovers):
        _say(words.text(message))
    _say(
        words.gettext(_CHECKED).format(
            captures=words.number(report.captures),
            documents=words.number(report.documents),
            problems=words.number(len(report.problems)),
        )
    )
    sys.exit(1 if report.problems else 0)


@app.command()
def verify(files: Annotated[list[Path], typer.Argument(help="Files that may have been filed here.")]) -> None:
    """Say of files whether they are what was filed here, byte for byte; exit with 1 where one is not."""
    from papiermappe.services.caller import MACHINE
    from papiermappe.services.slips import documents_like, slip_of

    words, strange = _words(), 0
    with _store(Settings()) as store:
        for file in files:
            try:
                known = documents_like(MACHINE, store, file)
            except OSError as exc:
                raise typer.BadParameter(str(exc)) from exc
            strange += not known
            if not known:
                _say(words.gettext(_STRANGE).format(file=file))
            for document_id in known:
                slip = slip_of(MACHINE, store, document_id)
                at, pages = words.moment(slip.requested_at), words.number(len(slip.pages))
                _say(words.gettext(_KNOWN).format(file=file, name=slip.file_name, at=at, pages=pages))
                for delivery in slip.deliveries:
                    _say(f"  {delivery.destination}: {words.moment(delivery.delivered_at)} {delivery.place}")
    sys.exit(1 if strange else 0)


@app.command("mappen")
def list_mappen(
    find: Annotated[str, typer.Option(help="Words of the subject.")] = "",
    as_json: Annotated[bool, typer.Option("--json", help="As JSON.")] = False,
) -> None:
    """List the Mappen on the desk: number, pages, subject."""
    from papiermappe.local.filing import SCRIPT, open_mappen

    with _store(Settings()) as store:
        rows = open_mappen(SCRIPT, store, find)
    if as_json:
        _say(json.dumps([{"mappe": row.id, "subject": row.subject, "pages": row.page_count} for row in rows], indent=1))
        return
    for row in rows:
        _say(f"{row.id}\t{row.page_count}\t{row.subject}")


@app.command("file")
def file_mappen_of_desk(
    mappen: Annotated[list[int], typer.Argument(help="Their numbers, as the addresses of their pages have them.")],
    to: Annotated[list[str], typer.Option(help="A destination by its name; may be given several times.")],
    level: Annotated[Level | None, typer.Option(help="How small it becomes; else as the destination says.")] = None,
    kind: Annotated[
        Format | None, typer.Option("--as", help="The format, by its ending; else as the destination says.")
    ] = None,
    read: Annotated[
        str | None, typer.Option(metavar="LANGUAGES", help="Read the pages, as in eng+deu; else as it says.")
    ] = None,
    pages: Annotated[str, typer.Option(metavar="NUMBERS", help='Some pages only, as in "1-4, 9".')] = "",
    divide: Annotated[
        str, typer.Option(metavar="every=N|parts", help="Several documents: of N pages each, or as they were cut.")
    ] = "",
    limit_mb: Annotated[float | None, typer.Option(min=0.01, max=2000, help="A PDF is no larger.")] = None,
    slip: Annotated[SlipPlace, typer.Option(help="Where the record of the document goes.")] = SlipPlace.KEPT,
    author: Annotated[str, typer.Option(help="That documents name.")] = "",
    wait_s: Annotated[float, typer.Option("--wait", min=0, help="Seconds until the answer is not awaited.")] = 3600,
    as_json: Annotated[bool, typer.Option("--json", help="As JSON.")] = False,
) -> None:
    """File Mappen of a desk that runs, one after the other, under names by the rules of their destinations.

    Ends with 0 where all is delivered, with 1 where something was not, with 3 where a destination is away.
    """
    from papiermappe.local.filing import Asked, file_mappen, in_words
    from papiermappe.store.secrets import SecretBox

    settings, words = Settings(), _words()
    options = DocumentOptions(author=author, slip=slip, limit_bytes=round(limit_mb * 1e6) if limit_mb else None)
    division, every = _division(divide)
    asked = Asked(to, level, kind, read, ranges=pages, division=division, every=every, options=options)
    secrets = SecretBox.kept(settings.data_dir, settings.secret_key)
    with _store(settings) as store:
        outcomes = file_mappen(store, secrets, mappen, asked, wait_s)
    told = [outcome.model_dump(mode="json", context={"words": words}) for outcome in outcomes]
    _say(json.dumps(told, indent=1) if as_json else "\n".join(in_words(outcome, words) for outcome in outcomes))
    codes = {outcome.exit_code for outcome in outcomes}
    sys.exit(1 if 1 in codes else max(codes))


def _division(text: str) -> tuple[Division, int]:
    """Return what is asked for as every=3 or parts; empty: one document."""
    rule, _, number = text.partition("=")
    if rule == "every" and number.isascii() and number.isdecimal() and 1 <= int(number) <= MOST_SHEETS_A_PART:
        return Division.EVERY, int(number)
    if text in {"", "parts"}:
        return Division.PARTS if text else Division.ONE, 1
    raise typer.BadParameter("divide into every=N pages, or into parts, as they were cut")


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
    _say(f"{len(photos)} photos for the phone's page, and {path.name} for a browser's camera, are in {folder}")


@app.command()
def standin_places(
    port: Annotated[int, typer.Option(help="Of the page; mail and object store have the two ports after it.")] = 9444,
    folder: Annotated[Path, typer.Option(help="Where mails are kept.")] = Path("var/standin-mail"),
) -> None:
    """Start the stand-in mail server and object store."""
    from papiermappe.standin.places.run import run as run_places

    run_places(port, folder)


class BacksLie(StrEnum):
    """In which order backs lie."""

    AUTO = "auto"
    AS_LAID = "as-laid"
    TURNED_PILE = "turned-pile"


class _ManyFiles(TyperCommand):
    """A command whose options for files take several, as in `--fronts a.pdf b.pdf`."""

    def parse_args(self, ctx: Any, args: list[str]) -> list[str]:
        """Name the option before each of its files, as the parser wants it."""
        named, option = [], None
        for argument in args:
            if argument.startswith("-"):
                option = argument if argument in {"--fronts", "--backs"} else None
                named += [] if option else [argument]
            else:
                named += [option, argument] if option else [argument]
        return super().parse_args(ctx, named)


@app.command(cls=_ManyFiles)
def assemble(
    out: Annotated[
        Path, typer.Option(help="What is made; its ending says what: .pdf .tif .png .jpg .txt .xml .docx .html")
    ],
    sources: Annotated[
        list[Path] | None, typer.Argument(metavar="PICTURE_OR_PDF...", help="In the order of the pages.")
    ] = None,
    fronts: Annotated[list[Path] | None, typer.Option(metavar="FILE...", help="Files of fronts.")] = None,
    backs: Annotated[list[Path] | None, typer.Option(metavar="FILE...", help="Files of their backs.")] = None,
    backs_lie: Annotated[BacksLie, typer.Option(help="In which order the backs lie.")] = BacksLie.AUTO,
    cut: Annotated[
        str, typer.Option(metavar="every=N|dividers|blank|numbers", help="Cut into documents, a file each.")
    ] = "",
    level: Annotated[Level, typer.Option(help="How small it becomes.")] = Level.BALANCED,
    read: Annotated[str, typer.Option(metavar="LANGUAGES", help="Read the pages, as in eng+deu.")] = "",
    mode: Annotated[
        RecognitionMode, typer.Option("--care", help="How thoroughly pages are read.")
    ] = RecognitionMode.ACCURATE,
    straighten: Annotated[bool, typer.Option(help="Take out the skew.")] = True,
    crop: Annotated[bool, typer.Option(help="Cut to the sheet.")] = True,
    wipe_shared: Annotated[
        bool, typer.Option("--wipe-shared", help="Wipe holes, staples, shadows and dust that most pages show.")
    ] = False,
    clean_borders: Annotated[
        bool, typer.Option("--clean-borders", help="Wipe dark rims along the edges of scans.")
    ] = False,
    photos: Annotated[
        bool, typer.Option("--photos", help="Take pictures for photos of sheets, also those that name no camera.")
    ] = False,
    split_spreads: Annotated[
        bool, typer.Option("--split-spreads", help="Make two pages of each spread whose fold is sure.")
    ] = False,
    align_margins: Annotated[
        bool, typer.Option("--align-margins", help="Move what is printed to where it is on most pages.")
    ] = False,
    routine: Annotated[Path | None, typer.Option(help="Do what a routine does, as Tidy saves it: a JSON file.")] = None,
    naming_rule: Annotated[
        Path | None, typer.Option(help="Name documents by a rule, in the folder of what is made: a JSON file.")
    ] = None,
    dpi: Annotated[float | None, typer.Option(min=50, max=1200, help="At most; pages of PDFs are drawn at it.")] = None,
    colour: Annotated[Colours, typer.Option(help="How much colour pages keep.")] = Colours.AUTO,
    title: Annotated[str, typer.Option(help="Of the document, in place of its file name.")] = "",
    author: Annotated[str, typer.Option(help="That the document names.")] = "",
    subject: Annotated[str, typer.Option(help="That the document names.")] = "",
    keywords: Annotated[str, typer.Option(help="Of the document, with commas between them.")] = "",
    tiff: Annotated[TiffCoding, typer.Option(help="How the pages of a TIFF are coded.")] = TiffCoding.AS_LEVEL,
    limit_mb: Annotated[
        float | None, typer.Option(min=0.01, max=2000, help="A PDF is no larger: pages get smaller levels for that.")
    ] = None,
    password_file: Annotated[
        Path | None, typer.Option(help="Its first line is the password of a PDF, which is no PDF/A then.")
    ] = None,
    slip: Annotated[
        bool, typer.Option("--slip", help="Write a record beside it: files with their checksums, what was done.")
    ] = False,
    strict: Annotated[bool, typer.Option("--strict", help="Stop at a file that cannot be read.")] = False,
    replace: Annotated[bool, typer.Option("--replace", help="Write over what is there.")] = False,
    as_json: Annotated[bool, typer.Option("--json", help="Report as JSON.")] = False,
) -> None:
    """Make one file of pictures and PDFs; without database and server.

    Ends with 0, with 1 where nothing was made, with 2 where the command cannot be understood, with 3 where a file was
    left out or a page not read.
    """
    from papiermappe.assembly.command import run as run_assembly

    if bool(fronts) != bool(backs) or bool(sources) == bool(fronts):
        raise typer.BadParameter("give either files in the order of the pages, or both --fronts and --backs")

    if set(fronts or ()) & set(backs or ()):
        raise typer.BadParameter("a file cannot hold the fronts and their backs; give its pages in their order instead")

    if (limit_mb or password_file) and format_of(out) is not Format.PDF:
        raise typer.BadParameter("a limit and a password are possible for a .pdf only")
    request = AssemblyRequest(
        sources=tuple(sources or ()),
        fronts=tuple(fronts or ()),
        backs=tuple(backs or ()),
        backs_lie=None if backs_lie is BacksLie.AUTO else BacksOrder(backs_lie.replace("-", "_")),
        out=out,
        level=level,
        languages=tuple(code for code in read.split("+") if code),
        mode=mode,
        straighten=straighten,
        crop=crop,
        dpi=dpi,
        colours=colour,
        wipe_shared=wipe_shared,
        clean_borders=clean_borders,
        photos=photos,
        split_spreads=split_spreads,
        align_margins=align_margins,
        routine=routine,
        naming_rule=naming_rule,
        refuses_broken=strict,
        cut=_cut_request(cut) if cut else None,
        replaces=replace,
        options=DocumentOptions(
            title=title,
            author=author,
            subject=subject,
            keywords=keywords,
            tiff=tiff,
            slip=SlipPlace.BESIDE if slip else SlipPlace.KEPT,
            limit_bytes=round(limit_mb * 1e6) if limit_mb else None,
        ),
        password=SecretStr(_first_line(password_file) if password_file else ""),
    )
    sys.exit(run_assembly(request, as_json, os.cpu_count() or 1, Settings().language))


def _first_line(file: Path) -> str:
    """Return the password that a file holds."""
    line = file.read_text().partition("\n")[0]
    if not line:
        raise typer.BadParameter(f"{file} holds no password in its first line")
    return line


def _cut_request(text: str) -> CutRequest:
    """Return what is asked for as every=3, dividers, blank or numbers."""
    rule, _, number = text.partition("=")
    if rule == "every" and number.isascii() and number.isdecimal() and 1 <= int(number) <= MOST_SHEETS_A_PART:
        return CutRequest(rule=CutRule.SHEETS, every=int(number))
    if text in {"dividers", "blank", "numbers"}:
        return CutRequest(rule=CutRule(text))
    raise typer.BadParameter("cut at every=N sheets, at dividers, at blank ones, or where numbers begin again")


def _say(sentence: str) -> None:
    typer.echo(sentence)
    sys.stdout.flush()


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
            f"The setting PAPIERMAPPE_{'_'.join(map(str, error['loc'])).upper()} does not fit: {error['msg']}."
            for error in exc.errors()
        )
    if isinstance(exc, PapiermappeError):
        return _words().text(exc.message)
    return str(exc).partition("\n")[0]


def _words() -> "Words":
    """Return the words of the language of the settings; English where these are what is wrong."""
    from papiermappe.words import Words

    try:
        return Words.of(Settings().language)
    except ValidationError:
        return Words.of("en-GB")
