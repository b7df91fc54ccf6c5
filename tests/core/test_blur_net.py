"""The network that tells kinds of blur apart, on pictures it has never seen, and what follows where it is not there."""

import cv2
import numpy as np
import pytest
from skimage import data

from crispgrain.core.colour.spaces import srgb_decode
from crispgrain.core.meter import blur, blur_net, measure
from crispgrain.core.networks.runtime import NetworkUnavailableError
from crispgrain.core.shot import Shot
from crispgrain.core.treatment import Treatment
from crispgrain.restoration.point_spread import gaussian
from crispgrain.simulation import camera
from tests.conftest import encoded, photograph, psnr
from tests.core.test_blur_kinds import as_8_bit, blurred_photograph

CLASSES = blur_net.CLASSES
PLAIN = len(blur_net.SOFTNESS)


def blocks_of(*likely: int | None) -> np.ndarray:
    """Logarithms of probabilities of blocks of which each is nearly sure of one class, or of nothing (None)."""
    ends = np.array([blur_net.LEAST, *blur_net.SOFTNESS])
    shares = (1 - blur_net.SHARP) * np.diff(ends) / (ends[-1] - ends[0])
    shares[0] += blur_net.SHARP
    unsure = np.log(np.concatenate([0.7 * shares, np.full(CLASSES - PLAIN, 0.1)]))
    sure = np.log(np.full((CLASSES, CLASSES), 0.05 / CLASSES) + 0.95 * np.eye(CLASSES))
    return np.array([unsure if i is None else sure[i] for i in likely])


@pytest.mark.parametrize(("number", "least", "most"), [(0, 0.0, 0.35), (3, 0.75, 1.0), (5, 1.3, 1.7)])
def test_blocks_in_focus_decide_over_those_that_fit_anything(number, least, most):
    told = blur_net.softness(blocks_of(None, None, number, None, number, None))
    assert least <= told <= most + 0.1


def test_where_no_block_tells_nothing_is_known():
    """Equal shares of all: the middle of what may be, by far not 0."""
    assert blur_net.softness(blocks_of(None, None, None)) == pytest.approx(1.2, abs=0.3)


def test_a_path_is_weighed_against_all_softness_together():
    shaken = PLAIN + blur_net.KINDS.index("shake")
    seen = blur_net.against_plain(blocks_of(shaken, 0))
    assert seen.shape == (2, len(blur_net.KINDS))
    assert seen[0].argmax() == blur_net.KINDS.index("shake") and seen[0].max() > 2
    assert seen[1].max() < -2
    # 0.1 each against 0.7 of all that is plain.
    assert blur_net.against_plain(blocks_of(None))[0] == pytest.approx(np.log(1 / 7), abs=1e-6)


def test_no_more_blocks_than_needed_are_looked_at():
    y = np.asarray(data.camera()[:128, :128], np.float32) / 255
    assert len(blur_net.log_probabilities(np.stack([y] * 60))) <= blur_net.MOST
    each = blur_net.log_probabilities(np.stack([y] * 5))
    assert each.shape == (5, CLASSES)
    assert np.exp(each).sum(axis=1) == pytest.approx(1, abs=1e-4)


@pytest.mark.slow
@pytest.mark.parametrize("sigma", [0.0, 1.2])
@pytest.mark.parametrize("name", ["astronaut", "coffee", "rocket"])
def test_softness_of_photographs_is_that_of_their_blur(tmp_path, name, sigma):
    spread = gaussian(sigma) if sigma else np.ones((1, 1), np.float32)
    found = measure(blurred_photograph(tmp_path, name, spread)).blur
    assert found.kind == ("soft lens" if sigma else "none")
    assert found.softness == pytest.approx(sigma or 0.2, abs=0.3)


@pytest.mark.parametrize("sigma", [0.0, 0.5])
def test_half_a_pixel_of_blur_is_undone_and_none_is_not(tmp_path, sigma):
    truth = photograph("chelsea")
    spread = gaussian(sigma) if sigma else np.ones((1, 1), np.float32)
    source = as_8_bit(tmp_path, camera.blur_with(srgb_decode(truth), spread), 0.7)
    shot = Shot(source, measure(source))
    plain, metered = (
        encoded(shot.pipeline(t).region(source.size.rect)) for t in (Treatment().set("sharpen.on", False), Treatment())
    )
    assert np.array_equal(plain, metered) if not sigma else psnr(metered, truth) > psnr(plain, truth) + 2


def shallow() -> np.ndarray:
    """A sharp subject small before leaves far out of focus, linear."""
    leaves, subject = (srgb_decode(getattr(data, n)().astype(np.float32) / 255) for n in ("chelsea", "astronaut"))
    leaves = cv2.resize(leaves[:300, :300], (640, 640), interpolation=cv2.INTER_CUBIC)
    leaves = camera.blur_with(np.clip(leaves, 0, 1), camera.disc(4.0))
    leaves[200:430, 230:430] = subject[20:250, 130:330]
    return leaves


@pytest.mark.slow
def test_what_is_sharp_before_soft_leaves_makes_a_picture_sharp(tmp_path):
    scene = shallow()
    sources = [as_8_bit(tmp_path, camera.blur_with(scene, gaussian(s)), 0.7) for s in (0.15, 0.8, 1.3)]
    sharp, less, soft = (measure(source) for source in sources)
    assert sharp.blur.softness < 0.5
    assert blur.softness_of_edges(sources[0], sharp.noise) > 0.8  # the leaves have most of the edges
    assert soft.blur.softness == pytest.approx(1.3, abs=0.35)
    assert all(reading.blur.kind in blur.PLAIN for reading in (sharp, less, soft))


@pytest.mark.slow
def test_a_shake_that_left_few_edges_is_seen(tmp_path):
    found = measure(blurred_photograph(tmp_path, "chelsea", camera.shake_path(20, seed=5))).blur
    assert found.kind == "shake"
    assert 10 < found.length < 40  # good to a factor of two


@pytest.mark.parametrize("light", ["black", "grey", "dusk", "haze"])
def test_where_there_is_no_edge_nothing_is_soft_and_nothing_moved(tmp_path, light):
    """A network that sees next to nothing finds it soft: it is not asked."""
    y, x = np.mgrid[:300, :400] / 300
    linear = {"black": 0 * x, "grey": 0 * x + 0.2, "dusk": 0.1 + 0.3 * y, "haze": 0.3 + 0.1 * np.sin(12 * x + 5 * y)}
    found = measure(as_8_bit(tmp_path, np.dstack([linear[light].astype(np.float32)] * 3), 0)).blur
    assert (found.kind, found.softness) == ("none", 0.0)


@pytest.mark.slow
def test_without_the_network_the_meter_goes_by_edges_and_spectrum(tmp_path, monkeypatch):
    def missing(blocks):
        raise NetworkUnavailableError("not installed")

    source = blurred_photograph(tmp_path, "astronaut", gaussian(1.2))
    monkeypatch.setattr(blur_net, "log_probabilities", missing)
    found = measure(source).blur
    assert found.kind == "soft lens"
    assert found.softness == pytest.approx(blur.softness_of_edges(source, measure(source).noise))
