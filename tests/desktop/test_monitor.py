"""The monitor's profile: found as settings or a stand-in for the colour daemon say, and heeded by what is shown."""

import numpy as np
import pytest
from PIL import Image, ImageCms
from PySide6.QtCore import QSettings
from PySide6.QtGui import QImage

from crispgrain.core.colour import icc
from crispgrain.desktop.base import monitor
from crispgrain.desktop.base.monitor import MONITOR, ROOT, SERVICE, find
from crispgrain.desktop.easel.layer import image_of, screen_image
from crispgrain.simulation.print_profile import print_profile


@pytest.fixture
def settings(tmp_path):
    return QSettings(str(tmp_path / "s.ini"), QSettings.Format.IniFormat)


@pytest.fixture
def wide(tmp_path):
    path = tmp_path / "wide.icc"
    path.write_bytes(icc.profile("display-p3"))
    return path


@pytest.fixture(autouse=True)
def as_before():
    yield
    monitor.use(monitor.ASSUMED)


def daemon(file):
    """Answers as colord does, with one display."""
    properties = "org.freedesktop.DBus.Properties"
    return {
        (ROOT, SERVICE, "GetDevicesByKind", ("display",)): ["/d/1"],
        ("/d/1", properties, "Get", (f"{SERVICE}.Device", "Profiles")): ["/p/1"],
        ("/p/1", properties, "Get", (f"{SERVICE}.Profile", "Filename")): str(file),
    }


def test_the_system_is_asked_and_a_chosen_file_comes_first(settings, wide, tmp_path):
    answers = daemon(wide)
    found = find(settings, lambda *question: answers.get(question))
    assert found.profile == wide.read_bytes() and "as the system says" in found.words
    other = tmp_path / "own.icc"
    other.write_bytes(icc.profile("adobe-rgb"))
    settings.setValue(MONITOR, str(other))
    assert find(settings, lambda *question: answers.get(question)).profile == other.read_bytes()


@pytest.mark.parametrize("step", [0, 1, 2])
def test_without_an_answer_srgb_is_assumed_and_said(settings, wide, step):
    answers = dict(list(daemon(wide).items())[:step])
    found = find(settings, lambda *question: answers.get(question))
    assert found.profile is None and "sRGB is assumed" in found.words


def test_profiles_that_will_not_do_are_named(settings, tmp_path):
    for name, data in (("broken.icc", b"none"), ("printer.icc", print_profile("CMYK"))):
        (tmp_path / name).write_bytes(data)
        settings.setValue(MONITOR, str(tmp_path / name))
        found = find(settings, lambda *_: None)
        assert found.profile is None and name in found.words


def test_what_is_shown_is_brought_to_the_monitor(wide):
    """Against LittleCMS through Pillow, from the sRGB it makes itself; without a profile nothing changes."""
    stored = np.random.default_rng(0).integers(0, 256, (40, 50, 3), np.uint8)
    assert screen_image(stored) == image_of(stored)
    monitor.use(monitor.Monitor(wide.read_bytes(), "x"))
    theirs = ImageCms.profileToProfile(
        Image.fromarray(stored), ImageCms.createProfile("sRGB"), str(wide), flags=ImageCms.Flags.BLACKPOINTCOMPENSATION,
        renderingIntent=ImageCms.Intent.RELATIVE_COLORIMETRIC,
    )  # fmt: skip
    for image in (screen_image(stored), monitor.image_on_monitor(image_of(stored))):
        rgb = image.convertToFormat(QImage.Format.Format_RGB888)
        rows = np.frombuffer(rgb.constBits(), np.uint8).reshape(rgb.height(), rgb.bytesPerLine())
        ours = rows[:, : 3 * rgb.width()].reshape(40, 50, 3)
        assert np.abs(ours.astype(int) - np.asarray(theirs)).max() <= 1
        assert np.abs(ours.astype(int) - stored).max() > 10
