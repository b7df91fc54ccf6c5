"""Shots for the tests, made by the simulated camera from the committed scenes."""

from __future__ import annotations

import gc
from fractions import Fraction
from pathlib import Path

import numpy as np
import pytest
from PIL import Image
from skimage import data

from crispgrain.arrays import Array
from crispgrain.core.colour import icc
from crispgrain.core.colour.spaces import SRGB_TO_WORKING, apply_matrix, srgb_decode
from crispgrain.core.networks import providers
from crispgrain.core.render.pipeline import Pipeline
from crispgrain.demo.roll import scene
from crispgrain.geometry import Rect
from crispgrain.simulation import camera
from crispgrain.simulation.dng import write_dng
from crispgrain.threads import single_threaded_libraries

# The engraved rim with its numerals and ticks, a wheel, felt in the corner.
DETAIL = Rect(1900, 900, 384, 512)


THREADS = single_threaded_libraries()  # tests run side by side, in a process for each core


def pytest_collection_finish() -> None:
    """What imports have made stays: each collection that looks through it again costs a fifth of a second."""
    gc.collect()
    gc.freeze()


@pytest.fixture(autouse=True)
def _own_folders(tmp_path_factory: pytest.TempPathFactory, monkeypatch: pytest.MonkeyPatch) -> None:
    """Presets and the demo roll of the tests stay out of the user's own folders."""
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path_factory.mktemp("data")))
    monkeypatch.setenv("XDG_CONFIG_HOME", str(tmp_path_factory.mktemp("config")))


@pytest.fixture
def floats(monkeypatch: pytest.MonkeyPatch) -> None:
    """Networks compute with floats, so that what depends on tiles shows."""
    monkeypatch.setattr(providers, "gains_by_8_bits", lambda provider: False)


@pytest.fixture(scope="session")
def clean() -> Array:
    """A clean linear detail of the orrery, 384 x 512 x 3, working space."""
    return np.ascontiguousarray(scene("orrery")[DETAIL.slices])


def write_raw(path: Path, clean: Array, iso: int = 6400, which: camera.Camera = camera.FIELD_TWO) -> Path:
    """A DNG of a clean scene at an ISO."""
    values = camera.expose(clean, iso, seed=3, camera=which)
    write_dng(path, values, which, iso, Fraction(1, 60), "2026:03:14 16:20:08", "The rim of the orrery")
    return path


def photograph(name: str) -> np.ndarray:
    """A crop of 256 x 256 of a photograph shipped with scikit-image, sRGB-encoded 0..1."""
    return getattr(data, name)()[60:316, 100:356].astype(np.float32) / 255


def photograph_as_raw(path: Path, name: str, iso: int) -> tuple[Path, Array]:
    """The photograph through the simulated camera, and its clean linear truth in the working space."""
    clean = apply_matrix(srgb_decode(photograph(name)), SRGB_TO_WORKING)
    return write_raw(path, clean, iso), clean


@pytest.fixture(scope="session")
def raw_file(tmp_path_factory: pytest.TempPathFactory, clean: Array) -> Path:
    """The detail as a DNG at ISO 6400."""
    return write_raw(tmp_path_factory.mktemp("raw") / "rim-6400.dng", clean)


@pytest.fixture(scope="session")
def clean8(clean: Array) -> np.ndarray:
    """The clean detail as 8-bit sRGB."""
    return icc.from_working(clean, icc.profile("srgb"), 8)


def save_noisy_jpeg(path: Path, clean8: np.ndarray, sigma: float = 12, quality: int = 95) -> Path:
    noisy = clean8 + np.random.default_rng(4).normal(0, sigma, clean8.shape)
    Image.fromarray(np.clip(noisy, 0, 255).astype(np.uint8)).save(path, quality=quality, subsampling=0)
    return path


@pytest.fixture
def roll_folder(tmp_path: Path, raw_file: Path, clean8: np.ndarray) -> Path:
    """A mixed folder: a RAW, a noisy JPEG, a clean PNG, a broken JPEG and a file that is no picture."""
    folder = tmp_path / "roll"
    folder.mkdir()
    (folder / "a-rim.dng").write_bytes(raw_file.read_bytes())
    save_noisy_jpeg(folder / "b-noisy.jpg", clean8)
    Image.fromarray(clean8[:200, :240]).save(folder / "c-clean.png")
    data = (folder / "b-noisy.jpg").read_bytes()
    (folder / "d-broken.jpg").write_bytes(data[: len(data) // 2])
    (folder / "notes.txt").write_text("not a picture")
    return folder


@pytest.fixture
def strange_folder(tmp_path: Path, raw_file: Path, clean8: np.ndarray) -> Path:
    """Every kind of file a photographer's disk can hold, good ones (``ok-``) and bad ones (``bad-``)."""
    folder = tmp_path / "strange"
    folder.mkdir()
    small = clean8[:60, :80]
    Image.fromarray(small).save(folder / "whole.jpg", quality=90)
    jpeg = (folder / "whole.jpg").read_bytes()
    (folder / "whole.jpg").unlink()
    raw = raw_file.read_bytes()
    (folder / "bad-empty.jpg").touch()
    (folder / "bad-text.dng").write_text("dear diary " * 100)
    (folder / "bad-cut.dng").write_bytes(raw[: len(raw) // 2])
    (folder / "bad-cut.jpg").write_bytes(jpeg[: len(jpeg) // 2])
    (folder / "bad-unreadable.jpg").symlink_to("/proc/self/mem")  # opens, but reading fails
    Image.new("RGB", (1, 1), (120, 110, 100)).save(folder / "ok-one-pixel.png")
    Image.fromarray(np.dstack([small, np.full(small.shape[:2], 90, np.uint8)])).save(folder / "ok-alpha.png")
    Image.fromarray(small).convert("CMYK").save(folder / "ok-cmyk.jpg")
    Image.fromarray(small.astype(np.uint16)[..., 1] * 257).save(folder / "ok-grey16.png")
    return folder


def assert_same_in_tiles(small: Pipeline, large: Pipeline, part: Rect) -> np.ndarray:
    """Of a model that has the same tiles everywhere; gives how far ``part`` differs when it is made on its own."""
    whole = small.region(small.size.rect)
    assert np.array_equal(whole, large.region(large.size.rect))
    # What the network rounds otherwise may rarely make other blocks the most alike.
    difference = np.abs(small.untiled(part) - whole[part.slices])
    assert np.median(difference) < 2e-5
    assert np.sqrt(np.square(difference).mean()) < 0.05 / 255
    return difference


def psnr(a: np.ndarray, b: np.ndarray) -> float:
    """PSNR in dB of values 0..1."""
    return float(-10 * np.log10(np.mean(np.square(np.asarray(a, float) - b)) + 1e-20))


def encoded(pixels: Array) -> np.ndarray:
    """Working-space pixels as sRGB values 0..1."""
    return icc.from_working(pixels, icc.profile("srgb"), 16) / 65535
