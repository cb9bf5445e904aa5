"""Piles of post: documents of several senders one behind the other; with which pages they begin is known."""

from typing import NamedTuple

import numpy as np

from benchmarks.second.papers import Hand, Page, Paper
from benchmarks.second.scans import scan
from papiermappe.core.picture import CapturedPicture

ENGLISH = (
    "We thank you for your order of the third of last month, which we have passed on to our works.",
    "The price that we had agreed on does not hold for the second part of the delivery.",
    "Our driver found nobody at the gate and has taken the pallets back to the depot.",
    "Please let us know which of the two dates would suit you, and who is going to sign.",
    "The meter was read on the last day of the quarter and is shown in the table below.",
    "Should you wish to end the contract, we need a letter from you before the end of June.",
    "The roof of the shed has been looked at; two of the beams have to be replaced this year.",
    "Interest is paid at the end of each year and is added to the account without notice.",
)
GERMAN = (
    "Wir danken Ihnen für Ihre Bestellung vom dritten des Monats, die wir weitergegeben haben.",
    "Der Preis, den wir vereinbart hatten, gilt nicht für den zweiten Teil der Lieferung.",
    "Unser Fahrer hat niemanden angetroffen und die Ware wieder in das Lager gebracht.",
    "Bitte teilen Sie uns mit, welcher der beiden Termine Ihnen besser passt.",
    "Der Zähler wurde am letzten Tag des Quartals abgelesen und steht in der Tabelle.",
    "Das Dach der Halle ist geprüft worden; zwei Balken müssen in diesem Jahr erneuert werden.",
)
NAMES = (
    "Harrow",
    "Quill",
    "Tamsel",
    "Overton",
    "Brack",
    "Lindow",
    "Merrin",
    "Castor",
    "Pell",
    "Wendt",
    "Yarrow",
    "Osk",
)
TRADES = (
    "Water Board",
    "Timber Works",
    "Insurance",
    "Savings Bank",
    "Seed Merchants",
    "Cold Stores",
    "Haulage",
    "Surveyors",
)
STREETS = ("Mill Road", "Station Street", "Quay", "High Street", "Chapel Row", "Old Market")


class Sender(NamedTuple):
    """Who writes: what all letters of theirs have in common."""

    name: str
    address: str
    foot: str
    german: bool
    numbering: str
    """How pages are numbered: of, named, alone or none."""
    head_on_all: bool
    """Whether following pages have a short head."""
    face: str


class PileOfPost(NamedTuple):
    """The pages of a pile as scanned, and where documents begin."""

    pages: list[CapturedPicture]
    begins: list[int]


def post(number: int, seed: int) -> PileOfPost:
    """Return a pile of 3 to 12 documents of 1 to 4 pages, one-sided; about a third follow one of the same sender."""
    hand = np.random.default_rng([seed, number, 9])
    senders = [_sender(hand) for _ in range(int(hand.integers(2, 5)))]
    pages: list[CapturedPicture] = []
    begins = []
    sender = senders[0]
    for _ in range(int(hand.integers(3, 13))):
        if hand.random() > 1 / 3:
            sender = senders[int(hand.integers(len(senders)))]
        begins.append(len(pages))
        pages += [scan(paper, hand).capture for paper in _document(sender, hand)]
    return PileOfPost(pages, begins)


def _sender(hand: Hand) -> Sender:
    name = f"{hand.choice(NAMES)} & {hand.choice(NAMES)} {hand.choice(TRADES)}"
    address = f"{int(hand.integers(1, 90))} {hand.choice(STREETS)}, {hand.choice(NAMES)}bridge"
    account, telephone = int(hand.integers(10**7, 10**8)), int(hand.integers(10**8, 10**9))
    foot = f"Registered at {hand.choice(NAMES)}ford, account {account}, telephone 0{telephone}"
    return Sender(
        name,
        address,
        foot if hand.random() < 0.7 else "",
        bool(hand.random() < 0.25),
        str(hand.choice(["of", "named", "alone", "none"])),
        bool(hand.random() < 0.5),
        str(hand.choice(["Vera.ttf", ""])),
    )


def _document(sender: Sender, hand: Hand) -> list[Paper]:
    """Return the pages of a letter, or of an invoice."""
    count = int(hand.choice([1, 1, 2, 2, 3, 4]))
    invoice = hand.random() < 0.3
    pages = []
    for number in range(1, count + 1):
        page = Page(hand, "A4", (251, 251, 249))
        y = _first_head(page, sender, hand, invoice) if number == 1 else _next_head(page, sender)
        y = _body(page, sender, hand, y, last=number == count)
        if number == count and not invoice:
            page.text(25, y + 6, "Mit freundlichen Grüßen" if sender.german else "Yours sincerely", 11, sender.face)
            page.scribble(25, y + 20, 45)
        _foot(page, sender, number, count)
        pages.append(page.done("post"))
    return pages


def _first_head(page: Page, sender: Sender, hand: Hand, invoice: bool) -> float:
    page.text(25, 14, sender.name, 17, "VeraBd.ttf", "#1f3d6b")
    page.text(25, 23, sender.address, 9, sender.face)
    page.text(25, 50, "Hollerbeck Orchard Cooperative", 11, sender.face)
    page.text(25, 56, "4 Weir Lane, Hollerbeck", 11, sender.face)
    day = (
        f"{int(hand.integers(1, 28))}.{int(hand.integers(1, 12))}.2026"
        if sender.german
        else f"{int(hand.integers(1, 28))} May 2026"
    )
    page.text(150, 72, day, 11, sender.face)
    if invoice:
        page.text(
            25, 84, f"{'Rechnung' if sender.german else 'Invoice'} {int(hand.integers(1000, 9999))}", 15, "VeraBd.ttf"
        )
        return 98
    subject = " ".join(str(hand.choice(ENGLISH if not sender.german else GERMAN)).split()[2:7])
    page.text(25, 84, subject, 12, "VeraBd.ttf")
    page.text(
        25, 94, "Sehr geehrte Damen und Herren," if sender.german else "Dear members of the board,", 11, sender.face
    )
    return 104


def _next_head(page: Page, sender: Sender) -> float:
    if sender.head_on_all:
        page.text(25, 12, sender.name, 9, sender.face)
        page.line(25, 18, 185, 18, 0.2)
    return 28


def _body(page: Page, sender: Sender, hand: Hand, y: float, last: bool) -> float:
    """Write sentences down the page; where it is not the last one, to its very end."""
    sentences = GERMAN if sender.german else ENGLISH
    until = float(hand.uniform(y + 40, 225)) if last else 262.0
    words: list[str] = []
    line = ""
    while y < until:
        if not words:
            words = str(hand.choice(sentences)).split()
        line = f"{line} {words.pop(0)}".strip()
        if len(line) > 78:
            page.text(25, y, line, 10.5, sender.face)
            y, line = y + 6.0, ""
    return y


def _foot(page: Page, sender: Sender, number: int, count: int) -> None:
    said = {"of": f"Page {number} of {count}", "named": f"Page {number}", "alone": f"- {number} -", "none": ""}[
        sender.numbering
    ]
    if sender.german and sender.numbering in {"of", "named"}:
        said = said.replace("Page", "Seite").replace("of", "von")
    if said and not (number == 1 and sender.numbering == "alone"):
        page.text(95, 284, said, 9, sender.face)
    if sender.foot:
        page.text(25, 276, sender.foot, 7, sender.face, "#444444")
