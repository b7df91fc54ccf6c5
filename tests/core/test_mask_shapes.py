"""Masks drawn, painted, found and put together: their maps, their JSON, and what they leave alone."""

from dataclasses import replace
from pathlib import Path

import cv2
import numpy as np
import pytest
from PIL import Image
from skimage import data

from crispgrain.core.colour import icc
from crispgrain.core.errors import ShotError, TreatmentError
from crispgrain.core.files import PictureSource
from crispgrain.core.frame import Frame
from crispgrain.core.masks import (
    Brush,
    Composite,
    Found,
    Ground,
    How,
    Kind,
    Lasso,
    LinearGradient,
    Oval,
    Part,
    Rough,
    Stroke,
    mask_from_json,
    picture,
)
from crispgrain.core.masks.extent import extent_of
from crispgrain.core.meter import Noise, Reading
from crispgrain.core.model import Stage
from crispgrain.core.render.pipeline import Pipeline
from crispgrain.core.resolve import resolve
from crispgrain.core.treatment import Treatment
from crispgrain.geometry import Rect, Size
from tests.conftest import photograph

SIZE = Size(300, 400)
PLAIN = Treatment().only([]).set("develop.exposure", 0.0).set("develop.base", "linear")
READING = Reading(Noise.even(1))


def source_of(pixels) -> PictureSource:
    return PictureSource(Path("x.png"), np.ascontiguousarray(pixels), icc.profile("srgb"))


def ground(pixels=None) -> Ground:
    pixels = np.full((SIZE.height, SIZE.width, 3), 90, np.uint8) if pixels is None else pixels
    return Ground.of(source_of(pixels))


def of_whole(mask, on=None) -> np.ndarray:
    on = on or ground()
    return mask.values(Frame(on.size, Noise()), on, on.size.rect)


def scene(noise=1.5):
    """A sharp figure before the blurred version of another picture, and where it is (h x w)."""
    rng = np.random.default_rng(4)
    back = cv2.GaussianBlur(cv2.resize(photograph("coffee").astype(np.float32), (960, 720)), (0, 0), 9)
    texture = cv2.resize(photograph("astronaut").astype(np.float32), (960, 720), interpolation=cv2.INTER_CUBIC)
    texture = np.clip(texture + 0.25 * (rng.random((720, 960, 1)) - 0.5), 0, 1)
    y, x = np.mgrid[:720, :960]
    inside = (((x - 500) / 190) ** 2 + ((y - 400) / 240) ** 2 < 1) | ((np.abs(x - 500) < 60) & (y > 150) & (y < 700))
    share = cv2.GaussianBlur(inside.astype(np.float32), (0, 0), 1.0)[..., None]
    pixels = texture * share + back * (1 - share) + rng.standard_normal((720, 960, 3)) * noise / 255
    return np.clip(pixels * 255 + 0.5, 0, 255).astype(np.uint8), inside


def overlap(mask, truth) -> float:
    """Intersection over union."""
    return (np.minimum(mask, truth).sum() / np.maximum(mask, truth).sum()).item()


STROKE = Stroke(((0.25, 0.5), (0.75, 0.5)), 0.05, feather=0.0)
EYES = ((200, 102), (247, 103))  # of the astronaut, by eye
EVERY = [
    LinearGradient((0.2, 0.1), (0.7, 0.9)),
    Oval((0.2, 0.2), (0.8, 0.7), 0.4),
    Oval((0.2, 0.2), (0.8, 0.7), 0.1, square=True),
    Lasso(((0.2, 0.2), (0.8, 0.3), (0.5, 0.9)), 0.02),
    Brush((STROKE, replace(STROKE, points=((0.5, 0.5),), out=True, opacity=0.5))),
    Brush((replace(STROKE, flow=0.3, feather=0.6),), 0.8),
    Rough((STROKE, replace(STROKE, points=((0.1, 0.1), (0.9, 0.1)), out=True))),
    *(Found(kind, 60, 20, 0.2, 0.7, (0.8, 0.4, 0.2)) for kind in Kind),
    Composite((Part(Oval((0.1, 0.1), (0.6, 0.9))), Part(Brush((STROKE,)), How.SUBTRACT)), True, 0.01, 0.02),
    Composite((Part(Oval((0.1, 0.1), (0.6, 0.9))),), strength=0.7, rest=0.2),
    Composite((Part(Oval((0.2, 0.2), (0.7, 0.8))),), hair=0.05),
]


