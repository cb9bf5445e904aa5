"""Names made by rules."""

from datetime import date
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError

from papiermappe.core.naming.filling import FilledName, NameFacts, PlacedWord, counter_period, name_of, texts_of
from papiermappe.core.naming.names import MAX_BYTES, safe_file_name
from papiermappe.core.naming.rule import (
    SIMPLE_RULE,
    CounterPart,
    DatePart,
    DocumentNumberPart,
    FolderEnd,
    Letters,
    NamingRule,
    Restarts,
    SenderPart,
    SubjectPart,
    TextPart,
)

TODAY = date(2026, 11, 28)
FACTS = NameFacts(
    today=TODAY,
    scanned=date(2026, 11, 27),
    printed=date(2026, 10, 3),
    subject="Lease Upper Meadow",
    sender="Mühlbach Hagelwehr e. V.",
    number="LN-2044/7",
    kind="lease",
    device="Zaunkönig D60",
    words=[
        PlacedWord("Plot", 150, 20),
        PlacedWord("17b", 160, 20),
        PlacedWord("Ref.", 20, 60),
        PlacedWord("HX-99,", 40, 60),
    ],
)


def fill(rule: NamingRule, facts: NameFacts, count: int, again: int = 0) -> FilledName:
    """Return the name of a document."""
    return name_of(rule, texts_of(rule, facts), count, again)


def made(parts: list[dict[str, Any]], facts: NameFacts = FACTS, count: int = 7, **options: Any) -> str:
    """Return the path that a rule makes."""
    return fill(NamingRule.model_validate({"parts": parts, **options}), facts, count).path


@pytest.mark.parametrize(
    ("parts", "name"),
    [
        ([{"kind": "date"}], "2026-11-28"),
        ([{"kind": "date", "source": "scanned", "form": "digits"}], "20261127"),
        ([{"kind": "date", "source": "printed", "form": "month"}], "2026-10"),
        ([{"kind": "date", "source": "printed", "form": "year"}], "2026"),
        ([{"kind": "subject"}], "lease-upper-meadow"),
        ([{"kind": "sender"}], "muehlbach-hagelwehr-e-v"),
        ([{"kind": "number"}], "ln-2044-7"),
        ([{"kind": "kind"}], "lease"),
        ([{"kind": "device"}], "zaunkoenig-d60"),
        ([{"kind": "text", "text": "Archive A"}], "archive-a"),
        ([{"kind": "counter"}], "0007"),
        ([{"kind": "counter", "width": 1}], "7"),
        ([{"kind": "place", "x_mm": 140, "y_mm": 10, "width_mm": 60, "height_mm": 20}], "plot-17b"),
        ([{"kind": "pattern", "pattern": "HX-*"}], "hx-99"),  # the comma behind it is no part of the word
    ],
)
def test_each_part_gives_its_text(parts: list[dict[str, Any]], name: str) -> None:
    assert made(parts) == name


@pytest.mark.parametrize(
    ("kinds", "name"),
    [
        (["subject"], "delivery-note-118"),
        (["kind", "subject"], "delivery-note_118"),
        (["number", "subject"], "118_delivery-note"),
        (["kind", "number", "subject"], "delivery-note_118"),
    ],
)
def test_kind_and_number_stand_for_a_subject_that_is_not_known(kinds: list[str], name: str) -> None:
    facts = FACTS._replace(subject="", kind="delivery note", number="118")
    parts = [{"kind": kind} for kind in kinds]
    assert made(parts, facts) == name
    assert made(parts, FACTS) != name
    assert made([{"kind": "subject"}], facts._replace(kind="")) == "papers"  # a number alone says nothing


def test_the_simple_rule_is_day_subject_and_number() -> None:
    assert fill(SIMPLE_RULE, FACTS, 42).stem == "2026-10-03_lease-upper-meadow_0042"


@pytest.mark.parametrize(
    ("part", "needs", "needs_without_subject"),
    [
        ({"kind": "date"}, False, False),
        ({"kind": "date", "source": "scanned"}, False, False),
        ({"kind": "date", "source": "printed"}, True, True),
        ({"kind": "subject"}, False, True),
        ({"kind": "sender"}, True, True),
        ({"kind": "pattern", "pattern": "AB-*"}, True, True),
        ({"kind": "counter"}, False, False),
        ({"kind": "device"}, False, False),
    ],
)
def test_what_a_rule_needs_the_first_page_for(part: dict[str, Any], needs: bool, needs_without_subject: bool) -> None:
    rule = NamingRule.model_validate({"parts": [part]})
    assert rule.needs_page(has_subject=True) is needs
    assert rule.needs_page(has_subject=False) is needs_without_subject


def test_folders_end_where_the_rule_says() -> None:
    parts = [
        {"kind": "date", "form": "year"},
        {"kind": "folder"},
        {"kind": "sender"},
        {"kind": "folder"},
        {"kind": "subject"},
    ]
    assert made(parts) == "2026/muehlbach-hagelwehr-e-v/lease-upper-meadow"
    unknown = FACTS._replace(sender="")
    assert made(parts, unknown) == "2026/lease-upper-meadow"  # a folder without a name is left out


