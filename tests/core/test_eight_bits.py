"""Networks that compute with 8 bits where that is faster: who gets them, and how little it changes."""

import cv2
import numpy as np
import pytest

from crispgrain.core.files import read_shot
from crispgrain.core.meter import Noise, Reading
from crispgrain.core.model import Stage
from crispgrain.core.networks import ensemble, providers, runtime
from crispgrain.core.render.pipeline import Pipeline
from crispgrain.core.resolve import resolve
from crispgrain.core.treatment import Treatment
from crispgrain.restoration.cells import SIX_BY_SIX
from crispgrain.restoration.demosaic import colour_masks
from crispgrain.simulation import camera
from tests.conftest import photograph, psnr

ROUNDED = sorted(f.name.removesuffix("-8-bits.onnx") for f in runtime.HERE.glob("*-8-bits.onnx"))
here = pytest.mark.skipif(
    not providers.gains_by_8_bits(providers.PROCESSOR), reason="there are no kernels here that gain by it"
)


def inputs_of(name: str, sigma: float = 0.03) -> dict[str, np.ndarray]:
    """A noisy photograph no network was trained on, as a network takes it."""
    truth = photograph("astronaut")[:256, :256].astype(np.float32)
    noisy = np.clip(truth + np.random.default_rng(2).normal(0, sigma, truth.shape), 0, 1).astype(np.float32)
    if name.startswith("mosaic"):
        return {"mosaic": noisy[None, None, ..., 1], "sigma": np.full((1, 1, 128, 128), sigma, np.float32)}
    if name.startswith("six"):
        masks = colour_masks(SIX_BY_SIX, *noisy.shape[:2])
        mosaic = np.select(masks, np.moveaxis(noisy, -1, 0))[None, None].astype(np.float32)
        sigmas = np.full((1, 1, 128, 128), sigma, np.float32)
        return {"mosaic": mosaic, "sigma": sigmas, "measured": np.stack(masks)[None].astype(np.float32)}
    picture = noisy.transpose(2, 0, 1)[None]
    if name.startswith(("detail", "restore")):
        return {"picture": picture}
    if name.startswith("shake"):
        picture = np.concatenate([picture, cv2.blur(truth, (9, 1)).transpose(2, 0, 1)[None]], axis=1)
    conditions = np.zeros((1, 3, 128, 128), np.float32)
    conditions[:, :2] = sigma
    return {"picture": picture, "conditions": conditions}


@pytest.mark.slow
@here
@pytest.mark.parametrize("name", ROUNDED)
def test_8_bits_give_nearly_what_floats_give(name):
    inputs = inputs_of(name)
    exact, quick = runtime.run(name, inputs, exact=True), runtime.run(name, inputs)
    assert not np.array_equal(exact, quick)
    assert psnr(quick, exact) > 50


def test_every_day_networks_are_there_in_both_ways():
    every_day = {"photo", "sharp", "shake", "mosaic", "six-by-six"}
    assert {*(f"{name}-net" for name in every_day), "detail-net-x2", "detail-net-x4"} <= set(ROUNDED)


@here
def test_best_effort_computes_with_floats_and_more_layers_where_there_are(monkeypatch):
    inputs = inputs_of("photo-net")
    best = ensemble.run("photo-net", inputs, "best", ensemble.ROTATIONS[:1])
    assert np.array_equal(best, runtime.run("photo-net-large", inputs, exact=True))
    monkeypatch.setattr(ensemble.runtime, "unavailable", lambda name: "missing" if name.endswith("large") else "")
    best = ensemble.run("photo-net", inputs, "best", ensemble.ROTATIONS[:1])
    assert np.array_equal(best, runtime.run("photo-net", inputs, exact=True))
    assert np.array_equal(ensemble.run("photo-net", inputs, "fast", ()), runtime.run("photo-net", inputs))


@pytest.mark.parametrize(
    ("provider", "there"), [(providers.PROCESSOR, []), ("CUDAExecutionProvider", [providers.KERNELS])]
)
def test_where_8_bits_gain_nothing_floats_are_taken(monkeypatch, provider, there):
    """Neither on a graphics card nor with kernels that take longer for them."""
    monkeypatch.setattr(providers.onnxruntime, "get_available_providers", lambda: [*there, providers.PROCESSOR])
    started = []
    monkeypatch.setattr(runtime, "_started", lambda file, *_: started.append(file.name))
    monkeypatch.setattr(runtime, "_chosen", [provider])
    runtime._session("photo-net")
    assert started == ["photo-net.onnx"]


@here
@pytest.mark.slow
@pytest.mark.parametrize("model", ["mosaic-net", "photo-net"])
def test_tiles_differ_by_a_step_of_rounding_here_and_there_at_most(raw_file, model):
    source = read_shot(raw_file)
    a, b = camera.noise_at(6400)
    reading = Reading(Noise(5, 5, a=(a,) * 3, b=(b,) * 3))
    resolved = resolve(Treatment().only([Stage.DENOISE]).set("denoise.model", model), source, reading)
    large, small = (Pipeline(source, reading, resolved, tile=t) for t in (2048, 64))
    assert small.tile < large.tile
    difference = np.abs(large.region(large.size.rect) - small.region(small.size.rect))
    assert np.quantile(difference, 0.99) < 5e-4
    assert difference.max() < 5e-3