@pytest.mark.parametrize("mask", EVERY, ids=lambda m: getattr(m, "kind", type(m).__name__))
def test_a_mask_is_kept_in_json_and_does_not_depend_on_tiles(mask):
    back = mask_from_json(mask.as_json())
    on = Ground.of(source_of(photograph("coffee")[:200, :240]), remembering())
    if getattr(mask, "kind", None) in (None, Kind.COLOUR):  # of others not everything matters
        assert back == mask
    frame, whole = Frame(on.size, Noise()), on.size.rect
    values = mask.values(frame, on, whole)
    assert values.shape == (whole.height, whole.width) and values.dtype == np.float32
    assert values.min() >= 0 and values.max() <= 1
    np.testing.assert_array_equal(back.values(frame, on, whole), values)
    for part in (Rect(37, 50, 80, 91), Rect(0, 0, 1, 1), Rect(199, 180, 1, 60)):
        np.testing.assert_array_equal(mask.values(frame, on, part), values[part.slices])


def remembering():
    kept = {}

    def get(key, compute):
        if key not in kept:
            kept[key] = compute()
        return kept[key]

    return get


@pytest.mark.parametrize("mask", [Oval((0.2, 0.2), (0.6, 0.7)), Brush((STROKE,)), Found(Kind.LIGHT, low=0.4)], ids=str)
def test_beyond_a_mask_every_pixel_is_as_it_was_and_it_follows_crop_and_size(mask):
    source = source_of(photograph("coffee")[:200, :240])
    treatment, zone = PLAIN.with_zone(Stage.DEVELOP, mask)
    treatment = treatment.set(f"{zone}.exposure", 1.0)

    def result(treatment, tile=96):
        pipeline = Pipeline(source, READING, resolve(treatment, source, READING), tile=tile)
        return pipeline, pipeline.region(pipeline.size.rect)

    plain, (pipeline, treated) = result(PLAIN)[1], result(treatment)
    share = mask.values(pipeline.steps[-1].after, pipeline.ground, pipeline.size.rect)
    assert 0.02 < (share == 0).mean() < 0.98 and (share == 1).any()
    np.testing.assert_array_equal(treated[share == 0], plain[share == 0])
    np.testing.assert_allclose(treated[share == 1], 2 * plain[share == 1], rtol=1e-5)
    np.testing.assert_array_equal(result(treatment, 32)[1], treated)
    cropped = result(treatment.set("crop.left", 25.0).set("crop.top", 20.0))[1]
    np.testing.assert_array_equal(cropped, treated[40:, 60:])


def test_a_brush_paints_adds_up_and_takes_away():
    once = of_whole(Brush((replace(STROKE, opacity=0.01),)))
    assert once[150, 200] == pytest.approx(0.01)
    assert once[150 + 25, 200] == 0 and once[150 - 18, 200] > 0
    twice = of_whole(Brush((replace(STROKE, opacity=0.5),) * 2))
    assert twice[150, 200] == pytest.approx(0.75)
    cleared = of_whole(Brush((STROKE, replace(STROKE, out=True))))
    assert cleared[150, 200] == 0 and cleared.max() < 0.26  # half and half on the rim
    # The radius is a share of the longer side: 0.05 x 400 px.
    height = (of_whole(Brush((STROKE,)))[:, 200] > 0.5).sum()
    assert height == pytest.approx(40, abs=2)


def test_a_flowing_brush_builds_up_to_its_opacity_and_no_further():
    slow = replace(STROKE, flow=0.1, opacity=0.8)
    there_and_back = replace(slow, points=STROKE.points[::-1] * 2 + STROKE.points[::-1])
    once, often, all_at_once = (of_whole(Brush((s,)))[150] for s in (slow, there_and_back, replace(slow, flow=1.0)))
    middle = once[140:260]
    # Dabs half a radius apart: three of them, or four, lie on each place of the line.
    assert middle.min() >= 0.8 * (1 - 0.9**3) - 0.01 and middle.max() <= 0.8 * (1 - 0.9**4) + 0.01
    assert np.all(often[140:260] > middle + 0.2) and often.max() <= 0.8 + 1e-6
    np.testing.assert_allclose(all_at_once[140:260], 0.8, atol=1e-6)


@pytest.mark.slow
def test_strokes_beyond_the_picture_and_ten_thousand_of_them():
    outside = Brush((Stroke(((-1.0, -1.0), (-0.5, -0.9)), 0.05),))
    assert (of_whole(outside) == 0).all()
    rng = np.random.default_rng(1)
    many = Brush(tuple(Stroke((tuple(p), tuple(p + 0.01)), 0.01) for p in rng.random((10_000, 2))))
    assert mask_from_json(many.as_json()).strokes[77].radius == 0.01
    assert of_whole(many).mean() > 0.5


