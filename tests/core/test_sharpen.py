"""Undoing blur that is known, metered or found: against truth, and against scikit-image's deconvolution.

Blur is applied by SciPy with kernels sampled here, not with those the program undoes it with.
"""

import cv2
import exiv2
import numpy as np
import pytest
from PIL import Image
from scipy import ndimage, special
from skimage import restoration

from crispgrain.cancel import Cancelled, CancelToken
from crispgrain.core.about import Facts
from crispgrain.core.colour import icc
from crispgrain.core.colour.spaces import luminance, srgb_decode, srgb_encode
from crispgrain.core.errors import TreatmentError
from crispgrain.core.files import PictureSource, read_shot
from crispgrain.core.meter import Blur, Noise, Reading, measure
from crispgrain.core.meter.mtf import mtf50
from crispgrain.core.model import Stage
from crispgrain.core.networks import runtime
from crispgrain.core.render.pipeline import Pipeline
from crispgrain.core.resolve import resolve
from crispgrain.core.stages.sharpen import photo_prior, shake_net, undo
from crispgrain.core.stages.sharpen.about import ABOUT
from crispgrain.core.treatment import Treatment
from crispgrain.geometry import Rect
from crispgrain.restoration import blind, point_spread
from crispgrain.restoration.deconvolution import Blurred
from crispgrain.simulation.camera import shake_path
from tests.conftest import encoded, photograph, psnr

NOTHING = Treatment().only([]).set("sharpen.on", True)


def disc(radius: float) -> np.ndarray:
    """Sampled at 100 points a pixel."""
    reach = int(radius) + 1
    fine = (np.arange(-reach * 10 - 5, reach * 10 + 5) + 0.5) / 10
    inside = np.hypot(*np.meshgrid(fine, fine)) <= radius
    kernel = inside.reshape(2 * reach + 1, 10, 2 * reach + 1, 10).mean(axis=(1, 3))
    return kernel / kernel.sum()


def streak(length: float, angle: float) -> np.ndarray:
    """A turned bar, one pixel thin."""
    edge = int(length) // 2 * 2 + 5
    bar = np.zeros((edge * 9, edge * 9))
    middle, half = len(bar) // 2, round(length * 9 / 2)
    bar[middle - 4 : middle + 5, middle - half : middle + half + 1] = 1
    turned = ndimage.rotate(bar, angle, reshape=False, order=1)
    kernel = turned.reshape(edge, 9, edge, 9).mean(axis=(1, 3))
    return kernel / kernel.sum()


def blurred(truth: np.ndarray, kernel: np.ndarray, sigma: float = 0.01) -> np.ndarray:
    """An encoded picture blurred in linear light, with noise, as 8-bit values."""
    linear = srgb_decode(truth)
    soft = np.stack([ndimage.convolve(linear[..., c], kernel, mode="mirror") for c in range(3)], axis=-1)
    noisy = srgb_encode(soft) + np.random.default_rng(5).normal(0, sigma, truth.shape)
    return np.round(np.clip(noisy, 0, 1) * 255).astype(np.uint8)


def source_of(stored: np.ndarray, tmp_path) -> PictureSource:
    return PictureSource(tmp_path / "x.png", stored, icc.profile("srgb"))


def treated(source, reading: Reading, tile: int = 512, **settings) -> np.ndarray:
    """Linear result with only Sharpen on."""
    return treated_parts([source.size.rect], source, reading, tile, **settings)[0]


def treated_parts(parts, source, reading: Reading, tile: int = 512, **settings) -> list[np.ndarray]:
    treatment = NOTHING
    for name, value in settings.items():
        treatment = treatment.set(f"sharpen.{name}", value)
    pipeline = Pipeline(source, reading, resolve(treatment, source, reading), tile=tile)
    return [pipeline.region(part) for part in parts]


KNOWN = {
    "disc": (disc(3), {"model": "defocus", "radius": 3}),
    "line": (streak(15, 30), {"model": "motion", "length": 15, "angle": 30}),
}


