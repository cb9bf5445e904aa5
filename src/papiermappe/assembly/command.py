"""The `assemble` command: a progress bar, a report, an exit code."""

import sys
from contextlib import suppress
from datetime import datetime

import typer

from papiermappe.assembly.errors import FileThere, FolderAbsent
from papiermappe.assembly.request import DEFAULT_LANGUAGES, AssemblyRequest, Report, format_of
from papiermappe.assembly.run import STEPS_A_PAGE, Assembly
from papiermappe.devices.errors import FileRefused
from papiermappe.devices.file_reader import FileReader
from papiermappe.jobs.pool import WorkPool
from papiermappe.recognition.errors import RecogniserError
from papiermappe.recognition.tesseract import Tesseract, installed
from papiermappe.words import Words
from papiermappe.words.marks import N_
from papiermappe.words.translator import PAGES, SHEETS

DONE, NOT_ALL = 0, 3
_SURE = N_("{sheets} put together, every pair sure; {missing} without their other side")
_NOT_SURE = N_("{sheets} put together, some uncertain; {missing} without their other side")
_PART = N_("{file}: {pages}")
_MISFIT = N_("{step}: not done to {places} ({reason})")
_ON_PAGE = N_("  page {number}: {text}")


def run(request: AssemblyRequest, as_json: bool, processes: int, language: str) -> int:
    """Carry out a request, show progress, and return the exit code.

    Args:
        request: to carry out.
        as_json: whether the report is JSON.
        processes: number of worker processes.
        language: of the report, as BCP 47 names it.

    Raises:
        PapiermappeError: nothing was made.
        OSError: the file cannot be written.
    """
    if format_of(request.out).is_of_words and not request.languages:
        request = request.model_copy(update={"languages": DEFAULT_LANGUAGES})
    if not request.out.absolute().parent.is_dir():
        raise FolderAbsent("folder_absent", folder=str(request.out.parent))
    named_as_asked = request.cut is None and request.naming_rule is None
    if named_as_asked and request.out.exists() and not request.replaces:
        raise FileThere("file_there", file=str(request.out))
    pages = _pages_to_come(request)
    pool = WorkPool(min(processes, max(1, pages)))
    try:
        hidden = as_json or not sys.stderr.isatty()
        bar = typer.progressbar(length=STEPS_A_PAGE * pages, label="Pages", file=sys.stderr, hidden=hidden)
        with bar as progress:
            report = Assembly(
                request, pool, _recogniser(), lambda: progress.update(1), datetime.now().astimezone()
            ).run()
    finally:
        pool.close()
    words = Words.of(language)
    json = report.model_dump_json(indent=2, context={"words": words})
    typer.echo(json if as_json else in_words(report, words))
    complete = not report.left_out and not any(page.unread for page in report.pages)
    return DONE if complete else NOT_ALL


def in_words(report: Report, words: Words) -> str:
    """Return a report as text."""
    lines = [f"{', '.join(report.out)}: {words.counted(PAGES, len(report.pages))}, {words.size(report.byte_size)}"]
    for number, page in enumerate(report.pages, 1):
        messages = [*page.findings, *page.unsure, *([page.unread] if page.unread else [])]
        lines += [words.gettext(_ON_PAGE).format(number=number, text=words.text(message)) for message in messages]
    if report.pairs is not None:
        sheets = words.counted(SHEETS, len(report.pairs))
        said = _SURE if report.sure else _NOT_SURE
        lines.append("  " + words.gettext(said).format(sheets=sheets, missing=len(report.missing)))
    for misfit in report.misfits:
        places = words.listed([f"{place.file}, {place.page}" for place in misfit.pages])
        filled = {"step": words.text(misfit.step), "places": places, "reason": words.text(misfit.reason)}
        lines.append("  " + words.gettext(_MISFIT).format(**filled))
    for part in report.parts or ():
        lines.append("  " + words.gettext(_PART).format(file=part.file, pages=words.counted(PAGES, len(part.pages))))
    return "\n".join([*lines, *(f"  {words.text(message)}" for message in report.left_out)])


def _pages_to_come(request: AssemblyRequest) -> int:
    count = 0
    with FileReader() as reader:
        for file in request.files:
            with suppress(FileRefused):  # it is named when its turn comes
                count += reader.count(file)
    return count


def _recogniser() -> Tesseract | None:
    try:
        return installed()
    except RecogniserError:
        return None
