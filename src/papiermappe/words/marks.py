"""Marks that tell Babel what is to be translated; they do nothing else."""

from typing import NamedTuple


class Plural(NamedTuple):
    """A sentence that depends on a number."""

    one: str
    many: str
    param: str
    """The parameter that is the number."""


def N_(sentence: str) -> str:
    """Mark a sentence."""
    return sentence


def NN_(one: str, many: str, param: str = "count") -> Plural:
    """Mark a sentence that depends on a number."""
    return Plural(one, many, param)
