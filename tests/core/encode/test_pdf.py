"""PDFs, looked at by programs that are not ours."""

import io
import re
import shutil
import subprocess
from datetime import UTC, datetime
from pathlib import Path

import numpy as np
import pikepdf
import pypdfium2
import pytest

from papiermappe.core.encode.encoded import from_jpeg
from papiermappe.core.encode.jpeg import encode_jpeg
from papiermappe.core.encode.level import Level
from papiermappe.core.encode.levels import encode_pages, split_page
from papiermappe.core.encode.options import About, Attachment
from papiermappe.core.encode.pdf import PdfPage, write_pdf
from papiermappe.core.picture import Pixels
from papiermappe.core.reading.page_text import Block, BoxMm, Line, PageText, Paragraph, Word

NOW = datetime(2026, 11, 24, 9, 14, tzinfo=UTC)


ABOUT = About("Lease “Übung” & <more>", NOW, "de")


def _line(top_mm: float, *words: tuple[str, float, float]) -> Line:
    """Return a line 5 mm high of words, each with its left and right in mm."""
    boxes = [BoxMm(left=left, top=top_mm, right=right, bottom=top_mm + 5) for _, left, right in words]
    return Line(
        words=tuple(Word(text=text, box=box, confidence=0.9) for (text, _, _), box in zip(words, boxes, strict=True)),
        box=BoxMm(left=words[0][1], top=top_mm, right=words[-1][2], bottom=top_mm + 5),
    )


TEXT = PageText(
    width_mm=210,
    height_mm=297,
    languages=("deu",),
    blocks=(
        Block(
            paragraphs=(Paragraph(lines=(_line(30, ("Größe", 20, 40), ("𝄞œ", 43, 60)), _line(37, ("links", 20, 35)))),)
        ),
        Block(paragraphs=(Paragraph(lines=(_line(30, ("rechts", 110, 130)), _line(37, ("unten", 110, 125)))),)),
    ),
)


@pytest.fixture
def written(tmp_path: Path, grey_page: Pixels) -> Path:
    """A PDF of an A4 page in grey, with text, and an A5 page, lying, in colour and in layers."""
    layered = encode_pages([split_page(np.dstack([grey_page] * 3), 100, Level.LEAN, bilevel=False)])[0]
    pages = [
        PdfPage(from_jpeg(encode_jpeg(grey_page)), 210, 297, TEXT, "Front"),
        PdfPage(layered, 210, 148, begins="Back"),
    ]
    file = tmp_path / "two.pdf"
    with file.open("wb") as out:
        assert write_pdf(iter(pages), out, ABOUT) == 2
    return file


def java_classpath() -> str:
    """Return where the checker of PDF/A and what it needs are."""
    names = ["preflight", "xmpbox", "pdfbox2", "fontbox2"]
    names += ["commons-io", "commons-logging", "javax.activation", "jaxb-api"]
    return ":".join(f"/usr/share/java/{name}.jar" for name in names)


def objections(file: Path, copy: Path) -> list[str]:
    """Return the codes of what a checker of PDF/A finds wrong with a copy as part 1 allows it: it knows that only."""
    how = ["--object-streams=disable", "--newline-before-endstream", "--force-version=1.4"]
    subprocess.run(["qpdf", *how, file, copy], check=True)
    checker = ["java", "-cp", java_classpath(), "org.apache.pdfbox.preflight.Validator_A1b", str(copy)]
    said = subprocess.run(checker, capture_output=True, text=True, check=False).stdout
    return [line.split(" : ")[0] for line in said.splitlines()[1:] if line.strip()]


OF_ANOTHER_PART = ["7.11.1", "7.11.2"]


def test_it_is_pdf_a(written: Path, tmp_path: Path) -> None:
    assert objections(written, tmp_path / "copy.pdf") == OF_ANOTHER_PART


TOLD = ABOUT._replace(author="Mira Öz & <Co>", subject="The upper meadow", keywords="lease, meadow")


