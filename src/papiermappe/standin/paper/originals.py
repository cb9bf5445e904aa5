"""The papers of the Hollerbeck Orchard Cooperative, a made-up fruit growers' association."""

from collections.abc import Callable
from dataclasses import dataclass
from functools import partial

import numpy as np
from reportlab.lib.colors import Color

from papiermappe.core.order.dividers import CodeUse, divider_text
from papiermappe.core.paper import A4, A5, ID_CARD, PaperSize
from papiermappe.standin.paper.drawing import BLUE_PEN, STAMP_GREEN, STAMP_RED, Draw, Drawing

COOPERATIVE = "Hollerbeck Orchard Cooperative"
ADDRESS = "4 Weir Lane, Hollerbeck"
RECEIPT_ROLL = PaperSize("Receipt", 80, 190)


@dataclass(frozen=True)
class DrawnSheet:
    """A sheet of an original: what is on its front and, perhaps, on its back."""

    front: Draw
    back: Draw | None = None
    paper: PaperSize | None = None
    """As it lies; None: as all of the original."""
    sideways: bool = False
    """It lies with its right edge at the top."""


@dataclass(frozen=True)
class Original:
    """A document on paper."""

    key: str
    title: str
    paper: PaperSize
    sheets: tuple[DrawnSheet, ...]
    bound: bool = False
    """On the glass a hand turns its leaves: one place after the other lies there."""


def _letterhead(page: Drawing) -> None:
    page.box(20, 14, 7, 7, fill="#1d6b46", stroke=None)
    page.text(30, 18, COOPERATIVE, 15, "Helvetica-Bold", "#17453f")
    page.text(30, 22.5, f"{ADDRESS} - apples, pears, plums since 1931", 8, "Helvetica")
    page.rule(20, 26, 190, 26, 1.2, "#17453f")


_SENTENCES = (
    "The members met in the packing hall and heard the report on the spring frost.",
    "Trees on the north slope flowered eleven days late, and the bees came later still.",
    "Picking crates carry a tag with the row, the variety and the weight at the gate.",
    "Whoever borrows the long ladders writes name and date on the board beside the door.",
    "The cold store keeps two degrees; its door must not stand open for longer than it takes to pass.",
    "Windfalls go to the press on Fridays and are paid by weight, less leaves and stones.",
    "Water rights on the lower ditch follow the order agreed in the year of the great drought.",
    "A graft that has not taken by midsummer is cut back and done again in the next spring.",
)


def _prose(seed: int, count: int) -> str:
    return " ".join(_SENTENCES[(seed * 3 + at * 5) % len(_SENTENCES)] for at in range(count))


def _weigh_ticket(page: Drawing, number: int) -> None:
    page.text(12, 16, COOPERATIVE, 12, "Helvetica-Bold")
    page.text(12, 22, f"Weigh ticket {number}", 16, "Helvetica-Bold")
    page.rule(12, 26, 136, 26, 1.0)
    tare_kg, gross_kg = 310 + number % 37, 1994 + 13 * (number % 23)
    for at, (label, value) in enumerate(
        (
            ("Member", f"Plot {number % 60 + 1}, {('Alder', 'Birch', 'Cherry', 'Damson')[number % 4]} Row"),
            ("Variety", ("Bramling Early", "Weir Russet", "Golden Hollin")[number % 3]),
            ("Crates", str(40 + number % 50)),
            ("Gross weight", f"{gross_kg} kg"),
            ("Tare", f"{tare_kg} kg"),
            ("Net weight", f"{gross_kg - tare_kg} kg"),
            ("Moisture", f"{2 + number % 4} %"),
        )
    ):
        page.text(14, 38 + 11 * at, label, 11, "Helvetica")
        page.text(60, 38 + 11 * at, value, 12, "Courier-Bold")
        page.rule(12, 41.5 + 11 * at, 136, 41.5 + 11 * at, 0.4)
    page.pen(20, 138, 44, seed=number)
    page.text(20, 146, "Weigher", 8, "Helvetica")
    page.stamp(108, 140, "WEIGHED", f"gate {number % 3 + 1}", STAMP_GREEN)
    page.paragraph(12, 172, 124, _prose(number, 2), 9)


