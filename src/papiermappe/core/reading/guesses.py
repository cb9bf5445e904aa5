"""What a recogniser has guessed rather than read: handwriting and music become letters that nobody wrote."""

from collections import Counter
from statistics import median

from papiermappe.core.reading.page_text import Line, PageText, Word

READ = 0.6
"""A line whose words are as sure as this in the middle was read: an unsure word among them is mostly nearly right."""
GUESSED = 0.5
SCRIBBLE_LETTERS, SCRIBBLE_SHARE, SCRIBBLE_SURE = 5, 0.7, 0.9
"""A word of so many letters, this share of them the same, is a wave drawn by hand, unless it was read as surely."""


def without_guesses(page: PageText) -> PageText:
    """Return a page without the words that were guessed, and with how many they are.

    In lines of which most was read, nothing is left out.

    >>> without_guesses(PageText(width_mm=210, height_mm=297, languages=("eng",))).guesses
    0
    """
    kept = page.rewritten(_kept_line)
    count = sum(len(line.words) for line in page.lines()) - sum(len(line.words) for line in kept.lines())
    return kept.model_copy(update={"guesses": page.guesses + count})


def left_unread(before: PageText, after: PageText) -> int:
    """Return how many words of a page have nothing in their place after it was read once more."""
    read = {word.box for line in after.lines() for word in line.words}
    gone = [word.box for line in before.lines() for word in line.words if word.box not in read]
    return sum(not any(box.meets(other) for other in read) for box in gone)


def _kept_line(line: Line) -> Line | None:
    words = tuple(word for word in line.words if not _is_scribble(word))
    if len(words) < len(line.words):
        line = line.model_copy(update={"words": words})
    if not words:
        return None
    if median(word.confidence for word in line.words) >= READ:
        return line
    words = tuple(word for word in line.words if word.confidence >= GUESSED)
    return line.model_copy(update={"words": words}) if words else None


def _is_scribble(word: Word) -> bool:
    letters = [letter for letter in word.text if letter.isalpha()]
    if len(letters) < SCRIBBLE_LETTERS or word.confidence >= SCRIBBLE_SURE:
        return False
    return Counter(letters).most_common(1)[0][1] >= SCRIBBLE_SHARE * len(word.text)
