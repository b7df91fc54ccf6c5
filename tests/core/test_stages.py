"""What each stage does to pixels, against known truth and reference methods."""

import cv2
import numpy as np
import pytest
import rawpy
from skimage import data, restoration

from crispgrain.core.colour import icc
from crispgrain.core.colour.spaces import luminance, srgb_encode
from crispgrain.core.errors import TreatmentError
from crispgrain.core.files import PictureSource, read_shot
from crispgrain.core.meter import Blur, Noise, Reading, measure
from crispgrain.core.model import Stage
from crispgrain.core.render.pipeline import Pipeline
from crispgrain.core.resolve import resolve
from crispgrain.core.stages.develop import lighting
from crispgrain.core.stages.enlarge.size import target_size
from crispgrain.core.treatment import Treatment
from crispgrain.geometry import Size
from crispgrain.restoration import anscombe, demosaic, resample
from crispgrain.restoration.resample import Sampling
from crispgrain.simulation import camera
from tests.conftest import encoded, photograph, photograph_as_raw, psnr, write_raw

RNG = np.random.default_rng(6)
NOTHING = Treatment().only([]).set("develop.exposure", 0.0).set("develop.base", "linear")  # truths are not brightened


def picture(values: np.ndarray, tmp_path) -> PictureSource:
    """sRGB-encoded values as a source, unclipped."""
    return PictureSource(tmp_path / "x.png", values.astype(np.float32), icc.profile("srgb"))


def treated(source, treatment: Treatment, reading: Reading) -> np.ndarray:
    pipeline = Pipeline(source, reading, resolve(treatment, source, reading))
    return pipeline.region(pipeline.size.rect)


# ---- Develop -------------------------------------------------------------------------


@pytest.mark.parametrize("method", [demosaic.directional, demosaic.linear])
@pytest.mark.parametrize("pattern", camera.BAYER)
def test_demosaicing_keeps_even_colour_and_brightness_ramps(method, pattern):
    ramp = np.linspace(0.1, 0.9, 64, dtype=np.float32)[None, :, None] * np.array([1, 0.8, 0.6], np.float32)
    picture = np.broadcast_to(ramp, (48, 64, 3))
    got = method(camera.mosaic_of(picture, camera.BAYER[pattern]), camera.BAYER[pattern])
    assert np.abs(got - picture)[6:-6, 6:-6].max() < 0.01


def test_directional_demosaicing_is_as_good_as_the_best_of_libraw(tmp_path, clean):
    """On a clean mosaic of the engraved rim; LibRaw's AHD and AAHD on the same file."""
    soft = camera.lens_softness(clean, 0.6)
    path = write_raw(tmp_path / "p.dng", soft, 25)
    truth = encoded(soft)[8:-8, 8:-8]
    ours = encoded(treated(read_shot(path), NOTHING, Reading()))[8:-8, 8:-8]
    theirs = []
    for algorithm in (rawpy.DemosaicAlgorithm.AHD, rawpy.DemosaicAlgorithm.AAHD):
        with rawpy.imread(str(path)) as raw:
            rgb = raw.postprocess(
                demosaic_algorithm=algorithm, use_camera_wb=True, no_auto_bright=True, adjust_maximum_thr=0,
                gamma=(1, 1), output_bps=16,
            )  # fmt: skip
        linear = icc.to_working(rgb, icc.linear_srgb_profile())
        theirs.append(psnr(encoded(linear)[8:-8, 8:-8], truth))
    assert psnr(ours, truth) > max(theirs)


def test_exposure_doubles_light_for_each_stop(tmp_path):
    source = picture(RNG.uniform(0.2, 0.5, (8, 8, 3)), tmp_path)
    plain = treated(source, NOTHING, Reading())
    brighter = treated(source, NOTHING.set("develop.exposure", 1), Reading())
    assert np.allclose(brighter, 2 * plain, rtol=1e-5)


def test_warmth_reddens_and_tint_takes_away_green(tmp_path):
    source = picture(np.full((4, 4, 3), 0.5), tmp_path)
    warm = treated(source, NOTHING.set("develop.warmth", 60), Reading())[0, 0]
    assert warm[0] > warm[1] > warm[2]
    magenta = treated(source, NOTHING.set("develop.tint", 20), Reading())[0, 0]
    assert magenta[1] < magenta[0]


