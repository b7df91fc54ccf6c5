"""The trained networks as models: quality on pictures never trained on, every sensor phase, missing files."""

import shutil
from dataclasses import replace
from functools import partial

import cv2
import numpy as np
import pytest
import rawpy
from PIL import Image

from crispgrain.core.colour import icc
from crispgrain.core.colour.spaces import srgb_decode, srgb_encode
from crispgrain.core.files import PictureSource, read_shot
from crispgrain.core.meter import Blur, Noise, Reading, measure
from crispgrain.core.model import Context, Stage
from crispgrain.core.networks import ensemble, providers, runtime
from crispgrain.core.networks import mosaic as mosaic_nets
from crispgrain.core.networks.conditioned import restored
from crispgrain.core.registry import models_of
from crispgrain.core.render.pipeline import Pipeline
from crispgrain.core.resolve import resolve
from crispgrain.core.stages.sharpen import sharp_net
from crispgrain.core.treatment import Treatment
from crispgrain.geometry import Place, Rect, Size
from crispgrain.restoration import shadow_clipping
from crispgrain.restoration.cells import RGGB, SIX_BY_SIX
from crispgrain.simulation import camera
from tests.conftest import encoded, photograph, photograph_as_raw, psnr, write_raw

RNG = np.random.default_rng(9)
NOTHING = Treatment().only([])
NET = Treatment().only([Stage.DENOISE]).set("denoise.model", "mosaic-net")


def treated(source, treatment, reading) -> np.ndarray:
    pipeline = Pipeline(source, reading, resolve(treatment, source, reading))
    return encoded(pipeline.region(pipeline.size.rect))


@pytest.fixture
def fresh_sessions():
    """Sessions are remembered for the life of the program; tests that break files must not leave that behind."""
    runtime._started.cache_clear()
    runtime.unavailable.cache_clear()
    yield
    runtime._started.cache_clear()
    runtime.unavailable.cache_clear()


@pytest.mark.slow
@pytest.mark.parametrize("iso", [6400, 25600])
def test_the_mosaic_net_beats_the_classical_model_on_photographs(tmp_path, iso):
    gains = []
    for name in ("astronaut", "coffee", "chelsea"):
        path, truth = photograph_as_raw(tmp_path / f"{name}.dng", name, iso)
        source = read_shot(path)
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
    halves = [left(NET.set("denoise.luminance", s).set("denoise.colour", s))[1] for s in (0, 50, 100)]
    assert halves[1] == pytest.approx((halves[0] + halves[2]) / 2, rel=0.1)
    assert weak_colour[0] < 1.5 * full[0] + 0.002


@pytest.mark.slow
@pytest.mark.parametrize("model", ["mosaic-net", "matched-mosaic"])
@pytest.mark.parametrize("strength", [50, 100])
@pytest.mark.parametrize("level", [0.02, 0.1])
def test_strong_noise_leaves_shadows_as_dark_as_they_are(tmp_path, level, strength, model):
    iso = 25600
    source = read_shot(write_raw(tmp_path / "p.dng", np.full((256, 256, 3), level, np.float32), iso))
    a, b = camera.noise_at(iso)
    reading = Reading(Noise(5, 5, a=(a,) * 3, b=(b,) * 3))
    treatment = NET.set("denoise.model", model).set("denoise.luminance", strength).set("denoise.colour", strength)
    pipeline = Pipeline(source, reading, resolve(treatment, source, reading))
    means = pipeline.region(pipeline.size.rect)[32:-32, 32:-32].mean(axis=(0, 1))
    assert means == pytest.approx(np.full(3, level), rel=0.06)


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


