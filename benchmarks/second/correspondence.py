"""Letters and invoices in English and German, of several layouts, whose day, sender, subject and number are known."""

from datetime import date, timedelta
from typing import NamedTuple

import numpy as np

from benchmarks.second.papers import Hand, Page, Written
from benchmarks.second.scans import scan
from papiermappe.core.picture import CapturedPicture

ENGLISH_SENDERS = (
    ("Tamsin Vale Packaging Ltd", "Unit 7, Culver Yard", "Brackenford BR4 7QT", "tamsinvale-packaging.example"),
    ("Overton & Pell Surveyors", "18 Chapel Row", "Lindow LW2 1AB", "overtonpell.example"),
    ("Marl Bank Water Company", "Reservoir Road 2", "Harrowgate Mill HM9 3LL", "marlbankwater.example"),
    ("Castor District Council", "Old Market 1", "Castor CT1 1DD", "castor.example"),
    ("The Yarrow Seed Merchants", "44 Quay Street", "Yarrow YW6 5PB", "yarrowseed.example"),
    ("Quill Insurance plc", "9 Station Approach", "Merrinford MF3 8GH", "quill-insurance.example"),
    ("Northmoor Cold Stores", "Dock 12, East Basin", "Pellhaven PH1 9ZZ", "northmoorcold.example"),
    ("J. Wendover and Sons, Coopers", "3 Stave Lane", "Oskham OS5 2RT", "wendoversons.example"),
)
GERMAN_SENDERS = (
    ("Baumschule Lindenau GmbH", "Am Rain 4", "36041 Fuldabrück", "baumschule-lindenau.example"),
    ("Stadtwerke Merrenberg", "Talstraße 18", "35797 Merrenberg", "sw-merrenberg.example"),
    ("Kelterei Osk & Söhne KG", "Mühlweg 9", "63667 Niddatal", "kelterei-osk.example"),
    ("Finanzamt Harbach", "Schlossplatz 2", "35321 Harbach", "fa-harbach.example"),
    ("Wendtsche Versicherung AG", "Kaiserallee 101", "60322 Frankenau", "wendtsche.example"),
    ("Spedition Castorf", "Hafenring 7", "67061 Rheinau", "spedition-castorf.example"),
    ("Obstbauverband Tamsel e.V.", "Gartenstraße 31", "15328 Tamsel", "obstbau-tamsel.example"),
)
RECIPIENTS = (
    ("Hollerbeck Orchard Cooperative", "4 Weir Lane", "Hollerbeck HB2 6TR"),
    ("Mrs E. Quarrington", "The Old Dairy", "Hollerbeck HB2 6TP"),
    ("Obstgenossenschaft Hollerbeck", "Wehrgasse 4", "36199 Hollerbeck"),
    ("Herrn Anton Brack", "Lange Zeile 12", "36199 Hollerbeck"),
)
SUBJECTS = {
    False: (
        "Repair of the cold store door",
        "Change of your insurance cover",
        "Delivery of fruit crates in May",
        "Survey of the lower meadow",
        "Planned interruption of the water supply",
        "Your application for a footpath licence",
        "New price list for seed",
    ),
    True: (
        "Reparatur der Kühlraumtür",
        "Änderung Ihres Versicherungsschutzes",
        "Lieferung von Obstkisten im Mai",
        "Vermessung der unteren Wiese",
        "Geplante Unterbrechung der Wasserversorgung",
        "Antrag auf Förderung der Streuobstwiese",
        "Neue Preisliste für Pflanzgut",
    ),
}
BODY = {
    False: (
        "thank you for your letter of {other}, which we have passed on to our works.",
        "The parts will be with you in the week after next; our driver will",
        "ring you in the morning. The agreed price holds until {late}.",
        "Please let us know by telephone if the date does not suit you.",
        "We enclose the drawing, and remain at your service.",
    ),
    True: (
        "vielen Dank für Ihr Schreiben vom {other}, das wir weitergeleitet haben.",
        "Die Teile treffen in der übernächsten Woche ein; unser Fahrer",
        "meldet sich am Morgen. Der Preis gilt bis {late}.",
        "Bitte rufen Sie uns an, wenn Ihnen der Termin nicht passt.",
        "Die Zeichnung liegt bei. Für Fragen stehen wir gern zur Verfügung.",
    ),
}
MONTHS = {
    False: [
        "January",
        "February",
        "March",
        "April",
        "May",
        "June",
        "July",
        "August",
        "September",
        "October",
        "November",
        "December",
    ],
    True: [
        "Januar",
        "Februar",
        "März",
        "April",
        "Mai",
        "Juni",
        "Juli",
        "August",
        "September",
        "Oktober",
        "November",
        "Dezember",
    ],
}
LAYOUTS = ("left", "centre", "right", "window")


