"""Sorting, finding and grouping shots."""

from pathlib import Path

import pytest

from crispgrain.core.files.source import Facts
from crispgrain.core.marks import Mark
from crispgrain.core.meter import Blur, Noise, Reading
from crispgrain.core.treatment import Treatment
from crispgrain.session.listing import Listing, Order, raw_of, series_of
from crispgrain.session.shots import OpenShot, State


def shot(id: int, name: str, taken: str = "", iso: int = 100, camera: str = "Field Two", **more) -> OpenShot:
    return OpenShot(id, Path(name), facts=Facts(camera, iso, lens="50 mm", taken=taken), **more)


SHOTS = [
    shot(0, "b.dng", "2026:03:14 16:00:00", 6400, reading=Reading(Noise.even(9), Blur("shake", 3.0))),
    shot(1, "C.dng", "2026:03:14 16:02:30", 6400, reading=Reading(Noise.even(4), Blur("defocus", 2.0))),
    shot(2, "a.jpg", "2026:03:14 16:04:00", 200, camera="Pocket", treatment=Treatment(mark=Mark.REJECT)),
    shot(3, "d.dng", "2026:03:14 16:06:00", 6400, state=State.TREATED, headline="noise 8 / 12"),
    shot(4, "e.dng", "2026:03:14 16:07:00", 100, treatment=Treatment(mark=Mark.KEEP)),
    shot(5, "f.png"),
]


@pytest.mark.parametrize(
    ("order", "ids"),
    [
        (Order.OPENED, [0, 1, 2, 3, 4, 5]), (Order.NAME, [2, 0, 1, 3, 4, 5]), (Order.TIME, [5, 0, 1, 2, 3, 4]),
        (Order.ISO, [4, 5, 2, 0, 1, 3]), (Order.NOISE, [2, 3, 4, 5, 1, 0]), (Order.BLUR, [2, 3, 4, 5, 1, 0]),
        (Order.MARK, [0, 1, 3, 5, 4, 2]), (Order.CAMERA, [0, 1, 3, 4, 5, 2]),
    ],
)  # fmt: skip
def test_shots_are_sorted(order, ids):
    assert Listing(order).ids(SHOTS) == ids


def test_descending_turns_the_order_round():
    assert Listing(Order.TIME, descending=True).ids(SHOTS) == [4, 3, 2, 1, 0, 5]


@pytest.mark.parametrize(
    ("text", "ids"),
    [
        ("dng", [0, 1, 3, 4]),
        ("POCKET", [2]),
        ("iso 6400", [0, 1, 3]),
        ("noise 12", [3]),
        ("treated", [3]),
        ("zebra", []),
    ],
)
def test_shots_are_found_by_all_their_words(text, ids):
    assert Listing(text=text).ids(SHOTS) == ids


def test_shots_are_chosen_by_their_marks():
    assert Listing(marks=frozenset({Mark.KEEP, Mark.REJECT})).ids(SHOTS) == [2, 4]
    assert Listing(marks=frozenset()).ids(SHOTS) == []


def test_a_gap_a_new_iso_or_another_camera_starts_a_series():
    assert series_of(SHOTS) == [[5], [0, 1], [3], [4], [2]]


def test_folded_only_the_first_of_each_series_is_listed():
    assert Listing(folded=True).ids(SHOTS) == [0, 2, 3, 4, 5]
    assert Listing(Order.NAME, descending=True, folded=True).ids(SHOTS) == [5, 4, 3, 1, 2]


def test_a_finished_picture_of_a_raw_is_known_by_its_name_and_can_be_stacked():
    pair = [shot(0, "r/a.dng"), shot(1, "r/A.JPG"), shot(2, "other/a.jpg"), shot(3, "r/b.tif"), shot(4, "r/b.jpg")]
    assert raw_of(pair) == {1: 0}
    assert Listing().ids(pair) == [0, 1, 2, 3, 4]
    assert Listing(stacked=True).ids(pair) == [0, 2, 3, 4]
