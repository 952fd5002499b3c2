"""Layer images: what another library reads is what was drawn, and damage is seen."""

from __future__ import annotations

import io
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from PIL import Image

from wideberth.core.bench import load_named
from wideberth.core.handover._kernels import light_up, paint_over
from wideberth.core.handover.pixels import FINER_ROWS, grey_layer, pixel_grid
from wideberth.core.handover.png import cropped, lit_of, png_of
from wideberth.core.layers import Runs


def read_elsewhere(png: bytes) -> np.ndarray:
    with Image.open(io.BytesIO(png)) as image:
        return np.asarray(image)


@given(st.integers(1, 40), st.integers(1, 40), st.floats(0, 1), st.integers(0, 2**31), st.booleans())
def test_another_library_reads_what_was_drawn(high: int, wide: int, share: float, seed: int, grey: bool) -> None:
    rng = np.random.default_rng(seed)
    image = rng.random((high, wide)) < share
    drawn = (image * rng.integers(1, 256, image.shape)).astype(np.uint8) if grey else image
    png = png_of(cropped(drawn))
    assert np.array_equal(read_elsewhere(png), drawn)
    back = lit_of(png)
    assert np.array_equal(back.image, drawn) and back.image.dtype == drawn.dtype
    assert not back.pixels.size or (
        back.pixels[0].any() and back.pixels[-1].any() and back.pixels[:, 0].any() and back.pixels[:, -1].any()
    )


def test_a_whole_screen_with_a_spot_in_each_corner() -> None:
    image = np.zeros((2400, 4001), bool)
    image[0, 0] = image[-1, -1] = image[0, -1] = True
    assert np.array_equal(read_elsewhere(png_of(cropped(image))), image)


def test_every_damaged_byte_is_seen() -> None:
    """A byte that is dropped, or one that is another, anywhere."""
    image = np.zeros((60, 90), bool)
    image[10:20, 30:77] = True
    png = png_of(cropped(image))
    for at in range(len(png)):
        turned = bytearray(png)
        turned[at] ^= 0x10
        for harmed in (bytes(turned), png[:at] + png[at + 1 :], png[:at]):
            try:
                same = np.array_equal(lit_of(harmed).image, image)
            except ValueError:
                continue
            assert same and harmed[: len(png) - 12] == png[: len(png) - 12]  # only its last, empty chunk was cut off


@pytest.mark.parametrize("content", [b"", b"\x89PNG\r\n\x1a\n", b"GIF89a" * 20])
def test_what_is_no_layer_is_refused(content: bytes) -> None:
    with pytest.raises(ValueError, match=r"."):
        lit_of(content)


def test_pixels_of_a_filtered_or_coloured_image_are_not_guessed() -> None:
    out = io.BytesIO()
    Image.fromarray(np.random.default_rng(1).integers(0, 255, (20, 20, 3)).astype(np.uint8)).save(out, "PNG")
    with pytest.raises(ValueError, match="another kind"):
        lit_of(out.getvalue())


def test_runs_light_their_pixels() -> None:
    """Against one run after the other in plain Python; runs may be empty, touch and overlap."""
    rng = np.random.default_rng(5)
    for _ in range(20):
        row, first = rng.integers(0, 9, 30), rng.integers(0, 50, 30)
        beyond = np.minimum(first + rng.integers(0, 20, 30), 60)
        lit, slow = np.zeros((9, 60), bool), [[False] * 60 for _ in range(9)]
        painted, over, values = np.zeros((9, 60)), [[0.0] * 60 for _ in range(9)], rng.random(30)
        light_up(row, first, beyond, lit)
        paint_over(row, first, beyond, values, painted)
        for r, a, b, value in zip(row, first, beyond, values, strict=True):
            for column in range(a, b):
                slow[r][column], over[r][column] = True, value
        assert np.array_equal(lit, slow) and np.array_equal(painted, over)


@pytest.mark.parametrize("levels", [2, 4, 16])
@pytest.mark.parametrize("seed", range(3))
def test_grey_is_the_share_of_each_pixel_that_is_covered(levels: int, seed: int) -> None:
    """Runs on four stripes of each row of pixels of 0.05 mm, against the overlap of each with each pixel, summed."""
    rng = np.random.default_rng(seed)
    printer = replace(load_named("printer", "standard"), plate_x_mm=2.0, plate_y_mm=1.5, pixels_x=40, pixels_y=30)
    grid = pixel_grid(printer, FINER_ROWS, (3, 20), (0, 1), 0.05)
    ends = [np.sort(rng.uniform(-1.0, 1.0, 2 * int(rng.integers(0, 3)))) for _ in range(grid.rows)]
    x = np.concatenate([np.empty(0), *ends]).reshape(-1, 2)
    offsets = np.concatenate(([0], np.cumsum([len(e) // 2 for e in ends]))).astype(np.int32)
    shares = np.zeros((30, 40))
    for stripe, own in enumerate(ends):
        for a, b in own.reshape(-1, 2) / 0.05 + 20:
            overlap = np.clip(np.minimum(b, np.arange(1, 41)) - np.maximum(a, np.arange(40)), 0.0, None)
            shares[3 + stripe // FINER_ROWS] += overlap / FINER_ROWS
    image = grey_layer(Runs(grid, offsets, x[:, 0].copy(), x[:, 1].copy()), 0, 3, printer, levels).image[::-1]
    assert np.abs(image / 255 - shares).max() <= 0.5 / (levels - 1) + 1e-6
    assert image.astype(int).sum() > 0 and set(np.unique(image)) <= {round(255 * n / (levels - 1)) for n in range(levels)}