def _delivery_note(page: Drawing, number: int) -> None:
    _letterhead(page)
    page.text(20, 40, f"Delivery note {number}", 18, "Helvetica-Bold")
    page.text(20, 48, "To: Ferrow & Daughters, Wholesale Fruit, 12 Market Cross, Ostwick", 10.5, "Helvetica")
    rows = [("Pos", "Variety", "Grade", "Crates", "kg")]
    for at in range(18):
        kg = 186 + (number * 7 + at * 31) % 240
        rows.append(
            (
                str(at + 1),
                ("Bramling Early", "Weir Russet", "Golden Hollin", "Blue Damson")[(number + at) % 4],
                "I" if at % 3 else "Extra",
                str(8 + (number + at * 3) % 9),
                str(kg),
            )
        )
    below_mm = page.table(20, 58, (15, 70, 25, 30, 30), rows, 8)
    page.text_right(188, below_mm + 8, f"Total {sum(int(row[4]) for row in rows[1:])} kg", 12, "Helvetica-Bold")
    page.pen(24, 250, 50, seed=number)
    page.rule(20, 253, 90, 253)
    page.text(20, 258, "received, name and date", 8.5, "Helvetica")


def _delivery_terms(page: Drawing) -> None:
    page.text(20, 24, "Conditions of delivery", 13, "Helvetica-Bold")
    y_mm = 34.0
    for at in range(9):
        y_mm = page.paragraph(20, y_mm, 170, f"{at + 1}. {_prose(at, 2)}", 9.5)


def _lease_page(page: Drawing, number: int) -> None:
    if number == 1:
        _letterhead(page)
        page.text(20, 42, "Lease of land: Upper Meadow", 20, "Times-Bold")
        page.text(20, 50, f"between the {COOPERATIVE} and the estate of R. Quillow", 11)
        y_mm = 64.0
    else:
        page.text(20, 20, "Lease of land: Upper Meadow", 9, "Times-Italic")
        page.rule(20, 22, 190, 22, 0.4)
        y_mm = 34.0
    clause = (number - 1) * 5
    while y_mm < (205 if number == 6 else 255):
        clause += 1
        page.text(20, y_mm, f"Clause {clause}", 12, "Times-Bold")
        y_mm = page.paragraph(20, y_mm + 6.5, 170, _prose(clause, 3), 11)
        y_mm += 2
    if number == 6:
        page.pen(24, 250, 46, seed=61)
        page.pen(118, 250, 52, seed=62, colour="#1b1b1d")
        page.rule(20, 253, 85, 253)
        page.rule(115, 253, 185, 253)
        page.text(20, 258, "for the Cooperative", 9)
        page.text(115, 258, "for the estate", 9)
    page.text(102, 284, str(number), 11)


def _member_letter(page: Drawing, seed: int, colour: str) -> None:
    _letterhead(page)
    page.text(20, 45, "Mrs. Tamsin Orrell")
    page.text(20, 50, "Plot 17, Damson Row")
    page.text(20, 55, "Hollerbeck")
    page.text_right(190, 66, "Hollerbeck, 3 November 2026")
    page.text(
        20,
        80,
        ("Your share of the harvest", "Pruning days in January", "The new cold store")[seed % 3],
        13,
        "Times-Bold",
    )
    y_mm = page.paragraph(20, 92, 170, "Dear Mrs. Orrell,", 11.5)
    for at in range(4):
        y_mm = page.paragraph(20, y_mm + 1, 170, _prose(seed + at * 2, 4), 11.5)
    page.text(20, y_mm + 6, "With kind regards", 11.5)
    page.pen(22, y_mm + 22, 48, seed=seed * 11, height_mm=9)
    page.text(20, y_mm + 30, "Edda Marrable, secretary", 11.5)
    page.stamp(150, y_mm + 22, "HOLLERBECK", "COOPERATIVE", colour)


def _invoice(page: Drawing) -> None:
    page.text(20, 24, "Tolver Crate Works", 17, "Helvetica-Bold", "#7b2d5b")
    page.text(20, 30, "Sawmill Yard 3, Ostwick", 9, "Helvetica")
    page.text_right(190, 24, "INVOICE 2026-0815", 13, "Helvetica-Bold")
    page.text_right(190, 30, "28 October 2026", 10, "Helvetica")
    page.text(20, 48, COOPERATIVE, 11, "Helvetica")
    page.text(20, 53, ADDRESS, 11, "Helvetica")
    rows = [("Item", "Pieces", "Each", "Amount")]
    total_cents = 0
    for at, item in enumerate(
        ("Picking crates, beech", "Press cloths", "Ladder rungs", "Crate tags, 100", "Nails, 5 kg")
    ):
        pieces, cents = 12 + at * 7, 340 + at * 275
        total_cents += pieces * cents
        rows.append((item, str(pieces), f"{cents / 100:.2f}", f"{pieces * cents / 100:.2f}"))
    below_mm = page.table(20, 70, (80, 25, 30, 35), rows, 9)
    page.text_right(188, below_mm + 10, f"Total {total_cents / 100:.2f}", 12, "Helvetica-Bold")
    page.paragraph(20, below_mm + 26, 170, "Payable within 30 days. " + _prose(5, 2), 10, "Helvetica")
    page.stamp(60, 235, "RECEIVED", "2 NOV 2026", "#35418f")
    page.pen(110, 240, 34, seed=815)