@pytest.mark.slow
@pytest.mark.parametrize("kind", KNOWN)
def test_a_known_blur_is_undone_better_than_by_scikit_image(kind, tmp_path):
    """scikit-image's Wiener filter at its best of several strengths, in linear light and in encoded values."""
    kernel, settings = KNOWN[kind]
    truth = photograph("coffee")
    soft = blurred(truth, kernel)
    values = soft / 255
    theirs = [
        psnr(convert(np.stack([restoration.wiener(v[..., c], kernel, b, clip=False) for c in range(3)], -1)), truth)
        for v, convert in ((values, lambda x: x), (srgb_decode(values), srgb_encode))
        for b in (0.01, 0.03, 0.1, 0.3)
    ]
    source, reading = source_of(soft, tmp_path), Reading(Noise.even(2.55))
    fast = psnr(encoded(treated(source, reading, **settings)), truth)
    best = psnr(encoded(treated(source, reading, **settings, effort="best")), truth)
    assert fast > max(theirs) + 0.5
    assert best > max(theirs) + 1.5


@pytest.mark.slow
@pytest.mark.parametrize("kind", KNOWN)
def test_a_metered_blur_is_undone_nearly_as_well_as_a_known_one(kind, tmp_path):
    kernel, settings = KNOWN[kind]
    truth = photograph("coffee")
    source = source_of(blurred(truth, kernel), tmp_path)
    reading = measure(source)
    told = psnr(encoded(treated(source, reading, **settings)), truth)
    metered = psnr(encoded(treated(source, reading, model=settings["model"])), truth)
    assert metered > told - 1


def test_the_kind_of_blur_decides_the_model(tmp_path):
    source = source_of(np.zeros((8, 8, 3), np.uint8), tmp_path)
    for kind, model in (
        ("none", "sharp-net"), ("soft lens", "sharp-net"), ("defocus", "defocus"), ("motion", "motion"),
        ("shake", "shake"),
    ):  # fmt: skip
        reading = Reading(blur=Blur(kind, 2.0, disc_radius=3.1, line_length=9, line_angle=20))
        resolved = resolve(Treatment(), source, reading)[Stage.SHARPEN]
        assert (resolved.on, resolved.model.id) == (True, model)
        if model == "defocus":
            assert resolved.values["radius"] == 3.1


@pytest.mark.parametrize(("softness", "raw", "on"), [
    (0.25, True, False), (0.35, True, True), (0.35, False, False), (0.45, False, True),
])  # fmt: skip
def test_a_raw_is_sharpened_from_a_smaller_blur_on(tmp_path, softness, raw, on):
    source = source_of(np.zeros((8, 8, 3), np.uint8), tmp_path)
    reading = Reading(blur=Blur(softness=softness), raw=raw)
    assert resolve(Treatment(), source, reading)[Stage.SHARPEN].on is on


@pytest.mark.parametrize(("kind", "softness", "said"), [
    ("none", 0.1, "sharp enough: metered off"), ("soft lens", 0.35, "too little to be sure of: metered off"),
    ("soft lens", 0.9, "sharpest parts blurred by 0.9 px"),
])  # fmt: skip
def test_what_is_said_of_sharpen_fits_what_was_metered(tmp_path, kind, softness, said):
    source = source_of(np.zeros((8, 8, 3), np.uint8), tmp_path)
    facts = Facts(source, Reading(blur=Blur(kind, softness)), source.size, {}, softness, source.size)
    assert said in ABOUT.reading(facts)[-1]


@pytest.mark.slow
def test_a_shake_is_found_in_the_picture_and_undone(tmp_path):
    truth = photograph("astronaut")
    soft = blurred(truth, shake_path(12, 1))
    result = treated(source_of(soft, tmp_path), Reading(Noise.even(2.55)), model="shake", effort="best")
    assert psnr(encoded(result), truth) > psnr(soft / 255, truth) + 1.5


