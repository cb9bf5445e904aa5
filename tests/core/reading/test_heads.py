"""Lines at the head of a page in which two things stand."""

from papiermappe.core.reading.heads import with_heads_apart
from papiermappe.core.reading.page_text import Block, BoxMm, Line, PageText, Paragraph, Word


def line(top_mm: float, *words: tuple[str, float, float]) -> Line:
    """Return a line of words, each with its left and right."""
    made = tuple(
        Word(text=text, box=BoxMm(left=left, top=top_mm, right=right, bottom=top_mm + 4), confidence=0.9)
        for text, left, right in words
    )
    return Line(words=made, box=BoxMm(left=words[0][1], top=top_mm, right=words[-1][2], bottom=top_mm + 4))


def page(*lines: Line) -> PageText:
    """Return a page of one paragraph."""
    blocks = (Block(paragraphs=(Paragraph(lines=lines),)),)
    return PageText(width_mm=210, height_mm=297, languages=("eng",), blocks=blocks)


HEAD = line(20, ("Tolver", 20, 40), ("Works", 42, 60), ("INVOICE", 140, 160), ("2026-0815", 162, 190))
ADDRESS = line(30, ("Sawmill", 20, 40), ("Yard", 42, 50))
LABEL = line(40, ("Number", 120, 135), ("TV-17", 160, 175))


def test_a_sender_and_what_stands_at_the_right_edge_are_two_lines() -> None:
    found = with_heads_apart(page(HEAD, ADDRESS, LABEL))
    assert [one.text for one in found.lines()] == ["Tolver Works", "INVOICE 2026-0815", "Sawmill Yard", "Number TV-17"]
    first, second, *_ = found.lines()
    assert (first.box.right, second.box.left) == (60, 140)


def test_lines_farther_down_stay_whole() -> None:
    low = page(HEAD.model_copy(update={"box": HEAD.box.moved(0, 120)}))
    assert with_heads_apart(low) == low
