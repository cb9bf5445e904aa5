"""What may be proposed for a document, as values. They import nothing that computes: also what only asks has them."""

from pydantic import BaseModel, ConfigDict, Field

SURE = 0.5


class Proposal(BaseModel):
    """A value, and where it comes from."""

    model_config = ConfigDict(frozen=True, extra="forbid", populate_by_name=True, serialize_by_alias=True)

    value: str
    """Of a day, as ISO 8601; of a kind, its code."""
    confidence: float = Field(ge=0, le=1)
    """From 0.5 it is sure."""
    told_by: str = Field(alias="from")
    """The words that told it, as they stand on the page."""

    @property
    def is_sure(self) -> bool:
        """Whether it can be taken without a look."""
        return self.confidence >= SURE


class Proposals(BaseModel):
    """What is proposed for a document; None where nothing on its page tells."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    date: Proposal | None = None
    sender: Proposal | None = None
    subject: Proposal | None = None
    number: Proposal | None = None
    kind: Proposal | None = None
