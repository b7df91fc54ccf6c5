"""Pictures all round and views of them. Outside judge of directions: scipy's Rotation, on a scene known by its rays."""

import dataclasses

import cv2
import numpy as np
import pytest
from scipy.spatial.transform import Rotation

from crispgrain.core.colour import icc
from crispgrain.core.colour.spaces import srgb_decode, srgb_encode
from crispgrain.core.files import PictureSource
from crispgrain.core.meter import measure
from crispgrain.core.model import Drawn
from crispgrain.core.render.overview import overview
from crispgrain.core.shot import Shot
from crispgrain.core.sphere import Projection, Sphere
from crispgrain.core.stages.develop.view_tools import LOOK, TURN
from crispgrain.core.treatment import Treatment
from crispgrain.geometry import Rect, Size

WHOLE = Size(256, 512)


def scene(rays: np.ndarray) -> np.ndarray:
    """Smooth light by direction (... x 3: right, down, ahead), 0.1 to 0.9, other in every direction."""
    waves = np.stack([np.sin(3 * rays[..., 0] + 1), np.sin(4 * rays[..., 1]), np.sin(3 * rays[..., 2] + 2)], axis=-1)
    return (0.5 + 0.4 * waves).astype(np.float32)


def rays_all_round(size: Size) -> np.ndarray:
    latitude = np.pi * ((np.arange(size.height) + 0.5) / size.height - 0.5)[:, None]
    longitude = 2 * np.pi * ((np.arange(size.width) + 0.5) / size.width - 0.5)[None]
    level = np.cos(latitude)
    down = np.broadcast_to(np.sin(latitude), (size.height, size.width))
    return np.stack([level * np.sin(longitude), down, level * np.cos(longitude)], axis=-1)


def shot_of(linear: np.ndarray, path) -> Shot:
    source = PictureSource(path / "all-round.tif", linear.astype(np.float32), icc.working_profile())
    return Shot(source, measure(source))


@pytest.fixture(scope="module")
def shot(tmp_path_factory) -> Shot:
    return shot_of(scene(rays_all_round(WHOLE)), tmp_path_factory.mktemp("round"))


def seen(shot: Shot, **values) -> np.ndarray:
    treatment = Treatment().only([])
    for name, value in values.items():
        treatment = treatment.set(f"view.{name}", value)
    pipeline = shot.pipeline(treatment)
    return pipeline.region(pipeline.size.rect)


def rays_of_view(size: Size, field: float, direction: float, pitch: float, roll: float) -> np.ndarray:
    focal = size.width / 2 / np.tan(np.radians(field) / 2)
    y, x = np.mgrid[: size.height, : size.width] + 0.5
    rays = np.stack([(x - size.width / 2) / focal, (y - size.height / 2) / focal, np.ones(x.shape)], axis=-1)
    rays /= np.linalg.norm(rays, axis=-1, keepdims=True)
    # y points down: looking up is a turn about x, to the right one about y, and clockwise one about the view's axis.
    turn = Rotation.from_euler("YXZ", [direction, pitch, roll], degrees=True)
    return turn.apply(rays.reshape(-1, 3)).reshape(rays.shape)


@pytest.mark.parametrize(
    ("direction", "pitch", "roll"),
    [(0, 0, 0), (40, 20, 10), (180, -35, 0), (-120, 90, 30), (75, -90, -60), (170, 5, 0)],
)
def test_a_view_shows_what_lies_in_its_direction(shot, direction, pitch, roll):
    picture = seen(shot, direction=direction, pitch=pitch, roll=roll, field=80)
    expected = scene(rays_of_view(Size(*picture.shape[:2]), 80, direction, pitch, roll))
    assert np.abs(picture - expected).max() < 0.01


