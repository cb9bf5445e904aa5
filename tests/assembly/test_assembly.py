"""Files made of files, as a person asks for them at the command line."""

import hashlib
import json
from collections.abc import Callable
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

import cv2
import docx
import numpy as np
import pikepdf
import pytest
from PIL import Image, ImageSequence
from tests.helpers import PHOTOGRAPHED, FakeRecogniser, here, once, page_saying, photograph
from typer.testing import CliRunner

from papiermappe.assembly import pairs
from papiermappe.assembly.command import in_words
from papiermappe.assembly.errors import EndingUnknown, FileThere, FolderAbsent, NamingRuleRefused, NothingToAssemble
from papiermappe.assembly.request import AssemblyRequest, Colours, CutRequest, format_of
from papiermappe.assembly.run import STEPS_A_PAGE, Assembly
from papiermappe.assembly.writing import whole_or_not
from papiermappe.cli import app, main
from papiermappe.core.encode.format import Format
from papiermappe.core.encode.jpeg import encode_jpeg
from papiermappe.core.encode.level import Level
from papiermappe.core.encode.options import DocumentOptions, SlipPlace
from papiermappe.core.encode.plain import encode_png
from papiermappe.core.operations.steps import RoutineFile, RoutineRefused, Step
from papiermappe.core.order.cut_rule import CutRule
from papiermappe.core.order.landing import BacksOrder
from papiermappe.core.order.pairing import Proposal, propose
from papiermappe.core.reading.page_text import PageText
from papiermappe.devices.errors import FileRefused
from papiermappe.making.fitting import LimitOutOfReach
from papiermappe.standin.paper.drawing import draw_side
from papiermappe.standin.paper.originals import ORIGINALS
from papiermappe.standin.paper.physics import Lay, Optics, Region, lay_sheet, scan
from papiermappe.words import Words

NOW = datetime(2026, 11, 26, 9, 14, tzinfo=UTC)
DPI = 100
LIT_GLASS = Optics((206, 210, 212), 2.5, shadow=0.35)
LEASE = page_saying("Lease")


@pytest.fixture
def files(tmp_path: Path) -> list[Path]:
    """Two sides of a lease and an invoice."""
    sides = [
        ORIGINALS["lease"].sheets[0].front,
        ORIGINALS["lease"].sheets[1].front,
        ORIGINALS["invoice"].sheets[0].front,
    ]
    made = []
    for at, side in enumerate(sides):
        made.append(tmp_path / f"page-{at}.jpg")
        Image.fromarray(draw_side(ORIGINALS["lease"].paper, side).raster(DPI)).save(made[-1], dpi=(DPI, DPI))
    return made


@pytest.fixture
def photographs(tmp_path: Path) -> list[Path]:
    """A page of even grey, and one of noise, which weighs far more."""
    noise = np.random.default_rng(8).integers(0, 255, (600, 420, 3), np.uint8)
    made = [tmp_path / "grey.png", tmp_path / "noise.png"]
    Image.fromarray(np.full((600, 420, 3), 200, np.uint8)).save(made[0], dpi=(50, 50))
    Image.fromarray(noise).save(made[1], dpi=(50, 50))
    return made


