"""Crop and straighten: which pixels come out, and where they come from."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy import ndimage

from crispgrain.core.colour import icc
from crispgrain.core.files import PictureSource, read_shot
from crispgrain.core.frame import Frame
from crispgrain.core.meter import Noise, Reading
from crispgrain.core.registry import CROP
from crispgrain.core.render.overview import overview
from crispgrain.core.render.pipeline import Pipeline
from crispgrain.core.resolve import resolve
from crispgrain.core.stages.develop.crop_shape import QUARTERS, RATIOS, after, cut
from crispgrain.core.transform import Transform
from crispgrain.core.treatment import Treatment
from crispgrain.geometry import Rect, Size
from tests.conftest import encoded, photograph, psnr

READING = Reading(Noise.even(5))
PLAIN = Treatment().only([])


def chain(source, treatment: Treatment, tile: int = 96) -> Pipeline:
    return Pipeline(source, READING, resolve(treatment, source, READING), tile=tile)


def whole(source, treatment: Treatment, tile: int = 96) -> np.ndarray:
    pipeline = chain(source, treatment, tile)
    return pipeline.region(pipeline.size.rect)


@pytest.fixture(scope="module")
def picture(tmp_path_factory) -> PictureSource:
    return PictureSource(
        tmp_path_factory.mktemp("x") / "x.png", photograph("astronaut").astype(np.float32), icc.profile("srgb")
    )


def cropped(treatment: Treatment, **values: float) -> Treatment:
    for name, value in values.items():
        treatment = treatment.set(f"crop.{name}", value)
    return treatment


def shape(**values) -> dict:
    """Values of a crop, all others as they are by themselves."""
    return {p.id: p.default for p in CROP.parameters} | values


@pytest.mark.slow
@pytest.mark.parametrize("kind", ["raw", "picture", "panorama"])
def test_a_crop_is_a_part_of_the_whole_to_the_last_bit(kind, raw_file, picture, tmp_path):
    source = {
        "raw": lambda: read_shot(raw_file), "picture": lambda: picture,
        "panorama": lambda: PictureSource(
            tmp_path / "p.png", np.tile(photograph("coffee"), (1, 2, 1)).astype(np.float32), icc.profile("srgb")
        ),
    }[kind]()  # fmt: skip
    treatment = PLAIN.set("denoise.on", True).set("denoise.model", "wavelet").set("sharpen.on", True)
    treatment = treatment.set("sharpen.model", "unsharp-mask")
    full = whole(source, treatment)
    same = whole(source, cropped(treatment, angle=0.0, left=0.0, right=100.0))
    np.testing.assert_array_equal(same, full)
    size = source.size
    part = whole(source, cropped(treatment, left=10, top=25, right=90, bottom=75))
    rows = slice(round(size.height * 0.25), round(size.height * 0.75))
    np.testing.assert_array_equal(part, full[rows, round(size.width * 0.1) : round(size.width * 0.9)])


def test_edges_may_come_in_any_order_and_something_is_always_left(picture):
    a, b = (whole(picture, cropped(PLAIN, left=x, right=y)) for x, y in ((20, 60), (60, 20)))
    np.testing.assert_array_equal(a, b)
    assert whole(picture, cropped(PLAIN, left=50, right=50, top=100, bottom=100)).shape == (1, 1, 3)


@pytest.mark.parametrize("angle", [-30.0, -2.0, 0.4, 12.0, 45.0])
def test_a_straightened_picture_is_turned_about_its_middle_and_has_no_empty_corner(angle, picture):
    """Against SciPy's rotation by a spline of fifth order; and the corners lie within the source."""
    result = encoded(whole(picture, cropped(PLAIN, angle=angle)))
    height, width = result.shape[:2]
    assert height == pytest.approx(width, abs=2)  # as the source
    theirs = ndimage.rotate(photograph("astronaut"), -angle, axes=(1, 0), reshape=False, order=5, mode="mirror")
    top, left = (256 - height) / 2, (256 - width) / 2
    assert top == int(top) and left == int(left)
    inner = np.s_[3:-3, 3:-3]
    there = theirs[int(top) : int(top) + height, int(left) : int(left) + width]
    assert psnr(result[inner], there[inner]) > 38
    wrong = ndimage.rotate(photograph("astronaut"), angle, axes=(1, 0), reshape=False, order=5, mode="mirror")
    assert psnr(result[inner], wrong[int(top) : int(top) + height, int(left) : int(left) + width][inner]) < 38
    frame = chain(picture, cropped(PLAIN, angle=angle)).steps[-1].after
    x, y = frame.to_source(np.array([0, width, 0, width]), np.array([0, 0, height, height]))
    assert min(x.min(), y.min()) > -1e-6 and max(x.max(), y.max()) < 256 + 1e-6
    values = resolve(cropped(PLAIN, angle=angle), picture, READING).beside[0].values
    assert cut(values, Size(256, 256))[0] < left + 1


