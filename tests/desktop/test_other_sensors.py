"""Sensors with other cells than Bayer's, and shading that a file asks to be undone, in the window."""

import pytest

from crispgrain.core.model import Stage
from crispgrain.session.comparing import Arrangement
from crispgrain.simulation.camera import Camera
from tests.conftest import write_raw
from tests.desktop.driving import develop_alone, pixels_of, settle

BAYER_ONLY = {"Mosaic cosine", "Matched mosaic"}


def models(window) -> set[str]:
    box = window.controls.model
    return {box.itemText(n) for n in range(box.count())}


@pytest.mark.slow
def test_a_sensor_of_six_by_six_offers_what_knows_its_colours_and_is_denoised(window, qtbot, tmp_path, clean):
    six = write_raw(tmp_path / "six.dng", clean, 6400, Camera(pattern="six by six"))
    bayer = write_raw(tmp_path / "bayer.dng", clean, 6400)
    window.open_paths([bayer, six])
    settle(window, qtbot)
    session = window.session
    session.choose_stage(Stage.DENOISE)
    assert models(window) > BAYER_ONLY
    session.step(1)
    settle(window, qtbot)
    assert session.shot.source.pattern.shape == (6, 6)
    assert "Mosaic net" in models(window)
    assert not BAYER_ONLY & models(window)
    window.easel.set_zoom(1.0)
    session.comparing.set_arrangement(Arrangement.RESULT)
    settle(window, qtbot)
    denoised = pixels_of(window.easel).astype(float)
    window.controls.on.click()
    settle(window, qtbot)
    noisy = pixels_of(window.easel).astype(float)
    assert abs(denoised.mean() - noisy.mean()) < 3
    rough, smooth = (abs(p[:, 1:] - p[:, :-1]).mean() for p in (noisy, denoised))
    assert rough > 2 * smooth


@pytest.mark.slow
def test_corners_are_as_bright_as_the_middle_and_develop_says_why(window, qtbot, tmp_path, clean):
    develop_alone(window, qtbot, write_raw(tmp_path / "dark.dng", clean, 100, Camera(shading=2.5)))
    assert "Lens shading is put right as the file says." in window.controls.remark.text()
    window.easel.set_zoom(None)
    settle(window, qtbot)
    with_map = pixels_of(window.easel).astype(float)
    develop_alone(window, qtbot, write_raw(tmp_path / "even.dng", clean, 100))
    window.easel.set_zoom(None)
    settle(window, qtbot)
    assert abs(with_map - pixels_of(window.easel)).mean() < 3
