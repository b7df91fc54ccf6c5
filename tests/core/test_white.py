"""White balance by a neutral place and by the picture as a whole, against light that is known."""

from pathlib import Path

import numpy as np
import pytest
import tifffile
from PIL import Image

from crispgrain.core.colour import icc
from crispgrain.core.colour.difference import ciede2000, lab
from crispgrain.core.colour.spaces import (
    D65,
    SRGB_TO_WORKING,
    WORKING,
    adaptation,
    apply_matrix,
    srgb_decode,
    srgb_encode,
    to_xyz,
    white_xyz,
)
from crispgrain.core.colour.temperature import ILLUMINANTS, kelvin_of
from crispgrain.core.files import PictureSource, read_shot
from crispgrain.core.files.raw import camera_matrix
from crispgrain.core.meter import Noise, Reading, measure
from crispgrain.core.model import Drawn, ToolError
from crispgrain.core.render.consistency import drift_between
from crispgrain.core.render.pipeline import Pipeline
from crispgrain.core.render.whole import export
from crispgrain.core.resolve import resolve
from crispgrain.core.shot import open_shot
from crispgrain.core.stages.develop.lighting import light_gains
from crispgrain.core.stages.develop.white import CAST, NEUTRAL, SET_LIGHT, balance
from crispgrain.core.treatment import Treatment
from crispgrain.demo.roll import GREEN_TUBES
from crispgrain.restoration.illuminant import GUESSES, angle, illuminant
from crispgrain.simulation.camera import FIELD_TWO
from tests.conftest import photograph, write_raw

LIGHTS = {"tubes": GREEN_TUBES, "bulb": (1.0, 0.8, 0.55), "shade": (0.75, 0.9, 1.0)}
PLAIN = Treatment().only([]).set("develop.exposure", 0.0).set("develop.base", "linear")


@pytest.mark.parametrize("light", LIGHTS.values(), ids=LIGHTS)
def test_a_light_is_made_neutral(light):
    settings = balance(np.array(light))
    seen = np.array(light) * light_gains(settings["warmth"], settings["tint"])
    assert angle(seen, np.ones(3)) < 0.5


@pytest.mark.parametrize("light", [(1.0, 0.3, 0.02), (0.2, 1.0, 0.2)])
def test_what_no_light_has_is_refused(light):
    with pytest.raises(ToolError, match="neutral place"):
        balance(np.array(light))


def drawn(source, points=(), cast=CAST.default) -> Drawn:
    return Drawn(points, source, Reading(Noise.even(1)), {"cast": cast, "kelvin": 5000.0, "duv": 0.0})


@pytest.mark.parametrize("raw", [True, False], ids=("RAW", "picture"))
def test_a_place_that_is_pointed_at_becomes_grey(raw, tmp_path):
    scene = apply_matrix(srgb_decode(photograph("coffee")), SRGB_TO_WORKING)
    scene[100:140, 60:100] = 0.3  # a grey card
    lit = scene * np.float32(GREEN_TUBES)
    if raw:
        source = read_shot(write_raw(tmp_path / "card.dng", lit, 400))
        reading = measure(source)
    else:
        stored = (srgb_encode(apply_matrix(lit, np.linalg.inv(SRGB_TO_WORKING))).clip(0, 1) * 65535).astype(np.uint16)
        source, reading = PictureSource(Path("x.png"), stored, icc.profile("srgb")), Reading(Noise.even(1))

    def card(treatment):
        pipeline = Pipeline(source, reading, resolve(treatment, source, reading))
        return pipeline.region(pipeline.size.rect)[108:132, 68:92].reshape(-1, 3).mean(0)

    assert angle(card(PLAIN), np.ones(3)) > 4
    treatment = PLAIN
    for name, value in NEUTRAL.settings(drawn(source, ((80.0, 120.0),))).items():
        treatment = treatment.set(f"develop.{name}", value)
    assert angle(card(treatment), np.ones(3)) < 0.8
    with pytest.raises(ToolError, match="outside"):
        NEUTRAL.settings(drawn(source, ((-50.0, -50.0),)))


