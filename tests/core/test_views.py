"""Residuals and halo warnings against what is known to be in them."""

import numpy as np
import pytest

from crispgrain.core.colour import icc
from crispgrain.core.colour.spaces import srgb_decode
from crispgrain.core.files import PictureSource
from crispgrain.core.meter import Blur, Noise, Reading
from crispgrain.core.model import Stage
from crispgrain.core.render.pipeline import Pipeline
from crispgrain.core.render.views import Axis, Halo, Residual, Result
from crispgrain.core.resolve import resolve
from crispgrain.core.treatment import Treatment
from crispgrain.geometry import Rect

pytestmark = pytest.mark.slow

NOTHING = Treatment().only([Stage.DEVELOP])
WHOLE = Rect(0, 0, 200, 240)


def pipelines(stored, tmp_path, treatment, reading):
    """The picture untreated and treated, from one source."""
    source = PictureSource(tmp_path / "x.png", stored.astype(np.float32), icc.profile("srgb"))
    return tuple(Pipeline(source, reading, resolve(t, source, reading), tile=96) for t in (NOTHING, treatment))


@pytest.fixture
def noisy(clean8):
    rng = np.random.default_rng(3)
    return clean8[:200, :240] / 255 + rng.normal(0, 10 / 255, (200, 240, 3))


def denoised(noisy, tmp_path, strength, model="sliding-dct"):
    wish = NOTHING.set("denoise.on", True).set("denoise.model", model)
    wish = wish.set("denoise.luminance", strength).set("denoise.colour", strength)
    return pipelines(noisy, tmp_path, wish, Reading(Noise.even(10)))


def whole(view):
    """A view's tiles put together."""
    rows = [np.hstack([view.display(r, c) for c in range(-(-240 // view.tile))]) for r in range(-(-200 // view.tile))]
    return np.vstack(rows)


def test_the_residual_is_what_was_taken_away_amplified(noisy, tmp_path):
    before, after = denoised(noisy, tmp_path, 100)
    shown = whole(Residual(before, after, Axis.LUMINANCE, gain=4)).astype(float) / 255
    difference = (icc.from_working(p.region(WHOLE), icc.profile("srgb"), 16) / 65535 for p in (before, after))
    taken = np.subtract(*difference).mean(axis=-1)
    assert np.abs(shown[..., 0] - np.clip(0.5 + 4 * taken, 0, 1))[noisy.min(axis=-1) > 0.02].max() < 0.02
    assert np.abs(shown[..., 0] - shown[..., 2]).max() < 0.01  # grey: luminance only
    colours = whole(Residual(before, after, Axis.COLOUR, gain=4)).astype(float) / 255
    assert np.abs(colours.mean(axis=-1) - 0.5)[(colours > 0).all(-1) & (colours < 1).all(-1)].max() < 0.01


def test_a_stage_that_does_nothing_leaves_a_grey_residual_without_structure(noisy, tmp_path):
    before, after = denoised(noisy, tmp_path, 0)
    view = Residual(before, after)
    assert np.abs(whole(view).astype(int) - 128).max() <= 1
    assert view.structure(WHOLE) == pytest.approx(0, abs=0.05)


@pytest.mark.parametrize("strength", [25, 50, 100])
def test_noise_taken_in_part_is_not_mistaken_for_detail(noisy, tmp_path, strength):
    assert abs(Residual(*denoised(noisy, tmp_path, strength)).structure(WHOLE)) < 0.03


def test_lost_detail_shows_as_structure(noisy, tmp_path):
    shares = [Residual(*denoised(noisy, tmp_path, s, "wavelet")).structure(WHOLE) for s in (50, 100, 200)]
    assert shares == sorted(shares)
    assert shares[-1] > 0.1


def test_detail_weakened_by_a_known_share_is_measured(clean8, tmp_path):
    encoded = clean8[:200, :240] / 255
    source, weak = (pipelines(e, tmp_path, NOTHING, Reading())[0] for e in (encoded, 0.5 + 0.8 * (encoded - 0.5)))
    assert Residual(source, weak).structure(WHOLE) == pytest.approx(0.25, abs=0.01)


def test_halos_are_marked_where_sharpening_leaves_the_local_range(tmp_path):
    stored = np.full((200, 240, 3), 0.3)
    stored[:, 120:] = 0.6
    reading = Reading(Noise.even(0.1), Blur("soft lens", 1.0, 1.0, confidence=1))
    strong = NOTHING.set("sharpen.on", True).set("sharpen.model", "unsharp-mask").set("sharpen.strength", 200)
    before, after = pipelines(stored, tmp_path, strong, reading)
    view = Halo(before, after, colour=(10, 200, 30))
    mask = view.mask(WHOLE)
    assert mask[:, 116:124].any()
    assert not mask[:, :110].any()
    assert not mask[:, 130:].any()
    shown = whole(view)
    assert np.array_equal((shown == (10, 200, 30)).all(axis=-1), mask)
    assert view.share(WHOLE) == pytest.approx(mask.mean())
    assert Halo(before, before).share(WHOLE) == 0


def test_a_view_is_the_same_whatever_the_tiles(noisy, tmp_path):
    before, after = denoised(noisy, tmp_path, 100)
    mask = Halo(before, after, limit=0.001).mask(WHOLE)
    parts = np.hstack([Halo(before, after, limit=0.001).mask(Rect(0, x, 200, 60)) for x in range(0, 240, 60)])
    assert np.array_equal(mask, parts)
    assert mask.any()


def test_pictures_of_different_sizes_are_not_compared(noisy, tmp_path):
    before, after = pipelines(noisy, tmp_path, NOTHING.set("enlarge.on", True), Reading())
    with pytest.raises(ValueError, match="different sizes"):
        Residual(before, after)


def test_reduced_tiles_are_averages(noisy, tmp_path):
    before, _ = denoised(noisy, tmp_path, 100)
    full, half = (Result(before).display(0, 0, level) for level in (0, 1))
    assert half.shape == (48, 48, 3)
    linear = srgb_decode(full.astype(np.float32) / 255).reshape(48, 2, 48, 2, 3).mean(axis=(1, 3))
    assert np.abs(linear - srgb_decode(half.astype(np.float32) / 255)).max() < 0.03
