"""Parts of a page that are read once more: which they are, how they are cut out, and what becomes of what is read."""

import numpy as np
import pytest

from papiermappe.core.picture import Pixels
from papiermappe.core.reading.doubtful import Part, doubtful_parts
from papiermappe.core.reading.page_text import Block, BoxMm, Line, PageText, Paragraph, Word
from papiermappe.core.reading.second_look import with_second_look
from papiermappe.core.reading.stacks import Stack, stacks

DPI = 254  # ten pixels are a millimetre


def word(text: str, left: float, confidence: float = 0.95, top: float = 20.0, height: float = 3.0) -> Word:
    """Return a word that is 2 mm wide a letter."""
    box = BoxMm(left=left, top=top, right=left + 2 * len(text), bottom=top + height)
    return Word(text=text, box=box, confidence=confidence)


def line(*words: Word) -> Line:
    """Return a line of words."""
    return Line(words=words, box=BoxMm.around(one.box for one in words))


def page(*lines: Line) -> PageText:
    """Return a page with a block a line."""
    blocks = tuple(Block(paragraphs=(Paragraph(lines=(one,)),)) for one in lines)
    return PageText(width_mm=150, height_mm=100, languages=("eng",), blocks=blocks)


def paper(*boxes: BoxMm) -> Pixels:
    """Return a page with print in places: strokes 1.5 mm wide, half a millimetre apart."""
    grey = np.full((1000, 1500), 230, np.uint8)
    for box in boxes:
        for left in np.arange(10 * box.left, 10 * box.right, 20):
            grey[round(10 * box.top) : round(10 * box.bottom), round(left) : round(min(left + 15, 10 * box.right))] = 40
    return grey


def of(read: PageText) -> Pixels:
    """Return a page with ink where something was read."""
    return paper(*(one.box for told in read.lines() for one in told.words))


def seen_again(stack: Stack, *told: list[tuple[str, float]]) -> PageText:
    """Return what a recogniser would say of the parts of a stack: words with confidences, 20 px wide."""
    lines = []
    for top_px, words in zip(stack.tops_px, told, strict=True):
        made = []
        for at, (text, confidence) in enumerate(words):
            left_mm, top_mm = (stack.space_px + 30 * at) / 300 * 25.4, (top_px + 4) / 300 * 25.4
            box = BoxMm(left=left_mm, top=top_mm, right=left_mm + 20 / 300 * 25.4, bottom=top_mm + 20 / 300 * 25.4)
            made.append(Word(text=text, box=box, confidence=confidence))
        if made:
            lines.append(line(*made))
    return page(*lines)


def looked(read: PageText, grey: Pixels, *told: list[tuple[str, float]]) -> list[str]:
    """Return the lines of a page after a second look at all its parts, which lie on one stack."""
    (stack,) = stacks(doubtful_parts(read, grey, DPI), grey, DPI)
    return [one.text for one in with_second_look(read, stack, seen_again(stack, *told)).lines()]


def test_what_was_read_well_is_not_looked_at_again() -> None:
    read = page(line(word("Pears", 20), word("and", 32), word("plums", 40)))
    assert doubtful_parts(read, of(read), DPI) == []
    assert stacks([], of(read), DPI) == []


def test_a_doubtful_word_is_looked_at_with_what_stands_with_it_only() -> None:
    read = page(line(word("iL", 20, 0.5), word("Pears", 60), word("12", 100)))
    (part,) = doubtful_parts(read, of(read), DPI)
    assert [one.text for one in part.words] == ["iL"]


def test_print_of_another_size_in_one_line_is_a_part_of_its_own() -> None:
    """A heading 6 mm high was broken into letters; beside it stands small print that was read well."""
    heading = [word(text, 20 + 5 * at, height=6) for at, text in enumerate(["O", "rc", "h", "ar", "d"])]
    small = word("www.hollerbeck", 46, height=2), word("office@hollerbeck", 76, height=1.9)
    read = page(line(*heading, *small))
    (part,) = doubtful_parts(read, of(read), DPI)
    assert [one.text for one in part.words] == ["O", "rc", "h", "ar", "d"]
    assert part.is_broken


def test_parts_are_cut_out_at_the_size_that_is_read_best() -> None:
    """Ink 3 mm and 1.5 mm high: both are as high on the picture; what was broken lies by itself."""
    large, small = BoxMm(left=20, top=20, right=40, bottom=23), BoxMm(left=20, top=40, right=30, bottom=41.5)
    broken = Part(
        BoxMm(left=20, top=60, right=40, bottom=66), tuple(word(text, 20, top=60) for text in ("a", "b", "c", "d"))
    )
    both, alone = stacks([Part(large), Part(small), broken], paper(large, small, broken.box), DPI)
    assert both.scales[1] == pytest.approx(2 * both.scales[0], rel=0.02)
    picture = both.picture.pixels()
    inked = [(picture[top : top + 60].min(axis=1) < 120).sum() for top in both.tops_px]
    assert inked[0] == pytest.approx(inked[1], abs=2)
    assert picture[: both.space_px].min() == 255
    assert len(alone.parts) == 1


