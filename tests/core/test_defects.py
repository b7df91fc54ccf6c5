"""The simulated sensor's defects, each against what its definition says."""

from fractions import Fraction

import cv2
import numpy as np
import pytest
from scipy.stats import tukeylambda

from crispgrain.core.colour.spaces import SRGB_TO_WORKING, apply_matrix, srgb_decode, srgb_encode
from crispgrain.core.files import read_shot
from crispgrain.core.meter import measure
from crispgrain.core.model import Stage
from crispgrain.core.render.pipeline import Pipeline
from crispgrain.core.resolve import resolve
from crispgrain.core.treatment import Treatment
from crispgrain.simulation.camera import FIELD_TWO, add_noise, expose
from crispgrain.simulation.defects import Defects, read_noise, tukey_lambda, unequal, with_dots
from crispgrain.simulation.dng import write_dng
from tests.conftest import photograph

SHAPE = (400, 600)
READ = 1e-4  # variance


def rng() -> np.random.Generator:
    return np.random.default_rng(5)


@pytest.mark.parametrize("tails", [0.14, 0.0, -0.1, -0.3])
def test_tails_are_those_of_tukeys_lambda_distribution(tails: float) -> None:
    """Quantiles against scipy.stats.tukeylambda, divided by its own standard deviation."""
    drawn = tukey_lambda((200_000,), tails, rng())
    expected = tukeylambda.ppf([0.001, 0.01, 0.25, 0.75, 0.999], tails) / tukeylambda.std(tails)
    assert np.quantile(drawn, [0.001, 0.01, 0.25, 0.75, 0.999]) == pytest.approx(expected, rel=0.08)


def test_a_distribution_without_variance_is_refused() -> None:
    with pytest.raises(ValueError, match="no variance"):
        tukey_lambda((3,), -0.5, rng())


def test_rows_and_columns_vary_as_said() -> None:
    """EMVA 1288: the variance of row means is that of rows, and a share of that of pixels."""
    noise = read_noise(SHAPE, READ, Defects(rows=0.8, columns=0.3), rng()) / READ**0.5
    assert noise.mean(1).var() == pytest.approx(0.8**2 + 1 / SHAPE[1] + 0.3**2 / SHAPE[1], rel=0.15)
    assert noise.mean(0).var() == pytest.approx(0.3**2, rel=0.2)


def test_hot_and_dead_pixels_stay_where_they_are() -> None:
    even = np.full(SHAPE, 0.2, np.float32)
    defects = Defects(hot=1e-3, dead=1e-3)
    first, second = (with_dots(even, READ, defects, np.random.default_rng(seed)) for seed in (1, 2))
    assert np.array_equal(first, second)
    share = np.array([(first > 0.2).mean(), (first < 0.07).mean()])
    assert share == pytest.approx(1e-3, rel=0.25)


def test_blinking_pixels_are_elsewhere_in_the_next_shot() -> None:
    even = np.full(SHAPE, 0.2, np.float32)
    first, second = (with_dots(even, READ, Defects(blinking=1e-3), np.random.default_rng(s)) != even for s in (1, 2))
    assert first.mean() == pytest.approx(1e-3, rel=0.25)
    assert (first & second).sum() <= 2


def test_greens_differ_by_the_share_said_and_focusing_pixels_see_less() -> None:
    out = unequal(np.full(SHAPE, 0.5, np.float32), Defects(greens=0.02, focusing=0.5, first=(2, 2)))
    assert out[1, 0] / out[0, 1] == pytest.approx(1.02, abs=1e-3)
    assert out[2, 2] == out[18, 14] == 0.25
    assert (out == 0.25).sum() == 25 * 50


def test_without_defects_the_noise_is_a_gaussian_of_the_same_variance() -> None:
    dark = np.zeros(SHAPE, np.float32)
    plain, shaped = (add_noise(dark, 1e-4, READ, rng(), d) for d in (None, Defects()))
    assert shaped.std() == pytest.approx(plain.std(), rel=0.01)
    assert np.quantile(shaped, 0.99) == pytest.approx(np.quantile(plain, 0.99), rel=0.03)


@pytest.mark.slow
@pytest.mark.parametrize("model", ["mosaic-net", "mosaic-dct"])
def test_filled_dots_are_gone_from_the_result(model, tmp_path) -> None:
    """Against the clean scene; where the dots are is known from the simulator."""
    clean = apply_matrix(srgb_decode(photograph("coffee")), SRGB_TO_WORKING)
    dots = Defects(hot=6e-4, dead=2e-4)
    values = expose(clean, 800, seed=4, defects=dots)
    path = tmp_path / "dots.dng"
    write_dng(path, values, FIELD_TWO, 800, Fraction(1, 8), "2026:03:14 16:00:00", "dots")
    source = read_shot(path)
    far = np.abs(values.astype(float) - expose(clean, 800, seed=4, defects=Defects())) > 1500
    near = cv2.dilate(far.astype(np.uint8), np.ones((5, 5))) > 0
    reading = measure(source)
    errors = {}
    for choice in ("leave", "fill"):
        treatment = Treatment().only([Stage.DENOISE]).set("denoise.model", model).set("denoise.dots", choice)
        treatment = treatment.set("develop.exposure", 0.0).set("develop.base", "linear")
        pipeline = Pipeline(source, reading, resolve(treatment, source, reading))
        away = srgb_encode(pipeline.region(pipeline.size.rect)) - srgb_encode(clean)
        errors[choice] = np.sqrt(np.square(away)[near].mean()), np.sqrt(np.square(away)[~near].mean())
    assert errors["fill"][0] < 0.75 * errors["leave"][0]
    assert errors["fill"][1] < 1.05 * errors["leave"][1]
