"""What letters begin and end with, their language and their titles."""

import pytest
from tests.helpers import page_saying

from papiermappe.core.reading.letters import closes_a_letter, opens_a_document, title_of
from papiermappe.core.reading.page_text import Block, BoxMm, Line, PageText, Paragraph, Word
from papiermappe.core.reading.printed import printed_on, printed_on_rims


def line(text: str, top_mm: float, height_mm: float = 4.0) -> Line:
    """Return a line of words."""
    box = BoxMm(left=20, top=top_mm, right=120, bottom=top_mm + height_mm)
    return Line(words=tuple(Word(text=word, box=box, confidence=0.9) for word in text.split()), box=box)


def page(*lines: Line) -> PageText:
    """Return an A4 page with each line a block of its own."""
    blocks = tuple(Block(paragraphs=(Paragraph(lines=(one,)),)) for one in lines)
    return PageText(width_mm=210, height_mm=297, languages=("eng", "deu"), blocks=blocks)


BODY = [line("we thank you for the order that you have sent to us", 100 + 6 * at) for at in range(6)]


@pytest.mark.parametrize(
    "text",
    [
        "Dear Sir or Madam,",
        "Sehr geehrte Frau Orrell,",
        "Betreff: Wasserrechte",
        "INVOICE 2044",
        "Rechnungs-Nr. 17",
        "Order no. 9",
    ],
)
def test_lines_that_begin_a_document(text: str) -> None:
    assert opens_a_document(text)


@pytest.mark.parametrize(
    "text", ["my dear friend wrote", "the rechnung was paid", "in order to", "Invoice paid in May", "Page 2"]
)
def test_lines_that_begin_none(text: str) -> None:
    assert not opens_a_document(text)


def test_lines_that_end_a_letter() -> None:
    assert closes_a_letter("Yours sincerely,")
    assert closes_a_letter("Mit besten Grüßen")
    assert not closes_a_letter("the greetings that he sent")


def test_the_title_is_the_subject_line_or_else_the_largest_heading_below_the_letterhead() -> None:
    head = line("Hollerbeck Orchard Cooperative", 14, 8)
    heading = line("Report of hail damage", 60, 6)
    assert title_of(page(head, heading, *BODY)) == "Report of hail damage"
    assert title_of(page(head, *BODY)) == "Hollerbeck Orchard Cooperative"
    assert title_of(page(head, line("Subject: Water rights.", 80), heading, *BODY)) == "Water rights"
    letter = (line("Your share of the harvest", 84), line("Dear Mrs Orrell,", 92), *BODY)
    assert title_of(page(head, *letter)) == "Your share of the harvest"
    assert title_of(page(heading, line("Hollerbeck, 3 November 2026", 70), *letter[1:])) == "Report of hail damage"
    assert title_of(page(*BODY)) == ""
    assert title_of(page_saying("Re: " + "long words " * 40)).startswith("long words")
    assert len(title_of(page_saying("Re: " + "long words " * 40))) <= 120


def test_heads_and_feet_are_short_lines_at_the_rims() -> None:
    foot = line("Registered at Quillford, account 4711", 285)
    long = line("this line is of the text that begins at the very top of the page", 20)
    read = page(line("Water Board", 12), long, *BODY, foot)
    rims = printed_on_rims(read)
    assert rims.head == ("water", "board")
    assert rims.foot == ("registered", "quillford", "account")
    whole = printed_on(read)
    assert (whole.head, whole.foot, whole.language) == (rims.head, rims.foot, "eng")
    assert (rims.language, rims.begins_within) == (None, None)
