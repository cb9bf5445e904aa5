"""The recogniser: what it says on drawn pages, and what becomes of it when it is gone, hangs or talks nonsense."""

import subprocess
import sys
from collections.abc import Sequence

import cv2
import numpy as np
import pytest

from papiermappe.recognition.errors import RecogniserAbsent, RecogniserFailed
from papiermappe.recognition.tesseract import Run, Tesseract, installed, run
from papiermappe.standin.paper.drawing import draw_side
from papiermappe.standin.paper.originals import ORIGINALS

DPI = 200
TOLD = "Page number: 0\nOrientation in degrees: {degrees}\nRotate: 0\nOrientation confidence: {ratio}\nScript: Latin\n"


def png(page: np.ndarray) -> bytes:
    """Encode a page."""
    return cv2.imencode(".png", page)[1].tobytes()


def saying(stdout: str, status: int = 0, stderr: str = "") -> Run:
    """Return a stand-in for running programs."""

    def told(command: Sequence[str], given: bytes, time_limit_s: float) -> "subprocess.CompletedProcess[bytes]":
        return subprocess.CompletedProcess(list(command), status, stdout.encode(), stderr.encode())

    return told


@pytest.mark.slow
@pytest.mark.parametrize("turns", range(4))
def test_the_way_up_of_a_letter(turns: int) -> None:
    """Turned clockwise by as many quarters as it then has to be turned counter-clockwise."""
    german = ORIGINALS["german"]
    lying = np.rot90(draw_side(german.paper, german.sheets[0].front).raster(DPI), -turns)
    told = installed().find_upright(png(lying), DPI)
    assert told.quarter_turns == turns
    assert told.confidence >= 0.5


def test_an_empty_page_tells_nothing() -> None:
    assert installed().find_upright(png(np.full((600, 400), 250, np.uint8)), DPI).confidence == 0


@pytest.mark.parametrize(
    ("degrees", "ratio", "turns", "sure"),
    [(0, "8.0", 0, True), (90, "8.0", 1, True), (270, "4.1", 3, True), (180, "0.4", 2, False)],
)
def test_its_answer_is_read(degrees: int, ratio: str, turns: int, sure: bool) -> None:
    told = Tesseract("t", saying(TOLD.format(degrees=degrees, ratio=ratio))).find_upright(b"", DPI)
    assert (told.quarter_turns, told.confidence >= 0.5) == (turns, sure)


@pytest.mark.parametrize("nonsense", ["", "Orientation in degrees: east", "Orientation in degrees: 90"])
def test_nonsense_is_a_failure(nonsense: str) -> None:
    with pytest.raises(RecogniserFailed, match="cannot be read"):
        Tesseract("t", saying(nonsense)).find_upright(b"", DPI)


def test_breaking_off_keeps_status_and_words() -> None:
    with pytest.raises(RecogniserFailed) as failed:
        Tesseract("t", saying("", -11, "out of luck")).find_upright(b"", DPI)
    assert (failed.value.status, failed.value.said) == (-11, "out of luck")


def test_one_that_hangs_is_stopped() -> None:
    def impatient(command: Sequence[str], given: bytes, time_limit_s: float) -> "subprocess.CompletedProcess[bytes]":
        return run([sys.executable, "-c", "import time; time.sleep(60)"], given, 0.2)

    with pytest.raises(RecogniserFailed, match="longer than") as failed:
        Tesseract("t", impatient).find_upright(b"", DPI)
    assert failed.value.status is None


def test_one_that_is_not_there_is_named_with_its_package() -> None:
    with pytest.raises(RecogniserAbsent, match="tesseract-ocr"):
        installed(lambda _: None)
    with pytest.raises(RecogniserAbsent, match="tesseract-ocr-osd"):
        installed(lambda _: "/t", saying("List of available languages (2):\ndeu\neng\n"))
    with pytest.raises(RecogniserAbsent, match="cannot be started"):
        Tesseract("/nowhere/tesseract").find_upright(b"", DPI)
