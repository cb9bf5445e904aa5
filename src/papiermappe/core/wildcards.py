"""Patterns as people type them: * stands for any letters, ? for one; all else for itself."""

from fnmatch import fnmatchcase


def matches(text: str, pattern: str) -> bool:
    """Whether a whole text is as a pattern says, capitals told apart.

    >>> matches("K-2044", "K-*"), matches("K-2044", "K-????"), matches("[a]", "[a]")
    (True, True, True)
    """
    return fnmatchcase(text, pattern.replace("[", "[[]"))
