"""Codes and values into words, numbers and dates of one language."""

from collections import Counter
from collections.abc import Mapping, Sequence
from datetime import date, datetime
from gettext import NullTranslations, translation
from pathlib import Path
from typing import Any

from babel import Locale
from babel.dates import format_date, format_datetime, format_time
from babel.lists import format_list
from babel.numbers import format_decimal

from papiermappe.message import Message
from papiermappe.words.marks import N_, NN_, Plural
from papiermappe.words.sentences import SENTENCES, VALUES

CATALOGUES = Path(__file__).parent / "catalogues"
DOMAIN = "papiermappe"


class Words:
    """Words, numbers and dates in one language.

    Args:
        locale: of numbers and dates.
        translations: of sentences; without them it is English.
    """

    def __init__(self, locale: Locale, translations: NullTranslations | None = None) -> None:
        self.locale = locale
        self._translations = translations or NullTranslations()

    @classmethod
    def of(cls, language: str) -> "Words":
        """Return the words of a language, as BCP 47 names it; sentences without a translation are English."""
        locale = Locale.parse(language, sep="-")
        found = translation(DOMAIN, CATALOGUES, [str(locale), locale.language], fallback=True)
        return cls(locale, found)

    @property
    def tag(self) -> str:
        """The language, as BCP 47 names it."""
        return str(self.locale).replace("_", "-")

    # ---- sentences

    def gettext(self, sentence: str) -> str:
        """Translate a sentence."""
        return self._translations.gettext(sentence)

    def ngettext(self, one: str, many: str, count: int) -> str:
        """Translate a sentence that depends on a number."""
        return self._translations.ngettext(one, many, count)

    def text(self, message: Message | Mapping[str, Any]) -> str:
        """Return what a message says."""
        told = message if isinstance(message, Message) else Message.model_validate(message)
        prepare = _PREPARED.get(told.code)
        params = dict(told.params) | (prepare(self, told.params) if prepare else {})
        words = {name: self._value(name, value) for name, value in params.items()}
        sentence = SENTENCES[told.code]
        if isinstance(sentence, Plural):
            return self.ngettext(sentence.one, sentence.many, params[sentence.param]).format_map(words)
        return self.gettext(sentence).format_map(words)

    def counted(self, sentence: Plural, count: int) -> str:
        """Return a sentence with its number."""
        return self.ngettext(sentence.one, sentence.many, count).format(count=self.number(count))

    def value(self, name: str, code: str) -> str:
        """Return the words for a code of a parameter."""
        return self.gettext(VALUES[name][code])

    def _value(self, name: str, value: Any) -> str:
        if isinstance(value, Mapping) and "code" in value:
            return self.text(value)
        if name in VALUES and value in VALUES[name]:
            return self.value(name, value)
        if name in {"bytes", "limit_bytes"}:
            return self.size(value)
        if isinstance(value, float):
            return format_decimal(value, format="#,##0.##", locale=self.locale).replace("-", "\N{MINUS SIGN}")
        return self.number(value) if isinstance(value, int) and name == "count" else str(value)

    # ---- numbers, sizes, dates, lists

    def number(self, value: float, digits: int = 0) -> str:
        """Return a number, rounded."""
        return format_decimal(
            round(value, digits), format="#,##0" + ("." + "0" * digits if digits else ""), locale=self.locale
        )

    def size(self, byte_count: int) -> str:
        """Return "732 KB", "1.2 MB"."""
        if byte_count >= 1e6:
            return f"{self.number(byte_count / 1e6, 1)} MB"
        return f"{self.number(max(1 if byte_count else 0, round(byte_count / 1e3)))} KB"

    def listed(self, items: Sequence[object]) -> str:
        """Return "3, 5 and 6"."""
        return format_list([str(item) for item in items], locale=self.locale)

    def date(self, day: date) -> str:
        """Return a day with its month in letters."""
        return format_date(day, "medium", locale=self.locale)

    def moment(self, at: datetime) -> str:
        """Return day and time, in the time zone of this machine."""
        local = at.astimezone()
        return format_datetime(local, "d MMM yyyy, HH:mm", tzinfo=local.tzinfo, locale=self.locale)

    def time(self, at: datetime) -> str:
        """Return the time of day, in the time zone of this machine."""
        local = at.astimezone()
        return format_time(local, "HH:mm", tzinfo=local.tzinfo, locale=self.locale)

    def language(self, tag: str) -> str:
        """Return the name of a language."""
        name = str(self.locale.languages.get(tag.replace("-", "_"), tag))
        return name[0].upper() + name[1:]


PAGES = NN_("{count} page", "{count} pages")
SHEETS = NN_("{count} sheet", "{count} sheets")
FRONTS = NN_("{count} front is in", "{count} fronts are in")
BACKS = NN_("{count} back", "{count} backs")
WORDS = NN_("{count} word can be searched", "{count} words can be searched")
GUESSES = NN_(
    "{count} word was guessed rather than read, and is left out: handwriting, perhaps.",
    "{count} words were guessed rather than read, and are left out: handwriting, perhaps.",
)
UNREAD = NN_("{count} page could not be read: {cause}", "{count} pages could not be read: {cause}")

_SAFE_NONE = N_("No sheet of this run is in yet.")
_SAFE_ONE = N_("Sheet {first} is in.")
_SAFE_MANY = N_("Sheets {first} to {last} are in.")
_HALF = N_("Of sheet {half} only the front is in.")
_LAY_ON_GLASS = N_("Lay sheet {next} on the glass again and continue.")
_TAKE_OUT = N_("Take sheet {next} out, put it back on top and continue.")
_PUT_BACK = N_("Put sheet {next} and those after it back into the feeder and continue.")
_MADE_EVERY = N_("{kind} on every page")
_MADE_SOME = N_("{kind} on {pages}")
_LOWERED = N_("{pages} at {level}, to stay within the limit")
_HEAVIEST = N_("the largest is page {number} with {size}")
_NOT_SEARCHABLE = N_("its text cannot be searched")


