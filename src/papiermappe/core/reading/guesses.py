"""What a recogniser has guessed rather than read: handwriting and music become letters that nobody wrote."""

from statistics import median

from papiermappe.core.reading.page_text import Line, PageText

READ = 0.6
"""A line whose words are as sure as this in the middle was read: an unsure word among them is mostly nearly right."""
GUESSED = 0.35


def without_guesses(page: PageText) -> PageText:
    """Return a page without the words that were guessed, and with how many they are.

    In lines of which most was read, nothing is left out.

    >>> without_guesses(PageText(width_mm=210, height_mm=297, languages=("eng",))).guesses
    0
    """
    kept = page.rewritten(_kept_line)
    count = sum(len(line.words) for line in page.lines()) - sum(len(line.words) for line in kept.lines())
    return kept.model_copy(update={"guesses": page.guesses + count})


def _kept_line(line: Line) -> Line | None:
    if median(word.confidence for word in line.words) >= READ:
        return line
    words = tuple(word for word in line.words if word.confidence >= GUESSED)
    return line.model_copy(update={"words": words}) if words else None
