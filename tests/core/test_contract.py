"""What every model must keep to, whatever the picture: run over all there are, with cases made up by hypothesis."""

import contextlib
from functools import partial
from pathlib import Path

import numpy as np
import pytest
from hypothesis import HealthCheck, Phase, assume, given, settings
from hypothesis import strategies as st

from crispgrain.cancel import Cancelled, CancelToken
from crispgrain.core.colour import icc
from crispgrain.core.files import PictureSource
from crispgrain.core.files.source import Facts, RawSource
from crispgrain.core.masks import LinearGradient
from crispgrain.core.meter import Blur, Compression, Extent, Noise, Reading
from crispgrain.core.model import Domain, Model, Role, Stage
from crispgrain.core.operation import Operation
from crispgrain.core.registry import MODELS
from crispgrain.core.render.pipeline import Pipeline
from crispgrain.core.resolve import resolve
from crispgrain.core.treatment import Treatment
from crispgrain.geometry import Rect, Size
from crispgrain.simulation.camera import PATTERNS

pytestmark = [pytest.mark.slow, pytest.mark.usefixtures("floats")]

READING = Reading(Noise.even(8), Blur("soft lens", 1.0, 1.0), Extent(64, 64), Compression())
RAW_READING = Reading(
    Noise(8, 8, (0.0, 1.0), (8, 8), (8, 8), a=(1e-3,) * 3, b=(1e-5,) * 3, confidence=1.0),
    Blur("soft lens", 1.0, 1.0), Extent(64, 64), raw=True,
)  # fmt: skip
EVERY = [m for m in MODELS if m.stage is not Stage.PRINT and not m.unavailable()]
TILED = [m for m in EVERY if not m.same_tiles]
MASKED = [m for m in EVERY if m.may_be(Role.ZONE) or m.domain is Domain.MOSAIC]
CHECKS = [HealthCheck.function_scoped_fixture, HealthCheck.too_slow, HealthCheck.filter_too_much]
PHASES = [Phase.explicit, Phase.generate]  # making a case smaller would take minutes with a network
some = partial(
    settings, max_examples=4, deadline=None, derandomize=True, phases=PHASES, suppress_health_check=CHECKS
)  # fmt: skip
sizes = st.one_of(
    st.builds(Size, st.integers(1, 70), st.integers(1, 70)), st.sampled_from([Size(1, 1), Size(1, 300), Size(300, 2)])
)


BESIDE = {  # settings of models that stand beside a stage's method
    "crop": {"left": 10.0, "angle": 3.0}, "heal": {"spots": "0.5 0.4 0.03 0.1 0; 0.2 0.2 0.02 0 0.1"},
    "lens": {"by": "own", "bulge": 4.0, "red_size": 2.0, "dark": 0.5}, "cut-out": {"behind": "white"},
    "light": {"exposure": 1.0}, "fill": {"grain": 100.0}, "red-eye": {"strength": 100.0},
    "out-of-focus": {"disc": 4.0, "lamps": 2.0},
    "print-screen": {"strength": 80.0},
    "drawing": {"strength": 90.0},
    "view": {"direction": 160.0, "pitch": -70.0, "field": 70.0},
    "colour-by-hints": {"hints": "#b04020 0.05 0.3 0.4 0.5 0.4; #2040b0 0.02 0.8 0.8"},
}  # fmt: skip


def ids(model: Model) -> str:
    return f"{model.stage}-{model.id}"


