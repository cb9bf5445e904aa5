"""Which language a page is written in, of those that it was read in."""

import re
from collections.abc import Sequence

from papiermappe.core.reading.languages import language
from papiermappe.core.reading.page_text import PageText

FEWEST_TELLING = 4  # fewer words of a language may be names or quotations
LEAD = 2.0  # the language that is told has so many times the words of the next one

_TELLING = {
    "eng": frozenset(
        re.split(" ", "the and of to is that for with was are this from have not you your our which will")
    ),
    "deu": frozenset(re.split(" ", "der die das und ist nicht mit den von für auf ein eine dem sich des wir sie ihre")),
}
"""Short words that hardly stand in another language."""


def language_of(lines: Sequence[str]) -> str | None:
    """Return the language of lines, as ISO 639-2; None where it cannot be told.

    >>> language_of(["we thank you for your order of the third", "and will send it to the station"])
    'eng'
    """
    words = [word for line in lines for word in re.findall(r"[^\W\d_]+", line.casefold())]
    having = sorted(
        ((sum(word in telling for word in words), code) for code, telling in _TELLING.items()), reverse=True
    )
    (most, code), (next_most, _) = having[:2]
    return code if most >= FEWEST_TELLING and most >= LEAD * next_most else None


def spoken_code(page: PageText) -> str | None:
    """Return the language of a page, as ISO 639-2; None where its words do not tell.

    Only one of those that it was read in; where that is one only, it needs no telling.

    >>> spoken_code(PageText(width_mm=210, height_mm=297, languages=("deu",)))
    'deu'
    """
    if len(page.languages) < 2:
        return page.languages[0] if page.languages else None
    code = language_of([line.text for line in page.lines()])
    return code if code in page.languages else None


def spoken_tag(page: PageText | None) -> str | None:
    """Return the language of a page as files tell it (BCP 47); None where its words do not tell, or nothing was read.

    >>> spoken_tag(PageText(width_mm=210, height_mm=297, languages=("deu",)))
    'de'
    """
    code = spoken_code(page) if page else None
    return language(code).tag if code else None
