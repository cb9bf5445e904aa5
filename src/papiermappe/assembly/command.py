"""The command that makes a file of files: a progress bar, a report, an exit code."""

import sys
from contextlib import suppress
from datetime import datetime

import typer

from papiermappe.assembly.errors import FileThere
from papiermappe.assembly.order import Order, Report, format_of
from papiermappe.assembly.run import Assembly
from papiermappe.devices.errors import FileRefused
from papiermappe.devices.files import count_pages
from papiermappe.jobs.pool import WorkPool
from papiermappe.recognition.errors import RecogniserError
from papiermappe.recognition.tesseract import Tesseract, installed

DONE, NOT_ALL = 0, 3
DEFAULT_LANGUAGES = ("eng",)


def run(order: Order, replace: bool, as_json: bool, processes: int) -> int:
    """Make what was ordered, say how it goes, and return the exit code.

    Args:
        order: what is wanted.
        replace: whether a file that is there may be written over.
        as_json: whether the report is for programs.
        processes: that compute at the same time.

    Raises:
        PapiermappeError: nothing was made.
        OSError: the file cannot be written.
    """
    if format_of(order.out).is_of_words and not order.languages:
        order = order.model_copy(update={"languages": DEFAULT_LANGUAGES})
    if order.out.exists() and not replace:
        raise FileThere(f"{order.out} is there already. Choose another name, or say --replace.")
    pages = _pages_to_come(order)
    pool = WorkPool(min(processes, max(1, pages)))
    try:
        hidden = as_json or not sys.stderr.isatty()
        bar = typer.progressbar(length=pages, label="Pages", file=sys.stderr, hidden=hidden)
        with bar as progress:
            report = Assembly(order, pool, _recogniser(), lambda: progress.update(1), datetime.now().astimezone()).run()
    finally:
        pool.close()
    typer.echo(report.model_dump_json(indent=2) if as_json else in_words(report))
    complete = not report.left_out and not any(page.unread for page in report.pages)
    return DONE if complete else NOT_ALL


def in_words(report: Report) -> str:
    """Return a report for a person."""
    pages = len(report.pages)
    lines = [f"{', '.join(report.out)}: {pages} page{'s' if pages != 1 else ''}, {report.byte_size / 1000:.0f} KB"]
    for number, page in enumerate(report.pages, 1):
        lines += [f"  page {number}: {finding}" for finding in page.findings]
        if page.unread:
            lines.append(f"  page {number} is not read: {page.unread}")
    return "\n".join([*lines, *(f"  {cause}" for cause in report.left_out)])


def _pages_to_come(order: Order) -> int:
    count = 0
    for file in order.sources:
        with suppress(FileRefused):  # it is named when its turn comes
            count += count_pages(file)
    return count


def _recogniser() -> Tesseract | None:
    try:
        return installed()
    except RecogniserError:
        return None