@pytest.mark.parametrize("damage", ["missing", "damaged", "damaged with 8 bits"])
def test_a_missing_or_damaged_file_disables_the_model_with_a_message(
    tmp_path, raw_file, monkeypatch, fresh_sessions, damage
):
    if damage == "damaged with 8 bits":
        if not providers.gains_by_8_bits(providers.PROCESSOR):
            pytest.skip("there are no kernels here that gain by 8 bits")
        shutil.copy(runtime.HERE / "mosaic-net.onnx", tmp_path)
    monkeypatch.setattr(runtime, "HERE", tmp_path)
    if damage != "missing":
        spoilt = "mosaic-net" if damage == "damaged" else runtime.rounded("mosaic-net")
        (tmp_path / f"{spoilt}.onnx").write_bytes(b"not a network")
    assert "mosaic-net" not in [m.id for m in models_of(Stage.DENOISE)]
    source = read_shot(raw_file)
    reading = measure(source)
    resolved = resolve(NET, source, reading)
    assert resolved[Stage.DENOISE].model.id == "mosaic-dct"
    assert any("network mosaic-net" in r for r in resolved.remarks)
    with pytest.raises(runtime.NetworkUnavailableError):
        runtime.run("mosaic-net", {})


# ---- photo net ------------------------------------------------------------------------

PHOTO = NET.set("denoise.model", "photo-net")


def picture(encoded_values: np.ndarray, tmp_path) -> PictureSource:
    return PictureSource(tmp_path / "x.png", encoded_values.astype(np.float32), icc.profile("srgb"))


@pytest.mark.parametrize("sigma", [15, 25, 50])
def test_the_photo_net_takes_off_white_noise(tmp_path, sigma):
    reading = Reading(Noise.even(sigma))
    for name in ("astronaut", "coffee", "chelsea"):
        truth = photograph(name)
        noisy = truth + RNG.normal(0, sigma / 255, truth.shape)
        assert psnr(treated(picture(noisy, tmp_path), PHOTO, reading), truth) > psnr(noisy, truth) + 7


@pytest.mark.slow
def test_the_photo_net_beats_the_classical_models_on_developed_and_compressed_noise(tmp_path):
    """LibRaw develops and Pillow compresses: neither had a part in training."""
    gains = []
    for name in ("astronaut", "coffee", "chelsea"):
        path, _ = photograph_as_raw(tmp_path / f"{name}.dng", name, 6400)
        with rawpy.imread(str(path)) as raw:
            developed = raw.postprocess(
                use_camera_wb=True, no_auto_bright=True, adjust_maximum_thr=0, gamma=(2.4, 12.92)
            )  # sRGB's curve
        Image.fromarray(developed).save(path.with_suffix(".jpg"), quality=75)
        source = read_shot(path.with_suffix(".jpg"))
        reading = measure(source)
        net, *classical = (
            psnr(treated(source, PHOTO.set("denoise.model", m), reading), photograph(name))
            for m in ("photo-net", "sliding-dct", "wavelet")
        )
        gains.append(net - max(classical))
    assert np.mean(gains) > 1


@pytest.mark.slow
@pytest.mark.parametrize("quality", [10, 20, 40])
def test_the_photo_net_takes_off_the_traces_of_jpeg(tmp_path, quality):
    gains = []
    for name in ("astronaut", "coffee", "chelsea"):
        truth = photograph(name)
        path = tmp_path / f"{name}.jpg"
        Image.fromarray(np.round(truth * 255).astype(np.uint8)).save(path, quality=quality)
        source = read_shot(path)
        before = psnr(encoded(source.region(source.size.rect)), truth)
        gains.append(psnr(treated(source, PHOTO, measure(source)), truth) - before)
    assert min(gains) > 0
    assert np.mean(gains) > 0.5


def test_photo_net_strengths_of_luminance_and_colour_are_apart(tmp_path):
    source = picture(0.5 + RNG.normal(0, 0.06, (128, 128, 3)), tmp_path)
    reading = Reading(Noise.even(0.06 * 255))

    def left(treatment: Treatment) -> tuple[float, float]:
        result = treated(source, treatment, reading)
        grey = result.mean(axis=-1, keepdims=True)
        return float(grey.std()), float((result - grey).std())

    noisy, full = left(NOTHING), left(PHOTO)
    assert full[0] < noisy[0] / 3
    assert full[1] < noisy[1] / 3
    only_colour, only_luminance = left(PHOTO.set("denoise.luminance", 0)), left(PHOTO.set("denoise.colour", 0))
    assert only_colour[0] == pytest.approx(noisy[0], rel=0.02)
    assert only_colour[1] == pytest.approx(full[1], rel=0.05)
    assert only_luminance[0] == pytest.approx(full[0], rel=0.05)
    assert only_luminance[1] == pytest.approx(noisy[1], rel=0.02)


