"""What codes on pages say: our own, others by rules, and what pretends to be one."""

import cv2
import numpy as np
import pytest
import zxingcpp
from hypothesis import given
from hypothesis import strategies as st

from papiermappe.core.naming.names import one_line
from papiermappe.core.order.code_reading import read_codes
from papiermappe.core.order.codes import MAX_TEXT, CodeFormat, PageCode
from papiermappe.core.order.dividers import (
    MAX_PRINTED,
    CodeRule,
    CodeUse,
    Meaning,
    divider_text,
    meaning_of,
)
from papiermappe.core.picture import Pixels, turned


def qr(text: str) -> PageCode:
    """Return a QR code as it is read."""
    return PageCode(format=CodeFormat.QR, text=text)


def page_with(text: str, kind: zxingcpp.BarcodeFormat = zxingcpp.QRCode, module_px: int = 4) -> Pixels:
    """Return an A5 page at 150 dpi with a code on it."""
    page = np.full((1240, 874), 238, np.uint8)
    code = np.asarray(zxingcpp.write_barcode_to_image(zxingcpp.create_barcode(text, kind), scale=module_px))
    page[300 : 300 + code.shape[0], 200 : 200 + code.shape[1]] = code
    return page


@given(st.text(max_size=MAX_PRINTED), st.sampled_from([CodeUse.DIVIDER, CodeUse.BEGINS]))
def test_what_a_divider_says_is_understood_again(name: str, use: CodeUse) -> None:
    assert meaning_of([qr(divider_text(use, name))]) == Meaning(use, one_line(name)[:MAX_PRINTED])


@pytest.mark.parametrize(
    "text",
    [
        "https://example.org/divider?name=x", "papiermappe:", "papiermappe:shred?name=x", "papiermappe:names?name=x",
        "papiermappe://host/divider", "divider", "papiermappe:divider?" + "a=1&" * 50, "papiermappe://[divider",
    ],
)  # fmt: skip
def test_what_is_not_ours_means_nothing(text: str) -> None:
    assert meaning_of([qr(text)]) is None


@pytest.mark.parametrize(
    ("name", "kept"),
    [
        ("../../etc/passwd", "../../etc/passwd"),
        ("<script>alert(1)</script>", "<script>alert(1)</script>"),
        ("a\x00\nb", "a b"),
    ],
)
def test_a_name_is_text_whatever_it_holds(name: str, kept: str) -> None:
    meaning = meaning_of([qr(f"papiermappe:divider?name={name}")])
    assert meaning is not None
    assert meaning.name == kept


def test_our_own_text_counts_in_a_qr_code_only() -> None:
    assert meaning_of([PageCode(format=CodeFormat.CODE_128, text="papiermappe:divider")]) is None


def test_a_rule_names_the_codes_that_count() -> None:
    code = PageCode(format=CodeFormat.CODE_128, text="K-[7]")
    divider = CodeRule(format=CodeFormat.CODE_128, pattern="K-*", use=CodeUse.DIVIDER)
    assert meaning_of([code], [divider]) == Meaning(CodeUse.DIVIDER, "K-[7]")
    assert meaning_of([code], [divider.model_copy(update={"format": CodeFormat.QR})]) is None
    assert meaning_of([code], [CodeRule(pattern="K-[7]", use=CodeUse.NAMES)]) == Meaning(CodeUse.NAMES, "K-[7]")
    assert meaning_of([code], [CodeRule(pattern="k-*", use=CodeUse.NAMES)]) is None
    assert meaning_of([code, qr(divider_text(CodeUse.BEGINS, "ours"))], [divider]) == Meaning(CodeUse.BEGINS, "ours")


@pytest.mark.parametrize("quarters", range(4))
def test_a_code_is_read_whichever_way_the_page_lies(quarters: int) -> None:
    found = read_codes(turned(page_with("papiermappe:divider"), quarters), 150)
    assert found == [qr("papiermappe:divider")]


@pytest.mark.parametrize(
    ("kind", "ours", "text"),
    [
        (zxingcpp.Code128, CodeFormat.CODE_128, "K-2044"), (zxingcpp.Code39, CodeFormat.CODE_39, "LEASE 7"),
        (zxingcpp.EAN13, CodeFormat.EAN_13, "4006381333931"), (zxingcpp.DataMatrix, CodeFormat.DATA_MATRIX, "plot 12"),
    ],
)  # fmt: skip
def test_codes_of_other_kinds_are_read(kind: zxingcpp.BarcodeFormat, ours: CodeFormat, text: str) -> None:
    assert read_codes(page_with(text, kind, 2 if kind != zxingcpp.DataMatrix else 5), 150) == [
        PageCode(format=ours, text=text)
    ]


def test_a_finer_picture_is_reduced_first() -> None:
    large = np.asarray(cv2.resize(page_with("at 600 dpi"), None, fx=4, fy=4, interpolation=cv2.INTER_CUBIC), np.uint8)
    assert read_codes(large, 600) == [qr("at 600 dpi")]


def test_text_of_codes_is_limited_and_without_control_characters() -> None:
    (code,) = read_codes(page_with("one\ttwo\n" + "x" * 400, module_px=3), 150)
    assert code.text.startswith("one two x")
    assert len(code.text) == MAX_TEXT


def test_a_page_of_print_has_no_code() -> None:
    rng = np.random.default_rng(5)
    page = np.full((1240, 874), 240, np.uint8)
    for top in range(80, 1160, 26):
        for left in range(60, 800, 13):
            letter = chr(97 + int(rng.integers(26)))
            cv2.putText(page, letter, (left, top), cv2.FONT_HERSHEY_SIMPLEX, 0.5, 30, 1, cv2.LINE_AA)
    assert read_codes(page, 150) == []
