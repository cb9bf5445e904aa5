"""Tesseract, a free recogniser of text, as a program of its own: a hang or a crash of it harms nothing else."""

import shutil
import subprocess
from collections.abc import Callable, Sequence
from typing import Protocol

import numpy as np

from papiermappe.core.clean.upright import TurnEstimate
from papiermappe.recognition.errors import RecogniserAbsent, RecogniserFailed

ORIENTATION = "osd"  # the name of the data by which it tells the way up
TIME_LIMIT_S = 20.0
NOTHING_READ = 1  # its exit status where there are too few letters to tell
FEWEST_LETTERS = 12
SURE_RATIO = 2.0  # its confidence, the logarithm of a ratio, where the answer is sure enough
ENVIRONMENT = {"OMP_THREAD_LIMIT": "1", "LC_ALL": "C.UTF-8"}  # threads of its own make two of them slower than one


class Run(Protocol):
    """Runs a program to its end."""

    def __call__(
        self, command: Sequence[str], given: bytes, time_limit_s: float
    ) -> "subprocess.CompletedProcess[bytes]":
        """Return how it ended. Raises subprocess.TimeoutExpired and OSError."""
        ...


def run(command: Sequence[str], given: bytes, time_limit_s: float) -> "subprocess.CompletedProcess[bytes]":
    """Run a program with `given` as its input; it is killed after `time_limit_s`."""
    return subprocess.run(  # noqa: S603 (no shell; all arguments are ours)
        command, input=given, capture_output=True, timeout=time_limit_s, env=ENVIRONMENT, check=False
    )


class Tesseract:
    """The recogniser.

    Args:
        program: its path.
        run: how programs are run.
    """

    def __init__(self, program: str, run: Run = run) -> None:
        self._program = program
        self._run = run

    def languages(self) -> frozenset[str]:
        """Return the names of the data that are installed. Raises RecogniserAbsent and RecogniserFailed."""
        _, *names = self._asked(["--list-langs"], b"").stdout.decode().split("\n")
        return frozenset(name.strip() for name in names if name.strip())

    def find_upright(self, picture: bytes, dpi: float) -> TurnEstimate:
        """Find which way up the print on a page stands.

        Args:
            picture: JPEG or PNG, straightened.
            dpi: its resolution.

        Returns:
            The turn and how sure it is; confidence 0 where there are too few letters.

        Raises:
            RecogniserAbsent: it is not installed any more.
            RecogniserFailed: it broke off or took too long.
        """
        options = ["--psm", "0", "-l", ORIENTATION, "-c", f"min_characters_to_try={FEWEST_LETTERS}"]
        ended = self._asked(["stdin", "stdout", "--dpi", str(round(dpi)), *options], picture, NOTHING_READ)
        if ended.returncode == NOTHING_READ:
            return TurnEstimate(0, 0.0)
        told = dict(line.split(": ", 1) for line in ended.stdout.decode().splitlines() if ": " in line)
        try:
            turns = int(told["Orientation in degrees"]) // 90 % 4
            ratio = float(told["Orientation confidence"])
        except (KeyError, ValueError) as exc:
            raise RecogniserFailed("The recogniser's answer cannot be read.", ended.returncode, repr(told)) from exc
        return TurnEstimate(turns, float(np.clip(ratio / (2 * SURE_RATIO), 0.0, 1.0)))

    def _asked(self, options: Sequence[str], given: bytes, *also_fine: int) -> "subprocess.CompletedProcess[bytes]":
        try:
            ended = self._run([self._program, *options], given, TIME_LIMIT_S)
        except subprocess.TimeoutExpired as exc:
            said = (exc.stderr or b"").decode(errors="replace")
            raise RecogniserFailed(f"The recogniser took longer than {TIME_LIMIT_S:.0f} s.", None, said) from exc
        except OSError as exc:
            raise RecogniserAbsent("The recogniser cannot be started.") from exc
        if ended.returncode not in {0, *also_fine}:
            said = ended.stderr.decode(errors="replace")
            raise RecogniserFailed("The recogniser broke off.", ended.returncode, said)
        return ended


def installed(find: Callable[[str], str | None] = shutil.which, run: Run = run) -> Tesseract:
    """Return the recogniser of this machine.

    Raises:
        RecogniserAbsent: it, or its data for the way up, is not installed.
        RecogniserFailed: it does not run.
    """
    program = find("tesseract")
    if program is None:
        raise RecogniserAbsent("No recogniser of text is installed. On Debian: tesseract-ocr.")
    recogniser = Tesseract(program, run)
    if ORIENTATION not in recogniser.languages():
        raise RecogniserAbsent("The recogniser cannot tell the way up. On Debian: tesseract-ocr-osd.")
    return recogniser
