"""File names: made by a rule, and such that every file system takes them."""

import re
import unicodedata
from datetime import date

MAX_CHARACTERS = 120
_SUBJECT_CHARACTERS = 60
_GERMAN = str.maketrans({"ä": "ae", "ö": "oe", "ü": "ue", "ß": "ss", "æ": "ae", "ø": "oe", "å": "aa"})
_RESERVED = {"con", "prn", "aux", "nul"} | {f"{port}{n}" for port in ("com", "lpt") for n in range(10)}
"""Device names that Windows refuses as file names, with any ending."""


def name_part(text: str) -> str:
    """Return a text as part of a file name: lower-case ASCII words joined by hyphens; empty where nothing is left."""
    spelled = unicodedata.normalize("NFC", text).lower().translate(_GERMAN)
    ascii_only = unicodedata.normalize("NFKD", spelled).encode("ascii", "ignore").decode()
    return re.sub(r"[^a-z0-9]+", "-", ascii_only).strip("-")[:_SUBJECT_CHARACTERS].strip("-")


def document_name(day: date, subject: str, number: int) -> str:
    """Return the name that the simple rule makes, without its ending: date, subject, number of four digits.

    A subject of which nothing is left as a file name becomes "papers".
    """
    return f"{day.isoformat()}_{name_part(subject) or 'papers'}_{number:04d}"


def safe_file_name(name: str, ending: str) -> str:
    """Return a name from outside as a file name with the given ending (".pdf").

    Path parts, control characters and characters that a file system refuses are dropped, reserved words get an
    underscore before them, the length is limited.

    Raises:
        ValueError: nothing is left of the name.
    """
    last = re.split(r"[/\\]", unicodedata.normalize("NFC", name))[-1]
    allowed = "".join(c for c in last if c not in '<>:"|?*' and unicodedata.category(c)[0] != "C")
    stem = allowed.removesuffix(ending).strip(" .")[: MAX_CHARACTERS - len(ending)].rstrip(" .")
    if not stem:
        raise ValueError(f"nothing is left of the name {name!r}")
    if stem.split(".")[0].strip().lower() in _RESERVED:
        stem = f"_{stem}"
    return stem + ending
