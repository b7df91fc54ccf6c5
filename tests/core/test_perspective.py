"""Perspective by drawn lines, against homographies of a tilted pinhole camera worked out here."""

import math

import cv2
import numpy as np
import pytest

from crispgrain.core.colour import icc
from crispgrain.core.files.source import PictureSource
from crispgrain.core.meter import Reading
from crispgrain.core.model import Drawn, ToolError
from crispgrain.core.shot import Shot
from crispgrain.core.stages.develop.crop import MODEL
from crispgrain.core.stages.develop.crop_tools import PERSPECTIVE
from crispgrain.core.stages.develop.perspective import as_text, correction, lines_from
from crispgrain.core.treatment import Treatment
from crispgrain.geometry import Rect, Size

SIZE = Size(600, 900)
FOCAL = 900.0  # px


def camera(tilt: float, swing: float = 0.0, roll: float = 0.0):
    """3 x 3 homography from a wall (px about the middle, as a level camera sees it) to what a turned camera sees."""
    a, b, c = (math.radians(v) for v in (tilt, swing, roll))
    about_x = np.array([[1, 0, 0], [0, math.cos(a), -math.sin(a)], [0, math.sin(a), math.cos(a)]])
    about_y = np.array([[math.cos(b), 0, math.sin(b)], [0, 1, 0], [-math.sin(b), 0, math.cos(b)]])
    about_z = np.array([[math.cos(c), -math.sin(c), 0], [math.sin(c), math.cos(c), 0], [0, 0, 1]])
    k = np.array([[FOCAL, 0, SIZE.width / 2], [0, FOCAL, SIZE.height / 2], [0, 0, 1]])
    return k @ about_z @ about_x @ about_y @ np.linalg.inv(k)


def seen(homography, *points):
    dots = np.array([(*p, 1.0) for p in points]) @ homography.T
    return dots[:, :2] / dots[:, 2:]


def drawn(homography, *ends):
    """Lines along the wall's, as the camera shows them, as shares."""
    out = []
    for start, end in ends:
        (x1, y1), (x2, y2) = seen(homography, start, end)
        out.append((x1 / SIZE.width, y1 / SIZE.height, x2 / SIZE.width, y2 / SIZE.height))
    return out


UPRIGHT = [((250, 100), (250, 500)), ((640, 120), (640, 480))]
LEVEL = [((200, 150), (700, 150)), ((220, 450), (680, 450))]


@pytest.mark.parametrize("tilt, roll", [(8, 0), (-12, 3), (0, 4)])
def test_two_upright_lines_undo_a_tilted_camera(tilt, roll):
    """Every upright of the wall ends up at one x to 0.1 px, and the middle stays with its scale."""
    wall = camera(tilt, roll=roll)
    back = correction(drawn(wall, *UPRIGHT), SIZE)
    for x in (150, 300, 450, 760):
        there = back.inverse(*seen(wall, *((x, y) for y in (80, 300, 520))).T)
        assert np.ptp(there[0]) < 0.1
    middle = back(np.array(450.0), np.array(300.0))
    assert np.allclose(middle, (450, 300))
    assert back.stretch_at(450, 300) == pytest.approx(1, abs=1e-6)


def test_uprights_alone_leave_level_edges_level_where_the_camera_was_only_tilted():
    wall = camera(10)
    back = correction(drawn(wall, *UPRIGHT), SIZE)
    for y in (100, 300, 500):
        there = back.inverse(*seen(wall, (200, y), (700, y)).T)
        assert np.ptp(there[1]) < 0.1


def test_four_lines_make_a_wall_seen_askew_flat():
    """Against the analytic homography: a rectangle of the wall becomes one, its sides upright and level to 0.1 px."""
    wall = camera(9, 14, 2)
    back = correction(drawn(wall, *UPRIGHT, *LEVEL), SIZE)
    x, y = back.inverse(*seen(wall, (200, 100), (700, 100), (700, 500), (200, 500)).T)
    assert x[0] == pytest.approx(x[3], abs=0.1) and x[1] == pytest.approx(x[2], abs=0.1)
    assert y[0] == pytest.approx(y[1], abs=0.1) and y[2] == pytest.approx(y[3], abs=0.1)
    assert x[1] > x[0] and y[3] > y[0]


def test_two_level_lines_undo_a_swung_camera():
    wall = camera(0, 12)
    back = correction(drawn(wall, *LEVEL), SIZE)
    for y in (100, 300, 500):
        assert np.ptp(back.inverse(*seen(wall, (200, y), (700, y)).T)[1]) < 0.1


def test_a_line_alone_does_nothing_and_text_comes_back():
    lines = drawn(camera(8), UPRIGHT[0])
    assert correction(lines, SIZE).rows == ((1, 0, 0), (0, 1, 0), (0, 0, 1))
    assert lines_from(as_text(lines)) == [pytest.approx(lines[0], abs=1e-5)]


@pytest.mark.parametrize("text, cause", [
    ("0.1 0.1 0.1", "four numbers"), ("a b c d", "four numbers"), ("; ".join(["0 0 0 1"] * 5), "4 lines"),
    ("0.1 0.1 0.1 99", "four numbers"),
])  # fmt: skip
def test_bad_text_is_refused(text, cause):
    with pytest.raises(ValueError, match=cause):
        lines_from(text)


