"""What a person should check on a page."""

from collections.abc import Collection, Sequence

from papiermappe.core.analysis import Analysis
from papiermappe.core.clean.findings import Finding, FindingKind
from papiermappe.core.treatment import Treatment
from papiermappe.message import Message

NO_WARNING = frozenset({FindingKind.BLANK, FindingKind.DUST_LINE, FindingKind.DIRTY, FindingKind.FOLD})
"""Findings that leave the text of a page as legible as it is; they are told at the page only."""


def warnings_of(treatment: Treatment, analysis: Analysis) -> list[Message]:
    """Return what is to be checked on a page, also what a person has said is fine."""
    found = [message_of(finding) for finding in analysis.findings_told(treatment) if finding.kind not in NO_WARNING]
    return [*found, *(Message(code=f"{step}_uncertain") for step in analysis.unsure_steps(treatment))]


def unaccepted(warnings: Sequence[Message], accepted: Collection[str]) -> list[Message]:
    """Return those of which no person has said that they are fine."""
    return [message for message in warnings if message.code not in accepted]


def message_of(finding: Finding) -> Message:
    """Return what a finding says."""
    return Message(code=f"finding_{finding.kind}", params=finding.params)