def test_the_light_of_a_picture_is_guessed_and_its_cast_goes():
    """Four photographs that are taken to be neutral; angular error as in van de Weijer et al. 2007."""
    errors = {name: [] for name in (*GUESSES, "nothing done", "after")}
    for name in ("astronaut", "coffee", "chelsea", "rocket"):
        clean = apply_matrix(srgb_decode(photograph(name)), SRGB_TO_WORKING)
        for light in LIGHTS.values():
            lit = np.maximum(clean * np.float32(light), 0)
            for guess, how in GUESSES.items():
                errors[guess].append(angle(illuminant(lit, how), np.array(light)))
            errors["nothing done"].append(angle(np.array(light), np.ones(3)))
            encoded = srgb_encode(apply_matrix(lit, np.linalg.inv(SRGB_TO_WORKING))).clip(0, 1)
            stored = (encoded * 65535).astype(np.uint16)
            source = PictureSource(Path("x.png"), stored, icc.profile("srgb"))
            try:
                settings, words = SET_LIGHT.settings(drawn(source))
                assert "white patch" in words
            except ToolError:  # more than daylight of any time of day: it is said, and nothing changes
                settings = {"warmth": 0.0, "tint": 0.0}
            gains = light_gains(settings["warmth"], settings["tint"])
            errors["after"].append(angle(np.array(light) * gains, np.ones(3)))
    mean = {name: float(np.mean(values)) for name, values in errors.items()}
    assert mean["white-patch"] < 0.75 * mean["nothing done"] and mean["after"] < 0.75 * mean["nothing done"]
    assert min(mean[g] for g in GUESSES) == pytest.approx(mean["white-patch"], abs=1.5)


def test_without_a_cast_nothing_is_changed_and_black_tells_nothing():
    grey = PictureSource(Path("x.png"), np.tile(np.uint8([90]), (64, 64, 3)), icc.profile("srgb"))
    settings, _ = SET_LIGHT.settings(drawn(grey))
    assert abs(settings["warmth"]) < 1 and abs(settings["tint"]) < 0.5
    black = PictureSource(Path("x.png"), np.zeros((64, 64, 3), np.uint8), icc.profile("srgb"))
    with pytest.raises(ToolError, match="dark"):
        NEUTRAL.settings(drawn(black, ((30.0, 30.0),)))


# Kelvin and Duv by Y. Ohno's method of 2013, as colour-science 0.4.7 gives them for CIE's illuminants.
OHNO = {
    "A": (2855.5, 0.0), "D50": (5000.7, 0.00319), "D55": (5502.4, 0.00325), "D65": (6504.3, 0.00321),
    "D75": (7505.0, 0.00314), "FL2": (4223.4, 0.00177), "FL11": (3999.5, 0.00005), "LED-B3": (4103.0, -0.00065),
}  # fmt: skip


@pytest.mark.parametrize("name", OHNO)
def test_kelvin_and_duv_of_illuminants_are_as_published(name):
    kelvin, duv = kelvin_of(ILLUMINANTS[name])
    assert kelvin == pytest.approx(OHNO[name][0], rel=2e-3) and duv == pytest.approx(OHNO[name][1], abs=2e-4)


# x, y, Y of the 24 patches of a ColorChecker (after November 2014, for the light of ICC's D50; X-Rite, as
# colour-science 0.4.7 has them).
LIGHT_OF_CHART = (0.34570, 0.35854)
CHART = np.array([
    (0.43748, 0.37852, 0.09832), (0.42225, 0.37249, 0.3362), (0.27615, 0.29838, 0.17855), (0.37332, 0.45117, 0.13468),
    (0.30289, 0.28629, 0.22872), (0.2864, 0.38972, 0.41436), (0.52815, 0.40533, 0.31264), (0.23239, 0.2112, 0.10911),
    (0.50445, 0.32706, 0.189), (0.33347, 0.25055, 0.06277), (0.39889, 0.50415, 0.43318), (0.49358, 0.44428, 0.42934),
    (0.20522, 0.16867, 0.05596), (0.32304, 0.51042, 0.22334), (0.56287, 0.33556, 0.1278), (0.46776, 0.47602, 0.5993),
    (0.42131, 0.26692, 0.18951), (0.20913, 0.30266, 0.18061), (0.34891, 0.36421, 0.88069), (0.34558, 0.35988, 0.58997),
    (0.34415, 0.35919, 0.36487), (0.34577, 0.35909, 0.19062), (0.34265, 0.35758, 0.08817), (0.34377, 0.35606, 0.03151),
])  # fmt: skip
PATCH = 32  # px


def chart() -> np.ndarray:
    """The chart, four rows of six, in the working space, balanced for its own light after Bradford."""
    x, y, light = CHART.T
    xyz = np.stack([x / y * light, light, (1 - x - y) / y * light], axis=-1)
    flat = xyz @ adaptation(white_xyz(LIGHT_OF_CHART), white_xyz(D65)).T @ np.linalg.inv(to_xyz(WORKING)).T
    return flat.reshape(4, 6, 3).repeat(PATCH, 0).repeat(PATCH, 1).astype(np.float32)