def test_parts_are_added_taken_away_and_limited():
    left, upper = Oval((-1, -1), (0.5, 2), 0.001, True), Oval((-1, -1), (2, 0.5), 0.001, True)
    for how, expected in ((How.ADD, (1, 1, 1, 0)), (How.SUBTRACT, (0, 0, 1, 0)), (How.INTERSECT, (1, 0, 0, 0))):
        mask = of_whole(Composite((Part(left), Part(upper, how))))
        assert tuple(mask[y, x] for y, x in ((75, 100), (75, 300), (225, 100), (225, 300))) == expected
        turned = of_whole(Composite((Part(left), Part(upper, how)), inverted=True))
        np.testing.assert_array_equal(turned, 1 - mask)
    assert (of_whole(Composite()) == 0).all()
    assert (of_whole(Composite(inverted=True)) == 1).all()


def test_a_mask_may_be_weaker_and_leave_a_share_to_the_rest():
    left = Composite((Part(Oval((-1, -1), (0.5, 2), 0.001, True)),), strength=0.8, rest=0.25)
    for mask, here, there in ((left, 0.8, 0.25), (replace(left, inverted=True), 0.25, 0.8)):
        assert of_whole(mask)[150, [20, 380]] == pytest.approx((here, there))
    assert extent_of(replace(left, strength=0.3, rest=0.9), ground()) == extent_of(left, ground())  # where it is


def test_a_mask_grows_shrinks_and_becomes_soft():
    disc = Oval((0.25, 0.2), (0.75, 0.8), 0.001)
    area = {grow: (of_whole(Composite((Part(disc),), grow=grow)) > 0.5).sum() for grow in (-0.05, 0.0, 0.05)}
    radii = {grow: (a / np.pi) ** 0.5 for grow, a in area.items()}
    assert radii[0.05] - radii[0.0] == pytest.approx(20, abs=1.5)
    assert radii[0.0] - radii[-0.05] == pytest.approx(20, abs=1.5)
    soft = of_whole(Composite((Part(disc),), feather=0.05))
    assert 0.1 < soft[150, 97] < 0.9 and soft[150, 200] == 1 and soft[5, 5] == 0


def test_what_is_sharp_and_what_stands_out_is_found():
    pixels, truth = scene()
    on = Ground.of(source_of(pixels), remembering())
    focus, subject = (of_whole(Found(kind), on) for kind in (Kind.IN_FOCUS, Kind.SUBJECT))
    assert overlap(focus > 0.5, truth) > 0.75
    assert overlap(subject > 0.5, truth) > 0.8
    np.testing.assert_allclose(of_whole(Found(Kind.BACKGROUND), on) + subject, 1, atol=0.05)


def test_rough_strokes_are_solved_to_an_edge():
    pixels, truth = scene()
    on = Ground.of(source_of(pixels), remembering())
    keep = Stroke(((0.4, 0.5), (0.62, 0.55)), 0.02), Stroke(((0.52, 0.25), (0.52, 0.9)), 0.02)
    around = ((0.05, 0.1), (0.95, 0.1)), ((0.1, 0.2), (0.1, 0.9)), ((0.9, 0.2), (0.9, 0.9))
    drop = [Stroke(line, 0.03, out=True) for line in around]
    assert overlap(of_whole(Rough((*keep, *drop)), on) > 0.5, truth) > 0.85


def test_a_range_takes_light_and_colour():
    pixels = np.zeros((200, 300, 3), np.uint8)
    pixels[:, :100], pixels[:, 100:200], pixels[:, 200:] = (40, 40, 40), (200, 60, 50), (220, 220, 220)
    on = ground(pixels)
    bright = of_whole(Found(Kind.LIGHT, low=0.6), on)
    red = of_whole(Found(Kind.COLOUR, high=0.4, colour=(0.78, 0.24, 0.2)), on)
    assert [bright[100, x] for x in (50, 150, 250)] == [0, 0, 1]
    assert [red[100, x] for x in (50, 150, 250)] == [0, 1, 0]