@pytest.mark.slow
def test_a_path_drawn_by_hand_is_taken(tmp_path):
    truth, kernel = photograph("astronaut"), shake_path(12, 1)
    source, reading = source_of(blurred(truth, kernel), tmp_path), Reading(Noise.even(2.55))
    told = treated(source, reading, model="shake", path=point_spread.as_text(kernel))
    assert psnr(encoded(told), truth) > psnr(encoded(treated(source, reading, model="shake")), truth)
    with pytest.raises(TreatmentError, match=r"sharpen\.path"):
        NOTHING.set("sharpen.path", "a squiggle")


def wrong_path(kernel: np.ndarray) -> str:
    """As it may be found: half of it lost, a ghost beside it."""
    lost = np.pad(kernel, 4)
    lost[: len(lost) // 2] *= 0.3
    return point_spread.as_text(blind.centred(lost + 0.3 * np.roll(lost, (2, -3), (0, 1))))


@pytest.mark.parametrize("effort", ["fast", "best"])
def test_what_a_wrong_path_leaves_is_taken_off(tmp_path, monkeypatch, effort):
    kernel = shake_path(12, 1)
    truth = photograph("coffee")[:160, 100:260]
    source, reading = source_of(blurred(truth, kernel), tmp_path), Reading(Noise.even(2.55))
    settings = {"model": "shake", "path": wrong_path(kernel), "effort": effort}
    result = treated(source, reading, **settings)
    monkeypatch.setattr(runtime, "unavailable", lambda name: "gone" if name == shake_net.NAME else "")
    without = treated(source, reading, **settings)
    assert psnr(encoded(result), truth) > psnr(encoded(without), truth) + 0.5


def test_a_path_said_to_be_right_is_believed(tmp_path, monkeypatch):
    source, reading = source_of(photograph("coffee")[:64, :64], tmp_path), Reading(Noise.even(2.55))
    settings = {"model": "shake", "path": point_spread.as_text(shake_path(8, 1)), "path_error": 0.9}
    monkeypatch.setattr(shake_net, "clean", None)
    believed = treated(source, reading, **settings)
    with pytest.raises(TypeError):
        treated(source, reading, **{**settings, "path_error": 1.0})
    assert np.isfinite(believed).all()


def test_lamps_beyond_white_stay_as_bright_as_they_were_found():
    start = np.full((64, 64, 3), 0.2, np.float32)
    start[30:34, 30:34] = 5.0
    cleaned = shake_net.clean(start, np.minimum(start, 1), 0.01)
    assert cleaned[31:33, 31:33].min() > 4
    assert np.abs(cleaned[:16, :16] - 0.2).max() < 0.02


def test_work_nobody_wants_any_more_stops_in_the_middle_of_a_model(tmp_path, monkeypatch):
    stored = blurred(photograph("coffee"), streak(15, 37))
    token, rounds = CancelToken(), []

    def clean(pixels, sigma):
        rounds.append(sigma)
        token.cancel()
        return pixels

    monkeypatch.setattr(photo_prior, "clean", clean)
    source = source_of(stored, tmp_path)
    treatment = NOTHING.set("sharpen.model", "motion").set("sharpen.effort", "best")
    pipeline = Pipeline(source, Reading(), resolve(treatment.set("sharpen.length", 9.0), source, Reading()))
    with pytest.raises(Cancelled):
        pipeline.tile_pixels(0, 0, len(pipeline.steps), token)
    assert len(rounds) == 1


@pytest.mark.slow
def test_softer_corners_are_sharpened_more_by_region(tmp_path):
    """A lens twice as soft on the right: the regions find it, and each side gets its own radius."""
    fine = np.kron(np.random.default_rng(8).integers(40, 220, (57, 74)), np.ones((23, 23)))[:1300, :1700]
    truth = np.repeat(fine[..., None], 3, axis=2) / 255
    left, right = (cv2.GaussianBlur(srgb_decode(truth), (0, 0), s) for s in (0.8, 1.6))
    share = np.linspace(-0.5, 1.5, truth.shape[1]).clip(0, 1)[None, :, None]
    stored = np.round(srgb_encode((1 - share) * left + share * right) * 255).astype(np.uint8)
    source = source_of(stored, tmp_path)
    blur = measure(source).blur
    softness = np.array(blur.regions)
    assert softness.shape == (3, 3)
    assert np.allclose(softness[:, 0], 0.8, atol=0.25) and np.allclose(softness[:, 2], 1.6, atol=0.25)
    reading = Reading(Noise.even(0.5), blur)
    parts = [Rect(540, 60, 300, 300), Rect(540, 1220, 300, 300)]  # each within a tile
    even, by_region = (
        [
            encoded(part)
            # At full strength: below it, a radius too large makes up for it by chance.
            for part in treated_parts(
                parts, source, reading, model="lens-softness", varies=varies, halo=20, strength=100
            )
        ]
        for varies in ("even", "by-region")
    )
    gains = [
        psnr(with_own, truth[p.slices]) - psnr(with_one, truth[p.slices])
        for p, with_own, with_one in zip(parts, by_region, even, strict=True)
    ]
    assert min(gains) > -0.5 and max(gains) > 1 and np.mean(gains) > 0.4


@pytest.mark.parametrize(("model", "effort"), [("sharp-net", "fast"), ("lens-softness", "best")])
def test_an_edge_is_as_sharp_as_before_the_blur(model, effort, tmp_path):
    """MTF50 of a slanted edge (ISO 12233) within 10 % of the unblurred edge's, overshoot under 5 % of the step."""
    rows, columns = np.mgrid[:128, :128] - 63.5
    distance = columns * np.cos(np.radians(5)) - rows * np.sin(np.radians(5))
    sharp = np.repeat((0.1 + 0.3 * special.ndtr(distance / 0.6))[..., None], 3, axis=-1)
    taps = np.exp(-(np.arange(-4, 5) ** 2) / (2 * 0.8**2))
    source = source_of(blurred(srgb_encode(sharp), np.outer(taps, taps) / taps.sum() ** 2), tmp_path)
    reading = Reading(Noise.even(2.55), Blur(softness=0.8))
    result = luminance(treated(source, reading, model=model, effort=effort))
    assert mtf50(result[:, 32:96]) == pytest.approx(mtf50(sharp[:, 32:96, 0]), rel=0.1)
    profile = result[:, 32:96].mean(axis=0)
    assert profile.max() < 0.4 + 0.05 * 0.3
    assert profile.min() > 0.1 - 0.05 * 0.3


def test_lens_softness_at_its_best_beats_fast(tmp_path):
    truth = photograph("coffee")
    taps = np.exp(-(np.arange(-5, 6) ** 2) / (2 * 1.2**2))
    source = source_of(blurred(truth, np.outer(taps, taps) / taps.sum() ** 2), tmp_path)
    reading = Reading(Noise.even(2.55), Blur("soft lens", 1.2))
    fast, best = (
        psnr(encoded(treated(source, reading, model="lens-softness", effort=e)), truth) for e in ("fast", "best")
    )
    assert best > fast + 0.3


# ---- what must not happen --------------------------------------------------------------


@pytest.mark.parametrize("effort", ["fast", "best"])
def test_noise_in_a_smooth_sky_is_not_raised(effort, tmp_path):
    sky = np.round(np.clip(0.55 + np.random.default_rng(2).normal(0, 0.01, (128, 128, 3)), 0, 1) * 255)
    source, reading = source_of(sky.astype(np.uint8), tmp_path), Reading(Noise.even(2.55))
    before = luminance(source.region(source.size.rect)).std()
    for settings in ({"model": "defocus", "radius": 3}, {"model": "motion", "length": 12}):
        after = luminance(treated(source, reading, **settings, effort=effort)).std()
        assert after < 1.1 * before


def test_no_dark_ring_round_a_clipped_lamp(tmp_path):
    truth = np.full((128, 128, 3), 0.2, np.float32)
    truth[56:72, 56:72] = 1.0
    linear = srgb_decode(truth)
    linear[56:72, 56:72] = 8.0  # far brighter than the file can say
    soft = np.stack([ndimage.convolve(linear[..., c], disc(4), mode="mirror") for c in range(3)], axis=-1)
    stored = np.round(np.clip(srgb_encode(soft), 0, 1) * 255).astype(np.uint8)
    result = encoded(treated(source_of(stored, tmp_path), Reading(), model="defocus", radius=4))
    assert result.min() > 0.2 - 0.03
    theirs = restoration.richardson_lucy(srgb_decode(stored[..., 0] / np.float32(255)), disc(4), 20)
    assert srgb_encode(theirs.astype(np.float32)).min() < 0.2 - 0.08


@pytest.mark.parametrize("compressed", [False, True])
@pytest.mark.parametrize("effort", ["fast", "best"])
@pytest.mark.parametrize("kind", ["disc", "line"])
def test_lamps_far_brighter_than_white_come_back_on_a_dark_street(kind, effort, compressed, tmp_path):
    """Three stops over white, with the halo limit wide open: as small as they were, and the street not striped."""
    street = np.full((160, 160, 3), 0.06, np.float32)
    rows, columns = np.mgrid[:160, :160]
    places = (40, 48, 3), (50, 115, 6), (115, 70, 9)
    distance = np.min([np.hypot(rows - y, columns - x) - r for y, x, r in places], axis=0)
    linear = srgb_decode(street)
    linear[distance <= 0] = np.array([8, 7, 5])
    kernel, settings = KNOWN[kind]
    stored = blurred(np.clip(srgb_encode(linear), 0, 3), kernel)
    if compressed:
        path = tmp_path / "x.jpg"
        Image.fromarray(stored).save(path, quality=85)
        stored = np.asarray(Image.open(path))
    source, reading = source_of(stored, tmp_path), Reading(Noise.even(2.55))
    result = encoded(treated(source, reading, effort=effort, halo=20, **settings))
    before, after, true = (stored.mean(axis=-1) > 204).sum(), (result.mean(axis=-1) > 0.8).sum(), (distance <= 0).sum()
    assert 0.8 * true < after < 1.25 * true < before
    street_again = result[distance > 2].mean(axis=-1)
    # Without knowing how bright the lamps are, 11 to 31 % of it is dark and 4 to 9 % bright.
    assert (street_again < 0.03).mean() < 0.1
    assert (street_again > 0.12).mean() < 0.03


def test_no_rings_from_the_picture_s_edge(tmp_path):
    """The error near the edge, where half of the surroundings are unknown, against that of the blurred picture."""
    truth = photograph("coffee")
    kernel, settings = KNOWN["disc"]
    soft = blurred(truth, kernel)
    result = encoded(treated(source_of(soft, tmp_path), Reading(Noise.even(2.55)), **settings))
    rim = np.ones(truth.shape[:2], bool)
    rim[8:-8, 8:-8] = False
    assert np.square(result - truth)[rim].mean() < np.square(soft / 255 - truth)[rim].mean()


@pytest.mark.parametrize("model", ["defocus", "motion"])
def test_the_halo_limit_bounds_an_edge(model, tmp_path):
    edge = np.full((96, 128, 3), 60, np.uint8)
    edge[:, 64:] = 190
    kernel, settings = KNOWN["disc" if model == "defocus" else "line"]
    soft = blurred(edge / np.float32(255), kernel, 0)
    source = source_of(soft, tmp_path)
    linear = luminance(source.region(source.size.rect))
    result = luminance(treated(source, Reading(), **settings, halo=0))
    assert result.max() <= linear.max() + 1e-3 and result.min() >= linear.min() - 1e-3
    assert np.diff(result[48]).max() > 1.5 * np.diff(linear[48]).max()


@pytest.mark.slow
def test_strength_and_sizes_of_detail(tmp_path):
    kernel, settings = KNOWN["disc"]
    source, reading = source_of(blurred(photograph("coffee"), kernel), tmp_path), Reading(Noise.even(2.55))
    plain = source.region(source.size.rect)

    def change(**more) -> np.ndarray:
        return np.abs(treated(source, reading, **settings, **more) - plain)

    whole = change().mean()
    assert change(strength=0).max() == 0
    assert 0.4 * whole < change(strength=50).mean() < 0.6 * whole
    assert change(fine=0).mean() < whole and change(coarse=0).mean() < whole
    assert change(fine=0, coarse=0).max() < 1e-5
    assert change(strength=150).mean() > whole


@pytest.mark.parametrize("effort", ["fast", "best"])
def test_a_patch_agrees_with_the_whole(effort, tmp_path):
    """Not to the last bit, as frequencies know no place: to less than half an 8-bit step (root mean square)."""
    kernel, settings = KNOWN["disc"]
    source, reading = source_of(blurred(photograph("astronaut"), kernel), tmp_path), Reading(Noise.even(2.55))
    treatment = NOTHING.set("sharpen.effort", effort)
    for name, value in settings.items():
        treatment = treatment.set(f"sharpen.{name}", value)
    view, file = (Pipeline(source, reading, resolve(treatment, source, reading), tile=tile) for tile in (256, 512))
    part = Rect(90, 80, 64, 64)
    whole = encoded(view.region(view.size.rect))
    difference = 255 * (encoded(view.untiled(part)) - whole[part.slices])
    assert np.sqrt(np.square(difference).mean()) < 0.5
    # What is seen is what the file gets: views and files have the same tiles.
    assert np.array_equal(encoded(file.region(file.size.rect)), whole)


@pytest.mark.parametrize(
    ("kernel", "settings"), [(disc(2), {"model": "lens-softness", "radius": 1.2}), KNOWN["disc"], KNOWN["line"]]
)
def test_a_view_all_round_has_no_seam(kernel, settings, tmp_path):
    """Rolled by half its width, sharpened and rolled back, it is the same."""
    truth = photograph("coffee")[:128]
    # Blurred all round, too.
    stored = np.roll(blurred(np.roll(np.tile(truth, (1, 3, 1)), 128, axis=1), kernel), -128, axis=1)[:, 256:512]
    reading = Reading(Noise.even(2.55), Blur(softness=1.2))
    straight = treated(source_of(stored, tmp_path), reading, tile=128, **settings)
    rolled = treated(source_of(np.roll(stored, 128, axis=1), tmp_path), reading, tile=128, **settings)
    difference = 255 * np.abs(encoded(np.roll(rolled, -128, axis=1)) - encoded(straight))
    seam = max(difference[:, :8].mean(), difference[:, -8:].mean(), difference[:, 120:136].mean())
    # One column less, and it is no view all round: its edges are edges.
    cut = treated(source_of(np.roll(stored, 128, axis=1)[:, 1:], tmp_path), reading, tile=128, **settings)
    torn = 255 * np.abs(encoded(np.roll(cut, -127, axis=1))[:, 128:136] - encoded(straight)[:, 128:136]).mean()
    assert seam < torn / 5 and seam < 0.7  # 8-bit steps, mean


def test_a_view_all_round_is_known_by_its_tag(tmp_path):
    """XMP of Google's Photo Sphere schema (GPano:ProjectionType); the name is from memory."""
    Image.new("RGB", (90, 60)).save(tmp_path / "plain.jpg")
    Image.new("RGB", (90, 60)).save(tmp_path / "round.jpg")
    image = exiv2.ImageFactory.open(str(tmp_path / "round.jpg"))
    image.readMetadata()
    image.xmpData()["Xmp.GPano.ProjectionType"] = "equirectangular"
    image.writeMetadata()
    assert read_shot(tmp_path / "round.jpg").wraps
    assert not read_shot(tmp_path / "plain.jpg").wraps


# ---- kernels ------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("ours", "reference"),
    [
        (point_spread.aperture(3.3), disc(3.3)),
        (point_spread.line(11, 40), streak(11, 40)),
    ],
)  # fmt: skip
def test_kernels_have_the_moments_of_independent_ones(ours, reference):
    def moments(kernel: np.ndarray) -> list[float]:
        y, x = np.indices(kernel.shape) - len(kernel) // 2
        return [float((kernel * m).sum()) for m in (np.ones_like(x), x, y, x * x, y * y, x * y)]

    assert np.allclose(moments(ours), moments(reference), atol=0.35)


