"""Parts of a page that are read once more, each by itself: what was read badly, and print that was left out.

A recogniser lays lines through the whole page first. Where print of two sizes stands side by side it takes both for
one line and breaks the larger into letters; a number alone in its column it takes for dirt. Cut out, and brought to the
size at which it reads best, such a part is read well. Parts go on one picture, one below the other: starting the
recogniser takes as long as reading a dozen of them. Only what was broken into letters has a picture of its own, to be
read as one line as it stands.
"""

from collections.abc import Iterator, Sequence
from statistics import fmean, median
from typing import NamedTuple

import cv2
import numpy as np

from papiermappe.core.encode.plain import Readable, encode_pgm
from papiermappe.core.geometry import mm_to_px
from papiermappe.core.picture import Pixels
from papiermappe.core.reading.guesses import GUESSED
from papiermappe.core.reading.left_out import left_out, shares_rows, stands_alone_at_end
from papiermappe.core.reading.page_text import Block, BoxMm, Line, PageText, Paragraph, Word

GAP_HEIGHTS = 1.6  # words farther apart than so many of their heights are parts of their own
LOW_SHARE = 0.6  # of the line's height: a full stop has no height to go by
OTHER_SIZE, MIXED_SHARE = 1.5, 0.2  # print is so many times as high; so many words may be of the size of the others
DOUBTFUL = 0.7  # confidence of a word
SHORT_LETTERS = 2
BROKEN_WORDS, BROKEN_SHARE = 4, 0.5  # a part of so many words is broken up if so many have no more than two letters
MOST_PARTS = 80
AROUND_MM = 0.4  # the paper cut out with a part; what lies farther away is not seen
LETTERS_PX, SPACE_PX = 24, 40  # the height of print on the picture, and the paper round each part
FAINTEST_ROW = 0.15  # of the ink of the fullest: less belongs to no line
RAW_SPACE_PX = 5  # the same, of a line that is read as it stands
MOST_TIMES = 4.0  # a part is enlarged
PAPER_PERCENT = 85
READING_DPI = 300.0  # that the picture is said to have
BETTER, NO_WORSE = 0.05, -0.06  # of the confidence, than before
WORST_BETTER = 0.15  # the same, of the worst word, where all together are no worse
SURE = 0.6  # that a part was read, and not guessed
SURE_ELSEWHERE = 0.8  # the same of what was left out, but for a page number: a scribble is left out, too
LEAST_SURE = 0.5  # of its words
FEWEST_LETTERS = 2  # fewer may be a line or a ring, unless they are a number in its row


class Part(NamedTuple):
    """A part of a page that is read once more."""

    box: BoxMm
    words: tuple[Word, ...] = ()
    """What was read there; none where print was left out."""

    @property
    def is_broken(self) -> bool:
        """Whether it was read as single letters."""
        return _is_broken(self.words)


class Stack(NamedTuple):
    """Parts, one below the other on one picture."""

    picture: Readable
    parts: tuple[Part, ...]
    tops_px: tuple[int, ...]
    """Where each begins on the picture, below the paper round it."""
    scales: tuple[float, ...]
    """How large each is, in px of the picture a mm."""
    space_px: int
    """The paper round each."""


def doubtful_parts(page: PageText, grey: Pixels, dpi: float) -> list[Part]:
    """Return the parts of a page that are worth a second look, at most `MOST_PARTS`.

    Args:
        page: what was read.
        grey: (h, w), the picture that was read.
        dpi: its resolution.
    """
    runs = [run for line in page.lines() for run in _runs(line)]
    bad = [Part(BoxMm.around(word.box for word in run), tuple(run)) for run in runs if _is_doubtful(run)]
    missing = [Part(box) for box in left_out(grey, dpi, page) if not any(_is_same(part.box, box) for part in bad)]
    return (missing + sorted(bad, key=lambda part: min(word.confidence for word in part.words)))[:MOST_PARTS]