def patches(picture: np.ndarray) -> np.ndarray:
    cells = picture.reshape(4, PATCH, 6, PATCH, 3)[:, 8:-8, :, 8:-8]
    return cells.mean(axis=(1, 3)).reshape(24, 3).astype(np.float32)


def through_the_camera(light) -> np.ndarray:
    """White in a light as the simulated camera sees it (DNG 1.6, chapter 6: ColorMatrix), in its balance as shot."""
    camera = FIELD_TWO
    seen = np.reshape(camera.colour_matrix, (3, 3)) @ white_xyz(light) * camera.balance
    return camera_matrix(np.reshape(camera.colour_matrix, (3, 3))) @ seen


@pytest.mark.parametrize("light", ["tubes", "FL2", "A"])
def test_a_chart_in_another_light_gets_its_published_colours_back(light, tmp_path):
    truth = chart()
    colour = np.float32(GREEN_TUBES if light == "tubes" else through_the_camera(ILLUMINANTS[light]))
    colour = colour / colour.max()
    source = read_shot(write_raw(tmp_path / "chart.dng", truth * colour * np.float32(0.5), 100))
    reading = measure(source)

    def error(treatment):
        pipeline = Pipeline(source, reading, resolve(treatment.set("develop.base", "linear"), source, reading))
        seen = patches(pipeline.region(pipeline.size.rect))
        seen *= truth_of[18:23, 1].mean() / seen[18:23, 1].mean()
        return float(ciede2000(lab(seen), lab(truth_of)).mean())

    truth_of = patches(truth)
    treatment = PLAIN
    for name, value in NEUTRAL.settings(drawn(source, ((PATCH * 3.5, PATCH * 3.5),))).items():
        treatment = treatment.set(f"develop.{name}", value)
    before, after = error(PLAIN), error(treatment)
    assert after < 2.0 and after < before / 3
    if light != "tubes":
        by_name, said = SET_LIGHT.settings(drawn(source, cast=light))
        assert "K, Duv" in said
        for name, value in by_name.items():
            treatment = treatment.set(f"develop.{name}", value)
        assert error(treatment) < before / 2


@pytest.mark.slow
def test_grey_stays_exactly_grey_through_all_stages(tmp_path):
    """a* and b* of a grey picture are the same in all its pixels, and zero: channels are equal to the last bit."""
    values = (photograph("coffee").mean(-1) * 255).astype(np.uint8)
    Image.fromarray(values).save(tmp_path / "grey.png")
    shot = open_shot(tmp_path / "grey.png")
    treatment = Treatment().set("enlarge.on", True).set("enlarge.factor", 2.0).set("denoise.on", True)
    treatment = treatment.set("sharpen.on", True).set("finish.on", True).set("develop.contrast", 40.0)
    treatment = treatment.set("develop.dark", 30.0).set("develop.colour", 150.0).set("develop.haze", 20.0)
    path = export(shot.pipeline(treatment.set("print.format", "tiff")), tmp_path / "out")
    written = tifffile.imread(path)
    assert written.ndim == 2 or np.ptp(written, axis=-1).max() == 0


@pytest.mark.parametrize("light", ["tubes", "shade"])
def test_taking_a_cast_away_leaves_colours_as_strong_as_in_neutral_light(light):
    """By the drift figure that the window shows: mean chroma of both, smoothed."""
    before, after = [], []
    for name in ("coffee", "chelsea", "rocket"):
        clean = apply_matrix(srgb_decode(photograph(name)), SRGB_TO_WORKING)
        lit = np.maximum(clean * np.float32(LIGHTS[light]), 0)
        stored = (srgb_encode(apply_matrix(lit, np.linalg.inv(SRGB_TO_WORKING))).clip(0, 1) * 65535).astype(np.uint16)
        source, reading = PictureSource(Path("x.png"), stored, icc.profile("srgb")), Reading(Noise.even(1))
        treatment = PLAIN
        for setting, value in SET_LIGHT.settings(drawn(source))[0].items():
            treatment = treatment.set(f"develop.{setting}", value)
        pipeline = Pipeline(source, reading, resolve(treatment, source, reading))
        drift = drift_between(clean, pipeline.region(pipeline.size.rect))
        before.append(drift.chroma_before)
        after.append(drift.chroma_after)
    assert 0.85 < np.mean(after) / np.mean(before) < 1.25
