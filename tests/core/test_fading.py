"""Faded dyes and yellowed paper, undone: against the colours that were there, and against levels channel by channel."""

from pathlib import Path

import numpy as np
from skimage import exposure

from crispgrain.core.colour import icc
from crispgrain.core.colour.difference import ciede2000, lab
from crispgrain.core.colour.spaces import SRGB_TO_WORKING, apply_matrix, srgb_decode, srgb_encode
from crispgrain.core.files import PictureSource
from crispgrain.core.meter import Noise, Reading
from crispgrain.core.render.overview import overview
from crispgrain.core.render.pipeline import Pipeline
from crispgrain.core.resolve import resolve
from crispgrain.core.treatment import Treatment
from crispgrain.geometry import Rect
from crispgrain.restoration.fading import UNFADED, fading_of, unfaded
from tests.conftest import photograph

KEPT, STAIN = np.float32([0.9, 0.6, 0.75]), np.float32([0.02, 0.06, 0.14])  # magenta fades the most; yellowed paper
READING = Reading(Noise.even(1))


def faded(picture) -> np.ndarray:
    """A print of an encoded picture, years after: linear working space."""
    clean = apply_matrix(srgb_decode(picture), SRGB_TO_WORKING)
    return np.maximum(clean, 1e-3) ** KEPT * 10**-STAIN


def source_of(working) -> PictureSource:
    encoded = srgb_encode(apply_matrix(working.astype(np.float32), np.linalg.inv(SRGB_TO_WORKING)))
    return PictureSource(Path("p.png"), (encoded.clip(0, 1) * 65535 + 0.5).astype(np.uint16), icc.profile("srgb"))


def pipeline(source, share):
    treatment = Treatment().only([]).set("develop.faded", share)
    return Pipeline(source, READING, resolve(treatment, source, READING))


def test_faded_colours_come_back_nearer_than_by_levels():
    """Mean of four photographs; not every one: one without white and black misleads both."""
    errors = []
    for name in ("astronaut", "chelsea", "coffee", "rocket"):
        picture = photograph(name)
        truth, source = apply_matrix(srgb_decode(picture), SRGB_TO_WORKING), source_of(faded(picture))
        plain, restored = (pipeline(source, share).region(source.size.rect) for share in (0.0, 100.0))
        encoded = srgb_encode(np.maximum(plain, 0))
        ends = [np.quantile(encoded[..., c], (0.005, 0.995)) for c in range(3)]
        levels = np.stack(
            [exposure.rescale_intensity(encoded[..., c], tuple(e), (0, 1)) for c, e in enumerate(ends)], -1
        )
        pictures = plain, restored, srgb_decode(levels.astype(np.float32))
        errors.append([float(ciede2000(lab(p.astype(np.float32)), lab(truth)).mean()) for p in pictures])
    before, after, by_levels = np.mean(errors, axis=0)
    assert after < 0.75 * before and after < by_levels


def test_a_share_of_it_is_undone_and_tiles_and_thumbnails_agree():
    source = source_of(faded(photograph("astronaut")))
    whole = pipeline(source, 100.0)
    out, part = whole.region(source.size.rect), Rect(40, 60, 70, 90)
    np.testing.assert_allclose(pipeline(source, 100.0).untiled(part), out[part.slices], atol=1e-6)
    small = overview(source, whole.resolved, 64)
    np.testing.assert_allclose(small.mean((0, 1)), out.mean((0, 1)), atol=0.02)
    plain, half = (pipeline(source, s).region(source.size.rect) for s in (0.0, 50.0))
    assert np.abs(half - plain).mean() > 0.01 and np.abs(half - out).mean() > 0.005


def test_what_tells_nothing_is_left_alone_and_noise_keeps_its_sign():
    assert fading_of(np.full((20, 20, 3), 0.4, np.float32)) == UNFADED
    found = fading_of(faded(photograph("astronaut")))
    values = np.linspace(-0.01, 1.1, 400, dtype=np.float32)[:, None, None].repeat(3, -1)
    assert np.all(np.diff(unfaded(values, found), axis=0) > 0)
