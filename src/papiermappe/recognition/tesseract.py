"""Tesseract, run as a separate program, so that a hang or crash of it harms nothing else."""

import shutil
import subprocess
import threading
from collections.abc import Callable, Sequence
from typing import NamedTuple, Protocol

import numpy as np
import structlog

from papiermappe.core.clean.upright import FEWEST_LETTERS, TurnEstimate
from papiermappe.core.encode.plain import Readable
from papiermappe.core.reading.doubtful import doubtful_parts
from papiermappe.core.reading.guesses import left_unread, without_guesses
from papiermappe.core.reading.middle_dots import with_middle_dots
from papiermappe.core.reading.page_text import PageText, RecognitionMode
from papiermappe.core.reading.second_look import with_second_look
from papiermappe.core.reading.solids import without_solids
from papiermappe.core.reading.stacks import stacks
from papiermappe.priority import give_way
from papiermappe.recognition.errors import (
    LanguageAbsent,
    ReadingCancelled,
    RecogniserAbsent,
    RecogniserError,
    RecogniserFailed,
)
from papiermappe.recognition.tsv import page_text

log = structlog.get_logger()

ORIENTATION = "osd"  # name of the data for detecting orientation
TIME_LIMIT_S = 20.0
READING_LIMIT_S = 120.0
LOOK_EVERY_S = 0.2
NOTHING_READ = 1  # exit status if there are too few letters to tell
SURE_RATIO = 2.0  # its confidence, the logarithm of a ratio, where the answer is sure enough
OPTIONS: dict[RecognitionMode, list[str]] = {
    RecognitionMode.FAST: [
        "-c",
        "tessedit_do_invert=0",
    ],  # do not retry poorly read text as light on dark
    RecognitionMode.ACCURATE: [],
}
ANY_LAYOUT, ONE_BLOCK, RAW_LINE = "3", "6", "13"
LESS_URGENT = 10  # than what people wait for: the way up comes for many pages at once
LEAST_URGENT = 19
ENVIRONMENT = {"OMP_THREAD_LIMIT": "1", "LC_ALL": "C.UTF-8"}  # with its own threads, two processes are slower than one


class Ended(NamedTuple):
    """Result of a program."""

    status: int
    out: bytes
    said: bytes
    """What it wrote to its standard error."""


class Run(Protocol):
    """Runs a program to its end."""

    def __call__(
        self,
        command: Sequence[str],
        given: bytes,
        time_limit_s: float,
        cancelled: threading.Event | None = None,
        niceness: int = 0,
    ) -> Ended:
        """Run the program, which gives way to others where its niceness is not 0, and return its result.

        Raises:
            TimeoutError: it took too long and was stopped.
            ReadingCancelled: `cancelled` was set, and it was stopped.
            OSError: it cannot be started.
        """
        ...


def run(
    command: Sequence[str],
    given: bytes,
    time_limit_s: float,
    cancelled: threading.Event | None = None,
    niceness: int = 0,
) -> Ended:
    """Run a program with `given` as its input, as `Run` says."""
    pipe = subprocess.PIPE
    with subprocess.Popen(  # noqa: S603 (no shell; all arguments are ours)
        command, stdin=pipe, stdout=pipe, stderr=pipe, env=ENVIRONMENT, start_new_session=niceness > 0
    ) as program:
        if niceness:
            give_way(program.pid, niceness)
        if cancelled is not None:
            threading.Thread(target=_kill_when, args=(program, cancelled), daemon=True).start()
        try:
            out, said = program.communicate(given, timeout=time_limit_s)
        except subprocess.TimeoutExpired as exc:
            program.kill()
            raise TimeoutError from exc
    if cancelled is not None and cancelled.is_set():
        raise ReadingCancelled("stopped")
    return Ended(program.returncode, out, said)


def _kill_when(program: "subprocess.Popen[bytes]", cancelled: threading.Event) -> None:
    while program.poll() is None:
        if cancelled.wait(LOOK_EVERY_S):
            program.kill()
            return