def test_straightening_does_not_depend_on_tiles(picture):
    treatment = cropped(PLAIN, angle=3.0, left=20, right=90)
    np.testing.assert_array_equal(whole(picture, treatment, 64), whole(picture, treatment, 512))


def test_a_crop_is_enlarged_and_the_size_wished_for_is_the_crops(picture):
    treatment = cropped(PLAIN, left=25, right=75, angle=1.0).set("enlarge.on", True).set("enlarge.model", "lanczos")
    result = whole(picture, treatment.set("enlarge.by", "width").set("enlarge.pixels", 300))
    assert result.shape[1] == 300
    frame = chain(picture, treatment).steps[-1].after
    assert frame.to_source.stretch == pytest.approx(0.5, rel=0.01)


@pytest.mark.parametrize("model", ["lanczos", "faithful"])
def test_an_enlarged_crop_sees_beyond_its_edges(model, picture):
    """It is a part of the enlarged whole, up to rounding: nothing is mirrored where the picture goes on."""
    treatment = PLAIN.set("enlarge.on", True).set("enlarge.model", model)
    part = whole(picture, cropped(treatment, left=25, top=25, right=75, bottom=75))
    np.testing.assert_allclose(part, whole(picture, treatment)[128:384, 128:384], atol=1e-5)


@pytest.mark.slow
@pytest.mark.parametrize("model", ["lanczos", "faithful", "detail-net"])
def test_an_enlarged_panorama_has_no_seam(model, tmp_path):
    stored = np.tile(photograph("coffee")[:128, :128], (1, 2, 1)).astype(np.float32)
    stored[:, 128:] = stored[:, 128:][:, ::-1]
    treatment = PLAIN.set("enlarge.on", True).set("enlarge.model", model)

    def enlarged(shift: int) -> np.ndarray:
        rolled = np.ascontiguousarray(np.roll(stored, shift, axis=1))
        source = PictureSource(tmp_path / "p.png", rolled, icc.profile("srgb"))
        assert source.wraps
        return whole(source, treatment)

    plain, rolled = enlarged(0), enlarged(64)
    np.testing.assert_allclose(np.roll(plain, 128, axis=1), rolled, atol=2e-5)