def _hail_form(page: Drawing) -> None:
    _letterhead(page)
    page.text(20, 40, "Report of hail damage", 18, "Helvetica-Bold")
    labels = (
        "Name",
        "Plot and row",
        "Date of the hail",
        "Size of the stones",
        "Trees hit",
        "Varieties",
        "Estimated loss in kg",
        "Seen by",
    )
    for at, label in enumerate(labels):
        y_mm = 54 + 19 * at
        page.box(20, y_mm, 170, 14)
        page.text(22, y_mm + 4, label, 7.5, "Helvetica")
        page.pen(30, y_mm + 11.5, 34 + (at * 29) % 80, seed=100 + at, height_mm=5.5)
    for at, label in enumerate(("leaves", "fruit", "bark", "nets")):
        page.box(24 + 40 * at, 214, 5, 5)
        page.text(32 + 40 * at, 218, label, 10, "Helvetica")
        if at % 2 == 0:
            page.pen(24 + 40 * at, 218.5, 5, seed=140 + at, height_mm=4)
    page.pen(24, 258, 52, seed=150, height_mm=9)
    page.rule(20, 261, 90, 261)
    page.text(20, 266, "signature of the member", 8.5, "Helvetica")


def _hail_form_back(page: Drawing) -> None:
    page.text(20, 26, "Sketch of the rows that were hit", 11, "Helvetica-Bold")
    for at in range(9):
        page.rule(30, 45 + 14 * at, 180, 45 + 14 * at, 0.4, "#8a8f86")
    page.pen(60, 120, 70, seed=171, height_mm=40)


def _german_letter(page: Drawing) -> None:
    page.text(20, 28, "Obstverband Hügelland", 15, "Helvetica-Bold")
    page.text(20, 34, "Am Mühlgraben 9, Kleinöhlau", 9, "Helvetica")
    page.text(20, 58, f"{COOPERATIVE}", 11)
    page.text(20, 63, ADDRESS, 11)
    page.text_right(190, 76, "Kleinöhlau, den 19. Oktober 2026", 11)
    page.text(20, 92, "Gemeinsame Übung zum Baumschnitt", 13, "Times-Bold")
    y_mm = page.paragraph(20, 104, 170, "Sehr geehrte Damen und Herren,", 11.5)
    for text in (
        "wir möchten Sie herzlich zu unserer diesjährigen Übung einladen. Geübt wird an großen, älteren Bäumen, "
        "deren Äste seit Jahren nicht mehr geschnitten wurden.",
        "Bitte bringen Sie Schere, Säge und festes Schuhwerk mit. Für heißen Tee und Verpflegung ist gesorgt; die "
        "Gebühr beträgt fünf Euro und wird vor Ort entrichtet.",
        "Über eine kurze Rückmeldung bis zum dreißigsten November würden wir uns freuen, damit wir die Zahl der "
        "Leitern abschätzen können.",
    ):
        y_mm = page.paragraph(20, y_mm + 1, 170, text, 11.5)
    page.text(20, y_mm + 6, "Mit freundlichen Grüßen", 11.5)
    page.pen(22, y_mm + 22, 44, seed=77, height_mm=8)
    page.text(20, y_mm + 30, "Jörg Wäßerle, Vorsitzender", 11.5)


def _receipt(page: Drawing) -> None:
    page.text(14, 14, "Ostwick Farm Supply", 12, "Courier-Bold")
    page.text(20, 20, "Gate 2, open 7 to 17", 8.5, "Courier")
    total_cents = 0
    for at, item in enumerate(
        (
            "Grafting wax 250 g",
            "Bast ribbon 50 m",
            "Pruning saw 300",
            "Gloves pair",
            "Twine 1 kg",
            "Lime paint 10 l",
            "Slug fence 5 m",
        )
    ):
        cents = 395 + at * 410 % 1900
        total_cents += cents
        page.text(6, 34 + 8 * at, item, 9, "Courier")
        page.text_right(74, 34 + 8 * at, f"{cents / 100:.2f}", 9, "Courier")
    page.rule(6, 92, 74, 92, 0.8)
    page.text(6, 100, "TOTAL", 12, "Courier-Bold")
    page.text_right(74, 100, f"{total_cents / 100:.2f}", 12, "Courier-Bold")
    page.text(6, 112, "24.11.2026 08:12  till 3", 8.5, "Courier")
    for at in range(46):
        page.box(10 + at * 1.3, 124, 0.4 + 0.5 * ((at * 7) % 3) / 2, 16, fill="#1b1b1d", stroke=None)
    page.text(12, 152, "Thank you, come again", 9, "Courier")