def test_burnt_out_highlights_are_neutral(tmp_path):
    """Green saturates first: without care, lamps turn magenta."""
    lamp = np.full((32, 32, 3), 4.0, np.float32)
    source = read_shot(write_raw(tmp_path / "p.dng", lamp, 100))
    for how in ("white", "rebuild"):
        pixels = encoded(treated(source, NOTHING.set("develop.highlights", how), Reading()))[16, 16]
        assert np.ptp(pixels) < 0.02
        assert pixels.min() > 0.98
    rebuilt = treated(source, NOTHING.set("develop.highlights", "rebuild"), Reading())[16, 16]
    assert luminance(rebuilt) > 1.2


def test_no_light_gain_at_rest():
    assert np.allclose(lighting.light_gains(0, 0), 1)


# ---- Denoise -------------------------------------------------------------------------


def noisy_photo(name: str, sigma: float) -> tuple[np.ndarray, np.ndarray]:
    truth = getattr(data, name)()[60:188, 100:260] / 255
    return truth, truth + RNG.normal(0, sigma / 255, truth.shape)


@pytest.mark.parametrize(("model", "least_gain"), [("sliding-dct", 0.5), ("wavelet", -0.6)])
@pytest.mark.parametrize("name", ["astronaut", "coffee", "chelsea"])
def test_denoise_beats_the_wavelet_and_nonlocal_means_of_scikit_image(tmp_path, model, least_gain, name):
    sigma = 25
    truth, noisy = noisy_photo(name, sigma)
    reading = Reading(Noise.even(sigma))
    ours = treated(picture(noisy, tmp_path), NOTHING.set("denoise.on", True).set("denoise.model", model), reading)
    s = sigma / 255
    references = (
        restoration.denoise_wavelet(noisy, s, channel_axis=-1, convert2ycbcr=True, rescale_sigma=True),
        restoration.denoise_nl_means(noisy, h=0.8 * s, sigma=s, patch_size=5, patch_distance=6, channel_axis=-1),
    )
    best = max(psnr(np.clip(r, 0, 1), truth) for r in references)
    assert psnr(encoded(ours), truth) > best + least_gain


@pytest.mark.parametrize("model", ["sliding-dct", "wavelet"])
def test_luminance_and_colour_are_removed_apart(tmp_path, model):
    noisy = 0.5 + RNG.normal(0, 0.05, (64, 64, 3))
    source, reading = picture(noisy, tmp_path), Reading(Noise.even(0.05 * 255))
    base = NOTHING.set("denoise.on", True).set("denoise.model", model)
    only_colour = encoded(treated(source, base.set("denoise.luminance", 0), reading))
    colour_left = (only_colour - only_colour.mean(axis=-1, keepdims=True)).std()
    assert colour_left < 0.3 * (noisy - noisy.mean(axis=-1, keepdims=True)).std()
    assert only_colour.mean(axis=-1).std() == pytest.approx(noisy.mean(axis=-1).std(), rel=0.05)
    only_luminance = encoded(treated(source, base.set("denoise.colour", 0), reading))
    assert only_luminance.mean(axis=-1).std() < 0.3 * noisy.mean(axis=-1).std()


@pytest.mark.parametrize("model", ["mosaic-dct", "sliding-dct", "wavelet"])
def test_no_strength_changes_nothing(raw_file, model):
    source = read_shot(raw_file)
    reading = measure(source)
    off = treated(source, NOTHING, reading)
    zero = NOTHING.set("denoise.on", True).set("denoise.model", model)
    zero = zero.set("denoise.luminance", 0).set("denoise.colour", 0)
    assert np.allclose(treated(source, zero, reading), off, atol=2e-5)


def test_a_denoised_raw_at_iso_6400_is_3_db_better(raw_file, clean):
    source = read_shot(raw_file)
    reading = measure(source)
    truth = encoded(clean)
    plain = psnr(encoded(treated(source, NOTHING, reading)), truth)
    clean_up = NOTHING.set("denoise.on", True)
    assert psnr(encoded(treated(source, clean_up, reading)), truth) > plain + 3


@pytest.mark.slow
@pytest.mark.parametrize("name", ["astronaut", "coffee", "rocket"])
@pytest.mark.parametrize(("iso", "gain"), [(25, -0.05), (400, 0), (1600, 0.5), (6400, 2)])
def test_metered_denoising_of_a_raw_helps_and_never_harms(tmp_path, name, iso, gain):
    """Busy photographs, at low ISO too, where there is little to gain and much to lose."""
    path, clean = photograph_as_raw(tmp_path / "p.dng", name, iso)
    source = read_shot(path)
    reading = measure(source)
    plain = psnr(encoded(treated(source, NOTHING, reading)), encoded(clean))
    denoised = treated(source, NOTHING.set("denoise.on", True), reading)
    assert psnr(encoded(denoised), encoded(clean)) > plain + gain