class Correspondence(NamedTuple):
    """A page as scanned, and what is true of it."""

    capture: CapturedPicture
    german: bool
    invoice: bool
    day: date
    sender: str
    subject: str
    """Empty for invoices without one."""
    number: str
    """Empty where it has none."""
    written: tuple[Written, ...]


class _Facts(NamedTuple):
    german: bool
    invoice: bool
    day: date
    sender: tuple[str, str, str, str]
    recipient: tuple[str, str, str]
    subject: str
    number: str
    layout: str


def correspondence(number: int, seed: int) -> Correspondence:
    """Return a letter or an invoice."""
    hand = np.random.default_rng([seed, number, 12])
    german, invoice = bool(hand.random() < 0.5), bool(hand.random() < 0.5)
    senders = GERMAN_SENDERS if german else ENGLISH_SENDERS
    facts = _Facts(
        german,
        invoice,
        date(2026, 1, 1) + timedelta(days=int(hand.integers(0, 360))),
        senders[int(hand.integers(len(senders)))],
        RECIPIENTS[int(hand.integers(2)) + 2 * german],
        "" if invoice and hand.random() < 0.6 else str(hand.choice(SUBJECTS[german])),
        _number(hand) if invoice or hand.random() < 0.6 else "",
        str(hand.choice(LAYOUTS)),
    )
    page = Page(hand, "A4", (252, 252, 250))
    _head(page, facts)
    y = _address_and_marks(page, facts, hand)
    y = _table(page, facts, hand, y) if invoice else _text(page, facts, hand, y)
    _foot(page, facts, hand)
    made = scan(page.done("letter"), hand)
    return Correspondence(
        made.capture, german, invoice, facts.day, facts.sender[0], facts.subject, facts.number, tuple(page.written)
    )


def _number(hand: Hand) -> str:
    count = int(hand.integers(100, 99999))
    return str(
        hand.choice(
            [f"RE-2026-{count:05d}", f"{count}", f"2026/{count % 1000:03d}", f"A{count}", f"{count % 100:02d}-{count}"]
        )
    )


def _said(day: date, german: bool, hand: Hand) -> str:
    month = MONTHS[german][day.month - 1]
    if german:
        return str(hand.choice([f"{day.day:02d}.{day.month:02d}.{day.year}", f"{day.day}. {month} {day.year}"]))
    return str(hand.choice([f"{day.day} {month} {day.year}", f"{month} {day.day}, {day.year}", day.isoformat()]))


def _head(page: Page, facts: _Facts) -> None:
    name, street, town, domain = facts.sender
    contact = f"www.{domain}   office@{domain}"
    bold = "VeraBd.ttf"
    if facts.layout == "left":
        page.text(22, 13, name, 18, bold, "#23513f")
        page.text(22, 22, f"{street}, {town}", 8.5)
    elif facts.layout == "centre":
        page.text(105 - 1.75 * len(name), 12, name, 17, bold, "#5a2230")
        page.text(60, 21, f"{street} · {town}", 8.5)
        page.line(22, 27, 188, 27, 0.4)
    elif facts.layout == "right":
        for at, said in enumerate((name, street, town, f"office@{domain}")):
            page.text(118, 14 + 6 * at, said, 13 if at == 0 else 9, bold if at == 0 else "Vera.ttf")
    else:
        page.text(22, 18, name, 14, bold)
        page.text(22, 44, f"{name} · {street} · {town}", 6.5, colour="#555555")
    if facts.layout in {"left", "window"}:
        page.text(125, 14, contact, 7, colour="#444444")


