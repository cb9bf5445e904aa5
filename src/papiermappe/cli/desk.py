"""Commands for what is on a desk: Mappen to file, documents to verify, the store to check."""

import json
import sys
from pathlib import Path
from typing import Annotated

import typer

from papiermappe.cli.console import chosen_words, every_n, open_store, say
from papiermappe.core.documents import Division
from papiermappe.core.encode.format import Format
from papiermappe.core.encode.level import Level
from papiermappe.core.encode.options import DocumentOptions, SlipPlace
from papiermappe.settings import Settings
from papiermappe.words.marks import N_

app = typer.Typer()

_CHECKED = N_("{captures} scans and {documents} documents checked, {problems} problems found.")
_KNOWN = N_("{file} is the document {name} that was filed on {at}, unchanged; its pages: {pages}.")
_STRANGE = N_("{file} is no document that was filed here, or it was changed since.")


@app.command()
def check() -> None:
    """Prove that scans and documents on disk are those that the database knows; exit with 1 where they are not."""
    from papiermappe.services.housekeeping import check as check_store

    with open_store(Settings()) as store:
        report = check_store(store)
    words = chosen_words()
    for message in (*report.problems, *report.leftovers):
        say(words.text(message))
    say(
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

    words, strange = chosen_words(), 0
    with open_store(Settings()) as store:
        for file in files:
            try:
                known = documents_like(MACHINE, store, file)
            except OSError as exc:
                raise typer.BadParameter(str(exc)) from exc
            strange += not known
            if not known:
                say(words.gettext(_STRANGE).format(file=file))
            for document_id in known:
                slip = slip_of(MACHINE, store, document_id)
                at, pages = words.moment(slip.requested_at), words.number(len(slip.pages))
                say(words.gettext(_KNOWN).format(file=file, name=slip.file_name, at=at, pages=pages))
                for delivery in slip.deliveries:
                    say(f"  {delivery.destination}: {words.moment(delivery.delivered_at)} {delivery.place}")
    sys.exit(1 if strange else 0)


@app.command("mappen")
def list_mappen(
    find: Annotated[str, typer.Option(help="Words of the subject.")] = "",
    as_json: Annotated[bool, typer.Option("--json", help="As JSON.")] = False,
) -> None:
    """List the Mappen on the desk: number, pages, subject."""
    from papiermappe.local.filing import SCRIPT, open_mappen

    with open_store(Settings()) as store:
        rows = open_mappen(SCRIPT, store, find)
    if as_json:
        say(json.dumps([{"mappe": row.id, "subject": row.subject, "pages": row.page_count} for row in rows], indent=1))
        return
    for row in rows:
        say(f"{row.id}\t{row.page_count}\t{row.subject}")


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

    settings, words = Settings(), chosen_words()
    options = DocumentOptions(author=author, slip=slip, limit_bytes=round(limit_mb * 1e6) if limit_mb else None)
    division, every = _division(divide)
    asked = Asked(to, level, kind, read, ranges=pages, division=division, every=every, options=options)
    secrets = SecretBox.kept(settings.data_dir, settings.secret_key)
    with open_store(settings) as store:
        outcomes = file_mappen(store, secrets, mappen, asked, wait_s)
    told = [outcome.model_dump(mode="json", context={"words": words}) for outcome in outcomes]
    say(json.dumps(told, indent=1) if as_json else "\n".join(in_words(outcome, words) for outcome in outcomes))
    codes = {outcome.exit_code for outcome in outcomes}
    sys.exit(1 if 1 in codes else max(codes))


def _division(text: str) -> tuple[Division, int]:
    """Return what is asked for as every=3 or parts; empty: one document."""
    if every := every_n(text):
        return Division.EVERY, every
    if text in {"", "parts"}:
        return Division.PARTS if text else Division.ONE, 1
    raise typer.BadParameter("divide into every=N pages, or into parts, as they were cut")