def test_an_aperture_of_many_blades_is_nearly_round():
    six, nine = point_spread.aperture(6, 6), point_spread.aperture(6, 9)
    # Areas of regular polygons in a circle of radius 6: n/2 r^2 sin(2 pi / n).
    assert 1 / six.max() == pytest.approx(3 * 36 * np.sin(np.pi / 3), rel=0.02)
    assert 1 / nine.max() == pytest.approx(4.5 * 36 * np.sin(2 * np.pi / 9), rel=0.02)
    assert np.allclose(six, point_spread.aperture(6, 6, 60), atol=1e-6)


def test_a_path_survives_being_written_down():
    kernel = shake_path(18, 4)
    assert np.abs(point_spread.from_text(point_spread.as_text(kernel)) - kernel).max() < kernel.max() / 200
    for bad in ("", "3:!!", "4:" + "A" * 24, "103:AAAA"):
        with pytest.raises(ValueError, match="path"):
            point_spread.from_text(bad)


def test_nearly_white_counts_as_clipped_beside_white_only():
    """Compression leaves lamps rough; but a white wall that is not clipped is known."""
    linear = np.full((40, 60, 3), 0.1, np.float32)
    linear[10:20, 10:20], linear[14, 14] = 0.9, 1.0  # a rough lamp
    linear[10:20, 40:50] = 0.9  # a wall
    linear[30:34, 10:14] = (1.0, 0.2, 0.1)  # red is clipped
    clipped = undo.clipped_in(linear)
    assert clipped[10:20, 10:20].all() and clipped[30:34, 10:14].all()
    assert clipped.sum() == 100 + 16