def _is_same(doubtful: BoxMm, missing: BoxMm) -> bool:
    """Return whether a word that is looked at again anyway is the print that seems to be missing, and no larger."""
    height_mm = doubtful.bottom - doubtful.top
    return doubtful.meets(missing) and height_mm < OTHER_SIZE * (missing.bottom - missing.top)


def _runs(line: Line) -> Iterator[list[Word]]:
    """Yield the words of a line that stand together and are of one size."""
    least_mm = LOW_SHARE * median(map(_height, line.words))
    run: list[Word] = []
    for word in line.words:
        if run and word.box.left - run[-1].box.right > GAP_HEIGHTS * max(least_mm, min(map(_height, (run[-1], word)))):
            yield from _of_one_size(run)
            run = []
        run.append(word)
    yield from _of_one_size(run)


def _of_one_size(run: list[Word]) -> list[list[Word]]:
    """Return a run as it is, or cut in two where print of another size begins."""
    heights = np.array([_height(word) for word in run])
    apart = [abs(np.log(np.median(heights[:at]) / np.median(heights[at:]))) for at in range(1, len(run))]
    if not apart or max(apart) < np.log(OTHER_SIZE):
        return [run]
    at = 1 + int(np.argmax(apart))
    before, after = np.median(heights[:at]), np.median(heights[at:])
    is_nearer_before = np.abs(heights - before) < np.abs(heights - after)
    mixed = int((~is_nearer_before[:at]).sum() + is_nearer_before[at:].sum())
    return [run] if mixed > MIXED_SHARE * len(run) else [run[:at], run[at:]]


def _height(word: Word) -> float:
    return max(0.1, word.box.bottom - word.box.top)


def _is_doubtful(run: Sequence[Word]) -> bool:
    return min(word.confidence for word in run) < DOUBTFUL or _is_broken(run)


def _is_broken(run: Sequence[Word]) -> bool:
    return len(run) >= BROKEN_WORDS and fmean(len(word.text) <= SHORT_LETTERS for word in run) >= BROKEN_SHARE


def stacks(parts: Sequence[Part], grey: Pixels, dpi: float) -> list[Stack]:
    """Lay parts of a page one below the other, each as high as print is read best; broken ones by themselves.

    Args:
        parts: of the page.
        grey: (h, w), the page.
        dpi: its resolution.
    """
    whole = [part for part in parts if not part.is_broken]
    alone = [_stacked([part], grey, dpi, RAW_SPACE_PX) for part in parts if part.is_broken]
    return ([_stacked(whole, grey, dpi, SPACE_PX)] if whole else []) + alone


def _stacked(parts: Sequence[Part], grey: Pixels, dpi: float, space_px: int) -> Stack:
    cuts, scales = [], []
    for part in parts:
        cut = _cut_out(part.box, grey, dpi)
        times = min(MOST_TIMES, LETTERS_PX / _print_height_px(cut))
        cuts.append(_enlarged(cut, times))
        scales.append(times * mm_to_px(1.0, dpi))
    *tops, height = np.cumsum([space_px, *(len(cut) + space_px for cut in cuts)]).tolist()
    picture = np.full((height, max(cut.shape[1] for cut in cuts) + 2 * space_px), 255, np.uint8)
    for top, cut in zip(tops, cuts, strict=True):
        picture[top : top + len(cut), space_px : space_px + cut.shape[1]] = cut
    return Stack(Readable(encode_pgm(picture), READING_DPI), tuple(parts), tuple(tops), tuple(scales), space_px)


def _cut_out(box: BoxMm, grey: Pixels, dpi: float) -> Pixels:
    """Return a part on white paper."""
    top, left = (max(0, round(mm_to_px(side - AROUND_MM, dpi))) for side in (box.top, box.left))
    bottom, right = (max(1, round(mm_to_px(side + AROUND_MM, dpi))) for side in (box.bottom, box.right))
    part = grey[min(top, len(grey) - 1) : bottom, min(left, grey.shape[1] - 1) : right]
    paper = max(1.0, float(np.percentile(part, PAPER_PERCENT)))
    return np.asarray((part * (255 / paper)).clip(0, 255), np.uint8)


