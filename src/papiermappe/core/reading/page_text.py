"""What is written on a page, as it was read: blocks, paragraphs, lines and words, in the order of reading."""

from collections.abc import Callable, Iterable, Iterator
from enum import StrEnum
from typing import Annotated

from pydantic import BaseModel, ConfigDict, Field


class RecognitionMode(StrEnum):
    """How thoroughly pages are read."""

    FAST = "fast"
    ACCURATE = "accurate"


class _Value(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)


class BoxMm(_Value):
    """A place on the page, in mm from its top left."""

    left: float
    top: float
    right: float
    bottom: float

    @classmethod
    def around(cls, boxes: Iterable["BoxMm"]) -> "BoxMm":
        """Return the smallest place that holds all the given ones, of which there is one at least.

        >>> BoxMm.around([BoxMm(left=1, top=2, right=3, bottom=4), BoxMm(left=2, top=0, right=5, bottom=3)]).right
        5.0
        """
        known = list(boxes)
        return cls(
            left=min(box.left for box in known),
            top=min(box.top for box in known),
            right=max(box.right for box in known),
            bottom=max(box.bottom for box in known),
        )

    def meets(self, other: "BoxMm") -> bool:
        """Return whether they have something in common."""
        beside = self.top < other.bottom and other.top < self.bottom
        return beside and self.left < other.right and other.left < self.right

    def moved(self, across_mm: float, down_mm: float) -> "BoxMm":
        """Return it farther to the right and farther down."""
        return BoxMm(
            left=self.left + across_mm,
            top=self.top + down_mm,
            right=self.right + across_mm,
            bottom=self.bottom + down_mm,
        )


class Word(_Value):
    """A word."""

    text: Annotated[str, Field(min_length=1)]
    box: BoxMm
    confidence: Annotated[float, Field(ge=0, le=1)]


class Line(_Value):
    """A line of words."""

    words: Annotated[tuple[Word, ...], Field(min_length=1)]
    box: BoxMm

    @property
    def text(self) -> str:
        """Its words with a space between each two."""
        return " ".join(word.text for word in self.words)


class Paragraph(_Value):
    """Lines that belong together."""

    lines: Annotated[tuple[Line, ...], Field(min_length=1)]


class Block(_Value):
    """Paragraphs in one column."""

    paragraphs: Annotated[tuple[Paragraph, ...], Field(min_length=1)]


class PageText(_Value):
    """What is written on a page."""

    width_mm: float
    height_mm: float
    languages: tuple[str, ...]
    """That it was read in: ISO 639-2 codes, the main one first."""
    blocks: tuple[Block, ...] = ()
    guesses: int = 0
    """How many words were left out, since they were guessed rather than read."""

    def lines(self) -> Iterator[Line]:
        """Yield all lines, in the order of reading."""
        for block in self.blocks:
            for paragraph in block.paragraphs:
                yield from paragraph.lines

    def rewritten(self, rewrite: Callable[[Line], Line | None]) -> "PageText":
        """Return it with each line rewritten; what holds no lines any more goes with them."""
        blocks = []
        for block in self.blocks:
            lines = ([rewrite(line) for line in paragraph.lines] for paragraph in block.paragraphs)
            kept = [tuple(line for line in made if line is not None) for made in lines]
            if any(kept):
                blocks.append(Block(paragraphs=tuple(Paragraph(lines=made) for made in kept if made)))
        return self.model_copy(update={"blocks": tuple(blocks)})

    @property
    def text(self) -> str:
        """A line each, an empty one between paragraphs."""
        paragraphs = (paragraph for block in self.blocks for paragraph in block.paragraphs)
        return "\n\n".join("\n".join(line.text for line in paragraph.lines) for paragraph in paragraphs)