def test_stabilised_noise_has_unit_variance_and_its_inverse_no_bias():
    a, b = 0.01, 1e-4
    for signal in (0.02, 0.1, 0.6):
        x = RNG.poisson(signal / a, 400_000) * a + RNG.normal(0, b**0.5, 400_000)
        stable = anscombe.forward(x.astype(np.float32), a, b)
        assert stable.var() == pytest.approx(1, abs=0.12)  # few electrons: the transform is approximate there
        back = float(anscombe.inverse(np.array(stable.mean(), np.float32), a, b))
        assert back == pytest.approx(signal, rel=0.03)


def test_stabilising_and_plain_inverse_are_one_another_s_undoing():
    x = np.linspace(0, 1, 50, dtype=np.float32)
    assert np.allclose(anscombe.inverse(anscombe.forward(x, 1e-3, 1e-5), 1e-3, 1e-5, smoothed=0), x, atol=1e-4)


# ---- Sharpen --------------------------------------------------------------------------


def blurred_detail(clean: np.ndarray, sigma: float) -> np.ndarray:
    return cv2.GaussianBlur(clean[100:356, 100:420], (0, 0), sigma, borderType=cv2.BORDER_REFLECT)


def sharpened(pixels: np.ndarray, tmp_path, radius: float, **settings) -> np.ndarray:
    source = PictureSource(tmp_path / "x.tif", pixels, icc.working_profile())
    treatment = NOTHING.set("sharpen.on", True)
    for key, value in {"model": "lens-softness", "radius": radius, **settings}.items():
        treatment = treatment.set(f"sharpen.{key}", value)
    return treated(source, treatment, Reading(Noise.even(0.1), Blur(softness=radius)))


def test_deconvolution_brings_a_blurred_picture_nearer_to_the_truth(clean, tmp_path):
    truth = encoded(clean[100:356, 100:420])
    soft = blurred_detail(clean, 1.0)
    gained = psnr(encoded(sharpened(soft, tmp_path, 1.0, strength=100)), truth) - psnr(encoded(soft), truth)
    assert gained > 1.5


def test_deconvolution_beats_the_unsharp_mask(clean, tmp_path):
    truth = encoded(clean[100:356, 100:420])
    soft = blurred_detail(clean, 1.0)
    masks = [
        psnr(encoded(sharpened(soft, tmp_path, 1.0, model="unsharp-mask", strength=s, threshold=0)), truth)
        for s in (60, 120, 200)
    ]
    assert psnr(encoded(sharpened(soft, tmp_path, 1.0, strength=100, halo=20)), truth) > max(masks)


def test_an_edge_does_not_overshoot_its_surroundings(tmp_path):
    edge = np.full((64, 96, 3), 0.1, np.float32)
    edge[:, 48:] = 0.6
    soft = cv2.GaussianBlur(edge, (0, 0), 1.2)
    limited = luminance(sharpened(soft, tmp_path, 1.2, strength=100, halo=0))
    assert limited.max() <= luminance(soft).max() + 1e-3
    assert limited.min() >= luminance(soft).min() - 1e-3
    # It is steeper all the same.
    assert np.diff(limited[32]).max() > 1.4 * np.diff(luminance(soft)[32]).max()


def test_noise_in_a_smooth_area_is_not_raised(tmp_path):
    sigma = 0.01
    sky = 0.55 + RNG.normal(0, sigma, (96, 96, 3))
    source = picture(sky, tmp_path)
    reading = Reading(Noise.even(sigma * 255), Blur(softness=1.0))
    result = treated(source, NOTHING.set("sharpen.on", True), reading)
    before, after = (luminance(p).std() for p in (treated(source, NOTHING, reading), result))
    assert after < 1.1 * before


def test_sharpening_keeps_the_colour_of_surfaces(clean, tmp_path):
    """Colour edges get crisper, too, so it is compared beyond the reach of the blur: means over 5 px."""
    soft = blurred_detail(clean, 1.0)
    result = sharpened(soft, tmp_path, 1.0, strength=100)
    before, after = (cv2.GaussianBlur(p, (0, 0), 5) for p in (soft, result))
    bright = luminance(before) > 0.02
    hues = [(p / luminance(p)[..., None])[bright] for p in (before, after)]
    assert np.allclose(*hues, rtol=0.03, atol=0.01)
    assert np.abs(hues[0] - hues[1]).mean() < 0.002


