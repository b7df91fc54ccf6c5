"""The trained networks as models: quality on pictures never trained on, every sensor phase, missing files."""

from dataclasses import replace

import numpy as np
import pytest
from skimage import data

from crispgrain.core.colour.spaces import SRGB_TO_WORKING, apply_matrix, srgb_decode
from crispgrain.core.files import read_shot
from crispgrain.core.meter import Noise, Reading, measure
from crispgrain.core.model import Stage
from crispgrain.core.networks import runtime
from crispgrain.core.registry import models_of
from crispgrain.core.render.pipeline import Pipeline
from crispgrain.core.treatment import Treatment, resolve
from crispgrain.demo import camera
from tests.conftest import encoded, psnr, write_raw

NET = Treatment().only([Stage.DENOISE]).set("denoise.model", "mosaic-net")


def treated(source, treatment, reading) -> np.ndarray:
    pipeline = Pipeline(source, reading, resolve(treatment, source, reading))
    return encoded(pipeline.region(pipeline.size.rect))


@pytest.fixture
def fresh_sessions():
    """Sessions are remembered for the life of the program; tests that break files must not leave that behind."""
    runtime._session.cache_clear()
    runtime.problem.cache_clear()
    yield
    runtime._session.cache_clear()
    runtime.problem.cache_clear()


def photograph(name: str) -> np.ndarray:
    """A crop of a photograph shipped with scikit-image, linear, working space; never trained on."""
    crop = getattr(data, name)()[60:316, 90:346].astype(np.float32) / 255
    return apply_matrix(srgb_decode(crop), SRGB_TO_WORKING)


@pytest.mark.parametrize("iso", [6400, 25600])
def test_the_mosaic_net_beats_the_classical_model_on_photographs(tmp_path, iso):
    gains = []
    for name in ("astronaut", "coffee", "chelsea"):
        truth = photograph(name)
        source = read_shot(write_raw(tmp_path / f"{name}.dng", truth, iso))
        reading = measure(source)
        net, classical = (
            psnr(treated(source, NET.set("denoise.model", m), reading), encoded(truth))
            for m in ("mosaic-net", "mosaic-dct")
        )
        gains.append(net - classical)
    assert np.mean(gains) > 0.7


@pytest.mark.parametrize("pattern", camera.BAYER)
def test_every_sensor_phase_gives_the_same_quality(tmp_path, clean, pattern):
    soft = camera.lens_softness(clean[:200, :240], 0.6)
    source = read_shot(write_raw(tmp_path / "p.dng", soft, 3200, camera.Camera(pattern=pattern)))
    a, b = camera.noise_at(3200)
    reading = Reading(Noise(5, 5, a=(a,) * 3, b=(b,) * 3))
    reference = read_shot(write_raw(tmp_path / "r.dng", soft, 3200))
    truth = encoded(soft)
    got, expected = (psnr(treated(s, NET, reading), truth) for s in (source, reference))
    assert got == pytest.approx(expected, abs=0.3)


def test_strengths_of_luminance_and_colour_are_apart(tmp_path):
    even = np.full((128, 128, 3), 0.2, np.float32)
    source = read_shot(write_raw(tmp_path / "p.dng", even, 6400))
    reading = measure(source)

    def left(treatment: Treatment) -> tuple[float, float]:
        picture = treated(source, treatment, reading)
        grey = picture.mean(axis=-1, keepdims=True)
        return float(grey.std()), float((picture - grey).std())

    full = left(NET)
    weak_luminance = left(NET.set("denoise.luminance", 30))
    weak_colour = left(NET.set("denoise.colour", 30))
    assert weak_luminance[0] > 2 * full[0]
    assert weak_luminance[1] < 1.5 * full[1] + 0.002
    assert weak_colour[1] > 2 * full[1]
    assert weak_colour[0] < 1.5 * full[0] + 0.002


@pytest.mark.parametrize("shape", [(2, 2), (2, 40), (6, 10), (34, 62)])
def test_small_and_odd_sizes(tmp_path, shape):
    whole = read_shot(write_raw(tmp_path / "p.dng", np.full((64, 64, 3), 0.3, np.float32), 1600))
    source = replace(whole, mosaic=whole.mosaic[: shape[0], : shape[1]].copy())  # LibRaw itself refuses the tiniest
    a, b = camera.noise_at(1600)
    result = treated(source, NET, Reading(Noise(5, 5, a=(a,) * 3, b=(b,) * 3)))
    assert result.shape == (*shape, 3)
    assert np.isfinite(result).all()


@pytest.mark.parametrize("level", [0.0, 8.0])
def test_all_black_and_all_clipped(tmp_path, level):
    source = read_shot(write_raw(tmp_path / "p.dng", np.full((64, 64, 3), level, np.float32), 1600))
    a, b = camera.noise_at(1600)
    result = treated(source, NET, Reading(Noise(5, 5, a=(a,) * 3, b=(b,) * 3)))
    assert np.abs(result - min(level, 1)).max() < 0.06


@pytest.mark.parametrize("damage", ["missing", "damaged"])
def test_a_missing_or_damaged_file_disables_the_model_with_a_message(
    tmp_path, raw_file, monkeypatch, fresh_sessions, damage
):
    monkeypatch.setattr(runtime, "HERE", tmp_path)
    if damage == "damaged":
        (tmp_path / "mosaic-net.onnx").write_bytes(b"not a network")
    assert "mosaic-net" not in [m.id for m in models_of(Stage.DENOISE)]
    source = read_shot(raw_file)
    reading = measure(source)
    resolved = resolve(NET, source, reading)
    assert resolved[Stage.DENOISE].model.id == "mosaic-dct"
    assert any("network mosaic-net" in r for r in resolved.remarks)
    with pytest.raises(runtime.NetworkUnavailableError):
        runtime.run("mosaic-net", {})