def test_a_clean_picture_is_left_alone(tmp_path):
    truth = photograph("astronaut")
    result = treated(picture(truth, tmp_path), PHOTO, Reading(Noise.even(0)))
    assert psnr(result, truth) > 40


# ---- sharp net ------------------------------------------------------------------------

SHARP = NOTHING.set("sharpen.on", True).set("sharpen.model", "sharp-net")


def softened(truth: np.ndarray, kernel: np.ndarray, sigma: float) -> np.ndarray:
    soft = cv2.filter2D(srgb_decode(truth.astype(np.float32)), -1, kernel, borderType=cv2.BORDER_REFLECT)
    return np.round(np.clip(srgb_encode(soft) + RNG.normal(0, sigma, truth.shape), 0, 1) * 255) / 255


BOX = np.full((3, 3), 1 / 9, np.float32)
SLANT = np.eye(5, dtype=np.float32) / 5


@pytest.mark.slow
@pytest.mark.parametrize("kernel", [BOX, SLANT], ids=["box", "slanted motion"])
def test_the_sharp_net_undoes_mild_blur_of_kinds_it_was_not_told(tmp_path, kernel):
    gains = []
    for name in ("astronaut", "coffee", "chelsea"):
        truth = photograph(name)
        soft = softened(truth, kernel, 0.02)
        reading = Reading(Noise.even(0.02 * 255), Blur(softness=1.0))
        net, classical = (
            psnr(treated(picture(soft, tmp_path), SHARP.set("sharpen.model", m), reading), truth)
            for m in ("sharp-net", "lens-softness")
        )
        assert net > psnr(soft, truth) + 1
        gains.append(net - classical)
    assert np.mean(gains) > 0.5


def test_the_sharp_net_takes_the_size_of_any_kind_of_blur():
    """A disc of radius r has a variance of r^2 / 4 along each axis, a line of length l one of l^2 / 12 along itself."""
    assert sharp_net.size(Blur("soft lens", softness=0.9)) == 0.9
    assert sharp_net.size(Blur("defocus", softness=3, radius=2.5)) == 1.25
    across = np.linspace(-3, 3, 10001)
    assert sharp_net.size(Blur("motion", softness=3, length=6)) == pytest.approx((across.var() / 2) ** 0.5, rel=1e-3)


def test_the_sharp_net_heeds_strength_and_radius(tmp_path):
    source = picture(softened(photograph("coffee")[:96, :96], BOX, 0.005), tmp_path)
    reading = Reading(Noise.even(1.3), Blur(softness=0.9))
    before = treated(source, NOTHING, reading)

    def change(**settings: float) -> float:
        plan = SHARP
        for key, value in settings.items():
            plan = plan.set(f"sharpen.{key}", value)
        return float(np.abs(treated(source, plan, reading) - before).mean())

    assert change(strength=0) == change(radius=0) == 0
    assert 0.4 * change() < change(strength=50) < 0.6 * change()
    assert change(radius=0.5) < change() < change(strength=150)


# ---- detail net -----------------------------------------------------------------------

DETAIL = NOTHING.set("enlarge.on", True).set("enlarge.model", "detail-net")


@pytest.mark.parametrize("factor", [2, 4])
def test_the_detail_net_beats_bicubic_and_agrees_with_the_source(tmp_path, factor):
    gains = []
    for name in ("astronaut", "coffee", "chelsea"):
        truth = photograph(name)
        small = np.clip(reduced(truth, 1 / factor), 0, 1)
        result = treated(picture(small, tmp_path), DETAIL.set("enlarge.factor", factor), Reading())
        bicubic = cv2.resize(small, None, fx=factor, fy=factor, interpolation=cv2.INTER_CUBIC)
        gains.append(psnr(result, truth) - psnr(bicubic, truth))
        back = cv2.resize(result, small.shape[1::-1], interpolation=cv2.INTER_AREA)
        assert psnr(back, small) > 45
        assert np.abs(result.mean((0, 1)) - small.mean((0, 1))).max() < 1 / 255
    assert np.mean(gains) > (0.7 if factor == 2 else 0.4)


