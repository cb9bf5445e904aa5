"""What is proposed for the name of a document: its day, sender, subject, number and kind, with what told it."""

from datetime import date

import pytest

from papiermappe.core.reading.document_date import day_of
from papiermappe.core.reading.document_number import number_of
from papiermappe.core.reading.kinds import DocumentKind, kind_of
from papiermappe.core.reading.page_text import Block, BoxMm, Line, PageText, Paragraph, Word
from papiermappe.core.reading.proposal import SURE
from papiermappe.core.reading.proposals import proposals_of
from papiermappe.core.reading.sender import sender_of

MM_A_LETTER = 2.0


def page(
    *lines: tuple[float, float, str] | tuple[float, float, str, float], languages: tuple[str, ...] = ("eng", "deu")
) -> PageText:
    """Return an A4 page with lines at `(left, top, text)` in mm, 4 mm high or as high as is said."""
    return PageText(width_mm=210, height_mm=297, languages=languages, blocks=tuple(_block(*line) for line in lines))


def _block(left: float, top: float, text: str, height: float = 4.0) -> Block:
    words, at = [], left
    for word in text.split():
        right = at + MM_A_LETTER * len(word)
        words.append(Word(text=word, box=BoxMm(left=at, top=top, right=right, bottom=top + height), confidence=0.95))
        at = right + MM_A_LETTER
    box = BoxMm(left=left, top=top, right=at, bottom=top + height)
    return Block(paragraphs=(Paragraph(lines=(Line(words=tuple(words), box=box),)),))


LETTER = page(
    (25, 14, "Tamsin Vale Packaging Ltd", 7),
    (25, 23, "Unit 7, Culver Yard, Brackenford BR4 7QT", 3),
    (25, 50, "Hollerbeck Orchard Cooperative"),
    (25, 56, "4 Weir Lane"),
    (25, 62, "Hollerbeck HB2 6TR"),
    (130, 62, "Our ref.: TV-2291"),
    (130, 72, "18 June 2026"),
    (25, 90, "Repair of the cold store door"),
    (25, 100, "Dear Mrs Quarrington,"),
    (25, 108, "thank you for your letter of 3 June 2026, which we have passed on."),
    (25, 116, "The price holds until 31 July 2026 and not any longer than that."),
    (25, 140, "Yours sincerely"),
    (25, 160, "for Tamsin Vale Packaging Ltd"),
    (25, 282, "www.tamsinvale-packaging.example", 3),
)
INVOICE = page(
    (20, 42, "Kelterei Osk & Söhne KG · Mühlweg 9 · 63667 Niddatal", 2.5),
    (20, 50, "Obstgenossenschaft Hollerbeck"),
    (20, 56, "Wehrgasse 4"),
    (20, 62, "36199 Hollerbeck"),
    (120, 50, "Rechnungsdatum:"),
    (165, 50, "07.05.2026"),
    (120, 56, "Rechnungsnummer:"),
    (165, 56, "RE-2026-00417"),
    (120, 62, "Kundennummer:"),
    (165, 62, "55120"),
    (120, 68, "Lieferdatum:"),
    (165, 68, "02.05.2026"),
    (20, 95, "Rechnung", 7),
    (20, 110, "Pos. Bezeichnung Menge Betrag"),
    (20, 118, "1 Apfelsaft, naturtrüb 40 120,00"),
    (20, 150, "Zahlbar bis 21.05.2026 ohne Abzug."),
)


def test_a_letter_says_all_but_its_kind_with_words() -> None:
    found = proposals_of(LETTER)
    assert found is not None
    assert {name: proposal.value for name, proposal in found if proposal} == {
        "date": "2026-06-18",
        "sender": "Tamsin Vale Packaging Ltd",
        "subject": "Repair of the cold store door",
        "number": "TV-2291",
        "kind": "letter",
    }
    assert all(proposal.is_sure for _, proposal in found if proposal)
    assert found.number is not None
    assert found.number.model_dump() == {
        "value": "TV-2291",
        "confidence": 0.75,
        "from": "Our ref.: TV-2291",
    }