def test_straightening_and_enlarging_is_one_resampling(picture):
    """Nearer than one after the other to SciPy's spline, which does both at once."""
    angle, factor = 3.0, 1.7
    turned = cropped(PLAIN, angle=angle)
    enlarge = {"enlarge.on": True, "enlarge.model": "lanczos", "enlarge.factor": factor}
    both = turned
    for name, value in enlarge.items():
        both = both.set(name, value)
    frame = chain(picture, both).steps[-1].after
    assert len(chain(picture, both).steps) == len(chain(picture, turned).steps)
    x, y = frame.to_source.middles(frame.size.rect)
    theirs = np.stack(
        [
            ndimage.map_coordinates(plane, [y - 0.5, x - 0.5], order=5)
            for plane in np.moveaxis(photograph("astronaut"), -1, 0)
        ],
        axis=-1,
    )
    once = encoded(whole(picture, both))
    first = PictureSource(picture.path, encoded(whole(picture, turned)).astype(np.float32), icc.profile("srgb"))
    second = PLAIN
    for name, value in enlarge.items():
        second = second.set(name, value)
    twice = encoded(whole(first, second))
    inner = np.s_[8:-8, 8:-8]
    assert once.shape == twice.shape
    assert psnr(once[inner], theirs[inner]) > psnr(twice[inner], theirs[inner]) + 0.3
    assert psnr(once[inner], theirs[inner]) > 40


@pytest.mark.slow
@pytest.mark.parametrize("model", ["faithful", "detail-net", "lanczos"])
def test_turned_and_enlarged_or_reduced_does_not_depend_on_tiles(model, picture):
    for factor in (0.6, 1.5):
        treatment = cropped(PLAIN, angle=-4.0, left=20, right=90).set("enlarge.on", True)
        treatment = treatment.set("enlarge.model", model).set("enlarge.factor", factor)
        np.testing.assert_allclose(whole(picture, treatment, 64), whole(picture, treatment, 512), atol=3e-5)


@pytest.mark.slow
@pytest.mark.parametrize("model", ["faithful", "detail-net"])
def test_every_model_turns_and_enlarges_to_the_same_place(model, picture):
    treatment = cropped(PLAIN, angle=5.0, left=20, right=80).set("enlarge.on", True).set("enlarge.factor", 2.5)
    plain, other = (encoded(whole(picture, treatment.set("enlarge.model", m))) for m in ("lanczos", model))
    inner = np.s_[8:-8, 8:-8]
    assert psnr(plain[inner], other[inner]) > 30
    assert psnr(plain[inner], np.roll(other, 2, axis=1)[inner]) < psnr(plain[inner], other[inner]) - 3


def test_the_first_look_is_cropped_like_the_result(picture):
    treatment = cropped(PLAIN, left=30, top=10, right=80, bottom=70, angle=5.0)
    result = whole(picture, treatment)
    first = overview(picture, resolve(treatment, picture, READING))
    assert first.shape == result.shape
    assert psnr(encoded(first), encoded(result)) > 35