def reduced(picture: np.ndarray, factor: float) -> np.ndarray:
    """Bicubic reduction as Pillow does it."""
    size = tuple(round(n * factor) for n in picture.shape[1::-1])
    planes = [Image.fromarray(picture[..., c]).resize(size, Image.Resampling.BICUBIC) for c in range(3)]
    return np.stack([np.asarray(p) for p in planes], axis=-1)


@pytest.mark.parametrize(("settings", "expected"), [
    ({"factor": 1.5}, (96, 120)), ({"factor": 3}, (192, 240)), ({"factor": 5}, (320, 400)),
    ({"by": "width", "pixels": 133}, (106, 133)), ({"factor": 0.5}, (32, 40)),
])  # fmt: skip
def test_any_size_by_the_next_larger_network(tmp_path, settings, expected):
    small = reduced(photograph("coffee"), 1)[:64, :80]
    plan = DETAIL
    for key, value in settings.items():
        plan = plan.set(f"enlarge.{key}", value)
    result = treated(picture(small, tmp_path), plan, Reading())
    assert result.shape == (*expected, 3)
    lanczos = treated(picture(small, tmp_path), plan.set("enlarge.model", "lanczos"), Reading())
    assert psnr(result, lanczos) > 25


@pytest.mark.parametrize("shape", [(1, 1), (1, 40), (40, 1), (3, 7), (33, 61)])
@pytest.mark.parametrize("plan", [PHOTO, DETAIL, SHARP], ids=["photo-net", "detail-net", "sharp-net"])
def test_narrow_and_odd_pictures(tmp_path, shape, plan):
    values = RNG.uniform(0.2, 0.6, (*shape, 1)) + np.zeros(3)
    result = treated(picture(values, tmp_path), plan, Reading(Noise.even(5), Blur(softness=1)))
    factor = 2 if plan is DETAIL else 1
    assert result.shape == (shape[0] * factor, shape[1] * factor, 3)
    assert np.isfinite(result).all()


# ---- best effort ----------------------------------------------------------------------


@pytest.mark.parametrize("turns", [ensemble.ROTATIONS, ensemble.MOSAIC_SYMMETRIES], ids=["rotations", "mosaic turns"])
def test_every_turn_is_undone(turns):
    frame = RNG.uniform(0, 1, (1, 2, 16, 24))
    for there, back in turns:
        assert np.array_equal(back(there(frame)), frame)