def test_what_was_read_better_takes_its_place() -> None:
    read = page(line(word("iL", 20, 0.5), word("Pears", 60)))
    assert looked(read, of(read), [("1", 0.93)]) == ["1 Pears"]


@pytest.mark.parametrize("told", [[], [("J", 0.52)], [("||", 0.4)]])
def test_what_was_read_no_better_does_not(told: list[tuple[str, float]]) -> None:
    read = page(line(word("iL", 20, 0.5), word("Pears", 60)))
    assert looked(read, of(read), told) == ["iL Pears"]


def test_what_was_hardly_read_needs_to_be_read_surely() -> None:
    read = page(line(word("LIYS", 20, 0.1)))
    assert looked(read, of(read), [("PALF", 0.7)]) == ["LIYS"]
    assert looked(read, of(read), [("Pears", 0.9)]) == ["Pears"]


def test_letters_that_belong_together_become_words() -> None:
    read = page(line(*(word(text, 20 + 5 * at, 0.92) for at, text in enumerate(["Or", "c", "h", "ard"]))))
    assert looked(read, of(read), [("Orchard", 0.9)]) == ["Orchard"]


def test_words_are_not_broken_up() -> None:
    read = page(line(word("Orchard", 20, 0.6)))
    assert looked(read, of(read), [("O", 0.9), ("rc", 0.9), ("ha", 0.9), ("rd", 0.9)]) == ["Orchard"]


def test_a_cell_that_was_left_out_joins_its_row() -> None:
    read = page(line(word("Pears", 20), word("120.00", 100)), line(word("Total", 20, top=40)))
    grey = np.minimum(of(read), paper(BoxMm(left=70, top=20, right=73, bottom=23)))
    assert looked(read, grey, [("8", 0.96)]) == ["Pears 8 120.00", "Total"]


def test_of_what_was_half_read_the_other_half_joins_its_line() -> None:
    """The first word was doubtful, the one close behind it was left out: both are looked at, the first one twice."""
    read = page(line(word("www.hollerbeck", 20, 0.5)))
    grey = np.minimum(of(read), paper(BoxMm(left=50, top=20, right=80, bottom=23)))
    parts = doubtful_parts(read, grey, DPI)
    assert [len(part.words) for part in parts] == [0, 1]
    (stack,) = stacks(parts, grey, DPI)
    told = with_second_look(read, stack, seen_again(stack, [("office@hollerbeck", 0.92)], [("www.hollerbeck", 0.9)]))
    assert [word.text for one in told.lines() for word in one.words].count("www.hollerbeck") == 1


def test_a_line_that_was_left_out_is_a_block_where_it_stands() -> None:
    read = page(line(word("Pears", 20)), line(word("Total", 20, top=60)))
    grey = np.minimum(of(read), paper(BoxMm(left=20, top=40, right=60, bottom=43)))
    assert looked(read, grey, [("Apples", 0.9), ("too", 0.9)]) == ["Pears", "Apples too", "Total"]


def test_the_end_of_a_word_is_no_number_of_its_own() -> None:
    """The box of a word ends before its last letter, which looks like a 1."""
    read = page(line(word("Pears", 20)))
    grey = np.minimum(of(read), paper(BoxMm(left=30.8, top=20, right=31.8, bottom=23)))
    assert looked(read, grey, [("1", 0.95)]) == ["Pears"]


@pytest.mark.parametrize("told", [[("VAVAV", 0.5)], [("PLFA", 0.7)], [("O", 0.95)], [("8", 0.96)]])
def test_a_scribble_or_a_ring_that_was_left_out_stays_out(told: list[tuple[str, float]]) -> None:
    """Nothing stands beside it: a single sign may be a ring or a stroke."""
    read = page(line(word("Pears", 20)))
    grey = np.minimum(of(read), paper(BoxMm(left=20, top=50, right=60, bottom=53)))
    assert looked(read, grey, told) == ["Pears"]


def test_a_number_that_stands_alone_at_the_foot_is_taken() -> None:
    read = page(line(word("Pears", 20)))
    grey = np.minimum(of(read), paper(BoxMm(left=74, top=92, right=76, bottom=95)))
    assert looked(read, grey, [("3", 0.7)]) == ["Pears", "3"]


def test_places_are_those_of_the_page() -> None:
    read = page(line(word("iL", 20, 0.5), word("Pears", 60)))
    grey = of(read)
    (stack,) = stacks(doubtful_parts(read, grey, DPI), grey, DPI)
    told = with_second_look(read, stack, seen_again(stack, [("1", 0.93)]))
    first = next(told.lines()).words[0]
    assert (first.box.left, first.box.top) == pytest.approx((20 - 0.4, 20 - 0.4 + 4 / stack.scales[0]), abs=0.1)
    assert first.box.right - first.box.left == pytest.approx(20 / stack.scales[0], abs=0.05)
