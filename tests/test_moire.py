"""Colour moire: of grey fabric, wires, grass and gravel, beside LibRaw's ways of demosaicing."""

import numpy as np
import pytest
from skimage.color import rgb2lab

from benchmarks import patterns, tasks

pytestmark = pytest.mark.slow

REFERENCES = ("LibRaw VNG", "LibRaw AHD", "LibRaw AAHD", "LibRaw DHT")


@pytest.fixture(scope="module")
def task(tmp_path_factory):
    _, cases, methods = next(tasks.moire(tmp_path_factory.mktemp("moire")))
    return dict(zip(patterns.NAMES, cases, strict=True)), dict(methods)


def false_colour(picture: np.ndarray) -> float:
    """Mean distance from the grey axis of CIE L*a*b*, edges of the picture left out."""
    return float(np.hypot(*rgb2lab(np.clip(picture, 0, 1))[8:-8, 8:-8, 1:].transpose(2, 0, 1)).mean())


@pytest.mark.parametrize("name", patterns.NAMES)
def test_the_mosaic_net_makes_hardly_any_colour_of_grey(task, name):
    cases, methods = task
    path, truth = cases[name]
    assert false_colour(truth) < 0.1
    ours = false_colour(methods["**Mosaic net**"](path))
    assert ours < 1.5  # one to two steps of L*a*b* are hardly seen: common practice, no source
    assert ours < 0.5 * min(false_colour(methods[reference](path)) for reference in REFERENCES)