def test_lines_that_cross_within_the_picture_are_refused():
    with pytest.raises(ValueError, match="cross within the picture"):
        correction([(0.45, 0.0, 0.55, 1.0), (0.55, 0.0, 0.45, 1.0)], SIZE)
    with pytest.raises(ValueError, match="too short"):
        correction([(0.45, 0.5, 0.45, 0.501), (0.55, 0.0, 0.55, 1.0)], SIZE)


@pytest.fixture(scope="module")
def tiled_wall(tmp_path_factory):
    """A wall with a dark post every 60 px, seen by a tilted camera, without noise."""
    wall = np.full((SIZE.height * 4, SIZE.width * 4), 200, np.uint8)
    for x in range(0, SIZE.width * 4, 120):
        wall[:, x : x + 24] = 60
    grown = camera(9) @ np.array([[0.5, 0, -SIZE.width / 2], [0, 0.5, -SIZE.height / 2], [0, 0, 1]])
    # Eight times as large and averaged, so that edges fall where they are to a tenth of a pixel; half pixels kept.
    fine = np.array([[8, 0, 0], [0, 8, 0], [0, 0, 1]]) @ grown
    large = cv2.warpPerspective(wall, fine, (8 * SIZE.width, 8 * SIZE.height), flags=cv2.INTER_LINEAR, borderValue=200)
    stored = cv2.GaussianBlur(cv2.resize(large, (SIZE.width, SIZE.height), interpolation=cv2.INTER_AREA), (0, 0), 0.7)
    path = tmp_path_factory.mktemp("wall") / "wall.png"
    return Shot(PictureSource(path, np.repeat(stored[..., None], 3, 2), icc.profile("srgb")), Reading())


def edges_at(row):
    """Where a row falls through the middle, to a part of a pixel."""
    middle = (row.max() + row.min()) / 2
    falls = np.nonzero((row[:-1] > middle) & (row[1:] <= middle))[0]
    return falls + (row[falls] - middle) / (row[falls] - row[falls + 1])


@pytest.mark.slow
@pytest.mark.parametrize("factor", [1.0, 1.5])
def test_posts_of_a_wall_stand_upright_in_the_result(tiled_wall, factor):
    """The pixels, not the numbers: in rows at the top and the bottom, posts begin at one place to 0.15 px."""
    lines = as_text(drawn(camera(9), *UPRIGHT))
    treatment = Treatment().only([]).set("crop.lines", lines)
    if factor != 1:
        treatment = treatment.set("enlarge.on", True).set("enlarge.model", "lanczos").set("enlarge.factor", factor)
    pipeline = tiled_wall.pipeline(treatment)
    size = pipeline.size
    picture = pipeline.region(size.rect)[..., 1]
    assert not np.isnan(picture).any()
    assert 0.5 * SIZE.width * factor < size.width <= SIZE.width * factor
    top, bottom = (edges_at(picture[row]) for row in (size.height // 8, size.height * 7 // 8))
    assert len(top) == len(bottom) >= 5
    assert np.abs(top - bottom).max() < 0.15 * max(factor, 1)
    part = Rect(40, 30, 90, 120)
    assert np.array_equal(pipeline.untiled(part), pipeline.region(part))


def test_nothing_empty_is_left_in_the_crop(tiled_wall):
    """The corners of the result lie in the source."""
    lines = as_text(drawn(camera(9, 10), *UPRIGHT, *LEVEL))
    treatment = Treatment().only([]).set("crop.lines", lines).set("crop.angle", 3.0)
    frame = tiled_wall.pipeline(treatment).steps[-1].after
    width, height = float(frame.size.width), float(frame.size.height)
    x, y = frame.to_source(np.array([0, width, 0, width]), np.array([0, 0, height, height]))
    assert x.min() > -0.01 and x.max() < SIZE.width + 0.01
    assert y.min() > -0.01 and y.max() < SIZE.height + 0.01
    assert frame.size.width > 300


def test_the_tool_draws_line_by_line_and_says_what_is_still_wanted(tiled_wall):
    unit = SIZE.width, SIZE.height
    shares = np.array(drawn(camera(9), *UPRIGHT, *LEVEL)).reshape(-1, 2, 2) * unit
    lines = [[tuple(end) for end in line] for line in shares.tolist()]
    values = {p.id: p.default for p in MODEL.parameters}
    said = []
    for ends in lines:
        changed, words = PERSPECTIVE.settings(Drawn(tuple(ends), tiled_wall.source, Reading(), values))
        values |= changed
        said.append(words)
    assert "One more beside it" in said[0] and "One more" not in said[1]
    assert len(lines_from(values["lines"])) == 4
    with pytest.raises(ToolError, match="4 lines already"):
        PERSPECTIVE.settings(Drawn(tuple(lines[0]), tiled_wall.source, Reading(), values))
    one = values | {"lines": as_text([(0.55, 0, 0.45, 1)])}
    crossing = Drawn(((300, 10), (500, 590)), tiled_wall.source, Reading(), one)
    with pytest.raises(ToolError, match="cross"):
        PERSPECTIVE.settings(crossing)