def _address_and_marks(page: Page, facts: _Facts, hand: Hand) -> float:
    """Write the recipient and, at the right, what the page says of itself; return where the text begins."""
    for at, said in enumerate(facts.recipient):
        page.text(22, 50 + 5.5 * at, said, 10.5)
    german = facts.german
    said_day = _said(facts.day, german, hand)
    rows = []
    if facts.number:
        labels = (
            ("Rechnungsnummer:", "Rechnungs-Nr.", "Rechnung Nr.:")
            if german and facts.invoice
            else ("Unser Zeichen:", "Aktenzeichen:")
            if german
            else ("Invoice no.:", "Invoice number", "Invoice No")
            if facts.invoice
            else ("Our ref.:", "Reference:", "Our reference")
        )
        rows.append((str(hand.choice(labels)), facts.number))
    if hand.random() < 0.5:
        rows.append(("Kundennummer:" if german else "Customer no.:", str(int(hand.integers(10000, 99999)))))
    if facts.invoice or hand.random() < 0.4:
        day_labels = ("Rechnungsdatum:", "Datum:") if german else ("Invoice date:", "Date:")
        day_label = str(hand.choice(day_labels)) if facts.invoice else day_labels[1]
        rows.insert(int(hand.integers(0, len(rows) + 1)), (day_label, said_day))
        if facts.invoice and hand.random() < 0.5:
            rows.append(
                ("Lieferdatum:" if german else "Delivery date:", _said(facts.day - timedelta(days=5), german, hand))
            )
    else:
        place = facts.sender[2].split()[-1] if german else facts.sender[2].split()[0]
        page.text(128, 84, f"{place}, {said_day}" if hand.random() < 0.5 else said_day, 10.5)
    for at, (label, value) in enumerate(rows):
        page.text(125, 50 + 6 * at, label, 9.5)
        page.text(162, 50 + 6 * at, value, 9.5)
    y = 96.0
    if facts.invoice:
        page.text(22, y, "Rechnung" if german else str(hand.choice(["Invoice", "INVOICE"])), 16, "VeraBd.ttf")
        y += 10
    if facts.subject:
        label = ("Betreff: " if german else "Subject: ") if hand.random() < 0.3 else ""
        page.text(22, y, f"{label}{facts.subject}", 11, "VeraBd.ttf")
        y += 10
    return y


def _text(page: Page, facts: _Facts, hand: Hand, y: float) -> float:
    page.text(
        22,
        y,
        "Sehr geehrte Damen und Herren,"
        if facts.german
        else str(hand.choice(["Dear Mrs Quarrington,", "Dear Sir or Madam,"])),
        10.5,
    )
    days = {
        "other": _said(facts.day - timedelta(days=9), facts.german, hand),
        "late": _said(facts.day + timedelta(days=30), facts.german, hand),
    }
    for said in BODY[facts.german]:
        y += 8
        page.text(22, y, said.format(**days), 10.5)
    y += 14
    page.text(
        22,
        y,
        "Mit freundlichen Grüßen" if facts.german else str(hand.choice(["Yours sincerely", "Kind regards"])),
        10.5,
    )
    page.scribble(24, y + 10, 40)
    page.text(22, y + 20, facts.sender[0] if hand.random() < 0.5 else "M. Castor", 10.5)
    return y + 26


def _table(page: Page, facts: _Facts, hand: Hand, y: float) -> float:
    heads = (
        ("Pos.", "Bezeichnung", "Menge", "Betrag") if facts.german else ("Item", "Description", "Quantity", "Amount")
    )
    goods = (
        ("Obstkisten", "Paletten", "Etiketten", "Folie")
        if facts.german
        else ("Fruit crates", "Pallets", "Labels", "Film")
    )
    columns = (22, 40, 120, 160)
    for at, head in zip(columns, heads, strict=True):
        page.text(at, y, head, 9.5, "VeraBd.ttf")
    total = 0
    for row, name in enumerate(goods[: int(hand.integers(2, 5))], 1):
        y += 7
        count, price = int(hand.integers(2, 90)), int(hand.integers(3, 40))
        total += count * price
        for at, said in zip(columns, (str(row), name, str(count), f"{count * price}.00"), strict=True):
            page.text(at, y, said, 9.5)
    page.text(120, y + 9, "Gesamt" if facts.german else "Total", 10.5, "VeraBd.ttf")
    page.text(160, y + 9, f"{total}.00", 10.5, "VeraBd.ttf")
    due = _said(facts.day + timedelta(days=14), facts.german, hand)
    page.text(22, y + 24, f"Zahlbar bis {due} ohne Abzug." if facts.german else f"Payment is due by {due}.", 9.5)
    return y + 34


def _foot(page: Page, facts: _Facts, hand: Hand) -> None:
    name, street, town, domain = facts.sender
    tax = (
        f"USt-IdNr. DE{int(hand.integers(10**8, 10**9))}" if facts.german else f"VAT {int(hand.integers(10**8, 10**9))}"
    )
    if hand.random() < 0.7:
        page.text(22, 280, f"{name} · {street} · {town} · {tax}", 6.5, colour="#555555")
    if hand.random() < 0.5:
        page.text(22, 284, f"www.{domain} · IBAN XX{int(hand.integers(10**9, 10**10))}", 6.5, colour="#555555")
