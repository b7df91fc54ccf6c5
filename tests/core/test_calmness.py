"""Calmness: grain that Denoise leaves is not enlarged with the subject."""

from pathlib import Path

import numpy as np
import pytest
from attrs import evolve

from crispgrain.core.colour import icc
from crispgrain.core.files import PictureSource
from crispgrain.core.masks import Oval
from crispgrain.core.meter import Noise, Reading
from crispgrain.core.meter.reading import Compression
from crispgrain.core.model import Stage
from crispgrain.core.render.pipeline import Pipeline
from crispgrain.core.resolve import resolve
from crispgrain.core.treatment import Treatment
from crispgrain.geometry import Size
from tests.conftest import encoded, photograph, psnr

NET = Treatment().only([Stage.ENLARGE]).set("enlarge.model", "detail-net").set("enlarge.factor", 2)


def calmness(treatment, reading):
    source = PictureSource("x.png", np.zeros((32, 32, 3), np.uint8), icc.profile("srgb"))
    return resolve(treatment, source, reading)[Stage.ENLARGE].values["calmness"]


def test_it_follows_what_denoise_leaves():
    noisy = Reading(Noise.even(8))
    denoised = NET.set("denoise.on", True).set("denoise.model", "photo-net")
    assert calmness(NET, Reading(Noise.even(0.5))) == 0
    assert calmness(NET, noisy) == 60
    assert calmness(denoised, noisy) == 0
    partly = denoised.set("denoise.luminance", 50.0).set("denoise.colour", 50.0)
    assert 0 < calmness(partly, Reading(Noise.even(14))) < calmness(NET, Reading(Noise.even(14)))
    assert calmness(NET, Reading(Noise.even(0.5), jpeg=Compression(quality=60))) >= 40
    assert calmness(NET.set("enlarge.calmness", 0.0), noisy) == 0
    assert calmness(NET.set("enlarge.calmness", 90.0), Reading(Noise.even(0.5))) == 90


@pytest.mark.slow
def test_a_noisy_picture_comes_out_nearer_to_the_truth():
    truth = photograph("coffee")[:192, :192].astype(np.float32)
    small = truth.reshape(96, 2, 96, 2, 3).mean((1, 3))
    noisy = np.clip(small + np.random.default_rng(3).standard_normal(small.shape) * 8 / 255, 0, 1).astype(np.float32)
    source, reading = PictureSource("x.png", noisy, icc.profile("srgb")), Reading(Noise.even(8), size=Size(96, 96))
    found = {}
    for name, treatment in (("all", NET.set("enlarge.calmness", 0.0)), ("metered", NET)):
        pipeline = Pipeline(source, reading, resolve(treatment, source, reading))
        found[name] = psnr(encoded(pipeline.region(pipeline.size.rect)), truth)
    assert found["metered"] > found["all"] + 0.4


@pytest.mark.slow
def test_it_is_calm_where_a_mask_says_so():
    pixels = (photograph("coffee")[:160, :200] * 255).astype(np.uint8)
    source, reading = PictureSource(Path("x.png"), pixels, icc.profile("srgb")), Reading(Noise.even(0.5))
    mask = Oval((-1.0, -1.0), (0.5, 2.0), 0.001, True)
    results = {}
    for name, calm, where in (("none", 0.0, None), ("all", 60.0, None), ("left", 60.0, mask)):
        treatment = NET.set("enlarge.calmness", calm)
        treatment = treatment.put(evolve(treatment[Stage.ENLARGE], mask=where))
        again = Treatment.from_json(treatment.as_json())
        pipeline = Pipeline(source, reading, resolve(again, source, reading), tile=320)
        results[name] = pipeline.region(pipeline.size.rect)
    half = results["left"].shape[1] // 2
    np.testing.assert_allclose(results["left"][:, : half - 4], results["all"][:, : half - 4], atol=1e-5)
    np.testing.assert_allclose(results["left"][:, half + 4 :], results["none"][:, half + 4 :], atol=1e-5)
    assert np.abs(results["all"] - results["none"]).mean() > 1e-3


def test_a_model_that_does_not_heed_the_mask_says_so():
    source, reading = PictureSource("x.png", np.zeros((32, 32, 3), np.uint8), icc.profile("srgb")), Reading()
    for model, heard in (("detail-net", True), ("lanczos", False)):
        treatment = NET.set("enlarge.model", model)
        treatment = treatment.put(evolve(treatment[Stage.ENLARGE], mask=Oval((0.2, 0.2), (0.8, 0.8))))
        said = resolve(treatment, source, reading)[Stage.ENLARGE].remarks
        assert any("mask" in words for words in said) is not heard