def test_how_bright_a_lamp_is_follows_from_its_rim():
    """Eight times white, and no larger than the blur, so that all of it shows somewhere."""
    rows, columns = np.mgrid[:96, :96] - 47.5
    true = np.where(np.hypot(rows, columns) < 2.5, 8.0, 0.02).astype(np.float32)
    seen = np.minimum(ndimage.convolve(true, disc(3), mode="mirror"), 1)[..., None].astype(np.float32)
    kernel, lamp = disc(3).astype(np.float32), np.hypot(rows, columns) < 4
    found, plain = (
        frame.start[frame.inner][..., 0]
        for frame in (Blurred(seen, kernel, seen[..., 0] >= 1, lamps) for lamps in (True, False))
    )
    assert found[lamp].sum() == pytest.approx(true[lamp].sum(), rel=0.3)
    assert plain.max() <= 1
    assert np.abs(found - true)[~lamp].mean() < 0.02


def test_nothing_clipped_needs_no_search():
    seen = np.random.default_rng(1).uniform(0.1, 0.8, (48, 48, 1)).astype(np.float32)
    frame = Blurred(seen, disc(2).astype(np.float32), np.zeros((48, 48), bool))
    assert frame.start is frame.observed


@pytest.mark.slow
@pytest.mark.parametrize("denoised", [0, 50, 100])
@pytest.mark.parametrize("model", ["sharp-net", "lens-softness", "unsharp-mask"])
def test_what_is_left_of_the_noise_is_not_sharpened(model, denoised, tmp_path):
    """However much Denoise left of it: a smooth area gets at most a tenth noisier."""
    sky = np.round(np.clip(0.55 + np.random.default_rng(2).normal(0, 0.02, (192, 192, 3)), 0, 1) * 255)
    source, reading = source_of(sky.astype(np.uint8), tmp_path), Reading(Noise.even(5.1), Blur("soft lens", 1.0))
    treatment = Treatment().only([]).set("denoise.on", True).set("denoise.model", "photo-net")
    for axis in ("luminance", "colour"):
        treatment = treatment.set(f"denoise.{axis}", denoised)

    def noise(treatment: Treatment) -> float:
        pipeline = Pipeline(source, reading, resolve(treatment, source, reading))
        return float(luminance(pipeline.region(pipeline.size.rect))[32:-32, 32:-32].std())

    assert noise(treatment.set("sharpen.on", True).set("sharpen.model", model)) < 1.1 * noise(treatment)
