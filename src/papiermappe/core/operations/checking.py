"""Operations on what the machine has pointed out."""

from collections.abc import Sequence
from typing import Annotated, Literal

from pydantic import Field

from papiermappe.core.operations.model import BaseOperation, Changes, PageState

WarningCode = Annotated[str, Field(pattern=r"^[a-z_]{1,40}$")]


class AcceptWarnings(BaseOperation):
    """Put warnings about pages away for good: a person has looked, and it is fine.

    >>> AcceptWarnings(pages=(1,), codes=("finding_faint",)).kind
    'accept_warnings'
    """

    kind: Literal["accept_warnings"] = "accept_warnings"
    codes: Annotated[tuple[WarningCode, ...], Field(min_length=1, max_length=20)]
    """Of the warnings."""

    def apply(self, pages: Sequence[PageState]) -> Changes:
        """Return what has been accepted of each page by then."""
        changes = {}
        for page in self.named(pages):
            accepted = list(dict.fromkeys((*page.accepted, *self.codes)))
            if len(accepted) > len(page.accepted):
                changes[page.id] = {"accepted": accepted}
        return changes