@pytest.mark.slow
def test_a_view_across_the_seam_is_that_of_the_picture_rolled(shot, tmp_path):
    rolled = shot_of(np.roll(shot.source.stored, WHOLE.width // 2, axis=1), tmp_path)
    across, within = seen(shot, direction=180), seen(rolled, direction=0)
    assert np.allclose(across, within, atol=1e-5)


@pytest.mark.parametrize("values", [{"pitch": -80.0}, {"seen": "planet"}, {"seen": "tunnel", "shape": "1:1"}])
def test_tiles_of_a_view_agree(shot, values):
    """Some of which lie beyond the right edge altogether."""
    treatment = Treatment().only([]).set("view.direction", 150.0)
    for name, value in values.items():
        treatment = treatment.set(f"view.{name}", value)
    whole = shot.pipeline(treatment)
    pixels = whole.region(whole.size.rect)
    tiled = shot.pipeline(treatment, None, 32)
    assert np.allclose(tiled.region(whole.size.rect), pixels, atol=1e-6)


def test_a_little_planet_has_the_ground_in_its_middle_and_inside_out_the_sky(shot):
    below, above = scene(np.array([0.0, 1.0, 0.0])), scene(np.array([0.0, -1.0, 0.0]))
    planet, tunnel = (seen(shot, seen=kind, shape="1:1") for kind in ("planet", "tunnel"))
    middle = planet.shape[0] // 2
    assert planet.shape == (256, 256, 3) and np.abs(planet[middle, middle] - below).max() < 0.02
    assert np.abs(tunnel[middle, middle] - above).max() < 0.02
    # The horizon of a stereographic planet is a circle at half the radius of the angle seen: r = 2 tan(angle / 2).
    radius = 128 * np.tan(np.pi / 4) / np.tan(np.radians(280) / 4)
    ahead = planet[round(middle - radius), middle]
    assert np.abs(ahead - scene(np.array([0.0, 0.0, 1.0]))).max() < 0.05


@pytest.mark.parametrize("projection", Projection)
def test_there_and_back(projection):
    sphere = Sphere(WHOLE, Size(80, 120), projection, 100.0, 50.0, 20.0, 100.0)
    y, x = np.mgrid[:80, :120] + 0.5
    back = sphere.inverse(*sphere(x, y))
    assert np.allclose(back, (x, y), atol=1e-6)


def test_enlarging_a_view_is_one_resampling_and_crop_goes_on_from_it(shot):
    treatment = Treatment().only(["enlarge"]).set("view.direction", 60.0).set("enlarge.model", "faithful")
    plain = seen(shot, direction=60)
    pipeline = shot.pipeline(treatment.set("enlarge.factor", 2.0))
    large = pipeline.region(pipeline.size.rect)
    expected = scene(rays_of_view(pipeline.size, 90, 60, 0, 0))
    assert large.shape[0] == 2 * plain.shape[0] and np.abs(large - expected)[8:-8, 8:-8].max() < 0.02
    cropped = shot.pipeline(Treatment().only([]).set("view.direction", 60.0).set("crop.left", 25.0))
    left = plain.shape[1] - cropped.size.width
    assert left == round(plain.shape[1] / 4)
    assert np.allclose(cropped.region(cropped.size.rect), plain[:, left:], atol=1e-5)


@pytest.mark.parametrize("kind", ["flat", "planet"])
def test_a_reduced_view_is_the_view_reduced(shot, kind):
    treatment = Treatment().only([]).set("view.seen", kind).set("view.shape", "1:1")
    full = shot.pipeline(treatment)
    small = full.reduced(2)
    assert (small.size.width, small.size.height) == (full.size.width // 2, full.size.height // 2)
    height, width = small.size.height, small.size.width
    pixels = full.region(full.size.rect)[: 2 * height, : 2 * width]
    halved = pixels.reshape(height, 2, width, 2, 3).mean(axis=(1, 3))
    assert np.abs(small.region(small.size.rect) - halved).max() < 0.1


def test_the_overview_shows_the_view_too(shot):
    treatment = Treatment().only([]).set("view.direction", 150.0).set("view.pitch", 30.0)
    pipeline = shot.pipeline(treatment)
    small = overview(shot.source, pipeline.resolved)
    assert np.abs(small - pipeline.region(pipeline.size.rect)).max() < 0.01


def test_pointing_and_dragging_turn_a_view(shot):
    drawn = Drawn(((384.0, 64.0),), shot.source, shot.reading, dict.fromkeys(("direction", "pitch"), 0.0), {})
    assert LOOK.settings(drawn) == {"direction": 90.0, "pitch": 45.0}
    drag = dataclasses.replace(drawn, points=((256.0, 128.0), (246.0, 128.0)))
    assert TURN.settings(drag) == {"direction": pytest.approx(7.0, abs=0.1), "pitch": 0.0}


def test_a_picture_that_does_not_go_all_round_has_no_view(tmp_path):
    shot = shot_of(scene(rays_all_round(WHOLE))[:, :300], tmp_path)
    pipeline = shot.pipeline(Treatment().only([]).set("view.direction", 30.0))
    assert pipeline.size == Size(256, 300)
    assert not pipeline.resolved.find("view").on and "all round" in pipeline.resolved.find("view").remarks[0]


@pytest.mark.slow
@pytest.mark.parametrize("stage", ["sharpen", "finish"])
def test_stages_see_no_seam(shot, tmp_path, stage):
    """The result of the picture rolled is the result rolled."""
    noisy = shot.source.stored + np.random.default_rng(2).normal(0, 0.02, shot.source.stored.shape)
    values = {
        "sharpen": {"model": "unsharp-mask", "strength": 150.0, "radius": 1.0},
        "finish": {"medium": "gloss", "amount": 0.0},
    }[stage]
    treatment = Treatment().only([stage])
    for name, value in values.items():
        treatment = treatment.set(f"{stage}.{name}", value)
    plain = shot_of(noisy, tmp_path)
    moved = dataclasses.replace(plain.source, stored=np.roll(plain.source.stored, 96, axis=1), serial="rolled")
    rolled = Shot(moved, plain.reading)
    one, other = (s.pipeline(treatment).region(WHOLE.rect) for s in (plain, rolled))
    assert np.allclose(np.roll(one, 96, axis=1), other, atol=1e-4)
    assert not np.allclose(one, plain.source.region(WHOLE.rect), atol=1e-3)


@pytest.mark.slow
def test_noise_of_a_picture_all_round_is_measured_where_it_is_not_drawn_out(tmp_path):
    """Near the poles a lens of a camera all round is resampled sideways: noise there is weaker and tells nothing."""
    size = Size(768, 1536)
    clean = scene(rays_all_round(size))
    noise = np.random.default_rng(3).normal(0, 1, clean.shape)
    latitude = np.abs(np.pi * ((np.arange(768) + 0.5) / 768 - 0.5))
    encoded = 255 * srgb_encode(clean) + 6 * noise * (latitude < 0.9)[:, None, None]
    stored = np.clip(encoded, 0, 255).astype(np.uint8)
    whole, cut, band = (
        measure(PictureSource(tmp_path / "a.png", np.ascontiguousarray(part), icc.profile("srgb")))
        for part in (stored, stored[:, :-8], stored[200:-200])
    )
    assert whole.noise.luminance == pytest.approx(band.noise.luminance, rel=0.15)
    assert cut.noise.luminance < 0.8 * band.noise.luminance  # which does not go all round
    assert (whole.size.width, whole.size.height) == (1536, 768)


def stitched(size: Size, sigma: float) -> np.ndarray:
    """Noise of the six flat shots that a picture all round is made of, as many px to a degree as its horizon has."""
    rng, rays = np.random.default_rng(7), rays_all_round(size)
    edge = int(size.width / np.pi * 1.1)
    noise = np.zeros((size.height, size.width, 3), np.float32)
    main = np.abs(rays).argmax(axis=-1)
    for axis in range(3):
        for sign in (-1, 1):
            here = (main == axis) & (np.sign(rays[..., axis]) == sign)
            across, along = (rays[..., other] / np.abs(rays[..., axis]) for other in range(3) if other != axis)
            face = (sigma * rng.standard_normal((edge, edge, 3))).astype(np.float32)
            places = ((a * size.width / np.pi / 2 + edge / 2 - 0.5).astype(np.float32) for a in (across, along))
            noise[here] = cv2.remap(face, *places, cv2.INTER_CUBIC, borderMode=cv2.BORDER_REFLECT)[here]
    return noise


@pytest.fixture(scope="module")
def noisy_room(tmp_path_factory) -> Shot:
    """Even grey all round, stitched from noisy shots."""
    size = Size(512, 1024)
    encoded = 0.5 + stitched(size, 0.05)
    return shot_of(srgb_decode(encoded), tmp_path_factory.mktemp("room"))


@pytest.mark.slow
@pytest.mark.parametrize("model", ["wavelet", "photo-net"])
def test_no_noise_is_left_at_the_zenith_and_below(noisy_room, model):
    """There the noise of a stitched picture is drawn out, so that a model of single pixels would leave most of it."""
    denoise = Treatment().only([]).set("denoise.on", True).set("denoise.model", model)
    left = {}
    for pitch in (0, 90, -90):
        looked = denoise.set("view.field", 40.0).set("view.pitch", float(pitch))
        left[pitch] = srgb_encode(noisy_room.pipeline(looked).region(noisy_room.pipeline(looked).size.rect)).std()
    assert max(left[90], left[-90]) < 1.5 * left[0]


def test_tiles_agree_near_the_poles_and_across_the_seam(noisy_room):
    denoise = Treatment().only([]).set("denoise.on", True).set("denoise.model", "wavelet")
    whole = noisy_room.pipeline(denoise, tile=1024)
    part = noisy_room.pipeline(denoise, tile=256)
    for rect in (Rect(0, 0, 200, 300), Rect(300, 800, 212, 224), Rect(100, 500, 90, 60)):
        assert np.allclose(whole.region(rect), part.region(rect), atol=1e-5)
    above = whole.region(Rect(0, 0, 128, 1024))  # as even over the seam as anywhere
    assert np.abs(above[:, 0] - above[:, -1]).mean() < 1.5 * np.abs(np.diff(above, axis=1)).mean()