def test_a_grey_picture_goes_in_and_out(tmp_path):
    grey = np.random.default_rng(2).integers(0, 65536, (40, 60), dtype=np.uint16)
    cv2.imwrite(str(tmp_path / "in.png"), grey)
    mask = picture.from_file(tmp_path / "in.png")
    on = ground(np.zeros((40, 60, 3), np.uint8))
    written = picture.write(of_whole(mask, on), tmp_path / "out.png", 16)
    assert np.abs(cv2.imread(str(written), cv2.IMREAD_UNCHANGED).astype(int) - grey).max() <= 1
    assert of_whole(mask, ground()).shape == (300, 400)  # of another size: stretched over the picture
    Image.fromarray(np.random.default_rng(1).integers(0, 255, (9, 9, 3), dtype=np.uint8)).save(tmp_path / "c.png")
    with pytest.raises(ShotError, match="colours"):
        picture.from_file(tmp_path / "c.png")
    with pytest.raises(TreatmentError):
        mask_from_json({"shape": "picture", "data": "no base 64 %%"})
    with pytest.raises(ShotError):
        picture.write(np.zeros((2, 2), np.float32), tmp_path / "in.png" / "x.png")


def test_a_face_and_its_skin_are_found():
    """The picture of an astronaut in scikit-image (NASA, public domain); where her face is, by eye."""
    on = Ground.of(source_of(data.astronaut()), remembering())
    face, skin = (of_whole(Found(kind), on) for kind in (Kind.FACES, Kind.SKIN))
    assert face[110, 220] == 1 and face[150, 220] == 1  # between the eyes, mouth
    assert face[400, 250] == 0 and face[100, 450] == 0
    assert skin[140, 200] > 0.7  # a cheek
    assert skin[300:500, 150:330].mean() < 0.5 and skin[20:60, 420:500].mean() < 0.2  # the suit, the background
    eyes = of_whole(Found(Kind.EYES), on)
    assert eyes[[102, 102], [200, 247]].min() > 0.9 and eyes[150, 220] == 0 and eyes[400, 250] == 0  # not the mouth
    nobody = Ground.of(source_of(data.coffee()), remembering())
    assert (of_whole(Found(Kind.EYES), nobody) == 0).all()
    assert (of_whole(Found(Kind.FACES), nobody) == 0).all()
    assert (of_whole(Found(Kind.SKIN), nobody) == 0).all()


def hairy(behind: str, seed: int = 2):
    """A brown body with hair before a soft photograph, the share of it in each pixel, and the body alone."""
    rng, (height, width), fine = np.random.default_rng(seed), (480, 640), 4
    large = np.zeros((height * fine, width * fine), np.uint8)
    middle, radii = np.array([width / 2, height * 0.6]), np.array([width / 6, height / 3])
    cv2.ellipse(large, tuple((middle * fine).astype(int)), tuple((radii * fine).astype(int)), 0, 0, 360, 255, -1)
    body = cv2.resize(large, (width, height), interpolation=cv2.INTER_AREA) > 127
    for _ in range(260):
        turn = rng.uniform(np.pi, 2 * np.pi)
        way = np.array([np.cos(turn), np.sin(turn)])
        points = [middle + radii * way - 10 * way]
        for _ in range(12):
            bend = rng.normal(0, 0.25)
            way = np.array([[np.cos(bend), -np.sin(bend)], [np.sin(bend), np.cos(bend)]]) @ way
            points.append(points[-1] + way * rng.uniform(4, 9))
        cv2.polylines(large, [np.int32(np.array(points) * fine)], False, 255, int(rng.integers(2, 8)), cv2.LINE_AA)
    share = cv2.resize(large, (width, height), interpolation=cv2.INTER_AREA).astype(np.float32)[..., None] / 255
    back = cv2.GaussianBlur(cv2.resize(photograph(behind).astype(np.float32), (width, height)), (0, 0), 6)
    front = np.float32([0.28, 0.16, 0.08]) * (1 + 0.15 * rng.standard_normal((height, width, 1)).astype(np.float32))
    pixels = share * front + (1 - share) * back + rng.normal(0, 0.01, (height, width, 3))
    return np.clip(pixels * 255 + 0.5, 0, 255).astype(np.uint8), share[..., 0], body


@pytest.mark.slow
@pytest.mark.parametrize("behind", ["chelsea", "rocket"])
def test_hair_around_a_body_is_found(behind):
    """By the two measures of C. Rhemann et al., "A perceptually motivated online benchmark for image matting", 2009."""
    pixels, truth, body = hairy(behind)
    on = Ground.of(source_of(pixels), remembering())
    data = picture.encoded(body.astype(np.float32))
    plain = Composite((Part(picture.Picture(data)),))
    near = cv2.dilate(body.astype(np.uint8), np.ones((121, 121))) > 0

    def errors(mask):
        away = (of_whole(mask, on) - truth)[near]
        return np.abs(away).sum(), float(np.square(away).mean())

    sad, mse = errors(plain)
    finer_sad, finer_mse = errors(replace(plain, hair=0.09))
    assert finer_sad < 0.6 * sad and finer_mse < 0.35 * mse


