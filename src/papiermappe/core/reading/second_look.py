"""What a second look at parts of a page has shown: what was read better takes its place, what was left out joins it.

A recogniser lays lines through the whole page first. Where print of two sizes stands side by side it takes both for
one line and breaks the larger into letters; a number alone in its column it takes for dirt. Cut out, and brought to the
size at which it reads best, such a part is read well.
"""

from collections.abc import Sequence

from papiermappe.core.reading.doubtful import Part, is_broken
from papiermappe.core.reading.guesses import GUESSED
from papiermappe.core.reading.left_out import shares_rows, stands_alone_at_end
from papiermappe.core.reading.page_text import Block, BoxMm, Line, PageText, Paragraph, Word
from papiermappe.core.reading.stacks import Stack, words_of_parts

BETTER, NO_WORSE = 0.05, -0.06  # of the confidence, than before
WORST_BETTER = 0.15  # the same, of the worst word, where all together are no worse
SURE = 0.6  # that a part was read, and not guessed
SURE_ELSEWHERE = 0.8  # the same of what was left out, but for a page number: a scribble is left out, too
LEAST_SURE = 0.5  # of its words
FEWEST_LETTERS = 2  # fewer may be a line or a ring, unless they are a number in its row...
APART_MM = 1.5  # ...and not the end of a word that was read


def with_second_look(page: PageText, stack: Stack, read: PageText) -> PageText:
    """Return a page with what was read better in its parts.

    Args:
        page: what was read at first.
        stack: of its parts.
        read: what was read on the picture of them.
    """
    found = words_of_parts(stack, read)
    better = {
        id(part.words[0]): (part, words)
        for part, words in zip(stack.parts, found, strict=True)
        if part.words and _is_better(words, part.words)
    }
    told = page.rewritten(lambda line: _replaced(line, better)) if better else page
    for part, words in zip(stack.parts, found, strict=True):
        unknown = [] if part.words else _unknown(words, told)
        if unknown and _is_print(part, unknown, page):
            told = _inserted(told, unknown)
    return told


def _confidence(words: Sequence[Word]) -> float:
    """Return the mean over all letters."""
    return sum(word.confidence * len(word.text) for word in words) / sum(len(word.text) for word in words)


def _is_better(words: Sequence[Word], before: Sequence[Word]) -> bool:
    if not words or _confidence(words) < (SURE if _confidence(before) >= GUESSED else SURE_ELSEWHERE):
        return False
    gained = _confidence(words) - _confidence(before)
    if is_broken(before) != is_broken(words):
        return is_broken(before) and gained >= NO_WORSE
    worst = min(word.confidence for word in words) - min(word.confidence for word in before)
    return gained >= BETTER or (gained >= 0 and worst >= WORST_BETTER)


def _replaced(line: Line, better: dict[int, tuple[Part, list[Word]]]) -> Line:
    words: list[Word] = []
    skipped: set[int] = set()
    for word in line.words:
        if id(word) in better:
            part, instead = better[id(word)]
            words += instead
            skipped |= {id(one) for one in part.words}
        if id(word) not in skipped:
            words.append(word)
    return line.model_copy(update={"words": tuple(words)})


def _is_print(part: Part, words: Sequence[Word], page: PageText) -> bool:
    """Return whether what was read where print had been left out is surely that."""
    text = "".join(word.text for word in words)
    if stands_alone_at_end(part.box, page):
        return min(word.confidence for word in words) >= SURE
    if _confidence(words) < SURE_ELSEWHERE or min(word.confidence for word in words) < LEAST_SURE:
        return False
    if sum(map(str.isalnum, text)) >= FEWEST_LETTERS:
        return True
    beside = [word.box for line in page.lines() for word in line.words if shares_rows(part.box, word.box)]
    gaps_mm = [max(box.left - part.box.right, part.box.left - box.right) for box in beside]
    return text.isdecimal() and bool(gaps_mm) and min(gaps_mm) > APART_MM


def _unknown(words: Sequence[Word], page: PageText) -> list[Word]:
    """Return the words in whose place nothing was read before, or when a part that reaches over it was looked at."""
    boxes = [word.box for line in page.lines() for word in line.words if word.confidence >= SURE]
    return [word for word in words if not any(word.box.meets(box) for box in boxes)]


def _inserted(page: PageText, words: Sequence[Word]) -> PageText:
    """Return a page with words that stand in a line of it, or else in a block of their own."""
    box = BoxMm.around(word.box for word in words)
    middle = (box.top + box.bottom) / 2
    rows = [line for line in page.lines() if line.box.top < middle < line.box.bottom]
    free = [line for line in rows if not any(_overlap(word.box, box) for word in line.words)]
    if free:
        nearest = min(free, key=lambda line: max(line.box.left - box.right, box.left - line.box.right))
        return page.rewritten(lambda line: _joined(line, words) if line is nearest else line)
    block = Block(paragraphs=(Paragraph(lines=(Line(words=tuple(words), box=box),)),))
    after = [at for at, other in enumerate(page.blocks) if _top(other) > box.top]
    at = after[0] if after else len(page.blocks)
    return page.model_copy(update={"blocks": (*page.blocks[:at], block, *page.blocks[at:])})


def _overlap(one: BoxMm, other: BoxMm) -> bool:
    return one.left < other.right and other.left < one.right


def _joined(line: Line, words: Sequence[Word]) -> Line:
    together = tuple(sorted((*line.words, *words), key=lambda word: word.box.left))
    return Line(words=together, box=BoxMm.around(word.box for word in together))


def _top(block: Block) -> float:
    return min(line.box.top for paragraph in block.paragraphs for line in paragraph.lines)
