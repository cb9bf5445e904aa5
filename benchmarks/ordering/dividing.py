"""Dividers and labels as scanned: in any position, dirty, with coffee on their codes; and pages that are none."""

import cv2
import numpy as np
import pypdfium2
from numpy.typing import NDArray

from benchmarks.second.papers import DPI, Hand, paper, px
from benchmarks.second.scans import scan
from benchmarks.table import Row, of_all, percent, scaled
from papiermappe.core.order.code_reading import read_codes
from papiermappe.core.order.dividers import CodeUse, Meaning, meaning_of
from papiermappe.core.picture import Pixels, to_grey
from papiermappe.making.divider_sheets import SheetWords, divider_sheets, label_sheets

DIVIDERS, OTHERS = 1000, 10_000
WORDS = SheetWords("Divider", "A new document begins behind this sheet.")
NAMES = ("", "Hail damage", "Lease of the lower meadow, 2026 to 2038", "Lieferscheine für die Kühlhalle")


def divider_rows(share: float, seed: int) -> list[Row]:
    """Return the figures of dividers."""
    rows = []
    for judge, what in ((_judge_sheets, "divider sheets"), (_judge_labels, "pages with a label")):
        found = of_all(judge, scaled(DIVIDERS, share), seed)
        rows.append(Row(f"{len(found)} {what}: found, with their names", percent(sum(found) / len(found)), "99.5 %"))
    false = of_all(_judge_others, scaled(OTHERS, share), seed)
    rows.append(Row(f"{len(false)} other pages: taken for a divider or a label", str(sum(false)), "0"))
    return rows


def _judge_sheets(numbers: range, seed: int) -> list[bool]:
    return [_sheet_found(number, seed) for number in numbers]


def _judge_labels(numbers: range, seed: int) -> list[bool]:
    return [_label_found(number, seed) for number in numbers]


def _judge_others(numbers: range, seed: int) -> list[bool]:
    found = []
    for number in numbers:
        hand = np.random.default_rng([seed, number, 13])
        grey = to_grey(scan(paper(number, seed), hand).capture.pixels())
        found.append(meaning_of(read_codes(grey, DPI)) is not None)
    return found


def _sheet_found(number: int, seed: int) -> bool:
    hand = np.random.default_rng([seed, number, 11])
    name = str(hand.choice(NAMES))
    page = _printed(divider_sheets([name], WORDS))
    for left in (17, 157):
        for top in (17, 244):
            page = _with_coffee(page, (left, top, 36), hand)
    return meaning_of(read_codes(_laid(page, hand), DPI)) == Meaning(CodeUse.DIVIDER, name)


def _label_found(number: int, seed: int) -> bool:
    hand = np.random.default_rng([seed, number, 12])
    name = str(hand.choice(NAMES))
    label = _printed(label_sheets([name]))[: px(37), : px(70)]
    page = to_grey(np.array(paper(int(hand.integers(4)), seed + number).picture)).astype(np.float32)
    top, left = int(hand.integers(px(5), len(page) - px(45))), int(hand.integers(px(3), page.shape[1] - px(73)))
    page[top : top + len(label), left : left + label.shape[1]] = label
    page = _with_coffee(page, (left * 25.4 / DPI + 4, top * 25.4 / DPI + 5, 27), hand)
    return meaning_of(read_codes(_laid(page, hand), DPI)) == Meaning(CodeUse.BEGINS, name)


def _printed(pdf: bytes) -> NDArray[np.float32]:
    """Return the first page in grey at DPI."""
    page = pypdfium2.PdfDocument(pdf)[0].render(scale=DPI / 72).to_pil().convert("L")
    return np.asarray(page, np.float32)


def _with_coffee(page: NDArray[np.float32], code_mm: tuple[float, float, float], hand: Hand) -> NDArray[np.float32]:
    """Spill coffee over a third of a code: translucent, with a darker rim, the code's lines blurred by it."""
    left, top, size = (px(mm) for mm in code_mm)
    stain = np.zeros(page.shape, np.float32)
    share = size / 3
    side = int(hand.integers(4))
    radius = round(size * 0.75)
    reach = [(left - radius + share, top + size / 2), (left + size + radius - share, top + size / 2),
             (left + size / 2, top - radius + share), (left + size / 2, top + size + radius - share)][side]  # fmt: skip
    centre = round(reach[0]), round(reach[1])
    cv2.circle(stain, centre, radius, 1.0, -1, cv2.LINE_AA)
    cv2.circle(stain, centre, radius, 1.6, px(1.2), cv2.LINE_AA)
    stain = np.asarray(cv2.GaussianBlur(stain, (0, 0), 2.0), np.float32)
    soaked = cv2.GaussianBlur(page, (0, 0), 0.9)
    wet = np.clip(stain, 0, 1)
    return np.asarray((page * (1 - wet) + soaked * wet) * (1 - float(hand.uniform(0.2, 0.5)) * stain), np.float32)


def _laid(page: NDArray[np.float32], hand: Hand) -> Pixels:
    """Return the page as a scanner sees it in grey: turned by quarters and by up to 5 degrees, somewhere on the bed."""
    turned = np.ascontiguousarray(np.rot90(page, int(hand.integers(4))))
    height, width = turned.shape
    room = px(12)
    turn = cv2.getRotationMatrix2D((width / 2, height / 2), float(hand.uniform(-5, 5)), 1.0)
    turn[0, 2] += float(hand.uniform(0.5, 1.5)) * room
    turn[1, 2] += float(hand.uniform(0.5, 1.5)) * room
    lid = float(hand.choice([245.0, 205.0, 60.0]))
    laid = cv2.warpAffine(turned, turn, (width + 2 * room, height + 2 * room), flags=cv2.INTER_CUBIC, borderValue=lid)
    light = np.linspace(float(hand.uniform(0.75, 1.0)), 1.0, laid.shape[1], dtype=np.float32)[None]
    seen = cv2.GaussianBlur(laid * light * float(hand.uniform(0.85, 1.0)), (0, 0), float(hand.uniform(0.4, 0.9)))
    grain = hand.normal(0, float(hand.uniform(1, 5)), seen.shape)
    grey = np.clip(seen + grain, 0, 255).astype(np.uint8)
    data = cv2.imencode(".jpg", grey, [cv2.IMWRITE_JPEG_QUALITY, int(hand.integers(60, 95))])[1]
    return np.asarray(cv2.imdecode(data, cv2.IMREAD_GRAYSCALE), np.uint8)