def test_red_eyes_become_dark_and_the_rest_stays():
    pixels = data.astronaut().copy()
    pupils = np.zeros(pixels.shape[:2], np.uint8)
    for x, y in EYES:
        cv2.circle(pupils, (x, y), 3, 1, -1)
    pixels[pupils > 0] = (190, 30, 40)
    source = source_of(pixels)
    treatment = PLAIN.with_zone(Stage.DEVELOP, Found(Kind.EYES), "red-eye")[0].set("zone-1.strength", 100.0)
    results = []
    for each in (PLAIN, treatment):
        pipeline = Pipeline(source, READING, resolve(each, source, READING))
        results.append(icc.from_working(pipeline.region(pipeline.size.rect), icc.profile("srgb"), 8).astype(int))
    before, after = results
    assert after[pupils > 0].max() < 60
    changed = np.abs(after - before).max(axis=2) > 2
    assert not (changed & (cv2.dilate(pupils, np.ones((9, 9))) == 0)).any()


def test_a_range_of_noise_takes_what_is_noisy_not_what_has_detail():
    rng = np.random.default_rng(5)
    plain = cv2.resize(photograph("coffee"), (600, 400)).astype(np.float32)
    sigma = np.where(np.arange(600) < 300, 0.005, 0.05)[None, :, None]
    noisy = np.clip((plain + rng.standard_normal(plain.shape) * sigma) * 255, 0, 255).astype(np.uint8)
    mask = of_whole(Found(Kind.NOISE, low=0.5), Ground.of(source_of(noisy), remembering()))
    assert mask[:, :250].mean() < 0.05 and mask[:, 350:].mean() > 0.8


def test_a_panorama_has_no_seam_in_its_masks():
    view = cv2.resize(photograph("coffee").astype(np.float32), (800, 400))
    view = np.concatenate([view[:, :400], view[:, 399::-1]], axis=1)  # both ends meet
    view = np.roll(view, 150, axis=1)  # and are no mirror of what is before them
    stored = np.clip(view * 255, 0, 255).astype(np.uint8)
    turned = np.roll(stored, 300, axis=1)
    here, there = (Ground.of(source_of(p), remembering()) for p in (stored, turned))
    soft = [g.joined(lambda ground: cv2.blur(ground.small_luma(), (61, 61))) for g in (here, there)]
    shift = round(300 * soft[0].shape[1] / 800)
    assert np.abs(np.roll(soft[0], shift, axis=1) - soft[1])[:, shift - 40 : shift + 40].max() < 0.01
    stroke = Stroke(((0.98, 0.5), (1.0, 0.5)), 0.05)
    middle = replace(stroke, points=tuple(((x + 300 / 800) % 1.0, y) for x, y in stroke.points))
    for mask, same in (
        (Found(Kind.LIGHT, low=0.5), Found(Kind.LIGHT, low=0.5)),
        (Found(Kind.COLOUR, colour=(0.5, 0.3, 0.2), high=0.4), Found(Kind.COLOUR, colour=(0.5, 0.3, 0.2), high=0.4)),
        (Brush((stroke,)), Brush((middle,))),
    ):
        one, other = np.roll(of_whole(mask, here), 300, axis=1), of_whole(same, there)
        assert 0.001 < other.mean() < 0.95
        seam = np.abs(one - other)[:, 280:320]
        assert seam.max() < 0.05, mask


def test_a_brush_follows_the_edges_of_what_it_is_painted_on():
    pixels = np.full((300, 400, 3), 60, np.uint8)
    pixels[:, 200:] = 200
    on = Ground.of(source_of(pixels), remembering())
    over = Brush((Stroke(((0.3, 0.5), (0.49, 0.5)), 0.05, 0.3),))  # a radius of 20 px, ending 4 px before the edge
    plain, following = of_whole(over, on), of_whole(replace(over, follow=1.0), on)
    assert plain[150, 205] > 0.6 and following[150, 205] < 0.1
    assert following[150, 150] == 1 and following[150, 192] > 0.8 and (following[:, 230:] == 0).all()
