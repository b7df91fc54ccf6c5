"""Holes filled, and dust found, against the picture that was there."""

from dataclasses import replace

import cv2
import numpy as np
import pytest
from skimage import restoration

from crispgrain.core.masks import Brush, Ground, Lasso, Specks, Stroke
from crispgrain.core.masks.extent import of_source
from crispgrain.core.model import Stage
from crispgrain.core.render.pipeline import Pipeline
from crispgrain.core.resolve import resolve
from crispgrain.restoration.filling import REACH, filled
from tests.conftest import photograph
from tests.core.test_mask_shapes import PLAIN, READING, remembering, source_of


def scratched(seed: int = 1):
    """A photograph with grain, one with lines and spots of white, and where these are."""
    rng = np.random.default_rng(seed)
    clean = cv2.resize(photograph("astronaut"), (500, 400), interpolation=cv2.INTER_CUBIC).astype(np.float32)
    clean = np.clip(clean + rng.standard_normal(clean.shape).astype(np.float32) * 0.02, 0, 1)
    hole = np.zeros(clean.shape[:2], np.uint8)
    for x1, y1, x2, y2 in (rng.uniform(0, 1, (10, 4)) * (500, 400, 500, 400)).astype(int):
        cv2.line(hole, (int(x1), int(y1)), (int(x2), int(y2)), 1, int(rng.integers(1, 6)))
    for x, y in (rng.uniform(0, 1, (15, 2)) * (500, 400)).astype(int):
        cv2.circle(hole, (int(x), int(y)), int(rng.integers(2, 9)), 1, -1)
    return clean, np.where(hole[..., None] > 0, np.float32(1), clean), hole > 0


def psnr(one, other, where) -> float:
    return float(-10 * np.log10(np.mean((np.clip(one, 0, 1)[where] - other[where]) ** 2)))


def test_a_hole_is_filled_as_well_as_by_published_methods_and_keeps_its_grain():
    clean, spoilt, hole = scratched()
    stored = (spoilt * 255).astype(np.uint8)
    others = [  # A. Telea 2004, M. Bertalmio et al. 2001, S. Damelin, N. Hoang 2018, as these libraries have them
        cv2.inpaint(stored, hole.astype(np.uint8), 5, cv2.INPAINT_TELEA) / 255,
        cv2.inpaint(stored, hole.astype(np.uint8), 5, cv2.INPAINT_NS) / 255,
        restoration.inpaint_biharmonic(spoilt, hole, channel_axis=2, split_into_regions=True),
    ]
    plain, grained = filled(spoilt, hole, 0.0), filled(spoilt, hole)
    reached = sorted(psnr(o, clean, hole) for o in others)
    assert psnr(plain, clean, hole) > reached[1]
    assert psnr(grained, clean, hole) > reached[0] - 1.5  # a grain of its own is not that which was there

    def fine(pixels):
        return (pixels - cv2.GaussianBlur(pixels, (0, 0), 1))[hole].var()

    assert fine(plain) < 0.3 * fine(clean) and 0.4 * fine(clean) < fine(grained) < 1.2 * fine(clean)
    for result in (plain, grained):
        np.testing.assert_array_equal(result[~hole], spoilt[~hole])


def test_what_nothing_is_known_of_stays_as_it_is():
    _, spoilt, _ = scratched()
    everything = np.ones(spoilt.shape[:2], bool)
    np.testing.assert_array_equal(filled(spoilt, everything), spoilt)
    large = np.pad(np.zeros((300, 300), bool), 100, constant_values=True)
    large = ~large
    result = filled(np.zeros((500, 500, 3), np.float32) + large[..., None], large)
    assert result[110, 250].max() < 0.01 and np.isfinite(result).all()


def test_dust_and_scratches_are_found_and_little_else():
    rng = np.random.default_rng(3)
    clean = cv2.cvtColor(cv2.resize(photograph("coffee"), (1200, 900)).astype(np.float32), cv2.COLOR_RGB2GRAY)
    clean = (
        0.1 + 0.8 * clean + cv2.GaussianBlur(rng.standard_normal(clean.shape).astype(np.float32), (0, 0), 1.1) * 0.03
    )
    spoilt = clean.copy()
    for x, y in (rng.uniform(0, 1, (60, 2)) * (1200, 900)).astype(int):
        cv2.circle(spoilt, (int(x), int(y)), int(rng.integers(2, 4)), float(rng.choice((0.02, 1.0))), -1, cv2.LINE_AA)
    for x, y in (rng.uniform(0, 1, (10, 2)) * (1200, 600)).astype(int):
        cv2.line(spoilt, (int(x), int(y)), (int(x + rng.normal(0, 12)), int(y) + 250), 1.0, 2, cv2.LINE_AA)
    truth = np.abs(spoilt - clean) > 0.15
    stored = np.repeat((np.clip(spoilt, 0, 1) * 255).astype(np.uint8)[..., None], 3, axis=2)
    near = cv2.dilate(truth.astype(np.uint8), np.ones((7, 7))) > 0
    ground = Ground.of(source_of(stored), remembering())
    shares = []
    for sensitivity in (20, 50, 80):
        mask = of_source(Specks(sensitivity), ground) > 0.5
        shares.append(float((mask & truth).sum() / truth.sum()))
        assert (mask & ~near).mean() < 0.004
    assert shares[0] <= shares[1] <= shares[2] and shares[1] > 0.75
    least, most = (of_source(Specks(sensitivity), ground).sum() for sensitivity in (0, 100))
    assert least < most
    nothing = Ground.of(source_of(np.full((200, 300, 3), 90, np.uint8)), remembering())
    assert of_source(Specks(100), nothing).max() == 0


@pytest.mark.slow
@pytest.mark.parametrize(
    "mask",
    [Specks(60), Brush((Stroke(((0.1, 0.3), (0.9, 0.4)), 0.01, 0.2),)), Lasso(((0.4, 0.4), (0.6, 0.45), (0.5, 0.6)))],
    ids=("dust", "wire", "object"),
)
def test_what_is_covered_is_gone_the_rest_is_untouched_and_tiles_do_not_matter(mask):
    _, spoilt, _ = scratched()
    source = source_of((spoilt * 255).astype(np.uint8))
    treatment, zone = PLAIN.with_zone(Stage.DEVELOP, mask, "fill")

    def result(treatment, tile):
        pipeline = Pipeline(source, READING, resolve(treatment, source, READING), tile=tile)
        return pipeline, pipeline.region(pipeline.size.rect)

    plain, (pipeline, whole) = result(PLAIN, 512)[1], result(treatment, 512)
    share = mask.values(pipeline.steps[-1].after, pipeline.ground, pipeline.size.rect)
    assert 0 < (share == 1).mean() < 0.2
    np.testing.assert_array_equal(whole[share == 0], plain[share == 0])
    assert np.abs(whole - plain)[share == 1].mean() > 0.01
    np.testing.assert_allclose(result(treatment, 64)[1], whole, atol=1e-4)
    off = result(treatment.set(f"{zone}.on", False), 128)[1]
    np.testing.assert_array_equal(off, plain)
    assert REACH >= 96


def test_sensitivity_and_size_are_kept():
    mask = Specks(70.0, 0.01)
    treatment, zone = PLAIN.with_zone(Stage.DEVELOP, mask, "fill")
    again = type(treatment).from_json(treatment.as_json())
    assert again.find(zone).mask == mask and again.find(zone).model == "fill"
    assert replace(mask, largest=0.004) != mask
