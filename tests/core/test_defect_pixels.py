"""Dots of a sensor told from specks of light by what a lens would have left beside them."""

from fractions import Fraction
from pathlib import Path
from types import SimpleNamespace

import numpy as np
import pytest
from scipy.special import erf

from crispgrain.core.colour.spaces import SRGB_TO_WORKING, apply_matrix, srgb_decode, srgb_encode
from crispgrain.core.files import read_shot
from crispgrain.core.meter import measure
from crispgrain.core.model import Stage
from crispgrain.core.networks import dot_net
from crispgrain.core.networks.runtime import NetworkUnavailableError
from crispgrain.core.render.pipeline import Pipeline
from crispgrain.core.resolve import resolve
from crispgrain.core.stages.denoise import dots
from crispgrain.core.treatment import Treatment
from crispgrain.restoration import defect_pixels
from crispgrain.restoration.point_spread import gaussian
from crispgrain.simulation.camera import BAYER, FIELD_TWO, blur_with, expose, mosaic_of, noise_at
from crispgrain.simulation.defects import Defects
from crispgrain.simulation.dng import write_dng
from tests.conftest import photograph

EDGE, APART = 700, 14  # px
SEEN = np.array([0.5, 1.0, 0.6], np.float32)  # how a sensor sees white: common practice, no source


def starry(
    softness: float, rng: np.random.Generator, light: float = 0.02, sign: int = 1
) -> tuple[np.ndarray, np.ndarray, list[tuple[float, float]]]:
    """A mosaic of points of light, or dark ones, as so soft a lens draws them, where they are, and its noise.

    A pixel sees a Gaussian's integral over its area.
    """
    (a, b), sky = noise_at(1600), np.full((EDGE, EDGE), light)
    places = rng.uniform(-3, 3, (2, 48, 48)) + np.mgrid[14 : 14 + 48 * APART : APART, 14 : 14 + 48 * APART : APART]
    heights = np.exp(rng.uniform(np.log(9), np.log(100), (48, 48))) * np.sqrt(a * light + b) * sign
    ends = np.arange(-3.5, 4)
    for y, x, height in zip(*places.reshape(2, -1), heights.ravel(), strict=True):
        row, column = round(y), round(x)
        parts = [np.diff(erf((ends + i - c) / (softness * 2**0.5))) / 2 for i, c in ((row, y), (column, x))]
        sky[row - 3 : row + 4, column - 3 : column + 4] += height * np.outer(*parts) / erf(0.5 / softness / 2**0.5) ** 2
    mosaic = mosaic_of((sky[..., None] * SEEN).astype(np.float32), BAYER["RGGB"])
    noisy = rng.poisson(np.maximum(mosaic, 0) / a) * a + rng.normal(0, b**0.5, mosaic.shape)
    return noisy.astype(np.float32), np.round(places.reshape(2, -1)).astype(int), [(a, b)] * 3


@pytest.mark.parametrize(("light", "sign", "few"), [(0.02, 1, 0.002), (0.8, -1, 0.004)])
@pytest.mark.parametrize("softness", [0.5, 0.6, 0.8])
def test_faint_specks_are_no_dots_where_the_softness_is_known(softness, light, sign, few):
    mosaic, (rows, columns), noise = starry(softness, np.random.default_rng(1), light, sign)

    def lost(known: float | None) -> float:
        where = defect_pixels.found(mosaic, noise, softness=known)
        near = [where[y - 1 : y + 2, x - 1 : x + 2].any() for y, x in zip(rows, columns, strict=True)]
        return float(np.mean(near))

    assert lost(softness) < few
    if sign > 0:
        assert lost(softness + 0.15) < 0.006  # read as softer than it is
    assert lost(None) > 0.004


@pytest.mark.parametrize(
    ("softness", "light", "sign", "least"),
    [(0.5, 0.02, 1, 0.3), (0.6, 0.02, 1, 0.7), (0.8, 0.02, 1, 0.95), (0.4, 0.8, -1, 0.6), (0.5, 0.8, -1, 0.9)],
)
def test_dots_as_strong_as_stars_are_found_and_dark_ones_in_sharper_shots(softness, light, sign, least):
    mosaic, (rows, columns), noise = starry(softness, np.random.default_rng(2), light, sign)
    height = 14 * (noise[0][0] * light + noise[0][1]) ** 0.5
    mosaic[rows + 7, columns + 7] += sign * height
    found = defect_pixels.found(mosaic, noise, softness=softness)[rows + 7, columns + 7]
    assert found.mean() > least


@pytest.mark.slow
@pytest.mark.parametrize("model", ["mosaic-net", "mosaic-dct"])
@pytest.mark.parametrize("softness", [0.15, 0.8])
def test_certain_dots_are_gone_and_the_rest_is_as_it_was(tmp_path, model, softness):
    """In a sharp shot a network has to know them, in a soft one they are also too sharp."""
    clean = blur_with(apply_matrix(srgb_decode(photograph("coffee")), SRGB_TO_WORKING), gaussian(softness))
    source, near = dotted(tmp_path / "dots.dng", clean)
    reading = measure(source)

    def error(choice: str | None, where: np.ndarray) -> float:
        treatment = Treatment().only([Stage.DENOISE]).set("denoise.model", model)
        treatment = treatment.set("develop.exposure", 0.0).set("develop.base", "linear")
        treatment = treatment.set("denoise.dots", choice) if choice else treatment
        pipeline = Pipeline(source, reading, resolve(treatment, source, reading))
        away = srgb_encode(pipeline.region(pipeline.size.rect)) - srgb_encode(clean)
        return float(np.sqrt(np.square(away)[where].mean()))

    assert error(None, near) < 0.75 * error("leave", near)
    assert error(None, ~near) <= 1.01 * error("leave", ~near)


def test_without_the_network_what_is_too_sharp_is_filled_all_the_same(tmp_path, monkeypatch):
    def missing(*_):
        raise NetworkUnavailableError("gone")

    monkeypatch.setattr(dot_net, "found", missing)
    clean = blur_with(apply_matrix(srgb_decode(photograph("coffee")), SRGB_TO_WORKING), gaussian(0.8))
    source, near = dotted(tmp_path / "dots.dng", clean)
    reading = measure(source)
    rect = source.size.rect
    context = SimpleNamespace(source=source, noise=reading.noise, reading=reading, rect=rect)
    filled, left = (dots.undotted(source.region(rect), {"dots": choice}, context) for choice in ("certain", "leave"))
    assert ((filled != left) & near).sum() > 10


def dotted(path: Path, clean: np.ndarray) -> tuple:
    """A RAW with hot pixels, and what is near to them."""
    values = expose(clean, 800, seed=4, defects=Defects(hot=6e-4))
    write_dng(path, values, FIELD_TWO, 800, Fraction(1, 8), "2026:03:14 16:00:00", "dots")
    far = np.abs(values.astype(float) - expose(clean, 800, seed=4, defects=Defects())) > 1500
    near = np.zeros(far.shape, bool)
    for row, column in np.argwhere(far):
        near[max(row - 2, 0) : row + 3, max(column - 2, 0) : column + 3] = True
    return read_shot(path), near
