"""What a document says of itself on its first page, from which its name can be made: proposed, with what told it."""

from papiermappe.core.reading.document_date import day_of
from papiermappe.core.reading.document_number import number_of
from papiermappe.core.reading.kinds import kind_of
from papiermappe.core.reading.page_text import PageText
from papiermappe.core.reading.proposal import Proposal, Proposals
from papiermappe.core.reading.sender import sender_of
from papiermappe.core.reading.subject import subject_of


def proposals_of(page: PageText) -> Proposals | None:
    """Return what is proposed for the document that a page begins; None where nothing on it tells."""
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


def _proposal(value: str, confidence: float, told_by: str) -> Proposal:
    return Proposal(value=value, confidence=round(confidence, 2), told_by=told_by)