def test_author_subject_and_keywords_are_told_twice_in_agreement(tmp_path: Path, grey_page: Pixels) -> None:
    file = tmp_path / "told.pdf"
    with file.open("wb") as out:
        write_pdf([PdfPage(from_jpeg(encode_jpeg(grey_page)), 210, 297)], out, TOLD)
    with pikepdf.open(file) as pdf:
        told = pdf.open_metadata()
        assert told["dc:creator"] == [TOLD.author]
        assert told["dc:description"] == TOLD.subject
        assert told["pdf:Keywords"] == TOLD.keywords
        said = {name: str(pdf.docinfo[name]) for name in ("/Author", "/Subject", "/Keywords")}
        assert said == {"/Author": TOLD.author, "/Subject": TOLD.subject, "/Keywords": TOLD.keywords}
    assert objections(file, tmp_path / "copy.pdf") == OF_ANOTHER_PART


SLIP = Attachment("lease.slip.json", "application/json", b'{"pages": 3}', "Where it comes from")


def test_a_file_attached_makes_it_pdf_a_3(tmp_path: Path, grey_page: Pixels) -> None:
    """ISO 19005-3, 6.8: the file is named twice, its kind and its relation are told, and the document points to it."""
    file = tmp_path / "with-slip.pdf"
    with file.open("wb") as out:
        write_pdf([PdfPage(from_jpeg(encode_jpeg(grey_page)), 210, 297)], out, ABOUT, attachments=[SLIP])
    with pikepdf.open(file) as pdf:
        assert pdf.open_metadata()["pdfaid:part"] == "3"
        (spec,) = pdf.Root.AF
        assert (str(spec.F), str(spec.UF), str(spec.AFRelationship)) == (SLIP.name, SLIP.name, "/Supplement")
        assert spec.EF.F.Subtype == "/application/json"
        assert spec.EF.F.Params.ModDate == pdf.docinfo["/ModDate"]
        assert pdf.attachments[SLIP.name].get_file().read_bytes() == SLIP.data
    listed = subprocess.run(["pdfdetach", "-list", file], capture_output=True, text=True, check=True).stdout
    assert SLIP.name in listed
    # Part 1 allows no attached files at all (7.9 of the checker's list); nothing else is wrong.
    assert set(objections(file, tmp_path / "copy.pdf")) - set(OF_ANOTHER_PART) <= {"1.2.9", "1.4.7"}


def test_a_password_encrypts_it_by_aes_256_and_takes_the_claim_to_be_pdf_a_away(
    tmp_path: Path, grey_page: Pixels
) -> None:
    file = tmp_path / "sealed.pdf"
    with file.open("wb") as out:
        write_pdf([PdfPage(from_jpeg(encode_jpeg(grey_page)), 210, 297, TEXT)], out, ABOUT, password="Apfel-Größe 7")
    with pytest.raises(pikepdf.PasswordError):
        pikepdf.open(file)
    assert ABOUT.title.encode() not in file.read_bytes()
    with pikepdf.open(file, password="Apfel-Größe 7") as pdf:
        assert (pdf.encryption.R, pdf.encryption.bits, pdf.encryption.stream_method.name) == (6, 256, "aesv3")
        assert "pdfaid:part" not in pdf.open_metadata()
        assert len(pdf.pages) == 1
    opened = pypdfium2.PdfDocument(file, password="Apfel-Größe 7")
    text = opened[0].get_textpage()
    assert "Größe" in text.get_text_range()
    text.close()
    opened.close()


def test_the_text_stands_where_it_is_printed(written: Path) -> None:
    said = subprocess.run(["pdftotext", "-bbox", "-l", "1", written, "-"], capture_output=True, text=True, check=True)
    found = re.findall(
        r'<word xMin="([\d.]+)" yMin="([\d.]+)" xMax="([\d.]+)" yMax="([\d.]+)">(.*?)</word>', said.stdout
    )
    places = {text: [round(float(side) / 72 * 25.4, 1) for side in sides] for *sides, text in found}
    expected = {word.text: word.box for line in TEXT.lines() for word in line.words}
    assert places.keys() == expected.keys()
    for text, box in expected.items():
        assert places[text] == pytest.approx([box.left, box.top, box.right, box.bottom], abs=0.2), text