def test_turns_of_a_mosaic_keep_red_on_red():
    colours = np.tile([[0, 1], [1, 2]], (8, 12))[None, None]
    for there, _ in ensemble.MOSAIC_SYMMETRIES:
        turned = there(colours)
        assert np.array_equal(
            turned, np.tile([[0, 1], [1, 2]], (turned.shape[2] // 2, turned.shape[3] // 2))[None, None]
        )


def of_a_mosaic(cell: np.ndarray) -> np.ndarray:
    return mosaic_nets.network(RNG.random((48, 48), np.float32), 0.05, "best", cell)


def of_a_picture() -> np.ndarray:
    picture, conditions = RNG.random((2, 48, 48, 3), np.float32)
    return restored("sharp-net", picture, conditions, effort="best")


@pytest.mark.parametrize(("answer", "name"), [
    (partial(of_a_mosaic, RGGB), "mosaic-net"), (partial(of_a_mosaic, SIX_BY_SIX), "six-by-six-net"),
    (of_a_picture, "sharp-net"),
], ids=["Bayer", "6 x 6", "sharp"])  # fmt: skip
def test_best_effort_is_a_network_with_more_layers_or_turned_copies_if_there_is_none(monkeypatch, answer, name):
    runs, plain = [], runtime.run
    monkeypatch.setattr(runtime, "run", lambda used, *rest: runs.append(used) or plain(used, *rest))
    assert answer().shape == (48, 48, 3) and runs == 2 * [f"{name}-large"]
    runs.clear()
    monkeypatch.setattr(runtime, "unavailable", lambda asked: f"there is no {asked}" if asked.endswith("large") else "")
    answer()
    assert runs == 4 * [name]


@pytest.mark.slow
def test_best_effort_is_no_worse_than_fast(tmp_path):
    gains = []
    for name in ("astronaut", "coffee"):
        path, truth = photograph_as_raw(tmp_path / f"{name}.dng", name, 6400)
        source = read_shot(path)
        reading = measure(source)
        best, fast = (
            psnr(treated(source, NET.set("denoise.effort", e), reading), encoded(truth)) for e in ("best", "fast")
        )
        gains.append(best - fast)
    assert min(gains) > 0


# ---- frames ---------------------------------------------------------------------------


@pytest.mark.parametrize("start", [(0, 0), (32, 64), (5, 3), (1, 7)])
@pytest.mark.parametrize("beyond", [(0, 0), (100, 0), (0, 9), (8, 8)])
@pytest.mark.parametrize("multiple", [4, 8])
def test_a_frame_keeps_the_picture_and_the_place_of_the_coarse_pixels(start, beyond, multiple):
    pixels = RNG.uniform(0, 1, (37, 51, 2)).astype(np.float32)
    size = Size(start[0] + 37 + beyond[0], start[1] + 51 + beyond[1])
    frame, (top, left) = runtime.framed(pixels, Place(Rect(*start, 37, 51), size), multiple)
    assert np.array_equal(frame[0].transpose(1, 2, 0)[top : top + 37, left : left + 51], pixels)
    assert frame.shape[2] % multiple == frame.shape[3] % multiple == 0
    # The same pixel of the whole picture falls on the same place within a coarse one, wherever the part begins.
    assert (top - start[0]) % multiple == (left - start[1]) % multiple == 0
    # It has surroundings where the picture ends, and elsewhere no more than up to a whole coarse pixel.
    around = top, left, frame.shape[2] - top - 37, frame.shape[3] - left - 51
    for found, inward in zip(around, (*start, *beyond), strict=True):
        assert (found >= runtime.EDGE) if inward == 0 else (found < multiple)


@pytest.mark.parametrize(("model", "reads_more"), [("mosaic-net", False), ("mosaic-dct", True)])
def test_develop_needs_no_surroundings_after_a_model_that_demosaics(raw_file, model, reads_more):
    source = read_shot(raw_file)
    reading = measure(source)
    pipeline = Pipeline(source, reading, resolve(NET.set("denoise.model", model), source, reading))
    develop = pipeline.steps[1]
    context = Context(reading, source, develop.before, develop.after, Rect(64, 64, 96, 96), Rect(64, 64, 96, 96))
    assert (develop.model.margin(develop.values, context) > 0) == reads_more


def test_networks_get_tiles_worth_their_margin(raw_file):
    source = read_shot(raw_file)
    reading = measure(source)
    plain = resolve(NET.set("denoise.model", "wavelet"), source, reading)
    assert Pipeline(source, reading, plain, tile=128).tile == 128
    assert Pipeline(source, reading, resolve(NET, source, reading), tile=128).tile > 256
    assert Pipeline(source, reading, resolve(NET, source, reading), tile=1024).tile == 1024


@pytest.mark.parametrize("model", ["lens-softness", "defocus", "motion", "shake"])
def test_a_model_whose_tiles_must_agree_fixes_them(model, raw_file):
    source = read_shot(raw_file)
    reading = measure(source)
    plan = resolve(NET.set("sharpen.on", True).set("sharpen.model", model), source, reading)
    assert {Pipeline(source, reading, plan, tile=tile).tile for tile in (128, 512, 2048)} == {512}


def test_what_a_weak_strength_puts_back_is_the_shot_s_own_noise(tmp_path, clean):
    """Not new grain: it correlates with what undenoised development shows, and the picture below stays."""
    source = read_shot(write_raw(tmp_path / "p.dng", camera.lens_softness(clean[:200, :240], 0.6), 6400))
    reading = measure(source)
    developed = treated(source, Treatment().only(["develop"]), reading)
    full, half, none = (
        treated(source, NET.set("denoise.luminance", s).set("denoise.colour", s), reading) for s in (100, 50, 0)
    )
    noise = (developed - full).ravel()
    for weak in (half, none):
        assert np.corrcoef((weak - full).ravel(), noise)[0, 1] > 0.7
    assert (half - full).std() == pytest.approx((none - full).std() / 2, rel=0.1)


@pytest.mark.parametrize(("luminance", "colour", "runs"), [(100, 100, 1), (40, 70, 1), (30, 30, 1), (50, 150, 2)])
def test_the_network_runs_once_for_each_noise_it_is_told_of(tmp_path, monkeypatch, luminance, colour, runs):
    source = read_shot(write_raw(tmp_path / "p.dng", np.full((64, 64, 3), 0.3, np.float32), 3200))
    a, b = camera.noise_at(3200)
    told, run = [], runtime.run
    monkeypatch.setattr(runtime, "run", lambda name, inputs: told.append(inputs["sigma"].max()) or run(name, inputs))
    treatment = NET.set("denoise.luminance", luminance).set("denoise.colour", colour)
    treated(source, treatment, Reading(Noise(5, 5, a=(a,) * 3, b=(b,) * 3)))
    assert len(told) == runs
    assert max(told) / min(told) == pytest.approx(max(luminance, colour, 100) / 100)


def test_noise_cut_off_at_black_does_not_leave_a_red_petal_paler(tmp_path, monkeypatch):
    truth = np.zeros((192, 192, 3))
    truth[..., 0] = np.linspace(0.5, 0.7, 192)
    noisy = np.clip(truth + RNG.normal(0, 0.05, truth.shape), 0, 1)  # half of it lost where a channel is empty
    path = tmp_path / "petal.jpg"
    Image.fromarray(np.round(noisy * 255).astype(np.uint8)).save(path, quality=75)
    source = read_shot(path)
    result = treated(source, NET.set("denoise.model", "photo-net"), measure(source))
    monkeypatch.setattr(shadow_clipping, "without_bias", lambda noisy, cleaned: cleaned)
    alone = treated(source, NET.set("denoise.model", "photo-net"), measure(source))
    pictures = np.asarray(Image.open(path)) / 255, alone, result
    before, net, after = (p[20:-20, 20:-20].mean(axis=(0, 1)) for p in pictures)
    assert after[1:].mean() < 0.75 * net[1:].mean()
    assert after[1:].mean() < 0.65 * before[1:].mean()
    assert after[0] == pytest.approx(0.6, abs=0.01)


def test_red_of_a_noisy_blue_sky_stays_as_it_is(tmp_path):
    """As bright as twice its noise, so hardly any was cut off; noise as demosaicing leaves it, not compressed."""
    noise = cv2.GaussianBlur(RNG.normal(0, 1, (192, 192, 3)), (0, 0), 0.6)
    picture = np.array([0.15, 0.21, 0.34]) + 0.08 / noise.std() * noise
    Image.fromarray(np.round(np.clip(picture, 0, 1) * 255).astype(np.uint8)).save(tmp_path / "sky.png")
    source = read_shot(tmp_path / "sky.png")
    result = treated(source, NET.set("denoise.model", "photo-net"), Reading(Noise(20, 9)))
    assert result[..., 0].mean() == pytest.approx(0.15, abs=0.01)


@pytest.mark.slow
def test_tiles_agree_where_the_lift_is_taken_off(tmp_path):
    petal = np.full((420, 900, 3), (0.6, 0.02, 0.0)) + RNG.normal(0, 0.05, (420, 900, 3))
    path = tmp_path / "petal.jpg"
    Image.fromarray(np.round(np.clip(petal, 0, 1) * 255).astype(np.uint8)).save(path, quality=75)
    source = read_shot(path)
    reading = measure(source)
    assert not reading.white
    pipeline = Pipeline(source, reading, resolve(NET.set("denoise.model", "photo-net"), source, reading))
    whole = pipeline.region(pipeline.size.rect)
    part = Rect(340, 340, 90, 75)  # across the border of two tiles, both ways
    assert np.abs(pipeline.untiled(part) - whole[part.slices]).max() < 1e-5