class Tesseract:
    """The recogniser.

    Args:
        program: its path.
        run: how programs are run.
        niceness: with which all is run, from 1 to 19; 0 where that depends on what is asked.
    """

    def __init__(self, program: str, run: Run = run, niceness: int = 0) -> None:
        self._program = program
        self._run = run
        self._niceness = niceness
        self._known: frozenset[str] = frozenset()

    def in_background(self) -> "Tesseract":
        """Return a recogniser that runs at low priority."""
        return Tesseract(self._program, self._run, LEAST_URGENT)

    def languages(self) -> frozenset[str]:
        """Return the codes of the languages that are installed. Raises RecogniserAbsent and RecogniserFailed."""
        return self.data() - {ORIENTATION}

    def data(self) -> frozenset[str]:
        """Return the names of all its data that is installed. Raises RecogniserAbsent and RecogniserFailed."""
        _, *names = self._asked(["--list-langs"], b"").out.decode().split("\n")
        return frozenset(name.strip() for name in names if name.strip())

    def find_upright(self, picture: bytes, dpi: float) -> TurnEstimate:
        """Find which way up a page is.

        Args:
            picture: JPEG or PNG, straightened.
            dpi: its resolution.

        Returns:
            The turn and how sure it is; confidence 0 where there are too few letters.

        Raises:
            RecogniserAbsent: it is no longer installed.
            RecogniserFailed: it crashed or took too long.
        """
        options = ["--psm", "0", "-l", ORIENTATION, "-c", f"min_characters_to_try={FEWEST_LETTERS}"]
        ended = self._asked(
            ["stdin", "stdout", "--dpi", str(round(dpi)), *options], picture, NOTHING_READ, niceness=LESS_URGENT
        )
        if ended.status == NOTHING_READ:
            return TurnEstimate(0, 0.0)
        told = dict(line.split(": ", 1) for line in ended.out.decode().splitlines() if ": " in line)
        try:
            turns = int(told["Orientation in degrees"]) // 90 % 4
            ratio = float(told["Orientation confidence"])
        except (KeyError, ValueError) as exc:
            raise RecogniserFailed("recogniser_unreadable", ended.status, repr(told)) from exc
        return TurnEstimate(turns, float(np.clip(ratio / (2 * SURE_RATIO), 0.0, 1.0)))

    def read(
        self, page: Readable, languages: Sequence[str], mode: RecognitionMode, cancelled: threading.Event | None = None
    ) -> PageText:
        """Recognise the text of a page; what was guessed rather than read is left out.

        Args:
            page: straight and upright.
            languages: ISO 639-2 codes, the main one first.
            mode: fast or accurate.
            cancelled: set to stop.

        Raises:
            LanguageAbsent: the data of a language is not installed.
            RecogniserAbsent: it is no longer installed.
            RecogniserFailed: it crashed or took too long.
            ReadingCancelled: `cancelled` was set.
        """
        self._check(languages)
        first = self._read(page, ANY_LAYOUT, languages, mode, cancelled)
        pixels = page.pixels()
        first = without_solids(first, pixels, page.dpi)
        text = without_guesses(first)
        for stack in stacks(doubtful_parts(text, pixels, page.dpi), pixels, page.dpi):
            layout = RAW_LINE if stack.parts[0].is_broken else ONE_BLOCK
            try:
                seen = self._read(stack.picture, layout, languages, mode, cancelled)
            except RecogniserFailed as exc:  # what was read at first is there all the same
                log.warning("parts of a page are not read again", action="page.read_again", cause=repr(exc))
                continue
            text = with_second_look(text, stack, seen)
        text = without_guesses(with_middle_dots(without_solids(text, pixels, page.dpi), pixels, page.dpi))
        return text.model_copy(update={"guesses": left_unread(first, text)})

    def _read(
        self,
        page: Readable,
        layout: str,
        languages: Sequence[str],
        mode: RecognitionMode,
        cancelled: threading.Event | None,
    ) -> PageText:
        options = ["--psm", layout, "-l", "+".join(languages), "--dpi", str(round(page.dpi)), *OPTIONS[mode], "tsv"]
        ended = self._asked(["stdin", "stdout", *options], page.picture, limit_s=READING_LIMIT_S, cancelled=cancelled)
        try:
            return page_text(ended.out.decode(), page.dpi, tuple(languages))
        except ValueError as exc:
            raise RecogniserFailed("recogniser_unreadable", ended.status, repr(exc)) from exc

    def _check(self, languages: Sequence[str]) -> None:
        """Check that languages are installed; the answer is remembered. Raises LanguageAbsent."""
        if not self._known.issuperset(languages):
            self._known = self.languages()
        for language in languages:
            if language not in self._known:
                raise LanguageAbsent(language)

    def _asked(
        self,
        options: Sequence[str],
        given: bytes,
        *also_fine: int,
        limit_s: float = TIME_LIMIT_S,
        cancelled: threading.Event | None = None,
        niceness: int = 0,
    ) -> Ended:
        try:
            ended = self._run([self._program, *options], given, limit_s, cancelled, self._niceness or niceness)
        except TimeoutError as exc:
            raise RecogniserFailed("recogniser_too_slow", None, "", limit_s=round(limit_s)) from exc
        except OSError as exc:
            raise RecogniserAbsent("recogniser_not_started") from exc
        if ended.status not in {0, *also_fine}:
            said = ended.said.decode(errors="replace")
            raise RecogniserFailed("recogniser_failed", ended.status, said)
        return ended


def installed(find: Callable[[str], str | None] = shutil.which, run: Run = run) -> Tesseract:
    """Return the recogniser of this machine.

    Raises:
        RecogniserAbsent: it, or its data for detecting orientation, is not installed.
        RecogniserFailed: it does not run.
    """
    program = find("tesseract")
    if program is None:
        raise RecogniserAbsent("recogniser_absent")
    recogniser = Tesseract(program, run)
    if ORIENTATION not in recogniser.data():
        raise RecogniserAbsent("orientation_absent")
    return recogniser


def readable_languages() -> list[str]:
    """Return the codes of the languages that can be read on this machine; empty if no recogniser is installed."""
    try:
        return sorted(installed().languages())
    except RecogniserError as exc:
        log.warning("pages cannot be read", action="recogniser.find", cause=str(exc))
        return []