def test_from_far_away_the_crop_is_the_same(picture):
    treatment = cropped(PLAIN, left=30, top=10, right=80, bottom=70, angle=5.0)
    pipeline = chain(picture, treatment)
    small = pipeline.reduced(2)
    assert small.size.width == pytest.approx(pipeline.size.width / 2, abs=1)
    near = encoded(pipeline.region(pipeline.size.rect))[: small.size.height * 2, : small.size.width * 2]
    averaged = near.reshape(near.shape[0] // 2, 2, -1, 2, 3).mean((1, 3))
    assert psnr(encoded(small.region(small.size.rect))[: len(averaged), : averaged.shape[1]], averaged) > 27


def test_quarter_turns_and_mirroring_move_pixels_and_change_none(raw_file, picture):
    for source in (picture, read_shot(raw_file)):
        treatment = cropped(PLAIN, left=10, right=80, bottom=70)
        plain = whole(source, treatment)
        for quarters in range(4):
            for mirror in ("off", "on"):
                seen = whole(source, cropped(treatment, turn=str(90 * quarters), mirror=mirror), 64)
                expected = np.rot90(plain, -quarters)
                np.testing.assert_array_equal(seen, expected[:, ::-1] if mirror == "on" else expected)


@pytest.mark.slow
@pytest.mark.parametrize("model", ["lanczos", "faithful", "detail-net"])
def test_what_is_turned_and_enlarged_is_the_enlarged_picture_turned(model, picture):
    treatment = cropped(PLAIN, right=50, bottom=40).set("enlarge.on", True).set("enlarge.model", model)
    for factor in (1.5, 0.7):
        treatment = treatment.set("enlarge.factor", factor)
        plain = encoded(whole(picture, treatment))
        for quarters, mirror in ((1, "off"), (2, "on")):
            seen = encoded(whole(picture, cropped(treatment, turn=str(90 * quarters), mirror=mirror)))
            expected = np.rot90(plain, -quarters)
            expected = expected[:, ::-1] if mirror == "on" else expected
            assert seen.shape == expected.shape
            assert psnr(seen[8:-8, 8:-8], expected[8:-8, 8:-8]) > 40


def test_straightening_is_seen_alike_through_quarter_turns(picture):
    treatment = cropped(PLAIN, angle=7.0)
    plain, turned = (encoded(whole(picture, t)) for t in (treatment, cropped(treatment, turn="90", mirror="on")))
    np.testing.assert_allclose(turned, np.rot90(plain, -1)[:, ::-1], atol=1e-5)


@pytest.mark.parametrize(
    ("ratio", "size"),
    [
        # Of 1000 x 600: the height stays, or the width if the ratio is longer than the picture.
        ("free", (1000, 600)), ("as-shot", (1000, 600)), ("1:1", (600, 600)), ("4:5", (750, 600)), ("5:7", (840, 600)),
        ("2:3", (900, 600)), ("3:4", (800, 600)), ("16:9", (1000, 562)), ("iso-216", (849, 600)),
    ],
)  # fmt: skip
def test_a_crop_is_cut_to_a_ratio_about_its_middle(ratio, size):
    frame = Frame(Size(600, 1000), Noise())
    seen = after(frame, shape(ratio=ratio))
    assert (seen.size.width, seen.size.height) == size
    x, y = seen.to_source(np.array(size[0] / 2), np.array(size[1] / 2))
    assert (float(x), float(y)) == pytest.approx((500, 300), abs=0.5)
    if ratio not in ("free", "as-shot", "1:1"):
        upright = after(frame, shape(ratio=ratio, side="portrait")).size
        assert upright.height == 600 and upright.width == pytest.approx(600 * size[1] / size[0], abs=1)
        assert after(frame, shape(ratio=ratio, side="portrait", turn="90")).size == Size(*size)


@given(
    st.sampled_from(["as-shot", *RATIOS, "own"]), st.floats(1, 10), st.floats(-45, 45), st.sampled_from(QUARTERS),
    st.floats(0, 40), st.floats(60, 100), st.sampled_from(["as-it-is", "landscape", "portrait"]),
)  # fmt: skip
def test_a_ratio_holds_however_the_picture_is_turned(ratio, aspect, angle, turn, low, high, side):
    values = shape(ratio=ratio, aspect=aspect, angle=angle, turn=turn, left=low, top=low / 2, right=high, side=side)
    size = after(Frame(Size(3000, 4500), Noise()), values).size
    wanted = {"own": aspect, "as-shot": 1.5, **RATIOS}[ratio]
    long, short = max(size.width, size.height), min(size.width, size.height)
    assert abs(long - short * wanted) <= 1 + wanted  # whole pixels
    if ratio != "1:1" and wanted > 1.01 and side != "as-it-is":
        assert (size.width > size.height) == (side == "landscape")


def test_transforms_follow_one_another_and_back():
    turn, move = Transform.turn(90, 2, 2), Transform.shift(10, 0)
    x, y = move.after(turn)(np.array([3.0]), np.array([2.0]))
    assert (x[0], y[0]) == pytest.approx((12, 3))  # to the right of the middle goes below it
    back = move.after(turn).inverse(x, y)
    assert (back[0][0], back[1][0]) == pytest.approx((3, 2))
    frame = Frame(Size(100, 200), Noise()).sized(Size(50, 100))
    x, y = frame.to_source.middles(Rect(0, 0, 1, 1))
    assert (x[0, 0], y[0, 0]) == (1, 1)