def _print_height_px(cut: Pixels) -> int:
    """Return how high the rows are that hold most of the ink: a line, and not what reaches in from above or below."""
    ink = (255 - cut.astype(np.float64)).sum(axis=1)
    ends = np.flatnonzero(ink <= FAINTEST_ROW * ink.max())
    most = int(ink.argmax())
    above, below = ends[ends < most], ends[ends > most]
    return max(1, (int(below[0]) if len(below) else len(ink)) - (int(above[-1]) + 1 if len(above) else 0))


def _enlarged(cut: Pixels, times: float) -> Pixels:
    size = max(1, round(times * cut.shape[1])), max(1, round(times * cut.shape[0]))
    return np.asarray(cv2.resize(cut, size, interpolation=cv2.INTER_AREA if times < 1 else cv2.INTER_CUBIC), np.uint8)


def with_second_look(page: PageText, stack: Stack, read: PageText) -> PageText:
    """Return a page with what was read better in its parts.

    Args:
        page: what was read at first.
        stack: of its parts.
        read: what was read on the picture of them.
    """
    found = _by_part(stack, read)
    better = {
        id(part.words[0]): (part, words)
        for part, words in zip(stack.parts, found, strict=True)
        if part.words and _is_better(words, part.words)
    }
    told = page.rewritten(lambda line: _replaced(line, better)) if better else page
    for part, words in zip(stack.parts, found, strict=True):
        if not part.words and words and _is_print(part, words, page) and not _is_known(words, told):
            told = _inserted(told, words)
    return told


def _by_part(stack: Stack, read: PageText) -> list[list[Word]]:
    """Return the words of each part, at their places on the page, from left to right."""
    found: list[list[Word]] = [[] for _ in stack.parts]
    for word in (word for line in read.lines() for word in line.words):
        middle_px = mm_to_px((word.box.top + word.box.bottom) / 2, read_dpi := stack.picture.dpi)
        at = max(0, int(np.searchsorted(stack.tops_px, middle_px + stack.space_px / 2, side="right")) - 1)
        box, scale = stack.parts[at].box, stack.scales[at]
        left_mm, top_mm = max(0.0, box.left - AROUND_MM), max(0.0, box.top - AROUND_MM)
        left, right = (
            (mm_to_px(side, read_dpi) - stack.space_px) / scale + left_mm for side in (word.box.left, word.box.right)
        )
        top, bottom = (
            (mm_to_px(side, read_dpi) - stack.tops_px[at]) / scale + top_mm for side in (word.box.top, word.box.bottom)
        )
        found[at].append(word.model_copy(update={"box": BoxMm(left=left, top=top, right=right, bottom=bottom)}))
    return [sorted(words, key=lambda word: word.box.left) for words in found]


def _confidence(words: Sequence[Word]) -> float:
    """Return the mean over all letters."""
    return sum(word.confidence * len(word.text) for word in words) / sum(len(word.text) for word in words)


def _is_better(words: Sequence[Word], before: Sequence[Word]) -> bool:
    if not words or _confidence(words) < (SURE if _confidence(before) >= GUESSED else SURE_ELSEWHERE):
        return False
    gained = _confidence(words) - _confidence(before)
    if _is_broken(before) != _is_broken(words):
        return _is_broken(before) and gained >= NO_WORSE
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
    beside = any(shares_rows(part.box, line.box) for line in page.lines())
    return sum(map(str.isalnum, text)) >= FEWEST_LETTERS or (text.isdecimal() and beside)


def _is_known(words: Sequence[Word], page: PageText) -> bool:
    """Return whether the same was read there already, when a word that reached over it was read once more."""
    boxes = [word.box for line in page.lines() for word in line.words if word.confidence >= SURE]
    return any(word.box.meets(box) for word in words for box in boxes)


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
