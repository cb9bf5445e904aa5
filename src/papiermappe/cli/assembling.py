"""The command that makes one file of pictures and PDFs."""

import os
import sys
from enum import StrEnum
from pathlib import Path
from typing import Annotated, Any

import typer
from pydantic import SecretStr
from typer.core import TyperCommand

from papiermappe.assembly.request import AssemblyRequest, Colours, CutRequest, format_of
from papiermappe.cli.console import every_n
from papiermappe.core.encode.format import Format
from papiermappe.core.encode.level import Level
from papiermappe.core.encode.options import DocumentOptions, SlipPlace, TiffCoding
from papiermappe.core.order.cut_rule import CutRule
from papiermappe.core.order.landing import BacksOrder
from papiermappe.core.reading.page_text import RecognitionMode
from papiermappe.settings import Settings

app = typer.Typer()


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
    if every := every_n(text):
        return CutRequest(rule=CutRule.SHEETS, every=every)
    if text in {"dividers", "blank", "numbers"}:
        return CutRequest(rule=CutRule(text))
    raise typer.BadParameter("cut at every=N sheets, at dividers, at blank ones, or where numbers begin again")
