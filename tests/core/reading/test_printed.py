"""Page numbers and dates are read as people mean them."""

from datetime import date

import pytest

from papiermappe.core.reading.page_text import Block, BoxMm, Line, PageText, Paragraph, Word
from papiermappe.core.reading.printed import NumberKind, PageNumber, Printed, printed_on

FOOT_MM, MIDDLE_MM = 285.0, 150.0


def a_page(*lines: tuple[str, float], languages: tuple[str, ...] = ("eng", "deu")) -> PageText:
    """Return an A4 page with lines at heights, in mm from its top."""
    made = [
        Line(
            words=tuple(Word(text=word, box=_box(at_mm), confidence=0.9) for word in text.split()),
            box=_box(at_mm),
        )
        for text, at_mm in lines
    ]
    blocks = (Block(paragraphs=(Paragraph(lines=tuple(made)),)),) if made else ()
    return PageText(width_mm=210, height_mm=297, languages=languages, blocks=blocks)


def _box(at_mm: float) -> BoxMm:
    return BoxMm(left=20, top=at_mm - 2, right=100, bottom=at_mm + 2)


@pytest.mark.parametrize(
    ("line", "number", "of", "kind"),
    [
        ("Page 3", 3, None, NumberKind.NAMED),
        ("page 3 of 12", 3, 12, NumberKind.NAMED),
        ("Lease contract, Seite 3 von 12", 3, 12, NumberKind.NAMED),
        ("Bl. 4", 4, None, NumberKind.NAMED),
        ("S. 4/9", 4, 9, NumberKind.NAMED),
        ("3 / 12", 3, 12, NumberKind.NAMED),
        ("- 17 -", 17, None, NumberKind.ALONE),
        ("[17]", 17, None, NumberKind.ALONE),
        ("17", 17, None, NumberKind.ALONE),
        ("48 Pruning old trees", 48, None, NumberKind.AT_END),
        ("Pruning old trees 49", 49, None, NumberKind.AT_END),
    ],
)
def test_page_numbers_at_the_foot(line: str, number: int, of: int | None, kind: NumberKind) -> None:
    assert printed_on(a_page((line, FOOT_MM))).numbers == (PageNumber(number=number, of=of, kind=kind),)


@pytest.mark.parametrize(
    "line", ["page 13 of 12", "Telephone 0551 48273", "12345", "Apples and pears", "3.50", "page three"]
)
def test_what_is_no_page_number(line: str) -> None:
    assert printed_on(a_page((line, FOOT_MM))).numbers == ()


def test_page_numbers_stand_at_the_top_or_the_foot_only() -> None:
    page = a_page(("Page 2", 12.0), ("Page 9", MIDDLE_MM), ("2", FOOT_MM))
    assert [(one.number, one.kind) for one in printed_on(page).numbers] == [
        (2, NumberKind.NAMED),
        (2, NumberKind.ALONE),
    ]


@pytest.mark.parametrize(
    ("line", "day"),
    [
        ("Hollerbeck, 12 March 2026", date(2026, 3, 12)),
        ("Hollerbeck, March 12, 2026", date(2026, 3, 12)),
        ("on the 3rd of the month; 1st May 2025.", date(2025, 5, 1)),
        ("Hollerbeck, den 12. März 2026", date(2026, 3, 12)),
        ("12. Dez. 2025", date(2025, 12, 12)),
        ("Datum: 12.03.2026", date(2026, 3, 12)),
        ("Datum: 1. 3. 2026", date(2026, 3, 1)),
        ("2026-03-12 14:05", date(2026, 3, 12)),
        ("31/03/2026", date(2026, 3, 31)),
        ("03/31/2026", date(2026, 3, 31)),
        ("05/05/2026", date(2026, 5, 5)),
    ],
)
def test_dates(line: str, day: date) -> None:
    assert printed_on(a_page((line, MIDDLE_MM))).dates == (day,)


@pytest.mark.parametrize(
    "line",
    ["03/04/2026", "31.02.2026", "12 March 1826", "2026", "Invoice 12.345.6789", "12 Marching 2026", "13/13/2026"],
)
def test_what_is_no_date_or_cannot_be_told(line: str) -> None:
    assert printed_on(a_page((line, MIDDLE_MM))).dates == ()


def test_months_are_those_of_the_languages_of_the_page() -> None:
    polish = a_page(("12 marca 2026", MIDDLE_MM), languages=("pol",))
    english = a_page(("12 marca 2026", MIDDLE_MM), languages=("eng",))
    assert printed_on(polish).dates == (date(2026, 3, 12),)
    assert printed_on(english).dates == ()


def test_a_language_that_is_not_known_has_no_months_but_numbers() -> None:
    page = a_page(("12 March 2026, 2026-03-13", MIDDLE_MM), languages=("xx_old",))
    assert printed_on(page).dates == (date(2026, 3, 13),)


def test_dates_come_in_the_order_of_reading_each_once() -> None:
    page = a_page(("Due 30.04.2026, written 12 March 2026", 40.0), ("12.03.2026", 60.0), ("and 2024-01-02", 80.0))
    assert printed_on(page).dates == (date(2026, 4, 30), date(2026, 3, 12), date(2024, 1, 2))


def test_an_empty_page_has_nothing() -> None:
    assert printed_on(a_page()) == Printed(words=0)


def test_it_survives_being_kept_as_json() -> None:
    printed = printed_on(a_page(("12 March 2026", MIDDLE_MM), ("Page 3 of 4", FOOT_MM)))
    assert Printed.model_validate_json(printed.model_dump_json()) == printed
