"""Means of squares, and small helpers of files."""

import io
import threading
import time

import numpy as np
import pytest
from PIL import Image, ImageCms

from papiermappe.ahead import in_order
from papiermappe.core.encode import deflate
from papiermappe.core.encode.pdf.font import Characters
from papiermappe.core.encode.pdf.icc import srgb_profile
from papiermappe.core.encode.squares import Squares, squares_of


@pytest.mark.parametrize("shape", [(12, 12, 3), (13, 11, 3), (13, 11), (3, 2)])
@pytest.mark.parametrize("every", [1, 2])
def test_squares_are_the_means_of_what_counts(shape: tuple[int, ...], every: int) -> None:
    """Against the same, computed pixel by pixel."""
    hand = np.random.default_rng(5)
    picture = hand.integers(0, 256, shape).astype(np.uint8)
    kinds = hand.integers(0, 3, shape[:2]).astype(np.uint8)
    by = 4
    for number, found in enumerate(squares_of(picture, kinds, by, every), 1):
        for row in range(found.weight.shape[0]):
            for col in range(found.weight.shape[1]):
                window = (
                    slice(row * by, min(row * by + by, shape[0]), every),
                    slice(col * by, min(col * by + by, shape[1]), every),
                )
                counts = kinds[window] == number
                assert found.weight[row, col] == pytest.approx(counts.sum() / (by // every) ** 2)
                if counts.any():
                    expected = picture[window][counts].astype(float).mean(axis=0)
                    assert found.mean[row, col] == pytest.approx(expected, abs=0.01)


def test_what_is_not_known_comes_from_around() -> None:
    """A ramp with a hole: in the hole the ramp goes on; what is known stays as it is."""
    ramp = np.tile(np.linspace(0, 200, 64, dtype=np.float32), (64, 1))
    weight = np.ones((64, 64), np.float32)
    weight[24:40, 24:40] = 0
    filled = Squares(np.where(weight > 0, ramp, np.float32(0)), weight).filled()
    assert np.array_equal(filled[weight > 0], ramp[weight > 0])
    assert np.abs(filled - ramp)[24:40, 24:40].max() < 25


def test_the_profile_is_srgb() -> None:
    """The library turns sRGB into the profile's colours and finds them the same, a level aside."""
    profile = ImageCms.ImageCmsProfile(io.BytesIO(srgb_profile()))
    colours = Image.fromarray(np.random.default_rng(2).integers(0, 256, (16, 16, 3)).astype(np.uint8))
    same = ImageCms.profileToProfile(colours, ImageCms.createProfile("sRGB"), profile)
    assert same is not None
    assert np.abs(np.asarray(same).astype(int) - np.asarray(colours)).max() <= 1


@pytest.mark.parametrize("shape", [(300, 40), (300, 40, 3), (1, 1)])
def test_lossless_comes_back_or_is_too_large(shape: tuple[int, ...]) -> None:
    picture = np.random.default_rng(3).integers(0, 256, shape).astype(np.uint8)
    data = deflate.encoded_within(picture, 10_000_000)
    assert data is not None
    height, width = shape[:2]
    assert np.array_equal(deflate.decoded(data, height, width, len(shape) == 3), picture)
    assert deflate.encoded_within(picture, len(data) // 3) is None


def test_characters_get_codes_as_they_come() -> None:
    characters = Characters()
    assert not characters
    assert characters.coded("abba") == b"\0\1\0\2\0\2\0\1"
    assert characters.coded("𝄞") == b"\0\3"
    told = characters.to_unicode().decode()
    assert "3 beginbfchar" in told
    assert "<0001> <0061>" in told
    assert "<0003> <d834dd1e>" in told  # U+1D11E as UTF-16


def test_things_made_ahead_come_in_order() -> None:
    """The first takes longest; not more than three are begun before the first is taken."""
    begun: list[int] = []
    lock = threading.Lock()

    def make(number: int) -> int:
        with lock:
            begun.append(number)
        time.sleep(0.2 if number == 0 else 0.01)
        return number * number

    made = in_order(make, range(7), 3)
    assert next(made) == 0
    assert len(begun) <= 4
    assert list(made) == [1, 4, 9, 16, 25, 36]


def test_what_goes_wrong_ahead_is_told_in_its_turn() -> None:
    def make(number: int) -> int:
        if number == 2:
            raise ValueError("two")
        return number

    made = in_order(make, range(5), 2)
    assert [next(made), next(made)] == [0, 1]
    with pytest.raises(ValueError, match="two"):
        next(made)
