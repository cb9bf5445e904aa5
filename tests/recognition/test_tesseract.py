"""The recogniser: what it says on drawn pages, and what becomes of it when it is gone, hangs or talks nonsense."""

import sys
import threading
import time
from collections.abc import Sequence

import cv2
import numpy as np
import pytest

from papiermappe.core.encode.plain import Readable, readable
from papiermappe.core.reading.page_text import RecognitionMode
from papiermappe.recognition.errors import LanguageAbsent, ReadingCancelled, RecogniserAbsent, RecogniserFailed
from papiermappe.recognition.tesseract import Ended, Run, Tesseract, installed, run
from papiermappe.recognition.tsv import page_text
from papiermappe.standin.paper.drawing import draw_side
from papiermappe.standin.paper.originals import ORIGINALS

DPI = 200
NOTHING = Readable(b"", DPI)
GIVING_WAY = """
import os, time
until = time.monotonic() + 30
while os.getpriority(os.PRIO_PROCESS, 0) < 19 and time.monotonic() < until:
    time.sleep(0.02)
print(os.getpriority(os.PRIO_PROCESS, 0), os.getsid(0) == os.getpid())
"""
SLEEPING = [sys.executable, "-c", "import time; time.sleep(60)"]
HEAD = "level\tpage_num\tblock_num\tpar_num\tline_num\tword_num\tleft\ttop\twidth\theight\tconf\ttext\n"
TABLE = (
    "1\t1\t0\t0\t0\t0\t0\t0\t1654\t2339\t-1\t\n"
    "4\t1\t1\t1\t1\t0\t200\t100\t400\t50\t-1\t\n"
    "5\t1\t1\t1\t1\t1\t200\t110\t100\t40\t96.5\tPears\n"
    "5\t1\t1\t1\t1\t2\t320\t100\t280\t50\t80\tand\tquote\n"
    '5\t1\t1\t1\t1\t3\t320\t100\t280\t50\t80\t"plums"\n'
    "4\t1\t2\t1\t1\t0\t200\t300\t400\t50\t-1\t\n"
    "5\t1\t2\t1\t1\t1\t200\t300\t100\t40\t-1\t \n"
    "4\t1\t3\t1\t1\t0\t200\t500\t400\t50\t-1\t\n"
    "5\t1\t3\t1\t1\t1\t200\t500\t100\t40\t12\tcider\n"
)
TOLD = "Page number: 0\nOrientation in degrees: {degrees}\nRotate: 0\nOrientation confidence: {ratio}\nScript: Latin\n"


def png(page: np.ndarray) -> bytes:
    """Encode a page."""
    return cv2.imencode(".png", page)[1].tobytes()


def saying(stdout: str, status: int = 0, stderr: str = "") -> Run:
    """Return a stand-in for running programs."""

    def told(
        command: Sequence[str], given: bytes, time_limit_s: float, cancelled: object = None, niceness: int = 0
    ) -> Ended:
        return Ended(status, stdout.encode(), stderr.encode())

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
    with pytest.raises(RecogniserFailed, match="recogniser_unreadable"):
        Tesseract("t", saying(nonsense)).find_upright(b"", DPI)


def test_breaking_off_keeps_status_and_words() -> None:
    with pytest.raises(RecogniserFailed) as failed:
        Tesseract("t", saying("", -11, "out of luck")).find_upright(b"", DPI)
    assert (failed.value.status, failed.value.said) == (-11, "out of luck")


def test_one_that_hangs_is_stopped() -> None:
    def impatient(
        command: Sequence[str], given: bytes, time_limit_s: float, cancelled: object = None, niceness: int = 0
    ) -> Ended:
        return run(SLEEPING, given, 0.2)

    with pytest.raises(RecogniserFailed, match="recogniser_too_slow") as failed:
        Tesseract("t", impatient).find_upright(b"", DPI)
    assert failed.value.status is None


def test_one_that_is_not_there_is_named_with_its_package() -> None:
    with pytest.raises(RecogniserAbsent, match="recogniser_absent"):
        installed(lambda _: None)
    with pytest.raises(RecogniserAbsent, match="orientation_absent"):
        installed(lambda _: "/t", saying("List of available languages (2):\ndeu\neng\n"))
    with pytest.raises(RecogniserAbsent, match="recogniser_not_started"):
        Tesseract("/nowhere/tesseract").find_upright(b"", DPI)


