"""Names that every file system takes."""

import re
import unicodedata

from anyascii import anyascii
from pathvalidate import Platform, sanitize_filename

MAX_SUBJECT = 120
"""Letters of a subject, and of what may become one: the name of a document, a title."""
MAX_BYTES = 200
"""Of a name in UTF-8, its ending included: file systems take 255; programs that copy files add marks of theirs."""
_SUBJECT_CHARACTERS = 60
_SMALL = {"ä": "ae", "ö": "oe", "ü": "ue", "ß": "ss", "æ": "ae", "ø": "oe", "å": "aa"}
_SPELLED = str.maketrans(
    _SMALL | {letter.upper(): spelled.capitalize() for letter, spelled in _SMALL.items() if letter != "ß"}
)


def spelled_plainly(text: str) -> str:
    """Return a text with German and Nordic letters spelled out as their people do; it is composed (NFC).

    >>> spelled_plainly("Größe der Äpfel")
    'Groesse der Aepfel'
    """
    return text.translate(_SPELLED)


def name_part(text: str) -> str:
    """Return a text as part of a file name: lower-case ASCII words joined by hyphens; empty where nothing is left.

    German letters are spelled out as Germans do, other alphabets letter by letter.
    """
    spelled = spelled_plainly(unicodedata.normalize("NFC", text).lower())
    return re.sub(r"[^a-z0-9]+", "-", anyascii(spelled).lower()).strip("-")[:_SUBJECT_CHARACTERS].strip("-")


def safe_file_name(name: str, ending: str) -> str:
    """Return a name from outside as a file name with the given ending (".pdf").

    Path parts, control characters and characters that a file system refuses are dropped, names that Windows keeps for
    devices get an underscore, the length is limited.

    Raises:
        ValueError: nothing is left of the name.
    """
    last = re.split(r"[/\\]", unicodedata.normalize("NFC", name))[-1]
    printable = "".join(letter for letter in last if unicodedata.category(letter)[0] != "C")
    cut = printable.removesuffix(ending).strip(" .").encode()[: MAX_BYTES - len(ending.encode())]
    allowed = sanitize_filename(cut.decode(errors="ignore").rstrip(" ."), platform=Platform.UNIVERSAL)
    stem = allowed.strip(" .")  # again: what was dropped may have stood before a dot
    if not stem:
        raise ValueError(f"nothing is left of the name {name!r}")
    return stem + ending


def one_line(text: str) -> str:
    r"""Return a text that a person has typed, or a device has sent, as one line without control characters.

    >>> one_line("  Weigh \n tickets")
    'Weigh tickets'
    """
    return " ".join("".join(letter if letter.isprintable() else " " for letter in text).split())