def test_columns_are_copied_one_after_the_other(written: Path) -> None:
    document = pypdfium2.PdfDocument(written)
    page = document[0].get_textpage()
    assert page.get_text_range().split() == ["Größe", "𝄞œ", "links", "rechts", "unten"]
    page.close()
    document.close()


def test_title_dates_and_bookmarks(written: Path) -> None:
    with pikepdf.open(written) as pdf:
        told = pdf.open_metadata()
        assert told["dc:title"] == pdf.docinfo["/Title"] == ABOUT.title
        assert told["xmp:CreateDate"] == "2026-11-24T09:14:00+00:00"
        assert (told["pdfaid:part"], told["pdfaid:conformance"]) == ("2", "U")
        assert str(pdf.Root.Lang) == "de"
        with pdf.open_outline() as outline:
            assert [item.title for item in outline.root] == ["Front", "Back"]


def test_many_pages_are_put_aside_part_by_part(grey_page: Pixels) -> None:
    page = from_jpeg(encode_jpeg(grey_page))
    parts: list[io.BytesIO] = []

    def aside() -> io.BytesIO:
        parts.append(io.BytesIO())
        return parts[-1]

    out = io.BytesIO()
    assert write_pdf((PdfPage(page, 210, 297, begins=str(at)) for at in range(130)), out, ABOUT, aside) == 130
    assert len(parts) == 3  # 50 + 50 + 30
    with pikepdf.open(out) as pdf, pdf.open_outline() as outline:
        assert [item.title for item in outline.root] == [str(at) for at in range(130)]


def test_qpdf_finds_nothing_wrong(written: Path) -> None:
    done = subprocess.run(
        [shutil.which("qpdf") or "qpdf", "--check", written], capture_output=True, text=True, check=False
    )
    assert done.returncode == 0, done.stdout + done.stderr
    assert "File is linearized" in done.stdout


def test_poppler_sees_the_sizes_of_the_paper_and_the_pictures_as_they_are(written: Path) -> None:
    info = subprocess.run(["pdfinfo", "-l", "2", written], capture_output=True, text=True, check=True).stdout
    # 210 mm = 595.276 pt, 297 mm = 841.89 pt, 148 mm = 419.528 pt
    assert "Page    1 size:  595.276 x 841.89 pts (A4)" in info
    assert "Page    2 size:  595.276 x 419.528 pts" in info
    assert ABOUT.title in info
    images = subprocess.run(["pdfimages", "-list", written], capture_output=True, text=True, check=True).stdout
    kinds = [row.split()[2:6:3] for row in images.splitlines()[2:]]
    assert kinds[0] == ["image", "gray"]
    assert ["stencil", "-"] in kinds or ["mask", "-"] in kinds


def test_pictures_go_in_byte_for_byte(written: Path, grey_page: Pixels) -> None:
    with pikepdf.open(written) as pdf:
        picture = pdf.pages[0].Resources.XObject.Layer0
        assert picture.read_raw_bytes() == encode_jpeg(grey_page)


def test_the_same_pages_give_the_same_file(grey_page: Pixels) -> None:
    outs = [io.BytesIO(), io.BytesIO()]
    for out in outs:
        write_pdf([PdfPage(from_jpeg(encode_jpeg(grey_page)), 210, 297, TEXT)], out, ABOUT)
    assert outs[0].getvalue() == outs[1].getvalue()


def test_a_pdf_needs_a_page() -> None:
    with pytest.raises(ValueError, match="at least one page"):
        write_pdf([], io.BytesIO(), ABOUT)