def test_an_invoice_says_what_stands_beside_its_labels() -> None:
    found = proposals_of(INVOICE)
    assert found is not None
    assert found.date is not None
    assert (found.date.value, found.date.is_sure) == ("2026-05-07", True)
    assert found.sender is not None
    assert (found.sender.value, found.sender.is_sure) == ("Kelterei Osk & Söhne KG", True)
    assert found.number is not None
    assert (found.number.value, found.number.is_sure) == ("RE-2026-00417", True)
    assert found.number.told_by == "Rechnungsnummer: RE-2026-00417"
    assert found.kind is not None
    assert (found.kind.value, found.kind.is_sure) == ("invoice", True)


def test_an_invoice_has_a_subject_only_where_it_says_one() -> None:
    found = proposals_of(INVOICE)
    assert found is not None
    assert found.subject is None  # neither its title, nor the head of its table, nor who gets it
    with_one = page(
        (20, 95, "Rechnung", 7), (20, 106, "Lieferung von Obstkisten im Mai"), (20, 120, "Pos. Menge Betrag")
    )
    found = proposals_of(with_one)
    assert found is not None
    assert found.subject is not None
    assert (found.subject.value, found.subject.is_sure) == ("Lieferung von Obstkisten im Mai", True)


def test_text_without_end_is_looked_at_as_far_as_a_page_of_print_goes() -> None:
    """A file can bring any text along; each of these lines would be held against all others."""
    many = [(25.0, 20.0 + at / 1000, f"Date: {1 + at % 28} May {1900 + at % 190}") for at in range(3000)]
    found = proposals_of(page(*many[:1], (25, 30, "Invoice " + "." * 50_000, 8), *many))
    assert found is not None
    assert found.kind is None  # no line of print is so long
    late = [(25.0, 20.0 + at / 1000, "a line of text") for at in range(3000)]
    said = [
        proposals_of(page(*lines))
        for lines in ((*late, (25, 90, "Date: 1 May 2026")), ((25, 90, "Date: 1 May 2026"), *late))
    ]
    assert [found.date.value if found and found.date else None for found in said] == [None, "2026-05-01"]


def test_an_empty_page_proposes_nothing() -> None:
    assert proposals_of(page()) is None


@pytest.mark.parametrize(
    ("line", "kind"),
    [
        ("Rechnung Nr. 2026-0042", DocumentKind.INVOICE),
        ("Rechnungskorrektur", DocumentKind.CREDIT_NOTE),
        ("Order confirmation", DocumentKind.ORDER_CONFIRMATION),
        ("Lieferschein", DocumentKind.DELIVERY_NOTE),
        ("Minutes of the meeting", DocumentKind.MINUTES),
        ("Land lease", DocumentKind.LEASE),
    ],
)
def test_a_kind_is_told_by_the_word_for_it(line: str, kind: DocumentKind) -> None:
    found = kind_of(page((25, 80, line, 8), (25, 100, "a line of text"), (25, 110, "another one")))
    assert found is not None
    assert (found.kind, found.confidence >= SURE) == (kind, True)


def test_a_letter_about_an_order_is_a_letter() -> None:
    found = kind_of(
        page((25, 80, "Order of fruit crates in May"), (25, 100, "Dear Sir or Madam,"), (25, 110, "thank you."))
    )
    assert found is not None
    assert found.kind is DocumentKind.LETTER


@pytest.mark.parametrize(
    ("lines", "day", "sure"),
    [
        ([(130, 40, "Hollerbeck, 28. November 2026"), (25, 120, "Zahlbar bis 12.12.2026")], date(2026, 11, 28), True),
        ([(130, 40, "Datum: 28.11.26")], date(2026, 11, 28), True),  # a label speaks for the short form
        ([(130, 40, "03/04/2026")], date(2026, 4, 3), False),  # or the 4th of March
        ([(25, 150, "We met on 3 May 2026 in the old dairy to talk about this.")], date(2026, 5, 3), False),
        ([(130, 40, "1 May 2026"), (130, 60, "2 May 2026")], date(2026, 5, 1), False),  # which of both
        ([(25, 60, "Due date: 4 May 2026")], date(2026, 5, 4), False),
    ],
)
def test_the_day_is_that_which_the_document_bears(lines: list[tuple[float, float, str]], day: date, sure: bool) -> None:
    found = day_of(page(*lines))
    assert found is not None
    assert (found.day, found.confidence >= SURE) == (day, sure)