def test_a_letter_is_read_with_its_places() -> None:
    """Every word that was drawn, in the order of reading, where it was drawn."""
    german = ORIGINALS["german"]
    side = draw_side(german.paper, german.sheets[0].front)
    read = installed().read(
        readable(side.raster(300), 300, RecognitionMode.ACCURATE), ["deu"], RecognitionMode.ACCURATE
    )
    assert (read.width_mm, read.height_mm) == pytest.approx((210, 297), abs=0.2)
    words = {word.text: word for line in read.lines() for word in line.words}
    drawn = {text: (left, line.y_mm) for line in side.lines for text, left, _ in line.words() if len(text) > 6}
    assert len(drawn) > 10
    for text, (left_mm, baseline_mm) in drawn.items():
        assert words[text].box.left == pytest.approx(left_mm, abs=1), text
        assert words[text].box.top < baseline_mm < words[text].box.bottom + 1, text


@pytest.mark.parametrize(("side", "number"), [("front", "1"), ("back", "2")])
def test_a_number_alone_at_the_foot_is_read(side: str, number: str) -> None:
    """Such small blocks it leaves out when it looks at the whole page."""
    lease = ORIGINALS["lease"]
    page = draw_side(lease.paper, getattr(lease.sheets[0], side)).raster(300)
    read = installed().read(readable(page, 300, RecognitionMode.ACCURATE), ["eng"], RecognitionMode.ACCURATE)
    *_, last = read.lines()
    assert last.text == number
    assert last.box.top > 280


def test_its_table_is_read() -> None:
    """At 254 dpi ten pixels are a millimetre. Rows that are cut up, and words of nothing, are left out."""
    read = page_text(HEAD + TABLE, 254, ("eng",))
    assert [line.text for line in read.lines()] == ['Pears "plums"', "cider"]
    first = next(read.lines())
    assert (first.box.left, first.box.top, first.box.right, first.box.bottom) == (20, 10, 60, 15)
    assert (first.words[0].box.bottom, first.words[0].confidence) == (15, 0.965)
    assert read.text == 'Pears "plums"\n\ncider'


def test_a_table_without_a_page_is_a_failure() -> None:
    with pytest.raises(RecogniserFailed, match="recogniser_unreadable"):
        Tesseract("t", saying("List (1):\neng\n")).read(NOTHING, ["eng"], RecognitionMode.ACCURATE)


def test_a_language_that_is_not_there_is_named_with_its_package() -> None:
    with pytest.raises(LanguageAbsent, match="tesseract-ocr-chi-sim"):
        Tesseract("t", saying("List (1):\neng\n")).read(NOTHING, ["eng", "chi_sim"], RecognitionMode.ACCURATE)


def test_one_that_is_not_wanted_any_more_is_stopped() -> None:
    cancelled = threading.Event()
    threading.Timer(0.3, cancelled.set).start()
    start_s = time.monotonic()
    with pytest.raises(ReadingCancelled):
        run(SLEEPING, b"", 60, cancelled)
    assert time.monotonic() - start_s < 30


def test_one_that_nobody_waits_for_gives_way_beyond_its_session() -> None:
    ended = run([sys.executable, "-c", GIVING_WAY], b"", 60, niceness=19)
    assert ended.out.split() == [b"19", b"True"]


def test_what_was_read_stays_where_a_second_look_fails() -> None:
    """The first page of the table has a doubtful word; when its part is read once more, the program crashes."""
    doubtful = TABLE.replace("96.5", "60.1")
    asked: list[str] = []

    def run(
        command: Sequence[str], given: bytes, time_limit_s: float, cancelled: object = None, niceness: int = 0
    ) -> Ended:
        asked.append(command[command.index("--psm") + 1] if "--psm" in command else "languages")
        if asked[-1] == "6":
            return Ended(1, b"", b"crashed")
        return Ended(0, (HEAD + doubtful if asked[-1] == "3" else "List (1):\neng\n").encode(), b"")

    page = readable(np.full((300, 900), 230, np.uint8), 254, RecognitionMode.ACCURATE)
    read = Tesseract("t", run).read(page, ["eng"], RecognitionMode.ACCURATE)
    assert "6" in asked
    assert "Pears" in read.text
