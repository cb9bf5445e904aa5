"""What is done to the pages of an assembly: as found, and as a routine or the options of the command have it."""

from collections.abc import Callable, Sequence
from dataclasses import replace
from decimal import Decimal
from itertools import count
from pathlib import Path
from typing import NamedTuple

from papiermappe.assembly.kept import KeptPage
from papiermappe.assembly.request import AssemblyRequest, MisfitReport, PlaceInFile, ZoneReport
from papiermappe.assembly.shared import TreatedPage, Wiped, shared_wipes
from papiermappe.assembly.source import SourcePage
from papiermappe.compute import Compute
from papiermappe.core.analysis import Analysis, analyse
from papiermappe.core.clean.upright import TurnEstimate
from papiermappe.core.operations import PageState
from papiermappe.core.operations.replaying import Misfit, replay
from papiermappe.core.operations.rims import NAMED
from papiermappe.core.operations.splitting import half_treatment
from papiermappe.core.operations.steps import MAX_FILE_BYTES, RoutineRefused, Step, read_routine
from papiermappe.core.order.places import Side
from papiermappe.core.photo_sheet import KnownSheet
from papiermappe.core.treatment import Treatment, flat_size_mm

Key = tuple[str, int, str]


class _Page(NamedTuple):
    """A page that steps are done to."""

    kept: KeptPage
    state: PageState


