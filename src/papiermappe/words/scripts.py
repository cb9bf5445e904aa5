"""The words of the browser's scripts: a JSON catalogue, made of what they ask for."""

import re
from functools import cache
from pathlib import Path
from typing import Any

from papiermappe.words.translator import Words

SCRIPTS = Path(__file__).parent.parent / "web" / "static" / "js"
_STRING = r'"((?:[^"\\\n]|\\.)*)"'
_CALLS = re.compile(rf"\bt\(\s*{_STRING}(?:\s*,\s*{_STRING})?")


@cache
def script_sentences() -> tuple[tuple[str, str | None], ...]:
    """Return the sentences that scripts translate: `t("...")`, and `t("one", "many", ...)` with its plural."""
    found = {match.groups() for file in sorted(SCRIPTS.glob("**/*.js")) for match in _CALLS.finditer(file.read_text())}
    return tuple(sorted((_plain(single), _plain(many) if many else None) for single, many in found))


def _plain(literal: str) -> str:
    return re.sub(r'\\(["\\])', r"\1", literal)


def script_catalogue(words: Words) -> dict[str, Any]:
    """Return the translations that scripts need, without those that are as in English.

    Plurals are lists by the language's own plural forms: singular and plural, as far as the catalogue has two forms.
    """
    sentences: dict[str, str | list[str]] = {}
    for single, many in script_sentences():
        if many is None:
            if (said := words.gettext(single)) != single:
                sentences[single] = said
        elif (forms := [words.ngettext(single, many, 1), words.ngettext(single, many, 2)]) != [single, many]:
            sentences[single] = forms
    return {"sentences": sentences}