@pytest.mark.parametrize(
    ("lines", "number"),
    [
        ([(25, 60, "Invoice no. 20417")], "20417"),
        ([(25, 60, "Invoice No."), (25, 66, "INV 20417")], "INV 20417"),  # below its label
        ([(25, 60, "Customer no. 881"), (25, 66, "Invoice number 20417")], "20417"),
        ([(25, 60, "Rechnung 2026/118")], "2026/118"),
        ([(25, 60, "VAT no. 123456789")], None),
        ([(25, 60, "Invoice no. 4 May 2026")], None),  # a day is no number
    ],
)
def test_the_number_is_the_documents_own(lines: list[tuple[float, float, str]], number: str | None) -> None:
    found = number_of(page(*lines), DocumentKind.INVOICE)
    assert (found.number if found else None) == number


def test_another_ones_number_is_not_sure() -> None:
    found = number_of(page((25, 60, "Order no. 4471")), DocumentKind.INVOICE)
    assert found is not None
    assert (found.number, found.confidence < SURE) == ("4471", True)


def test_who_gets_a_letter_has_not_sent_it() -> None:
    found = sender_of(
        page(
            (25, 50, "Hollerbeck Orchard Cooperative"), (25, 56, "4 Weir Lane"), (25, 62, "Hollerbeck HB2 6TR"),
            (25, 100, "Dear members of the board,"),
        )
    )  # fmt: skip
    assert found is None


def test_a_comma_within_a_name_does_not_part_it() -> None:
    found = sender_of(
        page((20, 44, "J. Wendover and Sons, Coopers : 3 Stave Lane : Oskham OS5 2RT", 2.5), (20, 60, "Dear Madam,"))
    )
    assert found is not None
    assert found.name == "J. Wendover and Sons, Coopers"


def test_addresses_that_were_read_with_a_name_are_not_of_it() -> None:
    left, right = (
        _block(at, 14, text).paragraphs[0].lines[0]
        for at, text in ((25, "Finanzamt Harbach"), (80, "www.fa-harbach.example office@fa-harbach.example"))
    )
    line = Line(words=left.words + right.words, box=BoxMm.around((left.box, right.box)))
    found = sender_of(
        PageText(
            width_mm=210, height_mm=297, languages=("deu",), blocks=(Block(paragraphs=(Paragraph(lines=(line,)),)),)
        )
    )
    assert found is not None
    assert found.name == "Finanzamt Harbach"


@pytest.mark.parametrize("read", ["= Overton Surveyors", "i Overton Surveyors", "» o Overton Surveyors"])
def test_signs_around_a_name_are_not_of_it(read: str) -> None:
    found = sender_of(page((25, 14, read, 7)))
    assert found is not None
    assert found.name == "Overton Surveyors"


@pytest.mark.parametrize("name", ["J. Wendover & Sons", "Osk und Söhne"])
def test_a_house_of_a_family_is_named_at_the_foot(name: str) -> None:
    found = sender_of(page((25, 100, "Dear Madam,"), (25, 282, f"{name} · 3 Stave Lane · Oskham OS5 2RT")))
    assert found is not None
    assert found.name == name


@pytest.mark.parametrize(
    "label", ["Rechnungsdatum", "Lieferdatum:", "Kundennummer", "Rechnungs-Nr.", "Invoice date", "Your ref.", "Seite"]
)
def test_the_label_of_something_else_is_no_sender(label: str) -> None:
    assert sender_of(page((150, 40, label, 6), (25, 100, "Sehr geehrte Damen und Herren,"))) is None


@pytest.mark.parametrize("name", ["Update Printers", "Casino", "Seitenbau Osk", "Numbers and Sons"])
def test_a_name_that_is_like_a_label_is_a_sender(name: str) -> None:
    found = sender_of(page((25, 14, name, 7), (25, 100, "Dear Madam,")))
    assert found is not None
    assert found.name == name


def test_letters_read_into_a_picture_are_no_subject() -> None:
    assert proposals_of(page((25, 80, "Ei Aa", 9), (25, 100, "il"), (25, 110, "rn"))) is None


def test_two_names_that_are_as_good_leave_it_open() -> None:
    found = sender_of(page((25, 14, "Overton Surveyors", 7), (25, 24, "Castor District Council", 7)))
    assert found is not None
    assert found.confidence < SURE
