"""The path of an unsteady hand, found in the picture."""

import numpy as np
import pytest
from scipy import ndimage, signal

from crispgrain.core.colour.spaces import SRGB_TO_WORKING, apply_matrix, luminance, srgb_decode
from crispgrain.core.meter import Noise, Reading
from crispgrain.core.networks import runtime
from crispgrain.core.stages.sharpen import shake_net
from crispgrain.core.stages.sharpen import shake_path as shake_path_module
from crispgrain.core.stages.sharpen.shake import MODEL
from crispgrain.core.stages.sharpen.shake_path import find_path, path_in, promising_patch
from crispgrain.restoration import blind, point_spread
from crispgrain.simulation.camera import shake_path
from tests.conftest import encoded, photograph, psnr
from tests.core.test_sharpen import blurred, disc, source_of, treated, wrong_path

NOISE = Reading(Noise.even(2.55))


def likeness(path: np.ndarray, true: np.ndarray) -> float:
    """The greatest correlation over all shifts (Z. Hu, M.-H. Yang, "Good regions to deblur", ECCV 2012)."""
    true = np.pad(true, 24)
    return signal.correlate(true, path).max() / np.sqrt(np.square(true).sum() * np.square(path).sum())


def shaken(name: str, path: np.ndarray) -> np.ndarray:
    """A shaken photograph, linear, in the working space."""
    return apply_matrix(srgb_decode(blurred(photograph(name), path) / np.float32(255)), SRGB_TO_WORKING)


def test_the_path_found_has_its_centre_in_the_middle():
    truth = photograph("coffee")
    y = luminance(srgb_decode(blurred(truth, shake_path(14, 2)) / np.float32(255)))
    path = blind.estimate(y, 35, 0.01)
    assert path.sum() == pytest.approx(1, abs=1e-5)
    assert np.allclose(ndimage.center_of_mass(path), len(path) // 2, atol=0.3)


def test_the_path_found_is_like_the_true_one():
    true = shake_path(14, 2)
    y = luminance(srgb_decode(blurred(photograph("coffee"), true) / np.float32(255)))
    found = likeness(blind.estimate(y, 25, 0.01), true)
    assert found > 0.8 and found > 1.1 * max(likeness(disc(r), true) for r in (1, 2, 3, 4, 5, 6))


@pytest.mark.parametrize("shape", [(40, 52), (32, 15), (24, 300), (9, 7)])
def test_a_picture_smaller_than_the_longest_path_still_gets_one(shape):
    patch = np.random.default_rng(3).uniform(0, 1, shape).astype(np.float32)
    for y in (patch, np.full_like(patch, 0.3)):
        for path in (blind.estimate(y, 35, 0.01), path_in(np.repeat(y[..., None], 3, axis=2), 0.01, 35)):
            assert np.isfinite(path).all() and path.sum() == pytest.approx(1, abs=1e-4)
            assert path.shape[0] == path.shape[1]


def test_the_patch_looked_at_has_edges_both_ways(tmp_path):
    stored = np.full((900, 1800, 3), 128, np.uint8)
    stored[:, 0:800:20] = 20  # upright stripes
    stored[500:640, 1300:1460] = np.indices((140, 160)).sum(0)[..., None] // 10 % 2 * 200  # a slanting pattern
    stored[500:640:14, 1300:1460] = 90
    patch = promising_patch(source_of(stored, tmp_path))
    assert patch.left < 1460 and patch.right > 1300 and patch.left > 600


def test_what_was_seen_sharp_explains_the_path():
    true = shake_path(14, 2)
    sharp, soft = luminance(srgb_decode(photograph("coffee"))), luminance(shaken("coffee", true))
    assert likeness(blind.explained(sharp, soft, 25, 0.01), true) > 0.95


def test_a_path_all_in_small_pieces_is_still_a_path():
    """Forty-nine dots, as if the picture were there many times."""
    dots = np.zeros((41, 41), np.float32)
    dots[2::6, 2::6] = 1 / 49
    sharp, soft = luminance(srgb_decode(photograph("coffee"))), luminance(shaken("coffee", dots))
    found = blind.explained(sharp, soft, 41, 0.0)
    assert np.isfinite(found).all() and found.sum() == pytest.approx(1, abs=1e-4)


def test_a_path_found_wrong_is_better_after_what_the_network_sees(tmp_path, monkeypatch):
    """Better for the picture: how like the true one a path is says little of that (training/README.md)."""
    true, truth = shake_path(16, 3), photograph("coffee")
    wrong = point_spread.from_text(wrong_path(true))
    monkeypatch.setattr(blind, "estimate", lambda *_: wrong)
    source, pixels = source_of(blurred(truth, true), tmp_path), shaken("coffee", true)
    found = path_in(pixels, 0.01, 31)
    assert found.sum() == pytest.approx(1, abs=1e-5) and len(found) % 2 == 1 and len(found) <= 31
    undone = {
        name: psnr(encoded(treated(source, NOISE, model="shake", path=point_spread.as_text(path))), truth)
        for name, path in {"wrong": wrong, "found": found}.items()
    }
    assert undone["found"] > undone["wrong"] + 0.5


def test_without_the_network_the_path_is_what_the_edges_say(monkeypatch):
    pixels = shaken("coffee", shake_path(14, 2))
    monkeypatch.setattr(runtime, "unavailable", lambda name: "gone" if name == shake_net.NAME else "")
    by_edges = np.pad(shake_path(9, 4), 5)
    monkeypatch.setattr(blind, "estimate", lambda *_: by_edges)
    assert np.array_equal(path_in(pixels, 0.01, 35), blind.trimmed(by_edges))


def test_a_path_grows_no_longer_than_is_asked_for(monkeypatch):
    monkeypatch.setattr(blind, "estimate", lambda *_: point_spread.line(9, 20))
    pixels = shaken("coffee", shake_path(24, 2))[:160, :160]
    assert len(path_in(pixels, 0.01, 11)) == 11 < len(path_in(pixels, 0.01, 31))


def test_a_path_is_shown_with_room_to_correct_it(tmp_path, monkeypatch):
    found = point_spread.line(9, 20)
    monkeypatch.setattr(shake_path_module, "path_in", lambda *_: found)
    shown = find_path(source_of(photograph("coffee"), tmp_path), 0.01, 25)
    assert shown.shape == (25, 25)
    assert np.array_equal(blind.trimmed(shown), blind.trimmed(found))


def test_room_around_a_path_changes_nothing(tmp_path):
    source, path = source_of(blurred(photograph("coffee"), shake_path(9, 3))[:96, :96], tmp_path), shake_path(9, 3)
    tight, wide = (
        treated(source, NOISE, model="shake", path=point_spread.as_text(p)) for p in (path, np.pad(path, 12))
    )
    assert np.array_equal(tight, wide)


def test_a_short_path_has_the_margin_the_network_needs():
    """The network looks farther than a short path reaches."""
    path = point_spread.as_text(shake_path(8, 3))
    assert MODEL.margin({"path": path, "longest": 25.0}, None) >= shake_net.REACH