# ---- Enlarge ---------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("source", "settings", "expected"),
    [
        # design.md section 8: facts of the trade (common practice, no source).
        ((1333, 2000), {"by": "factor", "factor": 4}, (5332, 8000)),
        ((427, 640), {"by": "factor", "factor": 4}, (1708, 2560)),
        ((1080, 720), {"by": "factor", "factor": 8}, (8640, 5760)),
        ((960, 640), {"by": "width", "pixels": 4000}, (6000, 4000)),
        ((960, 640), {"by": "height", "pixels": 6000}, (6000, 4000)),
        ((960, 640), {"by": "long-side", "pixels": 6000}, (6000, 4000)),
        ((3, 1000), {"by": "factor", "factor": 0.1}, (1, 100)),
        ((960, 640), {"by": "megapixels", "megapixels": 2.4576}, (1920, 1280)),
        # ITU-R BT.709: 1920 x 1080; BT.2020: 3840 x 2160.
        ((2000, 3000), {"by": "screen", "screen": "1920x1080"}, (1080, 1620)),
        ((500, 2000), {"by": "screen", "screen": "3840x2160"}, (960, 3840)),
        ((960, 640), {"by": "screen", "screen": "1920x1080"}, (1080, 720)),
    ],
)
def test_sizes(source, settings, expected):
    assert target_size(Size(*source), {"factor": 2, "pixels": 4000, **settings}) == Size(*expected)


@pytest.mark.parametrize(("inches", "pixels"), [((8, 10), (2400, 3000)), ((11, 14), (3300, 4200))])
def test_print_sizes_at_300_ppi(inches, pixels):
    # design.md section 8: facts of the trade (common practice, no source).
    by_height = {"by": "long-side", "pixels": inches[1] * 300, "factor": 1}
    assert max(vars_of(target_size(Size(inches[1] * 100, inches[0] * 100), by_height))) == pixels[1]


def vars_of(size: Size) -> tuple[int, int]:
    return size.height, size.width


def test_a_result_too_large_is_refused():
    with pytest.raises(TreatmentError, match="100000"):
        target_size(Size(20_000, 20_000), {"by": "factor", "factor": 6, "pixels": 1})


@pytest.mark.parametrize("factor", [2, 3, 1.5])
def test_shrinking_a_faithful_enlargement_gives_the_source_back(clean, tmp_path, factor):
    small = np.ascontiguousarray(clean[:120, :160])
    source = PictureSource(tmp_path / "x.tif", small, icc.working_profile())
    plan = NOTHING.set("enlarge.on", True).set("enlarge.model", "faithful").set("enlarge.factor", factor)
    big = treated(source, plan, Reading())
    assert big.shape[:2] == (round(120 * factor), round(160 * factor))
    lanczos = treated(source, plan.set("enlarge.model", "lanczos"), Reading())
    back, plain = (cv2.resize(srgb_encode(p), (160, 120), interpolation=cv2.INTER_AREA) for p in (big, lanczos))
    assert psnr(back, srgb_encode(small)) > 45
    assert psnr(back, srgb_encode(small)) > psnr(plain, srgb_encode(small)) + 6


@pytest.mark.parametrize(("factor", "gain"), [(2, 0.3), (4, 0.2)])
def test_faithful_is_nearer_to_the_truth_than_bicubic(tmp_path, factor, gain):
    """On photographs shipped with scikit-image, shrunk as most programs do: on each, and clearly on average."""
    gains = []
    for name in ("astronaut", "coffee", "chelsea", "rocket"):
        truth = photograph(name)
        small = cv2.resize(truth, None, fx=1 / factor, fy=1 / factor, interpolation=cv2.INTER_AREA)
        plan = NOTHING.set("enlarge.on", True).set("enlarge.model", "faithful").set("enlarge.factor", factor)
        ours = encoded(treated(picture(small, tmp_path), plan, Reading()))
        bicubic = cv2.resize(small, None, fx=factor, fy=factor, interpolation=cv2.INTER_CUBIC)
        gains.append(psnr(ours, truth) - psnr(bicubic, truth))
        assert np.allclose(ours.mean(axis=(0, 1)), small.mean(axis=(0, 1)), atol=2e-3)
    assert min(gains) > 0
    assert np.mean(gains) > gain


def samplings(full: Size, big: Size) -> tuple[Sampling, Sampling]:
    return Sampling.between(full.height, big.height), Sampling.between(full.width, big.width)


def test_each_back_projection_brings_the_reduction_nearer_to_the_source():
    small = photograph("coffee")[:40, :52]
    full, big = Size(40, 52), Size(100, 130)

    def missing(times: int) -> float:
        large = resample.back_project(small, full.rect, samplings(full, big), big.rect, times)
        rows = resample.area_weights(Sampling.between(100, 40), 0, 40, 0, 100)
        columns = resample.area_weights(Sampling.between(130, 52), 0, 52, 0, 130)
        return float(np.abs(resample.apply(rows, columns, large) - small).mean())

    errors = [missing(n) for n in (1, 2, 4, 8)]
    assert errors == sorted(errors, reverse=True)
    assert errors[-1] < errors[0] / 10


