"""The benchmark's own arithmetic."""

import numpy as np
import pytest
from skimage.metrics import peak_signal_noise_ratio

from benchmarks import methods
from benchmarks.measure import run, table
from benchmarks.quality import compare
from tests.conftest import psnr

RNG = np.random.default_rng(2)


def halve(case: np.ndarray) -> np.ndarray:
    return case * 0.5


def fail(case: np.ndarray) -> np.ndarray:
    raise ValueError("on purpose")


def test_quality_of_a_known_error():
    truth = RNG.uniform(0.2, 0.8, (64, 64, 3))
    quality = compare(truth + 0.01, truth)
    assert quality.psnr == pytest.approx(40, abs=0.01)
    assert quality.ssim > 0.99
    assert compare(truth, truth).ciede2000 == 0


def test_psnr_of_the_tests_is_that_of_scikit_image():
    a, b = RNG.uniform(0, 1, (2, 32, 32, 3))
    assert psnr(a, b) == pytest.approx(peak_signal_noise_ratio(b, a, data_range=1), abs=1e-6)


def test_a_method_runs_in_a_process_of_its_own_and_its_row_is_right():
    truth = RNG.uniform(0.2, 0.4, (32, 32, 3))
    row = run("task", "halving", halve, [(truth * 2, truth)])
    assert row.quality.psnr > 100
    assert row.seconds_per_megapixel > 0
    assert table([row]).splitlines()[-1].startswith("| task | halving |")


def test_a_failing_method_is_reported_by_name():
    with pytest.raises(RuntimeError, match="breaking: ValueError: on purpose"):
        run("task", "breaking", fail, [(np.zeros((8, 8, 3)), np.zeros((8, 8, 3)))])


def test_references_and_ours_get_the_same_input_and_all_help():
    truth = np.tile(np.linspace(0.2, 0.8, 64)[None, :, None], (64, 1, 3))
    sigma = 0.1
    noisy = truth + RNG.normal(0, sigma, truth.shape)
    before = psnr(noisy, truth)
    for method in (
        lambda c: methods.ours_denoise(c, "sliding-dct"), lambda c: methods.ours_denoise(c, "wavelet"),
        methods.skimage_wavelet, lambda c: methods.skimage_nlm(c, 0.8),
    ):  # fmt: skip
        assert psnr(method((noisy, sigma)), truth) > before + 5