def _turned(words: Words, params: Mapping[str, Any]) -> dict[str, Any]:
    return {"way": words.value("way", str(params["degrees"]))}


def _ended(words: Words, params: Mapping[str, Any]) -> dict[str, Any]:
    """Say what came in; files have no sheets."""
    pages = words.counted(PAGES, params["pages"])
    return {"came": f"{words.counted(SHEETS, params['sheets'])}, {pages}" if params["sheets"] else pages}


def _backs(words: Words, params: Mapping[str, Any]) -> dict[str, Any]:
    return {
        "fronts_said": words.counted(FRONTS, params["fronts"]),
        "backs_said": words.counted(BACKS, params["backs"]),
    }


def _interrupted(words: Words, params: Mapping[str, Any]) -> dict[str, Any]:
    """Say what happened to the next sheet, which are in, and what to do."""
    numbers = {name: params[name] for name in ("first", "half", "next")}
    complete = params["complete"]
    safe = _SAFE_NONE if not complete else _SAFE_ONE if complete == 1 else _SAFE_MANY
    parts = [words.gettext(safe).format(last=params["first"] + complete - 1, **numbers)]
    if params["half"] is not None:
        parts.append(words.gettext(_HALF).format(**numbers))
    step = _LAY_ON_GLASS if params["source"] == "glass" else _TAKE_OUT if params["stuck"] else _PUT_BACK
    cause = params["cause"]
    told = {**cause, "params": {**cause.get("params", {}), "sheet": params["next"]}} if params["stuck"] else cause
    return {"cause": words.text(told), "safe": " ".join(parts), "next_step": words.gettext(step).format(**numbers)}


def _made(words: Words, params: Mapping[str, Any]) -> dict[str, Any]:
    """Say what the pages of a document were made of, which is the largest, and how much can be searched."""
    pages = params["pages"]
    kinds = Counter(page["made_of"] for page in pages if page["made_of"]).most_common()
    parts = []
    if len(kinds) == 1 and len(pages) > 1:
        parts.append(words.gettext(_MADE_EVERY).format(kind=words.value("made_of", kinds[0][0])))
    elif kinds and len(pages) > 1:
        some = [
            words.gettext(_MADE_SOME).format(kind=words.value("made_of", kind), pages=words.counted(PAGES, number))
            for kind, number in kinds
        ]
        parts.append(", ".join(some))
    elif kinds:
        parts.append(words.value("made_of", kinds[0][0]))
    if kinds and len(pages) > 1:
        largest = max(range(len(pages)), key=lambda at: pages[at]["byte_size"])
        size = words.size(pages[largest]["byte_size"])
        parts.append(words.gettext(_HEAVIEST).format(number=largest + 1, size=size))
    wanted = params.get("level")
    lowered = Counter(page["level"] for page in pages if page.get("level", wanted) != wanted)
    parts += [
        words.gettext(_LOWERED).format(pages=words.counted(PAGES, number), level=words.value("level", level))
        for level, number in lowered.most_common()
    ]
    read = [page["words"] for page in pages if page["words"] is not None]
    parts.append(words.counted(WORDS, sum(read)) if read else words.gettext(_NOT_SEARCHABLE))
    sentence = "; ".join(parts)
    told = f"{sentence[0].upper()}{sentence[1:]}."
    if params.get("guesses"):
        told = f"{told} {words.counted(GUESSES, params['guesses'])}"
    if params.get("unread"):
        cause = words.text(params["unread_cause"])
        unread = words.ngettext(UNREAD.one, UNREAD.many, params["unread"])
        told = f"{told} {unread.format(count=words.number(params['unread']), cause=cause)}"
    return {"made_of": told}


def _causes(words: Words, params: Mapping[str, Any]) -> dict[str, Any]:
    return {"causes": " ".join(words.text(cause) for cause in params["causes"])}


def _wished(words: Words, params: Mapping[str, Any]) -> dict[str, Any]:
    kinds = ("source", "colour", "paper")
    wished = {name: params[name] for name in (f"wished_{kind}" for kind in kinds) if name in params}
    said = {name: words._value(name.removeprefix("wished_"), value) for name, value in wished.items()}
    return said | {"offered_dpi": words.listed(params.get("offered", ()))}


def _guessed(words: Words, params: Mapping[str, Any]) -> dict[str, Any]:
    return {"offered_dpi": words.listed(params["dpi"])}


def _missing(words: Words, params: Mapping[str, Any]) -> dict[str, Any]:
    return {"missing_said": words.listed(params["numbers"])}


def _roots(words: Words, params: Mapping[str, Any]) -> dict[str, Any]:
    return {"roots": words.listed(params["roots"])}


_PREPARED = {
    "turn": _turned,
    "step_turn": _turned,
    **dict.fromkeys(
        ("source_not_offered", "dpi_not_offered", "colour_not_offered", "paper_not_offered", "paper_not_sideways"),
        _wished,
    ),
    "run_ended": _ended,
    "backs_differ": _backs,
    "folder_elsewhere": _roots,
    "note_gap_before": _missing,
    "resolution_guessed": _guessed,
    "photo_scaled": _guessed,
    "run_interrupted": _interrupted,
    "document_made": _made,
    "nothing_to_assemble": _causes,
    "files_left_out": _causes,
}
"""Parameters that are sentences themselves."""
