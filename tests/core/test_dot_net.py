"""The network that tells faulty pixels from fine detail, on photographs it has never seen and on starry skies."""

from pathlib import Path

import numpy as np
import pytest
from skimage import data

from crispgrain.core.colour.spaces import SRGB_TO_WORKING, apply_matrix, srgb_decode
from crispgrain.core.networks import dot_net, runtime
from crispgrain.restoration import defect_pixels
from crispgrain.restoration.cells import SIX_BY_SIX, moved
from crispgrain.simulation.camera import BAYER, FIELD_TWO, add_noise, mosaic_of, noise_at, sensor_signal
from crispgrain.simulation.defects import Defects, with_dots
from tests.core.test_defect_pixels import starry

SEEN = 0.03  # of saturation; what is fainter is no eyesore
DOTS = Defects(hot=4e-4, dead=1e-4, blinking=1e-4)
PATTERNS = {"Bayer": BAYER["RGGB"], "Bayer, on green": BAYER["GBRG"], "six by six": moved(SIX_BY_SIX, 1, 4)}


def recorded(name: str, pattern: np.ndarray, iso: float) -> tuple[np.ndarray, np.ndarray, tuple[float, float]]:
    """A photograph of scikit-image as a sensor sees it, the same with dots, and its noise."""
    picture = getattr(data, name)()[:420, :420]
    scene = apply_matrix(srgb_decode(picture.astype(np.float32) / 255), SRGB_TO_WORKING)
    a, b = noise_at(iso)
    clean = add_noise(mosaic_of(sensor_signal(scene, FIELD_TWO), pattern), a, b, np.random.default_rng(1))
    clean = np.minimum(clean, 1).astype(np.float32)
    dotted = with_dots(clean, b, DOTS, np.random.default_rng(2), places=3)
    return clean, np.minimum(dotted, 1).astype(np.float32), (a, b)


@pytest.mark.parametrize("kind", PATTERNS)
@pytest.mark.parametrize("iso", [100, 1600])
def test_plain_dots_are_found_about_half_of_them_or_more_and_hardly_any_detail(kind, iso):
    """In four photographs. At ISO 100 fine detail hides many, for there is no noise to tell it by."""
    strong = found = wrong = pixels = 0
    for name in ("astronaut", "coffee", "chelsea", "rocket"):
        clean, dotted, line = recorded(name, PATTERNS[kind], iso)
        faulty = np.abs(dotted - clean) > 20 * np.sqrt(line[0] * clean.clip(0) + line[1]) + SEEN
        where = dot_net.found(dotted, [line] * 3, PATTERNS[kind])
        strong, found = strong + faulty.sum(), found + (where & faulty).sum()
        wrong += dot_net.found(clean, [line] * 3, PATTERNS[kind]).sum()
        pixels += clean.size
    assert found > 0.45 * strong > 35
    assert wrong <= 5e-6 * pixels


@pytest.mark.parametrize(("softness", "few"), [(0.4, 0.005), (0.5, 0.002), (0.8, 0.001)])
def test_stars_are_left_where_they_are(softness, few):
    """Of 2304 points of light, as lenses of so many px draw them; the rule without a known softness takes far more."""
    mosaic, (rows, columns), noise = starry(softness, np.random.default_rng(1))

    def lost(where: np.ndarray) -> float:
        return float(np.mean([where[y - 1 : y + 2, x - 1 : x + 2].any() for y, x in zip(rows, columns, strict=True)]))

    assert lost(dot_net.found(mosaic, noise, BAYER["RGGB"])) < few
    assert lost(defect_pixels.found(mosaic, noise)) > 5 * few


def test_whoever_is_less_sure_fills_more():
    _, dotted, line = recorded("coffee", PATTERNS["Bayer"], 400)
    counts = [dot_net.found(dotted, [line] * 3, PATTERNS["Bayer"], sure).sum() for sure in (0.5, 0.95, 0.9999)]
    assert counts[0] > counts[1] > counts[2]


def test_many_places_are_asked_about_in_parts(monkeypatch):
    _, dotted, line = recorded("coffee", PATTERNS["Bayer"], 400)
    whole = dot_net.found(dotted, [line] * 3, PATTERNS["Bayer"])
    monkeypatch.setattr(dot_net, "AT_ONCE", 7)
    assert np.array_equal(dot_net.found(dotted, [line] * 3, PATTERNS["Bayer"]), whole)


@pytest.mark.parametrize("edge", [2, 3, 12])
def test_a_mosaic_of_next_to_nothing_has_no_dots(edge):
    assert not dot_net.found(np.full((edge, edge), 0.2, np.float32), [(1e-4, 1e-6)] * 3, BAYER["RGGB"]).any()


def test_without_the_file_it_says_so(monkeypatch):
    monkeypatch.setattr(runtime, "HERE", Path("nowhere"))
    _, dotted, line = recorded("coffee", PATTERNS["Bayer"], 400)
    with pytest.raises(runtime.NetworkUnavailableError, match="dot-net"):
        dot_net.found(dotted, [line] * 3, PATTERNS["Bayer"])
