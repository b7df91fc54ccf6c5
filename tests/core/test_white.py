"""White balance by a neutral place and by the picture as a whole, against light that is known."""

from pathlib import Path

import numpy as np
import pytest

from crispgrain.core.colour import icc
from crispgrain.core.colour.spaces import SRGB_TO_WORKING, apply_matrix, srgb_decode, srgb_encode
from crispgrain.core.files import PictureSource, read_shot
from crispgrain.core.meter import Noise, Reading, measure
from crispgrain.core.model import Drawn, ToolError
from crispgrain.core.render.pipeline import Pipeline
from crispgrain.core.resolve import resolve
from crispgrain.core.stages.develop.lighting import light_gains
from crispgrain.core.stages.develop.white import CAST, NEUTRAL, REMOVE, balance
from crispgrain.core.treatment import Treatment
from crispgrain.demo.roll import GREEN_TUBES
from crispgrain.restoration.illuminant import GUESSES, angle, illuminant
from tests.conftest import photograph, write_raw

LIGHTS = {"tubes": GREEN_TUBES, "bulb": (1.0, 0.8, 0.55), "shade": (0.75, 0.9, 1.0)}
PLAIN = Treatment().only([]).set("develop.exposure", 0.0)


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
    return Drawn(points, source, Reading(Noise.even(1)), {"cast": cast})


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
                settings, words = REMOVE.settings(drawn(source))
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
    settings, _ = REMOVE.settings(drawn(grey))
    assert abs(settings["warmth"]) < 1 and abs(settings["tint"]) < 0.5
    black = PictureSource(Path("x.png"), np.zeros((64, 64, 3), np.uint8), icc.profile("srgb"))
    with pytest.raises(ToolError, match="dark"):
        NEUTRAL.settings(drawn(black, ((30.0, 30.0),)))
