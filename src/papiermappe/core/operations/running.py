"""What the journal says of a routine that was run."""

from collections.abc import Sequence
from typing import Annotated, Literal

from pydantic import Field

from papiermappe.core.operations.model import BaseOperation
from papiermappe.core.operations.splitting import SplitSpreads
from papiermappe.core.operations.steps import RoutineName, Steps
from papiermappe.message import Message


class RunRoutine(BaseOperation):
    """Run a routine. Windows cannot send it: a job works out what it changes, which takes long where spreads are split.

    `apply` is not for it: `replay` is, with the steps.
    """

    kind: Literal["run_routine"] = "run_routine"
    name: RoutineName
    steps: Steps
    misfits: Annotated[int, Field(ge=0)] = 0
    """How many steps did not fit everywhere."""
    run: int | None = None
    """The run whose ticket asked for it; None: a person did."""
    split: SplitSpreads | None = None
    """How spreads were split by it."""

    @property
    def new_pages(self) -> Sequence[int]:
        """The pages of spreads."""
        return self.split.new_pages if self.split else ()

    def message(self, count: int) -> Message:
        """Return a message with the routine's name."""
        del count
        code = "run_routine_with_misfits" if self.misfits else "run_routine"
        return Message(code=code, params={"name": self.name, "count": len(self.pages), "misfits": self.misfits})
