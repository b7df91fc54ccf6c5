"""A camera's noise, from many of its shots: textured ones too, which mislead the meter one by one."""

from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import cv2
import numpy as np
import pytest
from skimage import data

from crispgrain.core.colour.spaces import srgb_decode
from crispgrain.core.files.source import Facts, RawSource
from crispgrain.core.meter import Reading
from crispgrain.core.meter.mosaic_noise import mosaic_noise
from crispgrain.core.meter.noise_line import fit_line, with_shot_noise
from crispgrain.core.meter.sensor import SensorNoise, at_iso, pooled, told
from crispgrain.simulation import camera
from crispgrain.simulation.dng import write_dng
from crispgrain.store import Store
from crispgrain.store.sensors import known_shot, learn, sensors

# Photographs of scikit-image; every one of them is texture nearly everywhere.
TEXTURED = (
    "astronaut", "brick", "camera", "chelsea", "coffee", "coins", "grass", "gravel", "immunohistochemistry",
    "hubble_deep_field",
)  # fmt: skip


def textured(name: str, edge: int = 900) -> np.ndarray:
    """A linear scene, halved so that eight bits are fine enough, and repeated over the frame."""
    picture = getattr(data, name)()
    picture = np.stack([picture] * 3, axis=-1) if picture.ndim == 2 else picture[..., :3]
    linear = srgb_decode(picture.astype(np.float32) / 255)
    linear = cv2.resize(linear, None, fx=0.5, fy=0.5, interpolation=cv2.INTER_AREA)
    times = -(-edge // min(linear.shape[:2]))
    return np.tile(linear, (times, times, 1))[:edge, :edge] * np.float32(0.9)


def raw(scene: np.ndarray, iso: int, seed: int) -> RawSource:
    which = camera.FIELD_TWO
    return RawSource(
        Path("x.dng"), camera.expose(scene, iso, seed), camera.BAYER[which.pattern],
        np.full((2, 2), which.black, np.float32), float(which.white), np.array(which.balance, np.float32),
        which.to_working, facts=Facts(which.model, iso),
    )  # fmt: skip


@pytest.mark.slow
@pytest.mark.parametrize("iso", [100, 400])
def test_slope_within_10_percent_from_ten_textured_shots(iso):
    a, _ = camera.noise_at(iso)  # the truth
    alone, points = [], []
    for seed, name in enumerate(TEXTURED):
        noise = mosaic_noise(raw(textured(name), iso, seed))
        alone.append(noise.a[1] / a)
        points += noise.points
    assert pooled(points)[0] == pytest.approx(a, rel=0.1)
    assert np.sqrt(np.mean(np.square(np.array(alone) - 1))) > 0.2  # so much for one by one


def points_on(a: float, b: float, excess: np.ndarray) -> np.ndarray:
    signal = np.linspace(0.01, 0.5, len(excess))
    return np.stack([signal, (a * signal + b) * (1 + excess), np.full(len(excess), 2000.0)], axis=1)


def test_points_that_texture_lifted_do_not_lift_the_line():
    lifted = np.random.default_rng(0).exponential(0.5, 200)
    lifted[::8] = 0  # one in eight is noise alone
    a, b = pooled(points_on(4e-5, 2e-7, lifted))
    assert (a, b) == (pytest.approx(4e-5, rel=0.03), pytest.approx(2e-7, rel=0.1))


def test_between_two_isos_noise_grows_evenly_and_beyond_them_nothing_is_said():
    known = {100: SensorNoise(1e-5, 1e-8, 5), 1600: SensorNoise(16e-5, 4e-8, 4)}
    between = at_iso(known, 400)
    assert (between.a, between.b) == (pytest.approx(4e-5), pytest.approx(2e-8))
    assert at_iso(known, 1600) is known[1600]
    assert at_iso(known, 50) is None and at_iso(known, 3200) is None


def test_a_file_that_states_its_noise_is_believed():
    source = raw(np.full((64, 64, 3), 0.2, np.float32), 400, 0)
    sensor = SensorNoise(1e-4, 1e-6, 9)
    assert told(source, Reading(), sensor).noise.a == (1e-4,) * 3
    assert told(source, Reading(), sensor).noise.shots == 9
    assert told(evolved(source), Reading(), sensor) == Reading()


def evolved(source: RawSource) -> RawSource:
    return replace(source, noise_profile=np.full((3, 2), 1e-4))


@pytest.mark.slow
def test_a_shot_is_opened_knowing_what_the_others_of_its_camera_tell(tmp_path):
    """Through files and the store: a flat shot, a gradient, and one that is texture everywhere."""
    ramp = np.broadcast_to(np.linspace(0.02, 0.6, 800, dtype=np.float32)[None, :, None], (800, 800, 3))
    paths = []
    for seed, scene in enumerate((ramp, ramp[:, ::-1], textured("brick", 800))):
        paths.append(tmp_path / f"{seed}.dng")
        values = camera.expose(np.ascontiguousarray(scene), 200, seed)
        write_dng(paths[-1], values, camera.FIELD_TWO, 200, Fraction(1, 60), "2026:03:14 16:20:08", profile=False)
    store = Store(tmp_path / "store.sqlite")
    a, _ = camera.noise_at(200)
    alone = known_shot(paths[2], store).reading.noise
    assert alone.shots == 1 and alone.a[1] > 1.2 * a
    learn(paths, store)
    together = known_shot(paths[2], store).reading.noise
    assert together.shots == 3 and together.a[1] == pytest.approx(a, rel=0.1)
    assert sensors(store, "another camera") == {}
    store.close()
    again = Store(tmp_path / "store.sqlite")
    assert known_shot(paths[2], again).reading.noise == together
    again.close()


# Signal, variance and patches in red, green and blue of a close view of moss, through the simulated camera at ISO 1600.
MOSS = np.array([
    (0.00197, 5e-6, 961), (0.0283, 4.88e-4, 803),
    (0.0023, 2e-6, 1489), (0.0107, 7.3e-5, 1340), (0.0247, 2.7e-4, 1258), (0.0451, 5.5e-4, 971), (0.0685, 1.07e-3, 876),
    (0.1192, 2.64e-3, 1754),
    (0.0015, 2e-6, 860), (0.0151, 1.58e-4, 904),
])  # fmt: skip


def test_a_shot_smooth_only_in_the_dark_is_not_read_as_free_of_shot_noise():
    """Its darkest parts alone are free of texture, and say hardly anything of how noise grows with the signal."""
    a, b = camera.noise_at(1600)
    fitted = fit_line(*MOSS.T)
    assert fitted[0] < 0.1 * a
    mended = with_shot_noise(*fitted, MOSS[:, 0])
    for signal in (0.05, 0.2, 0.5):
        assert np.sqrt((mended[0] * signal + mended[1]) / (a * signal + b)) == pytest.approx(1, abs=0.25)
    assert with_shot_noise(a, b, MOSS[:, 0]) == (a, b)
