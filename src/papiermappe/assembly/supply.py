"""What an assembly knows of its pages: where they come from, what is found on them, what they say."""

from collections.abc import Callable, Iterator, Sequence
from pathlib import Path

from papiermappe.assembly.request import (
    DEFAULT_LANGUAGES,
    AssemblyRequest,
    Colours,
)
from papiermappe.assembly.source import SourcePage
from papiermappe.assembly.treating import Treatments
from papiermappe.compute import Compute
from papiermappe.core.analysis import Analysis, analyse
from papiermappe.core.clean.colour import ColourKind
from papiermappe.core.clean.upright import TurnEstimate
from papiermappe.core.encode.plain import Readable
from papiermappe.core.pages import PageSource, readable_page, readable_rims
from papiermappe.core.picture import CapturedPicture
from papiermappe.core.reading.page_text import PageText, RecognitionMode
from papiermappe.core.reading.printed import Printed, printed_on, printed_on_rims
from papiermappe.core.text_layer import text_on_page
from papiermappe.core.treatment import SURE, Tone
from papiermappe.devices.errors import FileRefused
from papiermappe.devices.file_reader import FileReader
from papiermappe.devices.files import HowToRead
from papiermappe.errors import PictureRefused
from papiermappe.message import Message
from papiermappe.recognition.errors import RecogniserError
from papiermappe.recognition.model import Recogniser

PDF_DPI = 300.0


class Supply:
    """Where the pages of an assembly come from, and who reads them (a `PageSupply`).

    Args:
        request: to carry out.
        compute: runs what takes long.
        recogniser: None if none is installed.
        step: called when a page has been examined.

    Raises:
        RoutineRefused: the file of the routine cannot be used.
    """

    def __init__(
        self,
        request: AssemblyRequest,
        compute: Compute,
        recogniser: Recogniser | None,
        step: Callable[[], None],
    ) -> None:
        self._request = request
        self._compute = compute
        self._recogniser = recogniser
        self._step = step
        self._analyses: dict[tuple[str, int, str], Analysis] = {}
        self._read: dict[tuple[str, int, str], PageText] = {}
        self.treatments = Treatments(request, self._analyses, compute)
        self.left_out: list[Message] = []
        """Why files and pages are not in it."""

    def pages_of(self, files: Sequence[Path]) -> Iterator[SourcePage]:
        """Yield the pages of files. Raises FileRefused: one cannot be read, and the request says to stop then."""
        how = HowToRead(self._request.dpi or PDF_DPI, as_photos=self._request.photos)
        with FileReader() as reader:
            for file in files:
                try:
                    for number, capture in enumerate(reader.pages(file, how), 1):
                        yield SourcePage(file, number, capture)
                except FileRefused as exc:
                    self._leave_out(exc)

    def source(self, item: SourcePage) -> PageSource | None:
        """Analyse a page and return what it is made from; None where it cannot be decoded, which is noted."""
        analysis = self.found_on(item)
        if analysis is None:
            return None
        wanted = self._request.colours
        colour = analysis.colour if wanted is Colours.AUTO else ColourKind(wanted.value)
        return PageSource(item.capture, self.treatments.of(item), colour)

    def known_text(self, item: SourcePage) -> PageText | None:
        """Return what its file says of a page; None where it says nothing."""
        if item.capture.text is None:
            return self._read.get(item.key)
        treatment = self.treatments.of(item)
        text = text_on_page(item.capture.text, treatment)
        return text.model_copy(update={"languages": tuple(self._request.languages)}) if text else None

    def read(self, item: SourcePage, page: Readable) -> PageText | Message:
        """Read a page, or return why that is not possible."""
        if self._recogniser is None:
            return Message(code="recogniser_absent")
        try:
            read = self._recogniser.read(page, self._request.languages, self._request.mode)
        except RecogniserError as exc:
            return exc.message
        if self._request.options.limit_bytes:  # pages may be made more than once
            self._read[item.key] = read
        return read

    def found_on(self, item: SourcePage) -> Analysis | None:
        """Analyse a page, once; None where it cannot be decoded, which is noted."""
        known = self._analyses.get(item.key)
        if known is not None:
            return known
        try:
            analysis = self._analysis(item.capture)
        except PictureRefused as exc:
            cause = exc.message.model_dump(mode="json")
            self._leave_out(FileRefused(item.file, "file_page_refused", page=item.number, cause=cause))
            return None
        self._analyses[item.key] = analysis
        self._step()
        return analysis

    def analysis_of(self, item: SourcePage) -> Analysis:
        """Return what was found on a page that has been examined."""
        return self._analyses[item.key]

    def forget(self, item: SourcePage) -> None:
        """Forget what was found on a page: it is made and told of."""
        del self._analyses[item.key]

    def printed(self, page: SourcePage, analysis: Analysis) -> Printed | None:
        """Return what stands on a page, from its file, or else what is read of its head and foot."""
        known = self.known_text(page)
        if known is not None:
            return printed_on(known)
        if self._recogniser is None or analysis.is_blank:
            return None
        rims = self._compute(readable_rims, page.capture, analysis.treatment, RecognitionMode.FAST)
        languages = self._request.languages or DEFAULT_LANGUAGES
        try:
            return printed_on_rims(self._recogniser.read(rims, languages, RecognitionMode.FAST))
        except RecogniserError:
            return None

    def _analysis(self, capture: CapturedPicture) -> Analysis:
        """Analyse a page; ask the recogniser if its orientation is unclear."""
        analysis = self._compute(analyse, capture)
        if not analysis.way_up_open or self._recogniser is None:
            return analysis
        in_grey = analysis.treatment.model_copy(update={"tone": Tone.GREY})
        page = self._compute(readable_page, capture, in_grey, RecognitionMode.ACCURATE)
        upright = self._upright(page)
        return self._compute(analyse, capture, upright) if upright else analysis

    def _upright(self, page: Readable) -> TurnEstimate | None:
        try:
            turn = self._recogniser.find_upright(page.picture, page.dpi) if self._recogniser else None
        except RecogniserError:
            return None
        return turn if turn is not None and turn.confidence >= SURE else None

    def _leave_out(self, exc: FileRefused) -> None:
        if self._request.refuses_broken:
            raise exc
        self.left_out.append(exc.message)
