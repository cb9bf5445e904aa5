"""How small a document becomes."""

from enum import StrEnum


class Level(StrEnum):
    """How small a document becomes."""

    FAITHFUL = "faithful"
    """No difference is to be seen."""
    BALANCED = "balanced"
    """Print as sharp as it was, paper and pictures less fine."""
    LEAN = "lean"
    """As small as it can be read."""