def _orchard_picture(page: Drawing) -> None:
    page.text(20, 26, "The Upper Meadow in October", 17, "Helvetica-Bold")
    hand = np.random.default_rng(42)
    left, top, width, height = 20.0, 36.0, 170.0, 120.0
    for at in range(60):
        shade = at / 60
        page.polygon(
            [
                (left, top + height * at / 60),
                (left + width, top + height * at / 60),
                (left + width, top + height * (at + 1.2) / 60),
                (left, top + height * (at + 1.2) / 60),
            ],
            Color(0.55 + 0.3 * shade, 0.70 + 0.15 * shade, 0.85 - 0.25 * shade),
        )
    for layer in range(5):
        ridge = top + height * (0.45 + 0.1 * layer) + 6 * np.cumsum(hand.normal(0, 0.25, 41)).clip(-2, 2)
        outline = [(left + width * at / 40, float(ridge[at])) for at in range(41)]
        page.polygon(
            [*outline, (left + width, top + height), (left, top + height)],
            Color(0.35 - 0.05 * layer, 0.5 - 0.06 * layer, 0.3 - 0.04 * layer),
        )
    for _ in range(260):
        x_mm, y_mm = left + 4 + hand.uniform(0, width - 8), top + height * hand.uniform(0.6, 0.95)
        around = np.linspace(0, 2 * np.pi, 9)[:-1]
        reach = hand.uniform(0.8, 2.6)
        page.polygon(
            [(x_mm + reach * float(np.cos(a)), y_mm + reach * float(np.sin(a))) for a in around],
            Color(*(float(v) for v in hand.uniform((0.2, 0.25, 0.1), (0.75, 0.5, 0.25)))),
        )
    page.paragraph(20, 168, 170, _prose(7, 6), 11)
    page.text(102, 284, "14", 11)


def _member_card(page: Drawing) -> None:
    page.box(0, 0, 85.6, 53.98, fill="#e9f0e2", stroke=None)
    page.box(0, 0, 85.6, 13, fill="#17453f", stroke=None)
    page.text(5, 8.5, COOPERATIVE, 11, "Helvetica-Bold", "#ffffff")
    page.text(5, 24, "Tamsin Orrell", 13, "Helvetica-Bold")
    page.text(5, 31, "Member 0417, plot 17, Damson Row", 8.5, "Helvetica")
    page.text(5, 47, "valid until 31.12.2027", 8.5, "Helvetica")
    gloss = Color(1, 1, 1, alpha=0.45)  # of the film it is laminated with
    page.polygon(((58, 0), (66, 0), (50, 53.98), (42, 53.98)), gloss)


def _notice(page: Drawing, number: int) -> None:
    page.rule(9, 12, 17, 9.5, 1.4, "#8b8f92")  # the staple
    page.rule(9.3, 12.7, 17.3, 10.2, 1.0, "#d5d6d3")
    page.text(20, 34, "Notice of the ditch inspection", 16, "Times-Bold")
    y_mm = 46.0
    for at in range(7):
        y_mm = page.paragraph(20, y_mm, 170, _prose(number * 4 + at, 3), 11)
    page.text(100, 284, f"Page {number}", 10)


def _handbook_cover(page: Drawing, title: str) -> None:
    page.box(0, 0, page.paper.width_mm, page.paper.height_mm, fill="#dfe8d3", stroke=None)
    page.box(0, 52, page.paper.width_mm, 34, fill="#1d6b46", stroke=None)
    page.text(14, 74, title, 26, "Helvetica-Bold", "#ffffff")
    page.text(14, 110, COOPERATIVE, 12, "Helvetica-Bold", "#17453f")
    page.text(14, 117, "for members, third printing", 10, "Helvetica")
    _staples(page, 2.5)


def _handbook_spread(page: Drawing, left_number: int) -> None:
    middle_mm = page.paper.width_mm / 2
    page.shade(middle_mm - 11, 0, 22, page.paper.height_mm, darkness=0.45)  # it is laid open at the fold
    for at, x_mm in enumerate((14.0, 160.0)):
        number = left_number + at
        page.text(x_mm, 22 + number % 3, f"Pruning handbook, lesson {number}", 12, "Times-Bold")
        y_mm = 32.0 + number % 3
        for part in range(5 if number % 4 else 2):
            y_mm = page.paragraph(x_mm, y_mm, 122, _prose(number + part, 3), 10.5)
        page.text(x_mm + 58, 200, str(number), 10)
    _staples(page, middle_mm - 0.4)