def test_a_limit_is_met_by_the_page_that_weighs_most(photographs: list[Path], tmp_path: Path) -> None:
    def asked(out: str, limit_bytes: int | None) -> AssemblyRequest:
        options = DocumentOptions(limit_bytes=limit_bytes, author="Mira Öz")
        untouched = {"straighten": False, "crop": False}
        files = tuple(photographs)
        return AssemblyRequest(
            sources=files, out=tmp_path / out, level=Level.FAITHFUL, languages=("eng",), options=options, **untouched
        )

    reader = FakeRecogniser(LEASE)
    free = made(asked("free.pdf", None), FakeRecogniser(LEASE))
    within = made(asked("within.pdf", free.byte_size // 2), reader)
    assert within.byte_size <= free.byte_size // 2
    assert within.byte_size == (tmp_path / "within.pdf").stat().st_size
    assert [page.level for page in free.pages] == ["faithful", "faithful"]
    assert [page.level for page in within.pages] == ["faithful", "balanced"]
    assert [page.words for page in within.pages] == [1, 1]
    assert reader.asked == 2  # read once, however often they are made
    with pikepdf.open(tmp_path / "within.pdf") as pdf:
        assert str(pdf.docinfo["/Author"]) == "Mira Öz"
    with pytest.raises(LimitOutOfReach):
        made(asked("never.pdf", 10_000), FakeRecogniser(LEASE))
    assert not (tmp_path / "never.pdf").exists()


def test_a_slip_lies_beside_and_proves_the_files(files: list[Path], tmp_path: Path) -> None:
    options = DocumentOptions(slip=SlipPlace.BESIDE)
    request = AssemblyRequest(sources=tuple(files), out=tmp_path / "lease.pdf", options=options, replaces=False)
    report = made(request)
    slip = json.loads((tmp_path / "lease.slip.json").read_text())
    (document,) = slip["documents"]
    assert document["sha256"] == hashlib.sha256((tmp_path / "lease.pdf").read_bytes()).hexdigest()
    assert [source["name"] for source in slip["sources"]] == [file.name for file in files]
    assert slip["sources"][0]["sha256"] == hashlib.sha256(files[0].read_bytes()).hexdigest()
    assert [page["operations"] for page in slip["pages"]] == [list(page.operations) for page in report.pages]
    (tmp_path / "lease.pdf").unlink()
    with pytest.raises(FileThere):
        made(request)


def test_a_password_is_taken_from_the_first_line_of_a_file(files: list[Path], tmp_path: Path) -> None:
    (tmp_path / "password").write_text("Apfel 7\nnot this\n")
    told = [str(files[0]), "--out", str(tmp_path / "sealed.pdf"), "--password-file", str(tmp_path / "password")]
    assert CliRunner().invoke(app, ["assemble", *told]).exit_code == 0
    with pytest.raises(pikepdf.PasswordError):
        pikepdf.open(tmp_path / "sealed.pdf")
    with pikepdf.open(tmp_path / "sealed.pdf", password="Apfel 7") as pdf:
        assert len(pdf.pages) == 1
    told[2] = str(tmp_path / "sealed.tif")
    refused = CliRunner().invoke(app, ["assemble", *told])
    assert refused.exit_code == 2
    assert not (tmp_path / "sealed.tif").exists()


def made(request: AssemblyRequest, reader: FakeRecogniser | None = None) -> Any:
    """Make what is wanted, in this process."""
    return Assembly(request, once, reader, lambda: None, NOW).run()


def test_a_pdf_of_pictures(files: list[Path], tmp_path: Path) -> None:
    steps: list[int] = []
    request = AssemblyRequest(sources=tuple(files), out=tmp_path / "lease.pdf", level=Level.LEAN, languages=("eng",))
    report = Assembly(request, here, FakeRecogniser(LEASE), lambda: steps.append(1), NOW).run()
    assert len(report.pages) == 3
    assert len(steps) == STEPS_A_PAGE * 3
    assert report.byte_size == request.out.stat().st_size
    assert [page.words for page in report.pages] == [1, 1, 1]
    assert all(page.byte_size and page.made_of for page in report.pages)
    told = report.model_dump(mode="json", context={"words": Words.of("en")})["proposals"]
    assert told["kind"] == {"value": "lease", "confidence": 0.75, "from": "Lease"}
    assert told["date"] is None
    with pikepdf.open(request.out) as pdf, pdf.open_outline() as outline:
        assert [round(float(page.mediabox[3]) / 72 * 25.4) for page in pdf.pages] == [297] * 3
        assert [item.title for item in outline.root] == ["page-0", "page-1", "page-2"]
        assert str(pdf.Root.Lang) == "de"  # as its pages say, whatever was asked for


def _pages_of_tiff(file: Path) -> int:
    with Image.open(file) as tiff:
        return sum(1 for _ in ImageSequence.Iterator(tiff))


@pytest.mark.parametrize(
    ("name", "holds"),
    [
        ("lease.tif", lambda file: _pages_of_tiff(file) == 3),
        ("lease.txt", lambda file: file.read_text().split() == ["Lease"] * 3),
        ("lease.xml", lambda file: file.read_text().count('CONTENT="Lease"') == 3),
        (
            "lease.html",
            lambda file: (file.read_text().count(">Lease</text>"), file.read_text().count("<image")) == (3, 3),
        ),
        (
            "lease.docx",
            lambda file: [line.text for line in docx.Document(file).paragraphs].count("Lease") == 3,
        ),
    ],
)
def test_the_ending_says_what_is_made(
    files: list[Path], tmp_path: Path, name: str, holds: Callable[[Path], bool]
) -> None:
    report = made(AssemblyRequest(sources=tuple(files), out=tmp_path / name, languages=("eng",)), FakeRecogniser(LEASE))
    assert report.out == (str(tmp_path / name),)
    assert holds(tmp_path / name)


def test_documents_are_named_by_a_rule_and_nothing_is_written_over(files: list[Path], tmp_path: Path) -> None:
    rule = tmp_path / "rule.json"
    parts = [
        {"kind": "date", "form": "year"},
        {"kind": "folder"},
        {"kind": "kind"},
        {"kind": "subject"},
        {"kind": "counter"},
    ]
    rule.write_text(json.dumps({"parts": parts}))
    out = tmp_path / "made" / "Upper Meadow.pdf"
    out.parent.mkdir()
    (tmp_path / "made" / "2026").mkdir()
    mine = tmp_path / "made" / "2026" / "lease_upper-meadow_0001.pdf"
    mine.write_text("somebody's own file")
    request = AssemblyRequest(sources=tuple(files[:1]), out=out, languages=("eng",), naming_rule=rule)
    reports = [made(request, FakeRecogniser(LEASE)) for _ in range(2)]
    assert [Path(report.out[0]).name for report in reports] == [
        "lease_upper-meadow_0002.pdf",
        "lease_upper-meadow_0003.pdf",
    ]
    assert mine.read_text() == "somebody's own file"
    assert sorted(path.name for path in (tmp_path / "made").rglob("*")) == [
        "2026",
        "lease_upper-meadow_0001.pdf",
        "lease_upper-meadow_0002.pdf",
        "lease_upper-meadow_0003.pdf",
    ]
    cut = request.model_copy(update={"sources": tuple(files[:2]), "cut": CutRequest(rule=CutRule.SHEETS, every=1)})
    report = made(cut, FakeRecogniser(LEASE))
    assert [Path(part.file).name for part in report.parts] == [Path(file).name for file in report.out]
    rule.write_text('{"parts": [{"kind": "weather"}]}')
    with pytest.raises(NamingRuleRefused, match="naming_rule_refused"):
        made(request)


@pytest.mark.parametrize(
    ("title", "name"), [("", "repair-of-the-cold-store-door.pdf"), ("Cold store", "cold-store.pdf")]
)
def test_a_subject_that_the_page_says_names_the_document_unless_it_has_a_title(
    files: list[Path], tmp_path: Path, title: str, name: str
) -> None:
    rule = tmp_path / "rule.json"
    rule.write_text(json.dumps({"parts": [{"kind": "subject"}]}))
    letter = page_saying("Dear Mrs Orrell,", "Subject: Repair of the cold store door", "we have looked at it.")
    request = AssemblyRequest(
        sources=tuple(files[:1]),
        out=tmp_path / "scan0001.pdf",
        languages=("eng",),
        naming_rule=rule,
        options=DocumentOptions(title=title),
    )
    assert [Path(file).name for file in made(request, FakeRecogniser(letter)).out] == [name]


def test_formats_of_one_page_make_a_file_a_page(files: list[Path], tmp_path: Path) -> None:
    report = made(AssemblyRequest(sources=tuple(files), out=tmp_path / "lease.png"))
    assert [Path(file).name for file in report.out] == ["lease-001.png", "lease-002.png", "lease-003.png"]
    alone = made(AssemblyRequest(sources=(files[0],), out=tmp_path / "alone.jpeg", colours=Colours.GREY))
    with Image.open(alone.out[0]) as picture:
        assert (Path(alone.out[0]).name, picture.mode) == ("alone.jpeg", "L")


@pytest.mark.parametrize("colours", [Colours.COLOUR, Colours.GREY, Colours.BILEVEL])
def test_as_much_colour_as_is_asked_for(files: list[Path], tmp_path: Path, colours: Colours) -> None:
    report = made(AssemblyRequest(sources=(files[0],), out=tmp_path / "page.pdf", colours=colours))
    assert report.pages[0].colour == colours.value


def test_a_lower_resolution(files: list[Path], tmp_path: Path) -> None:
    report = made(AssemblyRequest(sources=(files[0],), out=tmp_path / "small.png", dpi=50))
    with Image.open(report.out[0]) as picture:
        assert picture.width == 414  # half of the 827 px at 100 dpi


def test_a_page_that_cannot_be_read_by_the_recogniser_is_in_the_file(files: list[Path], tmp_path: Path) -> None:
    request = AssemblyRequest(sources=tuple(files), out=tmp_path / "lease.pdf", languages=("eng",))
    report = made(request, FakeRecogniser(LEASE, breaks_off_at=range(99)))
    assert [page.unread.code for page in report.pages] == ["recogniser_too_slow"] * 3
    assert report.proposals is None
    with pikepdf.open(request.out) as pdf:
        assert len(pdf.pages) == 3
    unread = made(request.model_copy(update={"out": tmp_path / "b.pdf"})).pages[0].unread
    assert unread.code == "recogniser_absent"


def test_what_cannot_be_read_is_left_out_and_named_or_stops_everything(files: list[Path], tmp_path: Path) -> None:
    broken = tmp_path / "broken.pdf"
    broken.write_bytes(b"%PDF-1.7")
    torn = tmp_path / "torn.jpg"
    torn.write_bytes(encode_jpeg(draw_side(ORIGINALS["lease"].paper, None).raster(50))[:400])
    request = AssemblyRequest(sources=(files[0], broken, torn), out=tmp_path / "lease.pdf")
    report = made(request)
    assert len(report.pages) == 1
    assert [cause.params["file"] for cause in report.left_out] == ["broken.pdf", "torn.jpg"]
    request.out.unlink()
    with pytest.raises(FileRefused):
        made(request.model_copy(update={"refuses_broken": True}))
    with pytest.raises(NothingToAssemble, match="nothing_to_assemble"):
        made(request.model_copy(update={"sources": (broken,)}))
    assert not request.out.exists()
    assert not list(tmp_path.glob(".*.part"))


def test_a_file_is_there_whole_or_not_at_all(tmp_path: Path) -> None:
    def half() -> None:
        with whole_or_not(tmp_path / "file") as out:
            out.write(b"half")
            raise OSError(28, "No space left on device")

    with pytest.raises(OSError, match="No space"):
        half()
    assert list(tmp_path.iterdir()) == []


def test_an_ending_that_says_nothing_is_refused() -> None:
    assert format_of(Path("a.TIFF")) is Format.TIFF
    with pytest.raises(EndingUnknown, match="xyz"):
        format_of(Path("a.xyz"))


def test_the_command_reports_and_tells_by_its_exit_code(files: list[Path], tmp_path: Path) -> None:
    out = tmp_path / "lease.pdf"
    call = ["assemble", *map(str, files[:2]), "--out", str(out), "--level", "lean"]
    done = CliRunner().invoke(app, [*call, "--json"])
    assert done.exit_code == 0, done.output
    report = json.loads(done.stdout)
    assert (len(report["pages"]), report["level"]) == (2, "lean")
    assert isinstance(CliRunner().invoke(app, call).exception, FileThere)
    missing = CliRunner().invoke(app, [*call, "--replace", str(tmp_path / "nowhere.png")])
    assert missing.exit_code == 3
    assert "nowhere.png is left out" in missing.stdout
    assert CliRunner().invoke(app, ["assemble", "--out", str(out)]).exit_code == 2


@pytest.fixture(scope="module")
def two_runs(tmp_path_factory: pytest.TempPathFactory) -> tuple[list[Path], list[Path]]:
    """Fronts and backs of five sheets, scanned one after the other, the backs last sheet first."""
    drawn = [
        ORIGINALS[key].sheets[at]
        for key, at in (("lease", 0), ("lease", 1), ("lease", 2), ("hail", 0), ("delivery-118", 0))
    ]
    folder = tmp_path_factory.mktemp("runs")
    paper = ORIGINALS["lease"].paper
    whole, middle = Region(0, 0, paper.width_mm, paper.height_mm), Lay((paper.width_mm / 2, paper.height_mm / 2), 0.0)
    runs: tuple[list[Path], list[Path]] = ([], [])
    for at, sheet in enumerate(drawn):
        front, back = draw_side(paper, sheet.front), draw_side(paper, sheet.back)
        for run, (near, far) in zip(runs, ((front, back), (back, front)), strict=True):
            picture = scan(near, far, middle, Optics((250, 250, 250), 0.0), whole, DPI, 10 * at + len(run))
            run.append(folder / f"{'front' if run is runs[0] else 'back'}-{at}.jpg")
            Image.fromarray(picture).save(run[-1], dpi=(DPI, DPI), quality=92)
    return runs[0], runs[1][::-1]


def test_fronts_and_backs_are_put_together(two_runs: tuple[list[Path], list[Path]], tmp_path: Path) -> None:
    fronts, backs = two_runs
    out = tmp_path / "both.pdf"
    named = ["--fronts", *map(str, fronts), "--backs", *map(str, backs), "--out", str(out), "--json"]
    result = CliRunner().invoke(app, ["assemble", *named])
    assert result.exit_code == 0, result.output
    report = json.loads(result.stdout)
    assert (report["sure"], report["backs_lie"], report["missing"], report["doubled"]) == (True, "turned_pile", [], [])
    got = [(Path(pair["front"]["file"]).stem[-1], Path(pair["back"]["file"]).stem[-1]) for pair in report["pairs"]]
    assert got == [(str(at), str(at)) for at in range(5)]
    assert all(pair["evidence"] == ["show_through"] for pair in report["pairs"])
    assert [Path(page["source"]).stem for page in report["pages"]][:4] == ["front-0", "back-0", "front-1", "back-1"]


def test_a_missing_back_is_reported(two_runs: tuple[list[Path], list[Path]], tmp_path: Path) -> None:
    fronts, backs = two_runs
    request = AssemblyRequest(fronts=tuple(fronts), backs=(*backs[:2], *backs[3:]), out=tmp_path / "both.pdf")
    report = made(request)
    assert report.sure
    assert [Path(place.file).name for place in report.missing] == ["front-2.jpg"]
    assert [pair.back is None for pair in report.pairs] == [False, False, True, False, False]
    assert len(report.pages) == 9


def test_progress_is_told_before_pages_are_put_together(
    two_runs: tuple[list[Path], list[Path]], tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    steps: list[int] = []
    before: list[int] = []

    def noticed(*sides: Any) -> Proposal:
        before.append(len(steps))
        return propose(*sides)

    monkeypatch.setattr(pairs, "propose", noticed)
    request = AssemblyRequest(fronts=tuple(two_runs[0][:2]), backs=tuple(two_runs[1][-2:]), out=tmp_path / "two.pdf")
    Assembly(request, once, None, lambda: steps.append(1), NOW).run()
    assert before == [4]  # each page has been examined by then
    assert len(steps) == STEPS_A_PAGE * 4


def test_a_known_order_is_taken(two_runs: tuple[list[Path], list[Path]], tmp_path: Path) -> None:
    fronts, backs = two_runs
    request = AssemblyRequest(
        fronts=tuple(fronts), backs=tuple(backs), backs_lie=BacksOrder.AS_LAID, out=tmp_path / "both.pdf"
    )
    report = made(request)
    assert report.backs_lie is BacksOrder.AS_LAID
    assert not report.sure  # what shines through speaks against it


@pytest.mark.parametrize(
    "arguments",
    [
        ["--fronts", "a.pdf"],
        ["a.pdf", "--backs", "b.pdf"],
        ["a.pdf", "--fronts", "a.pdf", "--backs", "b.pdf"],
        ["--fronts", "a.pdf", "--backs", "a.pdf"],
        [],
    ],
)
def test_half_of_a_pairing_is_refused(arguments: list[str], tmp_path: Path) -> None:
    result = CliRunner().invoke(app, ["assemble", *arguments, "--out", str(tmp_path / "x.pdf")])
    assert result.exit_code == 2


def drawn(folder: Path, name: str, *papers: str) -> list[Path]:
    """Write fronts and backs of papers as pictures, in the order in which a scanner delivers them."""
    files: list[Path] = []
    for key in papers:
        original = ORIGINALS[key]
        for sheet in original.sheets:
            for side in (sheet.front, sheet.back):
                files.append(folder / f"{name}-{len(files):02}.png")
                Image.fromarray(draw_side(original.paper, side).raster(150)).save(files[-1], dpi=(150, 150))
    return files


def test_a_pile_is_cut_at_dividers_into_files_of_their_names(tmp_path: Path) -> None:
    files = drawn(tmp_path, "pile", "letter-share", "divider-hail", "hail", "divider-leases")
    report = made(
        AssemblyRequest(sources=tuple(files), out=tmp_path / "post.pdf", cut=CutRequest(rule=CutRule.DIVIDERS))
    )
    assert [(part.name, [page.file for page in part.pages]) for part in report.parts] == [
        ("", [str(file) for file in files[:2]]), ("Hail damage", [str(file) for file in files[4:6]]),
    ]  # fmt: skip
    assert [Path(file).name for file in report.out] == ["post-01.pdf", "post-02_hail-damage.pdf"]
    assert [len(pikepdf.open(file).pages) for file in report.out] == [2, 2]


def test_a_pile_is_cut_every_so_many_and_where_numbers_begin_again(files: list[Path], tmp_path: Path) -> None:
    class Numbering(FakeRecogniser):
        numbers = iter((1, 2, 1))

        def read(self, *_: object) -> PageText:
            return page_saying(f"Page {next(self.numbers)}", at_mm=285.0)

    every = AssemblyRequest(
        sources=tuple(files), out=tmp_path / "two.pdf", cut=CutRequest(rule=CutRule.SHEETS, every=2)
    )
    assert [len(part.pages) for part in made(every).parts] == [2, 1]
    numbers = every.model_copy(update={"cut": CutRequest(rule=CutRule.NUMBERS), "out": tmp_path / "by-number.pdf"})
    assert [len(part.pages) for part in made(numbers, Numbering(LEASE)).parts] == [2, 1]


def test_a_folder_that_is_not_there_is_said_before_anything_is_read(tmp_path: Path) -> None:
    call = ["assemble", "--out", str(tmp_path / "post" / "lease.pdf"), str(tmp_path / "nowhere.png")]
    refused = CliRunner().invoke(app, call).exception
    assert isinstance(refused, FolderAbsent)
    assert f"There is no folder {tmp_path / 'post'}." in Words.of("en-GB").text(refused.message)


def test_a_document_that_is_there_is_not_written_over(files: list[Path], tmp_path: Path) -> None:
    (tmp_path / "two-02.pdf").write_text("somebody's own")
    cut = CutRequest(rule=CutRule.SHEETS, every=2)
    with pytest.raises(FileThere):
        made(AssemblyRequest(sources=tuple(files), out=tmp_path / "two.pdf", cut=cut, replaces=False))
    assert (tmp_path / "two-02.pdf").read_text() == "somebody's own"
    assert not (tmp_path / "two-01.pdf").exists()  # it is said before anything is written


@pytest.mark.parametrize("wrong", ["every=0", "every=x", "every", "letters", "every=99999999"])
def test_a_cut_that_is_not_understood_is_refused(wrong: str, tmp_path: Path) -> None:
    result = CliRunner().invoke(app, ["assemble", "--out", str(tmp_path / "out.pdf"), "--cut", wrong, "page.png"])
    assert result.exit_code == 2


def test_what_all_pages_share_is_wiped_and_told_and_their_print_stays(tmp_path: Path) -> None:
    at_mm = DPI / 25.4
    scans = []
    for number in range(5):
        hand = np.random.default_rng(number)
        page = np.full((round(297 * at_mm), round(210 * at_mm), 3), 246.0)
        for line in range(20):
            for left in range(30, 170, 14):
                top = round((45 + 10 * line) * at_mm)
                page[top : top + 8, round(left * at_mm) : round((left + hand.uniform(3, 10)) * at_mm)] = 40
        for y in (108.5, 188.5):
            cv2.circle(page, (round(12 * at_mm), round(y * at_mm)), round(3 * at_mm), (25, 25, 25), -1, cv2.LINE_AA)
        page += hand.normal(0, 1.5, page.shape)
        scans.append(tmp_path / f"scan-{number}.png")
        Image.fromarray(page.clip(0, 255).astype(np.uint8)).save(scans[-1], dpi=(DPI, DPI))
    wanted = {"sources": tuple(scans), "out": tmp_path / "clean.png", "crop": False, "straighten": False}
    report = made(AssemblyRequest(**wanted, wipe_shared=True, colours=Colours.COLOUR))
    assert [[zone.kind for zone in page.zones] for page in report.pages] == [["hole", "hole"]] * 5
    assert {zone.confidence for page in report.pages for zone in page.zones} == {1.0}
    for scan_file, clean in zip(scans, report.out, strict=True):
        before, after = (np.asarray(Image.open(file).convert("L")).astype(int) for file in (scan_file, clean))
        around = slice(round(100 * at_mm), round(117 * at_mm)), slice(round(5 * at_mm), round(19 * at_mm))
        assert before[around].min() < 40
        assert after[around].min() > 235
        assert np.abs(after - before)[:, round(25 * at_mm) :].mean() < 3
    plain = made(AssemblyRequest(**wanted, colours=Colours.COLOUR))
    assert all(page.zones == () for page in plain.pages)


@pytest.fixture
def booklet(tmp_path: Path) -> list[Path]:
    """Scans of the cover and three spreads of the stand-in's booklet, of A5 pages."""
    original = ORIGINALS["handbook"]
    scans = []
    for number, sheet in enumerate(original.sheets[:4]):
        side = draw_side(sheet.paper or original.paper, sheet.front, sideways=sheet.sideways)
        lay = lay_sheet(side.paper.width_mm, side.paper.height_mm, False, LIT_GLASS, number)
        picture = scan(side, None, lay, LIT_GLASS, Region(0, 0, 230, 320), 150, number)
        scans.append(tmp_path / f"scan-{number}.png")
        Image.fromarray(picture).save(scans[-1], dpi=(150, 150))
    return scans


def test_spreads_become_two_pages_whose_print_is_lined_up(booklet: list[Path], tmp_path: Path) -> None:
    wanted = AssemblyRequest(
        sources=tuple(booklet), out=tmp_path / "booklet.pdf", split_spreads=True, align_margins=True
    )
    report = made(wanted)
    assert [page.half for page in report.pages] == [None, *["left", "right"] * 3]
    for page in report.pages:
        assert (page.width_mm, page.height_mm) == pytest.approx((148, 210), abs=4)
    _, *leaves = report.pages
    assert all("split_spreads" in leaf.operations and leaf.gutter_confidence == 1.0 for leaf in leaves)
    assert all(leaf.gutter is not None and len(leaf.gutter) >= 2 for leaf in leaves)
    assert any(leaf.margins_mm != (0.0, 0.0) for leaf in leaves)
    whole = made(wanted.model_copy(update={"split_spreads": False, "align_margins": False}))
    assert len(whole.pages) == 4
    assert all(page.half is None and page.margins_mm == (0.0, 0.0) for page in whole.pages)


def test_dark_rims_are_wiped_where_they_are_not_cropped_away(tmp_path: Path) -> None:
    page = np.full((1100, 800), 240, np.uint8)
    page[200:900:20, 150:650] = 30
    page[:, :30] = 15
    Image.fromarray(page).save(tmp_path / "scan.png", dpi=(DPI, DPI))
    wanted = AssemblyRequest(
        sources=(tmp_path / "scan.png",), out=tmp_path / "clean.png", crop=False, straighten=False, clean_borders=True
    )
    (report,) = made(wanted).pages
    assert [zone.kind for zone in report.zones] == ["dark_rim"]
    assert report.operations == ("put_zones",)
    clean = np.asarray(Image.open(tmp_path / "clean.png").convert("L"))
    assert clean[:, :30].min() > 200
    assert clean[200, 150:650].max() < 100


def routine_file(folder: Path, *does: dict[str, object]) -> Path:
    """Write a routine whose steps are for all pages."""
    file = folder / "routine.json"
    file.write_text(RoutineFile(name="Everyday", steps=tuple(Step(does=one) for one in does)).to_json())
    return file


def test_a_routine_does_what_the_options_do(booklet: list[Path], tmp_path: Path) -> None:
    """And says of the cover that it is no spread."""
    options = AssemblyRequest(
        sources=tuple(booklet), out=tmp_path / "options.pdf", split_spreads=True, align_margins=True
    )
    file = routine_file(tmp_path, {"kind": "split"}, {"kind": "align_margins", "across": "inner"})
    steps = AssemblyRequest(sources=tuple(booklet), out=tmp_path / "routine.pdf", routine=file)
    by_options, by_routine = made(options), made(steps)
    assert by_routine.pages == by_options.pages
    (misfit,) = by_routine.misfits
    assert (misfit.step.code, misfit.reason.code) == ("step_split", "misfit_no_gutter")
    assert [(place.file, place.page) for place in misfit.pages] == [(str(booklet[0]), 1)]
    assert "Split spreads: not done to" in in_words(by_routine, Words.of("en-GB"))


def test_a_routine_is_read_from_right_to_left_and_tones_all_pages(booklet: list[Path], tmp_path: Path) -> None:
    file = routine_file(tmp_path, {"kind": "set_tone", "tone": "bilevel"}, {"kind": "split", "right_to_left": True})
    report = made(AssemblyRequest(sources=tuple(booklet[1:3]), out=tmp_path / "page.png", routine=file))
    assert [page.half for page in report.pages] == ["right", "left", "right", "left"]
    for number in range(1, 5):
        shades = np.unique(np.asarray(Image.open(tmp_path / f"page-{number:03}.png").convert("L")))
        assert set(shades.tolist()) <= {0, 255}


@pytest.mark.parametrize(
    ("text", "said"),
    [
        (None, "cannot be read"),
        ("{", "is no routine"),
        ('{"routine": 9, "name": "x", "steps": []}', "later version"),
        ('{"routine": 1, "name": "x", "steps": [{"does": {"kind": "fold"}}]}', "Step 1"),
    ],
)
def test_a_routine_that_cannot_be_used_makes_nothing(
    text: str | None, said: str, files: list[Path], tmp_path: Path
) -> None:
    file = tmp_path / "routine.json"
    if text is not None:
        file.write_text(text)
    out = tmp_path / "out.pdf"
    with pytest.raises(RoutineRefused) as refused:
        made(AssemblyRequest(sources=tuple(files), out=out, routine=file))
    assert said in Words.of("en-GB").text(refused.value.message)
    assert not out.exists()


def test_what_does_not_fit_in_a_file_is_no_setting(
    files: list[Path], tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    file = tmp_path / "routine.json"
    file.write_text('{"routine": 1, "steps": [], "pages": 3}')
    command = ["papiermappe", "assemble", str(files[0]), "--out", str(tmp_path / "out.pdf"), "--routine", str(file)]
    monkeypatch.setattr("sys.argv", command)
    with pytest.raises(SystemExit):
        main()
    said = capsys.readouterr().err
    assert "is no routine" in said
    assert "“name” does not fit: Field required." in said
    assert "PAPIERMAPPE" not in said


def test_photos_are_made_flat_and_their_corners_told(tmp_path: Path) -> None:
    side = ORIGINALS["lease"].sheets[0].front
    photo = tmp_path / "table.jpg"
    photo.write_bytes(photograph(draw_side(ORIGINALS["lease"].paper, side).raster(150), names_camera=False))
    out = tmp_path / "lease.pdf"
    result = CliRunner().invoke(app, ["assemble", str(photo), "--photos", "--out", str(out), "--read", "", "--json"])
    (page,) = json.loads(result.stdout)["pages"]
    assert page["confidence"] >= 0.5
    # Places from the top left of the picture, where pixel centres lie at halves.
    assert np.abs(np.array(page["corners_px"]) - 0.5 - PHOTOGRAPHED).max() < 2
    assert (page["width_mm"], page["height_mm"]) == (210, 297)
    assert "make_flat" in page["operations"]
    with pikepdf.open(out) as pdf:
        assert [round(float(side) / 72 * 25.4) for side in pdf.pages[0].mediabox[2:]] == [210, 297]


def test_a_photo_whose_sheet_is_not_found_for_sure_stays_and_that_is_said(tmp_path: Path) -> None:
    two_sheets = np.full((900, 1200, 3), 70, np.uint8)
    two_sheets[200:700, 100:480] = two_sheets[200:700, 700:1080] = 235
    photo, out = tmp_path / "table.png", tmp_path / "table.pdf"
    photo.write_bytes(encode_png(two_sheets))
    command = ["assemble", str(photo), "--photos", "--out", str(out), "--read", ""]
    assert "page 1: Where the sheet lies on the photo is uncertain" in CliRunner().invoke(app, command).stdout
    (page,) = json.loads(CliRunner().invoke(app, [*command, "--replace", "--json"]).stdout)["pages"]
    assert page["confidence"] < 0.5
    assert "make_flat" not in page["operations"]
    assert [message["code"] for message in page["unsure"]] == ["sheet_uncertain"]
    assert page["findings"] == []  # of the table
