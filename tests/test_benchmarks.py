"""The benchmark's own arithmetic."""

from pathlib import Path

import numpy as np
import pytest
from scipy.ndimage import gaussian_filter
from skimage.metrics import peak_signal_noise_ratio

from benchmarks import __main__ as bench
from benchmarks import edges, methods, tasks
from benchmarks.measure import run, table
from benchmarks.quality import compare
from crispgrain.core.colour.spaces import OPPONENT, apply_matrix, to_opponent
from crispgrain.core.files import read_shot
from crispgrain.core.meter import measure
from crispgrain.core.meter.mtf import mtf50
from tests.conftest import psnr

pytestmark = pytest.mark.slow

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


def test_noise_below_black_and_above_white_reaches_our_models():
    noisy = RNG.normal(0.5, 0.5, (32, 32, 3))
    source = methods.unclipped(noisy)
    seen = apply_matrix(to_opponent(source.region(source.size.rect)), OPPONENT.T)
    assert noisy.min() < -0.5
    assert noisy.max() > 1.5
    assert np.abs(seen - noisy).max() < 1e-5


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


def test_a_model_that_is_replaced_is_not_measured_under_its_name():
    flat = np.full((32, 32, 3), 0.5)
    with pytest.raises(ValueError, match="RAW mosaic"):
        methods.ours_denoise((flat, 0.1), model="mosaic-dct")


def test_reductions_keep_size_mean_and_range():
    truth = RNG.uniform(0, 1, (64, 48, 3))
    small = tasks._bicubic(truth, 4)
    assert small.shape == (16, 12, 3)
    assert small.mean() == pytest.approx(truth.mean(), abs=0.01)
    assert 0 <= small.min() <= small.max() <= 1


def test_saved_cases_are_jpegs_of_their_quality(tmp_path):
    pictures = [RNG.uniform(0, 1, (32, 32, 3)) for _ in range(2)]
    for path in tasks._saved(tmp_path, pictures, 40, "case"):
        assert measure(read_shot(Path(path))).jpeg.quality == 40


def test_sharpness_and_overshoot_of_the_edge_itself():
    """Gaussian of 0.5 px and square pixels: the transfer falls to half at 0.32 cycles per pixel, in closed form."""
    f = np.linspace(0.01, 0.5, 4901)
    transfer = np.exp(-2 * (np.pi * edges.OPTICS * f) ** 2) * np.sinc(f)
    edge = edges.slanted_edge().mean(axis=-1)
    assert mtf50(edge) == pytest.approx(f[np.argmin(np.abs(transfer - 0.5))], rel=0.05)
    assert edges.overshoot(edge) < 0.002
    haloed = edge + 0.3 * (edge - gaussian_filter(edge, 2))
    assert 0.05 < edges.overshoot(haloed) < 0.2


def test_sharpening_told_nothing_meters_and_picks_by_kind():
    truth = np.kron(RNG.uniform(0.2, 0.8, (24, 24, 1)), np.ones((8, 8, 3)))
    soft = gaussian_filter(truth, (1.2, 1.2, 0))
    for options in ({"settings": {"model": "sharp-net"}}, {"by_kind": True}):
        assert psnr(methods.ours_sharpen(soft, **options), truth) > psnr(soft, truth) + 1
    assert np.array_equal(methods.given(soft), soft)


def test_only_the_tasks_asked_for_are_run_and_full_is_no_part_of_their_name(monkeypatch, capsys):
    asked = []

    def every_task(folder, full):
        asked.append(full)
        truth = np.full((16, 16, 3), 0.25)
        yield "RAW, ISO 400", [(truth * 2, truth)], [("halving", halve)]
        yield "JPEG", [(truth, truth)], [("breaking", fail)]

    monkeypatch.setattr(bench, "every_task", every_task)
    for words in (["RAW,", "ISO"], ["RAW,", "full"]):
        monkeypatch.setattr("sys.argv", ["bench", "only", *words])
        bench.main()
    assert asked == [False, True]
    assert capsys.readouterr().out.count("| RAW, ISO 400 | halving |") == 2


def test_reserved_photographs_are_compared_on_where_they_have_been_fetched(tmp_path, monkeypatch):
    monkeypatch.setattr(tasks, "RESERVED", tmp_path)
    assert len(tasks.held_out()) == len(tasks.photographs()) == 4
    large = RNG.integers(0, 256, (300, 500, 3), np.uint8)
    np.save(tmp_path / "Garden-2.npy", large)
    np.save(tmp_path / "Garden-3.npy", large)
    *_, last = tasks.held_out()
    assert len(tasks.held_out()) == 5
    assert np.array_equal(last, large[22:278, 122:378] / 255)


def test_rows_are_measured_side_by_side_and_stay_in_order(monkeypatch):
    truth = np.full((16, 16, 3), 0.25)
    methods = [(f"method {n}", halve) for n in range(5)]
    monkeypatch.setattr(bench, "every_task", lambda folder, full: iter([("task", [(truth * 2, truth)], methods)]))
    assert [row.method for row in bench._measure("", full=False)] == [name for name, _ in methods]