def chain(model: Model, size: Size, tile: int = 64, pattern: str = "RGGB", spoilt: bool = False, mask=None) -> Pipeline:
    """A model by itself on noise of a size."""
    values = np.random.default_rng(size.height * 1000 + size.width).uniform(0.05, 0.95, (size.height, size.width, 3))
    if not model.takes_pictures or model.domain is Domain.MOSAIC:
        source = RawSource(
            Path("x.dng"), (values[..., 0] * 4000).astype(np.uint16), PATTERNS[pattern],
            np.full(PATTERNS[pattern].shape, 64, np.float32), 4095.0, np.array([2, 1, 1.5], np.float32),
            np.eye(3, dtype=np.float32),
        )  # fmt: skip
        reading = RAW_READING
    else:
        if spoilt:
            values[size.height // 2, size.width // 2] = np.nan
        facts = Facts(equirectangular=model.all_round)
        source = PictureSource(Path("x.tif"), values.astype(np.float32), icc.profile("srgb"), facts=facts)
        reading = READING
    plain = Treatment().only([]).set("develop.exposure", 0.0).set("develop.base", "linear")
    if model.may_be(Role.EVERYWHERE):
        treatment = plain.set(f"{model.stage}.on", True).set(f"{model.stage}.model", model.id)
        own = treatment[model.stage]
        treatment = treatment.put(Operation(own.id, own.stage, own.on, own.model, own.values, mask))
    elif model.may_be(Role.ZONE):
        treatment, zone = plain.with_zone(model.stage, mask or LinearGradient((0.2, 0.1), (0.7, 0.9)), model.id)
        for name, value in BESIDE[model.id].items():
            treatment = treatment.set(f"{zone}.{name}", value)
    else:
        treatment = plain
        for name, value in BESIDE[model.id].items():
            treatment = treatment.set(f"{model.id}.{name}", value)
    return Pipeline(source, reading, resolve(treatment, source, reading), tile=tile)


def whole(pipeline: Pipeline) -> np.ndarray:
    return pipeline.region(pipeline.size.rect)


@pytest.mark.parametrize("model", EVERY, ids=ids)
@some()
@given(size=sizes)
def test_a_picture_of_any_size_comes_out_whole_and_finite(model, size):
    pipeline = chain(model, size)
    result = whole(pipeline)
    assert result.shape == (pipeline.size.height, pipeline.size.width, 3)
    assert np.isfinite(result).all()


@pytest.mark.parametrize("model", TILED, ids=ids)
@some()
@given(size=sizes, data=st.data())
def test_any_part_is_what_it_is_in_the_whole(model, size, data):
    """In one tile, in small ones, and computed by itself."""
    pipeline = chain(model, size, tile=512)
    full = pipeline.size
    top, left = data.draw(st.integers(0, full.height - 1)), data.draw(st.integers(0, full.width - 1))
    part = Rect(top, left, data.draw(st.integers(1, full.height - top)), data.draw(st.integers(1, full.width - left)))
    expected = whole(pipeline)[part.slices]
    for other in (chain(model, size, tile=32).region(part), chain(model, size).untiled(part)):
        assert np.abs(other - expected).max() <= model.tolerance


@pytest.mark.parametrize("model", [m for m in EVERY if m.takes_pictures and m.domain is Domain.PICTURE], ids=ids)
def test_a_value_that_is_none_spoils_no_more_than_its_surroundings(model):
    """A NaN in a file of floats: nothing raises, and what lies far off is as it would be anyway."""
    size = Size(64, 480) if model.stage is Stage.ENLARGE else Size(64, 900)  # large enough for how far each sees
    spoilt, sound = (whole(chain(model, size, 128, spoilt=s)) for s in (True, False))
    assert spoilt.shape == sound.shape
    assert np.isfinite(spoilt[:, : spoilt.shape[1] // 12]).all()


@pytest.mark.parametrize("model", EVERY, ids=ids)
@some()
@given(after=st.integers(0, 12))
def test_it_can_be_cancelled_at_any_point_and_done_again(model, after):
    size = Size(60, 90)
    pipeline, expected = chain(model, size), whole(chain(model, size))

    class Soon(CancelToken):
        """Cancelled the so-manieth time one looks."""

        looks = 0

        @property
        def cancelled(self) -> bool:
            self.looks += 1
            return self.looks > after

    with contextlib.suppress(Cancelled):
        pipeline.region(pipeline.size.rect, cancel=Soon())
    assert np.abs(whole(pipeline) - expected).max() <= model.tolerance


@pytest.mark.parametrize("model", MASKED, ids=ids)
@some()
@given(size=sizes, ends=st.tuples(*[st.floats(-0.5, 1.5, allow_nan=False)] * 4))
def test_a_mask_leaves_alone_what_is_beyond_it(model, size, ends):
    start, end = ends[:2], ends[2:]
    assume(abs(start[0] - end[0]) + abs(start[1] - end[1]) > 0.05)
    mask = LinearGradient(start, end)
    pipeline = chain(model, size, mask=mask)
    values = mask.values(pipeline.steps[-1].after, pipeline.ground, size.rect)
    plain = Treatment().only([]).set("develop.exposure", 0.0).set("develop.base", "linear")
    without = whole(Pipeline(pipeline.source, pipeline.reading, resolve(plain, pipeline.source, pipeline.reading)))
    np.testing.assert_array_equal(whole(pipeline)[values == 0], without[values == 0])


@pytest.mark.parametrize("pattern", PATTERNS)
@pytest.mark.parametrize("model", [m for m in EVERY if m.takes_raw and m.domain is Domain.MOSAIC], ids=ids)
def test_every_side_of_a_mosaic_s_cells_will_do(model, pattern):
    if model.bayer_only and PATTERNS[pattern].shape != (2, 2):
        pytest.skip("not for this kind of sensor")
    for size in (Size(34, 50), Size(33, 51), Size(1, 9), Size(7, 1)):
        assert np.isfinite(whole(chain(model, size, pattern=pattern))).all()
