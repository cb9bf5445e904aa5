"""What the first page of a document says, as what its name is made of."""

from collections.abc import Sequence
from datetime import date

from papiermappe.core.naming.filling import NameFacts, PlacedWord
from papiermappe.core.reading.page_text import PageText
from papiermappe.core.reading.proposal import Proposal, Proposals


def name_facts(today: date, subject: str, said: Proposals | None, words: Sequence[PlacedWord] = ()) -> NameFacts:
    """Return what a name can be made of; what the page says doubtfully is left out.

    Args:
        today: the day for names.
        subject: what the document is about, as a person has said; empty: as its page says.
        said: what is proposed from its first page; None where that was not read.
        words: of its first page.
    """
    if said is None:
        return NameFacts(today, subject=subject, words=words)
    day = sure_value(said.date)
    return NameFacts(
        today=today,
        printed=date.fromisoformat(day) if day else None,
        subject=subject or sure_value(said.subject),
        sender=sure_value(said.sender),
        number=sure_value(said.number),
        kind=spelled_kind(sure_value(said.kind)),
        words=words,
    )


def sure_value(proposal: Proposal | None) -> str:
    """Return what is proposed, where it is sure; else nothing."""
    return proposal.value if proposal is not None and proposal.is_sure else ""


def spelled_kind(code: str) -> str:
    """Return a kind of document as words for a name.

    >>> spelled_kind("delivery_note")
    'delivery note'
    """
    return code.replace("_", " ")


def placed_words(text: PageText) -> list[PlacedWord]:
    """Return the words of a page, each with its middle, in the order of reading."""
    return [
        PlacedWord(word.text, (word.box.left + word.box.right) / 2, (word.box.top + word.box.bottom) / 2)
        for line in text.lines()
        for word in line.words
    ]