def _staples(page: Drawing, x_mm: float) -> None:
    for y_mm in (52.0, 150.0):
        page.rule(x_mm, y_mm, x_mm, y_mm + 12, 1.3, "#7f8386")


def _minutes(page: Drawing, number: int) -> None:
    page.text(20, 24, "Minutes of the autumn meeting", 15, "Times-Bold")
    y_mm = 36.0
    for at in range(6):
        y_mm = page.paragraph(20, y_mm, 170, f"{number}.{at + 1}  {_prose(number * 2 + at, 3)}", 11)
    page.text(100, 284, f"Page {number}", 10)


def _pencil_note(page: Drawing) -> None:
    page.pen(120, 270, 40, seed=9, colour="#9a9a98")


def _divider(page: Drawing, name: str) -> None:
    for x_mm in (17, 157):
        for y_mm in (17, 244):
            page.code(x_mm, y_mm, 36, divider_text(CodeUse.DIVIDER, name))
    page.text(30, 150, name, 34, "Helvetica-Bold")


def _one_sheet(key: str, title: str, front: Draw, back: Draw | None = None, paper: PaperSize = A4) -> Original:
    return Original(key, title, paper, (DrawnSheet(front, back),))


def _numbered(draw: Callable[[Drawing, int], None], number: int) -> Draw:
    return lambda page: draw(page, number)


def _both_sides(draw: Callable[[Drawing, int], None], first: int, last: int) -> tuple[DrawnSheet, ...]:
    return tuple(
        DrawnSheet(_numbered(draw, number), _numbered(draw, number + 1) if number < last else None)
        for number in range(first, last + 1, 2)
    )


_ALL = (
    Original("lease", "Lease of Upper Meadow, 6 pages", A4, _both_sides(_lease_page, 1, 6)),
    _one_sheet("letter-share", "Letter about the harvest share", partial(_member_letter, seed=3, colour=STAMP_RED)),
    _one_sheet("letter-pruning", "Letter about pruning days", partial(_member_letter, seed=4, colour=STAMP_GREEN)),
    _one_sheet(
        "letter-store",
        "Letter with a pencil note on its back",
        partial(_member_letter, seed=5, colour=BLUE_PEN),
        _pencil_note,
    ),
    _one_sheet(
        "delivery-118",
        "Delivery note 118, conditions on the back",
        partial(_delivery_note, number=118),
        _delivery_terms,
    ),
    _one_sheet("delivery-119", "Delivery note 119", partial(_delivery_note, number=119)),
    _one_sheet("weigh-2041", "Weigh ticket 2041", partial(_weigh_ticket, number=2041), paper=A5),
    _one_sheet("weigh-2042", "Weigh ticket 2042", partial(_weigh_ticket, number=2042), paper=A5),
    _one_sheet("weigh-2043", "Weigh ticket 2043", partial(_weigh_ticket, number=2043), paper=A5),
    _one_sheet("invoice", "Invoice for crates", _invoice),
    _one_sheet("hail", "Hail damage report, sketch on the back", _hail_form, _hail_form_back),
    _one_sheet("german", "Letter in German", _german_letter),
    _one_sheet("picture", "Page with a picture", _orchard_picture),
    Original("minutes", "Minutes of the meeting, 3 pages", A4, _both_sides(_minutes, 1, 3)),
    Original("notice", "Stapled notice, 2 sheets", A4, _both_sides(_notice, 1, 3)),
    Original(
        "handbook",
        "Pruning handbook, stapled: a cover and 8 spreads",
        A4,
        (
            DrawnSheet(partial(_handbook_cover, title="The pruning year"), paper=A5),
            *(DrawnSheet(partial(_handbook_spread, left_number=number), sideways=True) for number in range(2, 18, 2)),
        ),
        bound=True,
    ),
    _one_sheet("divider-hail", "Divider for hail damage", partial(_divider, name="Hail damage")),
    _one_sheet("divider-leases", "Divider for leases", partial(_divider, name="Lease Upper Meadow")),
    _one_sheet("receipt", "Till receipt", _receipt, paper=RECEIPT_ROLL),
    _one_sheet("card", "Laminated member card", _member_card, paper=ID_CARD),
)

ORIGINALS = {original.key: original for original in _ALL}
