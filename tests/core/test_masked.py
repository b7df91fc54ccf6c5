"""Masked pixels: what they show of rows, and what LibRaw makes of them for the black level."""

from __future__ import annotations

from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import numpy as np
import pytest

from crispgrain.core.files import masked
from crispgrain.core.files.read import read_shot
from crispgrain.geometry import Rect
from crispgrain.simulation import dng
from crispgrain.simulation.camera import FIELD_TWO, expose, noise_at
from crispgrain.simulation.defects import Defects
from crispgrain.simulation.dng import write_dng

ISO = 12800
ABOVE, LEFT = 24, 48
STEPS = FIELD_TWO.white - FIELD_TWO.black
READ = noise_at(ISO)[1] ** 0.5 * STEPS  # sigma of the read noise, steps of the sensor


def noisy_rows(number: int, spread: float, height: int = 600) -> tuple[np.ndarray, np.ndarray]:
    rng = np.random.default_rng(3)
    rows = spread * rng.standard_normal(height)
    values = 512 + rows[:, None] + 100 * rng.standard_normal((height, number))
    return np.rint(values).astype(np.uint16), rows - rows.mean()


def written(path: Path, scene: np.ndarray, defects: Defects, seed: int, has_masked: bool = True) -> Path:
    camera = replace(FIELD_TWO, masked=(ABOVE, LEFT)) if has_masked else FIELD_TWO
    values = expose(scene, ISO, seed, camera, defects=defects)
    write_dng(path, values, camera, ISO, Fraction(1, 60), "2026:03:14 16:20:08")
    return path


def test_rows_are_found_as_well_as_so_few_pixels_allow() -> None:
    """The least error of an estimate of Gaussians is 1 / (1 / variance + N / noise), Wiener 1949."""
    values, rows = noisy_rows(48, spread=25)
    error = masked.row_offsets(values) - rows
    assert error.std() == pytest.approx((1 / (1 / 25**2 + 48 / 100**2)) ** 0.5, rel=0.15)


def test_chance_is_not_taken_for_rows() -> None:
    assert not masked.row_offsets(noisy_rows(48, spread=0)[0]).any()


def test_too_few_pixels_say_nothing() -> None:
    assert not masked.row_offsets(noisy_rows(masked.FEWEST - 1, spread=200)[0]).any()


def test_a_hot_pixel_does_not_move_its_row() -> None:
    values, _ = noisy_rows(48, spread=25)
    before = masked.row_offsets(values)
    values[100, 7] = 9000
    assert abs(masked.row_offsets(values)[100] - before[100]) < 10


def test_blacks_of_colours_and_columns_are_not_rows() -> None:
    values, _ = noisy_rows(48, spread=25)
    before = masked.row_offsets(values)
    values[0::2] += 40
    values[:, 5] += 300
    assert np.abs(masked.row_offsets(values) - before).max() < 1


def test_saturated_pixels_stay_saturated_and_none_falls_below_nothing() -> None:
    mosaic = np.array([[3, 600, 15871], [600, 600, 600]], np.uint16)
    level = masked.level_rows(mosaic, np.array([10, -2], np.float32), 15871)
    assert level.tolist() == [[0, 590, 15871], [602, 602, 602]]


def test_only_columns_past_every_row_and_outside_the_picture_count() -> None:
    areas = [0, 0, 24, 448, 24, 0, 624, 48, 24, 440, 300, 448]  # above; left; beside the upper half only
    picture = Rect(24, 48, 600, 392)
    assert masked.beside(areas, picture, 448).tolist() == list(range(48))
    assert not len(masked.beside([], picture, 448))


def test_columns_that_the_sensor_has_not_are_passed_over() -> None:
    """As a damaged file may have them: backwards, of 2**32 columns, or a number short."""
    picture = Rect(0, 10, 100, 80)
    assert masked.beside([0, 95, 100, 2**32 - 1], picture, 100).tolist() == [95, 96, 97, 98, 99]
    assert not len(masked.beside([0, 8, 100, 2], picture, 100))
    assert not len(masked.beside([0, 0, 100], picture, 100))


def test_a_shot_without_light_reads_level_and_black(tmp_path) -> None:
    """With masked pixels; without, the drift of the black level and the rows stay."""
    dark = np.zeros((600, 400, 3), np.float32)
    defects = Defects(rows=0.5, drift=1.0)
    shots = [read_shot(written(tmp_path / f"{has}.dng", dark, defects, 5, has)) for has in (False, True)]
    for source, rows, off in zip(shots, ((0.45, 0.6), (0, 0.2)), ((0.3, 3), (0, 0.06)), strict=True):
        assert source.mosaic.shape == (600, 400)
        signal = source.mosaic - np.tile(source.black, (300, 200))
        found = (signal.mean(axis=1).var() - READ**2 / 400) ** 0.5 / READ
        assert rows[0] < found < rows[1]
        assert off[0] <= abs(signal.mean()) / READ < off[1]
    assert [any("Row noise" in r for r in s.facts.remarks) for s in shots] == [False, True]


def test_masked_pixels_of_a_sensor_without_row_noise_change_no_pixel(tmp_path) -> None:
    scene = np.full((320, 400, 3), 0.2, np.float32)
    path = written(tmp_path / "even.dng", scene, Defects(), 5)
    source = read_shot(path)
    camera = replace(FIELD_TWO, masked=(ABOVE, LEFT))
    assert np.array_equal(source.mosaic, expose(scene, ISO, 5, camera, defects=Defects())[ABOVE:, LEFT:])
    assert not source.facts.remarks


@pytest.mark.parametrize("areas", [(24, 0, 344, 2**32 - 1), (24, 60, 344, 5), (2**31, 0, 2**32 - 1, 48)])
def test_a_file_with_senseless_masked_areas_opens(tmp_path, monkeypatch, areas) -> None:
    """Whatever LibRaw makes of them."""
    real = dng._masked
    monkeypatch.setattr(
        dng, "_masked", lambda shape, sizes: [*real(shape, sizes)[:1], (50830, dng.LONG, 4, areas, True)]
    )
    path = written(tmp_path / "odd.dng", np.full((320, 400, 3), 0.2, np.float32), Defects(rows=0.5), 5)
    assert read_shot(path).mosaic.shape == (320, 400)
