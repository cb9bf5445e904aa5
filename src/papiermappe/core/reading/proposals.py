"""What a document says of itself on its first page, from which its name can be made: proposed, with what told it."""

from itertools import islice

from papiermappe.core.reading.document_date import day_of
from papiermappe.core.reading.document_number import number_of
from papiermappe.core.reading.heads import with_heads_apart
from papiermappe.core.reading.kinds import kind_of
from papiermappe.core.reading.page_text import Block, PageText, Paragraph
from papiermappe.core.reading.proposal import Proposal, Proposals
from papiermappe.core.reading.sender import sender_of
from papiermappe.core.reading.subject import subject_of

MOST_LINES, LONGEST_LINE = 400, 300
"""What a page may have to be looked at. A file can bring any text along: each line is held against others."""


def proposals_of(page: PageText) -> Proposals | None:
    """Return what is proposed for the document that a page begins; None where nothing on it tells.

    Only its first lines are looked at, and none that is longer than a line of print can be.
    """
    page = with_heads_apart(_bounded(page))
    kind = kind_of(page)
    day = day_of(page)
    number = number_of(page, kind.kind if kind else None)
    found = Proposals(
        date=_proposal(day.day.isoformat(), day.confidence, day.line) if day else None,
        sender=_proposal(*sender) if (sender := sender_of(page)) else None,
        subject=_proposal(*subject) if (subject := subject_of(page)) else None,
        number=_proposal(*number) if number else None,
        kind=_proposal(kind.kind.value, kind.confidence, kind.line) if kind else None,
    )
    return found if any(proposal for _, proposal in found) else None


def _bounded(page: PageText) -> PageText:
    """Return a page with its first lines, and without those that are too long."""
    lines = islice((line for line in page.lines() if len(line.text) <= LONGEST_LINE), MOST_LINES)
    return (
        page.model_copy(update={"blocks": tuple(Block(paragraphs=(Paragraph(lines=(line,)),)) for line in lines)})
        if _is_large(page)
        else page
    )


def _is_large(page: PageText) -> bool:
    lines = list(page.lines())
    return len(lines) > MOST_LINES or any(len(line.text) > LONGEST_LINE for line in lines)


def _proposal(value: str, confidence: float, told_by: str) -> Proposal:
    return Proposal(value=value, confidence=round(confidence, 2), told_by=told_by)
