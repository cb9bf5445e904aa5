"""Words that were guessed rather than read."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from papiermappe.core.reading.guesses import GUESSED, left_unread, without_guesses
from papiermappe.core.reading.page_text import Block, BoxMm, Line, PageText, Paragraph, Word

BOX = BoxMm(left=20, top=20, right=40, bottom=25)


def page(*lines: list[float]) -> PageText:
    """Return a page of lines whose words have these confidences."""
    made = [
        Line(words=tuple(Word(text=f"w{at}", box=BOX, confidence=sure) for at, sure in enumerate(line)), box=BOX)
        for line in lines
    ]
    blocks = (Block(paragraphs=(Paragraph(lines=tuple(made)),)),) if made else ()
    return PageText(width_mm=210, height_mm=297, languages=("eng",), blocks=blocks)


def sures(kept: PageText) -> list[list[float]]:
    """Return the confidences of the words that are left, line by line."""
    return [[word.confidence for word in line.words] for line in kept.lines()]


def test_an_unsure_word_in_a_line_that_was_read_stays() -> None:
    kept = without_guesses(page([0.9, 0.1, 0.95]))
    assert (sures(kept), kept.guesses) == ([[0.9, 0.1, 0.95]], 0)


def test_a_line_of_guesses_goes_and_what_was_read_in_it_stays() -> None:
    kept = without_guesses(page([0.9, 0.9], [0.1, 0.2, 0.3], [0.2, 0.5, 0.3]))
    assert (sures(kept), kept.guesses) == ([[0.9, 0.9], [0.5]], 5)


def test_a_page_of_guesses_is_empty() -> None:
    kept = without_guesses(page([0.1, 0.1], [0.2]))
    assert (kept.blocks, kept.text, kept.guesses) == ((), "", 3)


@given(st.lists(st.lists(st.floats(0, 1), min_size=1, max_size=6), max_size=6))
def test_nothing_is_lost_uncounted_and_nothing_sure_is_lost(lines: list[list[float]]) -> None:
    kept = without_guesses(page(*lines))
    left = [sure for line in sures(kept) for sure in line]
    assert len(left) + kept.guesses == sum(map(len, lines))
    assert sum(sure >= GUESSED for line in lines for sure in line) == sum(sure >= GUESSED for sure in left)


@pytest.mark.parametrize("confidence", [GUESSED + 0.01, 0.59])
def test_what_is_doubtful_but_no_guess_stays(confidence: float) -> None:
    assert without_guesses(page([confidence] * 3)).guesses == 0


@pytest.mark.parametrize(
    ("text", "confidence", "stays"),
    [
        ("VVVVVVV", 0.75, False),  # a signature
        ("VVVVVV\\", 0.64, False),
        ("xxxxx", 0.95, True),  # printed so
        ("00000", 0.7, True),
        (".......", 0.7, True),  # what leads from an entry to its page
        ("Aaaah", 0.7, True),
    ],
)
def test_a_wave_is_no_word(text: str, confidence: float, stays: bool) -> None:
    word = Word(text=text, box=BOX, confidence=confidence)
    line = Line(words=(word, Word(text="Pears", box=BOX, confidence=0.95)), box=BOX)
    read = PageText(
        width_mm=210, height_mm=297, languages=("eng",), blocks=(Block(paragraphs=(Paragraph(lines=(line,)),)),)
    )
    kept = without_guesses(read)
    assert (text in kept.text, kept.guesses) == (stays, 0 if stays else 1)


def test_what_was_read_in_the_place_of_a_guess_is_no_longer_one() -> None:
    at = [BoxMm(left=20 * number, top=20, right=20 * number + 15, bottom=25) for number in range(3)]
    first = [Word(text=text, box=box, confidence=0.2) for text, box in zip(["VAV", "Peurs", "plums"], at, strict=True)]
    again = Word(text="Pears", box=at[1].moved(0.3, 0.1), confidence=0.9)

    def saying(*words: Word) -> PageText:
        line = Line(words=words, box=BOX)
        blocks = (Block(paragraphs=(Paragraph(lines=(line,)),)),)
        return PageText(width_mm=210, height_mm=297, languages=("eng",), blocks=blocks)

    assert left_unread(saying(*first), saying(again, first[2])) == 1
    assert left_unread(saying(*first), saying(*first)) == 0
