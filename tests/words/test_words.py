"""Codes and values in words."""

import re
from datetime import date
from pathlib import Path

import pytest

import papiermappe
from papiermappe.core.clean.findings import FindingKind
from papiermappe.core.encode.encoded import MadeOf
from papiermappe.core.operations import JOURNALED
from papiermappe.core.treatment import Tone
from papiermappe.devices.model import Colour, DeviceState, Sides, Source
from papiermappe.message import Message
from papiermappe.words import Words
from papiermappe.words.marks import Plural
from papiermappe.words.scripts import script_sentences
from papiermappe.words.sentences import SENTENCES, VALUES

SOURCE = Path(papiermappe.__file__).parent
CODES = re.compile(
    r"""(?:\bMessage\(\s*code=|\b\w*(?:Refused|Absent|Failed|Gone|Full|Lost|Missing|Error|Found|Possible|Meanwhile|Stopped|CutOff
    |Unreachable|Busy|Start|There|Unknown|Assemble|Late|Taken|Cancelled|Stuck)\((?:file,\s*|item\.file,\s*)?)"([a-z_]+)\"""",
    re.X,
)
ENGLISH = Words.of("en-GB")


def test_every_code_has_its_sentence() -> None:
    used = {
        code
        for file in SOURCE.glob("**/*.py")
        if "standin" not in file.parts
        for code in CODES.findall(file.read_text())
    }
    assert len(used) > 80
    assert used - SENTENCES.keys() == set()


def test_every_kind_of_a_code_has_its_words() -> None:
    assert {f"finding_{kind.value}" for kind in FindingKind} <= SENTENCES.keys()
    kinds = JOURNALED.json_schema()["discriminator"]["mapping"].keys()
    assert set(kinds) - {"straighten", "crop", "uncurl", "keep_as"} <= SENTENCES.keys()
    for name, codes in (
        ("tone", Tone), ("source", Source), ("sides", Sides), ("colour", Colour), ("made_of", MadeOf),
    ):  # fmt: skip
        assert {code.value for code in codes} == VALUES[name].keys()
    assert {state.value for state in DeviceState} <= VALUES["device_state"].keys()


@pytest.mark.parametrize("code", sorted(SENTENCES))
def test_sentences_are_sentences(code: str) -> None:
    sentence = SENTENCES[code]
    for text in (sentence.one, sentence.many) if isinstance(sentence, Plural) else (sentence,):
        assert text == text.strip()
        assert not re.search(r"  |\.\.$| ,|'", text)


@pytest.mark.parametrize(
    ("message", "said"),
    [
        (Message(code="turn", params={"count": 1, "degrees": 180}), "1 page turned upside down"),
        (Message(code="set_aside", params={"count": 1200}), "1,200 pages set aside"),
        (
            Message(code="undo_of", params={"entry": {"code": "move", "params": {"count": 2}}}),
            "Undone: 2 pages moved",
        ),
        (Message(code="finding_cut_off", params={"edge": "left"}), "Print may be cut off at the left"),
        (Message(code="run_ended", params={"run": 2, "sheets": 1, "pages": 2}), "Run 2: 1 sheet, 2 pages"),
        (Message(code="run_ended", params={"run": 3, "sheets": 0, "pages": 8}), "Run 3: 8 pages"),
        (
            Message(code="document_made", params={"level": "balanced", "pages": [
                {"made_of": "layers", "byte_size": 21_000, "words": 300, "level": "balanced"},
                {"made_of": "picture", "byte_size": 1_250_000, "words": 0, "level": "lean"},
                {"made_of": "layers", "byte_size": 30_000, "words": None, "level": "balanced"},
            ], "unread": 0, "unread_cause": None}),
            "Ink and paper apart on 2 pages, one picture on 1 page; the largest is page 2 with 1.2 MB; "
            "1 page at Lean, to stay within the limit; 300 words can be searched.",
        ),
        (
            Message(code="document_made", params={"pages": [{"made_of": "bilevel", "byte_size": 1, "words": None}]}),
            "Black and white; its text cannot be searched.",
        ),
    ],
)  # fmt: skip
def test_messages(message: Message, said: str) -> None:
    assert ENGLISH.text(message) == said


def test_numbers_lists_and_dates_are_those_of_the_language() -> None:
    german = Words.of("de-DE")
    assert (ENGLISH.size(1_250_000), german.size(1_250_000)) == ("1.2 MB", "1,2 MB")
    assert (ENGLISH.number(12345), german.number(12345)) == ("12,345", "12.345")
    assert (ENGLISH.listed([3, 5, 6]), german.listed([3, 5, 6])) == ("3, 5 and 6", "3, 5 und 6")
    assert ENGLISH.date(date(2026, 5, 9)) == "9 May 2026"
    assert (ENGLISH.language("de"), german.language("de")) == ("German", "Deutsch")


def test_a_message_carries_its_words_only_where_they_are_asked_for() -> None:
    message = Message(code="move", params={"count": 2})
    assert message.model_dump() == {"code": "move", "params": {"count": 2}}
    assert message.model_dump(context={"words": ENGLISH}) == {"code": "move", "text": "2 pages moved"}


def test_scripts_ask_for_sentences_that_babel_can_find() -> None:
    sentences = script_sentences()
    assert len(sentences) > 20
    assert all(sentence.strip() for sentence, _ in sentences)
