"""Consistency: results reduced back against plain averaging by OpenCV; drift against colours moved by a known step."""

import cv2
import numpy as np
import pytest
from skimage import data as photographs
from skimage.metrics import peak_signal_noise_ratio

from crispgrain.core.colour import icc
from crispgrain.core.colour.spaces import WORKING_TO_SRGB, apply_matrix, srgb_encode
from crispgrain.core.files.source import PictureSource
from crispgrain.core.meter import Noise, Reading
from crispgrain.core.render.consistency import Consistency, agreement, drift_between
from crispgrain.core.render.views import Approximate, view_at
from crispgrain.core.shot import Shot
from crispgrain.core.treatment import Treatment
from crispgrain.geometry import Rect

PLAIN = Treatment().only([])
LARGE = PLAIN.set("enlarge.on", True).set("enlarge.model", "lanczos").set("enlarge.factor", 2.0)


def working(stored):
    return icc.to_working(np.ascontiguousarray(stored), icc.profile("srgb"))


@pytest.fixture(scope="module")
def shot(tmp_path_factory):
    stored = np.ascontiguousarray(photographs.coffee()[40:200, 100:340])
    path = tmp_path_factory.mktemp("consistency") / "x.png"
    return Shot(PictureSource(path, stored, icc.profile("srgb")), Reading(Noise()))


def test_what_is_reduced_back_is_the_average_of_each_pixels_own(shot):
    view = Consistency(shot.pipeline(PLAIN), shot.pipeline(LARGE))
    part = Rect(20, 30, 70, 90)
    given, back = view.both(part)
    large = view.after.region(Rect(40, 60, 140, 180))
    assert back == pytest.approx(cv2.resize(large, (90, 70), interpolation=cv2.INTER_AREA), abs=1e-5)
    assert np.array_equal(given, working(shot.source.stored[20:90, 30:120]))
    shown = view.display(0, 0)
    assert shown.shape[:2] == (160, 240) and 120 < shown.mean() < 136


def test_agreement_is_the_psnr_of_scikit_image(shot):
    given, back = Consistency(shot.pipeline(PLAIN), shot.pipeline(LARGE)).both(Rect(0, 0, 160, 240))
    one, other = (np.clip(srgb_encode(apply_matrix(p, WORKING_TO_SRGB)), 0, 1) for p in (given, back))
    assert agreement(given, back) == pytest.approx(peak_signal_noise_ratio(one, other, data_range=1), abs=1e-3)
    assert agreement(given, given) == float("inf")


def test_enlarging_by_our_networks_drifts_less_than_is_seen(shot):
    for model in ("detail-net", "restore-net", "faithful"):
        view = Consistency(shot.pipeline(PLAIN), shot.pipeline(LARGE.set("enlarge.model", model)))
        decibels, drift = view.figures(Rect(0, 0, 160, 240))
        assert drift.difference < 0.5
        assert decibels > (28 if model == "restore-net" else 45)


def test_a_cast_is_found_and_noise_alone_is_none():
    picture = photographs.astronaut()[:256, :256]
    warmer = np.clip(picture * np.array([1.06, 1.0, 0.94]), 0, 255).astype(np.uint8)
    noisy = np.clip(picture + np.random.default_rng(0).normal(0, 6, picture.shape), 0, 255).astype(np.uint8)
    paler = np.clip(picture * 0.8 + 0.2 * picture.mean(axis=-1, keepdims=True), 0, 255).astype(np.uint8)
    cast, noise, pale = (drift_between(working(picture), working(p)) for p in (warmer, noisy, paler))
    assert cast.difference > 2 > 0.5 > noise.difference
    assert pale.chroma_after < 0.85 * pale.chroma_before


def test_pictures_cut_and_tilted_alike_are_compared(shot):
    crop = PLAIN.set("crop.lines", "0.2 0.1 0.25 0.9; 0.8 0.1 0.76 0.9").set("crop.left", 20.0)
    both = Consistency(shot.pipeline(crop), shot.pipeline(crop)).both(Rect(0, 0, 50, 60))
    assert np.array_equal(*both)


def test_pictures_cut_otherwise_are_refused(shot):
    with pytest.raises(ValueError, match="cut or turned"):
        Consistency(shot.pipeline(PLAIN), shot.pipeline(LARGE.set("crop.left", 20.0)))


def test_from_far_away_it_is_approximated(shot):
    exact = Consistency(shot.pipeline(PLAIN), shot.pipeline(LARGE))
    assert isinstance(view_at(exact, 0.3), Approximate)
    assert view_at(exact, 0.6) is exact
    small = exact.reduced(3)
    given, back = small.both(small.size.rect)
    assert given.shape == back.shape
    assert abs(given.shape[1] - 80) <= 1
    assert agreement(given, back) > 30
