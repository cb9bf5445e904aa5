"""Languages that pages are written in, as the recogniser names them (ISO 639-2), as files do (BCP 47), and in words."""

from typing import NamedTuple


class Language(NamedTuple):
    """A language."""

    code: str
    tag: str
    name: str


LANGUAGES = {
    language.code: language
    for language in (
        Language("bul", "bg", "Bulgarian"),
        Language("ces", "cs", "Czech"),
        Language("dan", "da", "Danish"),
        Language("deu", "de", "German"),
        Language("ell", "el", "Greek"),
        Language("eng", "en", "English"),
        Language("est", "et", "Estonian"),
        Language("fin", "fi", "Finnish"),
        Language("fra", "fr", "French"),
        Language("gle", "ga", "Irish"),
        Language("hrv", "hr", "Croatian"),
        Language("hun", "hu", "Hungarian"),
        Language("ita", "it", "Italian"),
        Language("lav", "lv", "Latvian"),
        Language("lit", "lt", "Lithuanian"),
        Language("mlt", "mt", "Maltese"),
        Language("nld", "nl", "Dutch"),
        Language("nor", "no", "Norwegian"),
        Language("pol", "pl", "Polish"),
        Language("por", "pt", "Portuguese"),
        Language("ron", "ro", "Romanian"),
        Language("slk", "sk", "Slovak"),
        Language("slv", "sl", "Slovenian"),
        Language("spa", "es", "Spanish"),
        Language("swe", "sv", "Swedish"),
        Language("tur", "tr", "Turkish"),
        Language("ukr", "uk", "Ukrainian"),
    )
}


def language(code: str) -> Language:
    """Return a language by its code; one that is not known here is called by it."""
    return LANGUAGES.get(code, Language(code, code, code))
