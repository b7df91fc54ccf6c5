"""A series under changing light: each shot brought to one of them."""

import numpy as np
import pytest

from crispgrain.core.colour.difference import ciede2000, lab
from crispgrain.core.colour.spaces import SRGB_TO_WORKING, apply_matrix, srgb_decode
from crispgrain.core.files import read_shot
from crispgrain.core.meter import first_reading
from crispgrain.core.model import Stage, ToolError
from crispgrain.core.render.match import matched, seen
from crispgrain.core.treatment import Treatment
from tests.conftest import photograph, write_raw

LIGHTS = {"dimmer": (0.4, 0.4, 0.4), "evening": (0.9, 0.7, 0.45), "cloud": (0.55, 0.6, 0.75)}


@pytest.fixture(scope="module")
def series(tmp_path_factory):
    folder = tmp_path_factory.mktemp("series")
    scene = apply_matrix(srgb_decode(photograph("astronaut")), SRGB_TO_WORKING) * np.float32(0.6)
    lights = {"noon": (1.0, 1.0, 1.0), **LIGHTS}
    shots = {n: read_shot(write_raw(folder / f"{n}.dng", scene * np.float32(g), 100)) for n, g in lights.items()}
    return {name: (source, first_reading(source)) for name, source in shots.items()}


@pytest.mark.parametrize("light", LIGHTS)
def test_a_shot_in_another_light_looks_like_the_one_that_was_chosen(series, light):
    reference = Treatment().set("develop.contrast", 30.0).set("develop.exposure", 0.3)
    wanted = seen(*series["noon"], reference)
    plain = Treatment().set("denoise.luminance", 80.0)
    treatment = matched(*series[light], plain, wanted)

    def apart(treatment):
        return float(ciede2000(lab(seen(*series[light], treatment)), lab(wanted)).mean())

    before, after = apart(plain), apart(treatment)
    assert after < 3.2 and after < 0.6 * before
    assert treatment[Stage.DENOISE].values["luminance"] == 80.0  # the rest stays its own


def test_what_nothing_can_be_told_of_is_refused(series):
    with pytest.raises(ToolError, match="neither dark nor burnt out"):
        matched(*series["noon"], Treatment(), np.zeros((40, 60, 3), np.float32))