def test_back_projection_from_nothing_is_lanczos_once_and_keeps_a_good_guess():
    small = photograph("rocket")[:30, :40]
    full, big = Size(30, 40), Size(60, 80)
    rows = resample.lanczos_weights(Sampling.between(30, 60), 0, 60, 0, 30)
    columns = resample.lanczos_weights(Sampling.between(40, 80), 0, 80, 0, 40)
    once = resample.back_project(small, full.rect, samplings(full, big), big.rect, 1)
    assert np.array_equal(once, resample.apply(rows, columns, small))
    truth = np.repeat(np.repeat(small, 2, 0), 2, 1)  # its area average is the source already
    kept = resample.back_project(small, full.rect, samplings(full, big), big.rect, 3, truth.copy())
    assert np.allclose(kept, truth, atol=1e-5)


def test_lanczos_agrees_with_pillow(tmp_path):
    from PIL import Image

    values = RNG.uniform(0, 1, (40, 50)).astype(np.float32)
    source = PictureSource(tmp_path / "x.tif", np.repeat(values[..., None], 3, 2), icc.working_profile())
    for size in ((100, 80), (25, 20)):
        plan = NOTHING.set("enlarge.on", True).set("enlarge.model", "lanczos").set("enlarge.by", "width")
        ours = treated(source, plan.set("enlarge.pixels", size[0]), Reading())[..., 0]
        # Enlarging is done on encoded values, shrinking on linear ones.
        ours = srgb_encode(ours) if size[0] > 50 else ours
        given = srgb_encode(values) if size[0] > 50 else values
        theirs = np.asarray(Image.fromarray(given).resize(size, Image.Resampling.LANCZOS))
        inside = np.s_[6:-6, 6:-6]  # Pillow cuts the kernel at the edge, we mirror
        assert np.allclose(ours[inside], theirs[inside], atol=2e-3)


# ---- Finish ----------------------------------------------------------------------------


def test_grain_is_even_repeatable_and_grey(tmp_path):
    source = picture(np.full((200, 200, 3), 0.5), tmp_path)
    plan = NOTHING.set("finish.on", True).set("finish.amount", 5)
    grainy = encoded(treated(source, plan, Reading()))
    assert grainy.std() * 255 == pytest.approx(5, rel=0.15)
    assert np.ptp(grainy, axis=-1).max() < 0.005
    assert np.array_equal(encoded(treated(source, plan, Reading())), grainy)


def test_stages_run_in_their_fixed_order(raw_file):
    source = read_shot(raw_file)
    reading = measure(source)
    everything = Treatment().only(list(Stage)).set("develop.base", "linear").set("develop.exposure", 0.0)
    steps = Pipeline(source, reading, resolve(everything, source, reading)).steps
    # A model on the mosaic goes before the demosaicing that Develop does.
    assert [s.stage for s in steps] == [Stage.DENOISE, Stage.DEVELOP, Stage.SHARPEN, Stage.ENLARGE, Stage.FINISH]


# ---- order (design.md section 8: facts of the trade, common practice, no source) --------------


def test_sharpening_before_denoising_makes_noise_worse(tmp_path):
    """Common practice, no source: where nothing is known of the noise; where it is known, it is left alone."""
    sigma = 0.03
    source = picture(0.5 + RNG.normal(0, sigma, (128, 128, 3)), tmp_path)
    reading = Reading(Noise.even(sigma * 255), Blur(softness=1.0))
    sharpen = NOTHING.set("sharpen.on", True).set("sharpen.model", "unsharp-mask").set("sharpen.strength", 150)
    plain, only_sharpened, both = (
        luminance(treated(source, t, reading)).std() for t in (NOTHING, sharpen, sharpen.set("denoise.on", True))
    )
    unknown = Reading(Noise.even(0), Blur(softness=1.0))
    assert luminance(treated(source, sharpen, unknown)).std() > 1.5 * plain
    assert only_sharpened < 1.1 * plain
    assert both < 0.6 * plain


@pytest.mark.slow
def test_a_second_pass_needs_no_denoising(raw_file, tmp_path):
    """What the first pass wrote is metered clean."""
    source = read_shot(raw_file)
    reading = measure(source)
    once = treated(source, NOTHING.set("denoise.on", True), reading)
    second = PictureSource(tmp_path / "x.tif", once, icc.working_profile())
    again = measure(second)
    assert again.noise.luminance < 0.3 * reading.noise.luminance
