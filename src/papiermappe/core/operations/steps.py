"""The steps of a routine: operations without their pages, each on a group of the pages that the routine is run on."""

from collections.abc import Mapping, Sequence
from enum import StrEnum
from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field, JsonValue, TypeAdapter, ValidationError, field_validator

from papiermappe.core.operations.aligning import AlignMargins
from papiermappe.core.operations.flattening import Uncurl
from papiermappe.core.operations.found import UseFound
from papiermappe.core.operations.framing import MoveSides, SetPageSize, SetSkew
from papiermappe.core.operations.model import BaseOperation, PageState
from papiermappe.core.operations.rims import CleanBorders
from papiermappe.core.operations.splitting import SetGutter
from papiermappe.core.operations.treating import Adjust, Crop, KeepAs, SetTone, Straighten, Turn
from papiermappe.core.operations.zoning import PutZones, RemoveZones
from papiermappe.core.order.places import Side
from papiermappe.errors import PapiermappeError
from papiermappe.message import Message

MAX_STEPS = 60
MAX_FILE_BYTES = 1_000_000
FILE_VERSION = 1


class RoutineRefused(PapiermappeError):
    """A file that holds no routine that can be used."""


class StepScope(StrEnum):
    """Which of the pages a step is done to."""

    ALL = "all"
    SPREADS = "spreads"
    FRONTS = "fronts"
    BACKS = "backs"
    FIRST = "first"
    OTHERS = "others"
    """All but the first."""
    OTHER_FRONTS = "other_fronts"
    """All fronts but the first, which is the cover."""

    def of(self, pages: Sequence[PageState]) -> list[PageState]:
        """Return those of the pages, which are in reading order."""
        match self:
            case StepScope.ALL:
                return list(pages)
            case StepScope.SPREADS:
                return [page for page in pages if page.gutter is not None]
            case StepScope.FRONTS | StepScope.BACKS:
                side = Side.FRONT if self is StepScope.FRONTS else Side.BACK
                return [page for page in pages if page.side is side]
            case StepScope.FIRST:
                return list(pages[:1])
            case StepScope.OTHERS:
                return list(pages[1:])
            case StepScope.OTHER_FRONTS:
                return StepScope.FRONTS.of(pages)[1:]


class Split(BaseOperation):
    """Split spreads whose gutter is sure, and show the two pages of each one in its place.

    In the journal it is SplitSpreads, which knows the new pages.
    """

    kind: Literal["split"] = "split"
    right_to_left: bool = False


StepOperation = (
    Adjust
    | AlignMargins
    | CleanBorders
    | Crop
    | KeepAs
    | MoveSides
    | PutZones
    | RemoveZones
    | SetGutter
    | SetPageSize
    | SetSkew
    | SetTone
    | Split
    | Straighten
    | Turn
    | Uncurl
    | UseFound
)
"""What a step can do."""

_OPERATION: TypeAdapter[StepOperation] = TypeAdapter(Annotated[StepOperation, Field(discriminator="kind")])
_ANY_PAGE = (1,)


class Step(BaseModel):
    """One step of a routine.

    >>> Step(does={"kind": "turn", "quarter_turns": 2}).operation([4, 5]).pages
    (4, 5)
    """

    model_config = ConfigDict(frozen=True, extra="forbid")

    on: StepScope = StepScope.ALL
    does: Mapping[str, JsonValue]
    """An operation as JSON, without its pages."""

    @field_validator("does")
    @classmethod
    def _is_operation(cls, does: Mapping[str, JsonValue]) -> Mapping[str, JsonValue]:
        if "pages" in does:
            raise ValueError("a step names no pages")
        whole = _OPERATION.validate_python({**does, "pages": _ANY_PAGE})
        return {"kind": whole.kind, **whole.model_dump(mode="json", exclude={"pages"}, exclude_defaults=True)}

    def operation(self, pages: Sequence[int]) -> StepOperation:
        """Return what the step does, to some pages."""
        return _OPERATION.validate_python({**self.does, "pages": tuple(pages)})

    @property
    def message(self) -> Message:
        """What it does, whatever the pages."""
        operation = self.operation(_ANY_PAGE)
        match operation:
            case Straighten() | Crop() | Uncurl():
                return Message(code=f"step_{operation.kind}_{'on' if operation.on else 'off'}")
            case Turn():
                return Message(code="step_turn", params={"degrees": operation.quarter_turns % 4 * 90})
            case SetTone():
                return Message(code="step_set_tone", params={"tone": operation.tone.value})
            case SetSkew():
                return Message(code="step_set_skew", params={"degrees": -operation.skew_deg})
            case SetPageSize():
                size = {"width_mm": operation.width_mm, "height_mm": operation.height_mm}
                return Message(code="step_set_page_size", params=size)
            case PutZones(zones=(drawn,), on_scan=()):
                size = {"width_mm": round(drawn.zone.width_mm, 1), "height_mm": round(drawn.zone.height_mm, 1)}
                kind = "mark" if drawn.does.is_drawn else drawn.does.value
                return Message(code=f"step_put_{kind}", params={} if drawn.does.is_drawn else size)
            case PutZones():
                return Message(code="step_put_zones", params={"zones": len(operation.zones) + len(operation.on_scan)})
            case AlignMargins():
                return Message(code=f"step_align_margins_{operation.across}")
            case UseFound() | KeepAs():
                return Message(code=f"step_{operation.step_code}")
            case _:
                return Message(code=f"step_{operation.kind}")


Steps = Annotated[tuple[Step, ...], Field(min_length=1, max_length=MAX_STEPS)]
RoutineName = Annotated[str, Field(min_length=1, max_length=60)]


class RoutineFile(BaseModel):
    """A routine as a file."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    routine: Literal[1] = 1
    """The version of this form."""
    name: RoutineName
    steps: Steps

    def to_json(self) -> str:
        """Return the file's text."""
        return self.model_dump_json(indent=2) + "\n"


def read_routine(data: bytes) -> RoutineFile:
    """Read a routine from a file.

    Raises:
        RoutineRefused: the file is too large, of a later version, or holds no routine.
    """
    if len(data) > MAX_FILE_BYTES:
        raise RoutineRefused("routine_file_large", limit_kb=MAX_FILE_BYTES // 1000)
    try:
        return RoutineFile.model_validate_json(data)
    except ValidationError as exc:
        first: Any = exc.errors(include_url=False, include_input=True, include_context=False)[0]
        match first["loc"], first["input"]:
            case ("routine",), int(version) if version > FILE_VERSION:
                raise RoutineRefused("routine_file_later", version=version, known=FILE_VERSION) from exc
            case ("steps", int(at), *_), _:
                raise RoutineRefused("routine_file_step", step=at + 1) from exc
            case _:
                raise RoutineRefused("routine_file_broken") from exc