@pytest.mark.parametrize(
    ("options", "name"),
    [
        ({"separator": "-"}, "muehlbach-hagelwehr-e-v-0007"),
        ({"separator": " "}, "muehlbach hagelwehr e v 0007"),
        ({"small": False}, "Muehlbach-Hagelwehr-e-V_0007"),
        ({"letters": "all"}, "mühlbach-hagelwehr-e.-v_0007"),
        ({"letters": "all", "small": False, "separator": " "}, "Mühlbach Hagelwehr e. V 0007"),
    ],
)
def test_letters_capitals_and_what_stands_between(options: dict[str, Any], name: str) -> None:
    assert made([{"kind": "sender"}, {"kind": "counter"}], **options) == name


def test_what_is_not_known_is_left_out_with_its_separator() -> None:
    nothing = NameFacts(today=TODAY)
    parts = [{"kind": "date"}, {"kind": "subject"}, {"kind": "sender"}, {"kind": "counter"}]
    assert made(parts, nothing) == "2026-11-28_0007"
    assert made([{"kind": "subject"}], nothing) == "papers"
    assert made([{"kind": "date", "source": "printed"}], nothing) == "2026-11-28"
    assert fill(NamingRule(parts=(SubjectPart(), DatePart())), nothing, 1).parts == ("", "2026-11-28")


def test_a_long_name_loses_whole_words_and_keeps_day_and_number() -> None:
    long = FACTS._replace(subject="Lease of the upper meadow beyond the old cider press at Hollerbeck")
    parts = [{"kind": "date"}, {"kind": "subject"}, {"kind": "counter"}]
    # 2026-11-28_ are 11 characters, _0007 five: 24 are left of 40
    assert made(parts, long, max_characters=40) == "2026-11-28_lease-of-the-upper_0007"
    assert made([{"kind": "subject"}], long._replace(subject="x" * 100), max_characters=20) == "x" * 20
    assert (
        made([{"kind": "text", "text": "y"}, {"kind": "counter", "width": 9}], long, max_characters=20) == "y_000000007"
    )


def test_a_name_that_is_taken_gets_a_number_where_there_is_no_counter() -> None:
    rule = NamingRule(parts=(SubjectPart(),))
    assert [fill(rule, FACTS, 0, again).stem for again in range(3)] == [
        "lease-upper-meadow",
        "lease-upper-meadow_2",
        "lease-upper-meadow_3",
    ]


@pytest.mark.parametrize(
    ("restarts", "period"), [(Restarts.NEVER, ""), (Restarts.YEARLY, "2026"), (Restarts.MONTHLY, "2026-11")]
)
def test_a_counter_counts_within_its_period(restarts: Restarts, period: str) -> None:
    assert counter_period(CounterPart(restarts=restarts), TODAY) == period


@pytest.mark.parametrize(
    "parts",
    [
        [],
        [{"kind": "counter"}, {"kind": "counter"}],
        [{"kind": "subject"}, {"kind": "folder"}],
        [{"kind": "text", "text": ""}],
        [{"kind": "text", "text": "a\x00b"}],
        [{"kind": "counter", "width": 0}],
        [{"kind": "place", "x_mm": float("nan"), "y_mm": 0, "width_mm": 1, "height_mm": 1}],
        [{"kind": "weather"}],
        [{"kind": "subject"}] * 21,
    ],
)
def test_a_rule_that_makes_no_sense_is_refused(parts: list[dict[str, Any]]) -> None:
    with pytest.raises(ValidationError):
        NamingRule.model_validate({"parts": parts})


_parts = st.lists(
    st.sampled_from([DatePart(), SubjectPart(), SenderPart(), DocumentNumberPart(), FolderEnd(), TextPart(text="con")]),
    max_size=8,
)


@given(
    _parts,
    st.text(max_size=400),
    st.text(max_size=80),
    st.sampled_from(Letters),
    st.booleans(),
    st.sampled_from("_- ."),
)
def test_whatever_is_known_every_file_system_takes_the_name(
    parts: list[Any], subject: str, sender: str, letters: Letters, small: bool, separator: Any
) -> None:
    rule = NamingRule(
        parts=(*parts, SubjectPart()), letters=letters, small=small, separator=separator, max_characters=60
    )
    facts = NameFacts(today=TODAY, subject=subject, sender=sender)
    name = fill(rule, facts, 1)
    assert name == fill(rule, facts, 1)
    for step in (*name.folders, name.stem):
        assert 0 < len(step) <= 61  # a device's name on Windows gets an underscore
        assert len(step.encode()) <= MAX_BYTES
        assert safe_file_name(step + ".pdf", ".pdf") == step + ".pdf"
        assert "/" not in step
        assert step not in {".", ".."}