class Treatments:
    """What is done to each page of an assembly.

    Args:
        request: to carry out.
        analyses: what was found, by page; the pages of spreads are added as they are split.
        compute: runs what takes long.

    Raises:
        RoutineRefused: the file of the routine cannot be used.
    """

    def __init__(self, request: AssemblyRequest, analyses: dict[Key, Analysis], compute: Compute) -> None:
        self._request = request
        self._routine = _steps_in(request.routine) if request.routine else ()
        self._analyses = analyses
        self._compute = compute
        self._treatments: dict[Key, Treatment] = {}
        self._wiped: dict[Key, Wiped] = {}
        self._gutters: dict[Key, Analysis] = {}
        self._numbers = count(1)
        self.misfits: list[MisfitReport] = []
        """Where steps of the routine could not be done."""

    @property
    def are_of_all_pages(self) -> bool:
        """Whether what is done to a page depends on the others, or makes other pages of it."""
        return bool(self._steps_before or self._steps_after or self._request.wipe_shared)

    def of(self, page: SourcePage) -> Treatment:
        """Return what is done to a page that has been analysed."""
        return self._treatments.get(page.key) or self._plain(self._analyses[page.key].treatment)

    def zones_of(self, page: SourcePage) -> tuple[ZoneReport, ...]:
        """Return what is wiped on a page because most pages show it, or because it is a dark rim."""
        rims = (zone for zone in self.of(page).zones if zone.name.startswith(NAMED))
        shared = self._wiped[page.key].reports if page.key in self._wiped else ()
        return (
            *shared,
            *(ZoneReport(name=rim.name, kind="dark_rim", confidence=1.0, corners=rim.corners) for rim in rims),
        )

    def spread_of(self, page: SourcePage) -> Analysis | None:
        """Return what was found on the spread that a page is of; None where it is of none."""
        return self._gutters.get(page.key)

    def all_of(self, kept: Sequence[KeptPage], is_back: Callable[[SourcePage], bool]) -> list[KeptPage]:
        """Do all steps to all pages.

        Args:
            kept: all pages, in their order; each has been analysed.
            is_back: whether one is the back of a sheet.

        Returns:
            The pages in their order, with those of spreads in place of these.
        """
        pages = [self._page(one, Side.BACK if is_back(one.page) else Side.FRONT, at) for at, one in enumerate(kept, 1)]
        if self._steps_before:
            pages = self._done(pages, self._steps_before)
        if self._request.wipe_shared:
            pages = self._without_shared(pages)
        if self._steps_after:
            pages = self._done(pages, self._steps_after)
        self._treatments = {page.kept.page.key: page.state.treatment for page in pages}
        return [page.kept for page in pages]

    @property
    def _steps_before(self) -> tuple[Step, ...]:
        """Before it is looked for what all pages share."""
        split = (Step(does={"kind": "split"}),) if self._request.split_spreads else ()
        return (*self._routine, *split)

    @property
    def _steps_after(self) -> tuple[Step, ...]:
        across = "inner" if self._gutters else "left"
        cleaned = (Step(does={"kind": "clean_borders"}),) if self._request.clean_borders else ()
        aligned = (Step(does={"kind": "align_margins", "across": across}),) if self._request.align_margins else ()
        return (*cleaned, *aligned)

    def _plain(self, found: Treatment) -> Treatment:
        steps: dict[str, object] = {}
        if not self._request.straighten and found.straighten is not None:
            steps["straighten"] = found.straighten.model_copy(update={"on": False})
        if not self._request.crop and found.crop is not None:
            steps["crop"] = found.crop.model_copy(update={"on": False})
        return found.model_copy(update=steps)

    def _page(self, kept: KeptPage, side: Side, rank: int) -> _Page:
        analysis = self._analyses[kept.page.key]
        treatment = self._plain(analysis.treatment)
        number = next(self._numbers)
        size = TreatedPage(kept, treatment).capture_size
        state = PageState(
            number,
            1,
            Decimal(rank),
            side,
            False,
            treatment,
            number,
            scan_mm=flat_size_mm(*size, treatment),
            capture_size=size,
            printed_area=analysis.printed_area,
            dark_rims=analysis.dark_rims,
            found_gutter=analysis.spread.gutter if analysis.spread else None,
            gutter_confidence=analysis.spread.confidence if analysis.spread else 0.0,
            stored_found=analysis.treatment.model_dump(mode="json"),
        )
        return _Page(kept, state)

    def _done(self, pages: Sequence[_Page], steps: Sequence[Step]) -> list[_Page]:
        """Do steps to all pages; return what lies there then, in its order."""
        by_number = {page.state.id: page for page in pages}

        def half(spread: PageState, right: bool) -> PageState:
            made = self._half(by_number[spread.id]._replace(state=spread), right=right)
            by_number[made.state.id] = made
            return made.state

        replayed = replay(steps, [page.state for page in pages], list(by_number), half)
        self.misfits += [self._report(misfit, steps, by_number) for misfit in replayed.misfits]
        lying = [page for page in replayed.states.values() if page.mappe_id is not None]
        lying.sort(key=lambda page: (page.rank, page.side is Side.BACK))
        return [by_number[state.id]._replace(state=state) for state in lying]

    def _half(self, spread: _Page, *, right: bool) -> _Page:
        kept, state = spread
        treatment = half_treatment(state, right=right)
        upright = TurnEstimate(treatment.quarter_turns, 1.0)
        known = KnownSheet(treatment.corners, by_hand=False) if treatment.corners else None
        found = self._compute(analyse, kept.whole().capture, upright, None, treatment.part, known)
        page = kept.page._replace(half="right" if right else "left")
        self._gutters[page.key] = self._analyses[kept.page.key]
        self._analyses[page.key] = found
        framed = self._plain(found.treatment)
        names = ("corners", "curl", "straighten", "crop")
        own = treatment.model_copy(update={name: getattr(framed, name) for name in names})
        made = self._page(kept._replace(page=page), Side.FRONT, 0)
        return made._replace(state=replace(made.state, mappe_id=None, stored_treatment=own))

    def _without_shared(self, pages: Sequence[_Page]) -> list[_Page]:
        """Wipe what most pages of a side show."""
        for side in Side:
            of_side = [TreatedPage(page.kept, page.state.treatment) for page in pages if page.state.side is side]
            if of_side:
                self._wiped |= shared_wipes(of_side, self._compute)
        wiped = []
        for page in pages:
            zones = self._wiped[page.kept.page.key].zones if page.kept.page.key in self._wiped else ()
            fields = {"zones": [zone.model_dump(mode="json") for zone in (*page.state.treatment.zones, *zones)]}
            wiped.append(page._replace(state=page.state.with_fields(fields)))
        return wiped

    def _report(self, misfit: Misfit, steps: Sequence[Step], pages: dict[int, _Page]) -> MisfitReport:
        where = [pages[number].kept.page for number in misfit.pages]
        return MisfitReport(
            step=steps[misfit.step - 1].message,
            pages=[PlaceInFile(file=str(page.file), page=page.number) for page in where],
            reason=misfit.reason,
        )


def _steps_in(file: Path) -> tuple[Step, ...]:
    """Return the steps of a routine. Raises RoutineRefused."""
    try:
        with file.open("rb") as opened:
            return read_routine(opened.read(MAX_FILE_BYTES + 1)).steps
    except OSError as exc:
        raise RoutineRefused("routine_file_unreadable", file=str(file), reason=exc.strerror) from exc
