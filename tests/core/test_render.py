"""Tiles, cache, cancelling and progress."""

import threading
from dataclasses import replace

import numpy as np
import pytest

from crispgrain.cancel import Cancelled, CancelToken
from crispgrain.core.colour import icc
from crispgrain.core.files import OutputSettings, PictureSource, read_shot
from crispgrain.core.meter import Noise, Reading, measure
from crispgrain.core.model import Domain, Role, Stage
from crispgrain.core.registry import MODELS
from crispgrain.core.render.cache import TileCache
from crispgrain.core.render.overview import overview
from crispgrain.core.render.pipeline import Pipeline
from crispgrain.core.render.progress import Progress, ProgressEstimator, time_left
from crispgrain.core.render.reach import near_first
from crispgrain.core.render.whole import export, render_whole
from crispgrain.core.resolve import resolve
from crispgrain.core.shot import Shot, open_shot
from crispgrain.core.treatment import Treatment
from crispgrain.geometry import Rect, Size, tile_rect, tiles_over
from tests.conftest import encoded, psnr

pytestmark = pytest.mark.usefixtures("floats")

EVERYTHING = (
    Treatment()
    .set("denoise.on", True)
    .set("denoise.model", "mosaic-dct")
    .set("sharpen.on", True)
    .set("sharpen.model", "lens-softness")
    .set("enlarge.on", True)
    .set("enlarge.model", "faithful")
    .set("enlarge.factor", 1.7)
    .set("finish.on", True)
)


@pytest.fixture(scope="module")
def raw_shot(raw_file):
    return open_shot(raw_file)


@pytest.fixture(scope="module")
def picture_shot(raw_shot, tmp_path_factory):
    pixels = raw_shot.pipeline(Treatment().only([])).region(raw_shot.source.size.rect)
    stored = icc.from_working(pixels, icc.profile("srgb"), 8)[:333, :401]
    source = PictureSource(tmp_path_factory.mktemp("p") / "x.png", np.ascontiguousarray(stored), icc.profile("srgb"))
    return Shot(source, measure(source))


def crop_of(source: PictureSource) -> PictureSource:
    """A part of 80 x 330 px."""
    return replace(source, stored=np.ascontiguousarray(source.stored[60:140, 20:350]))


def in_two_tilings(shot, treatment: Treatment, small: int) -> tuple[np.ndarray, np.ndarray]:
    """The whole result, once in one tile and once in many."""
    resolved = resolve(treatment, shot.source, shot.reading)
    whole = Pipeline(shot.source, shot.reading, resolved, tile=2048)
    tiled = Pipeline(shot.source, shot.reading, resolved, tile=small)
    assert tiled.tile < min(whole.tile, max(whole.size.height, whole.size.width))
    return tuple(p.region(p.size.rect) for p in (whole, tiled))


TILED = [m for m in MODELS if m.stage is not Stage.PRINT and not m.same_tiles and m.may_be(Role.EVERYWHERE)]


@pytest.mark.slow
@pytest.mark.parametrize(
    ("kind", "model"),
    # What comes after Develop, and not on the mosaic, is given the same of a RAW as of a picture.
    [("raw", m) for m in TILED if m.stage is Stage.DEVELOP or m.domain is Domain.MOSAIC]
    + [("picture", m) for m in TILED if m.domain is Domain.PICTURE],
    ids=lambda v: v if isinstance(v, str) else f"{v.stage}-{v.id}",
)
def test_the_result_does_not_depend_on_the_tile_size(kind, model, raw_shot, picture_shot):
    """Identical to the last bit, for every model by itself; networks (with floats) within 5e-5.

    Models that have the same tiles everywhere, as frequencies know no place, have tests of their own.
    """
    shot = raw_shot if kind == "raw" else picture_shot
    if not model.fits(shot.source):
        pytest.skip("not for this kind of shot")
    alone = Treatment().only([model.stage]).set(f"{model.stage}.model", model.id)
    if model.stage is Stage.ENLARGE:
        network = model.id.endswith("-net")
        shot = Shot(crop_of(shot.source), shot.reading) if network else shot  # for they take long
        alone = alone.set("enlarge.factor", 4.0 if network else 2.0)  # larger than its tiles
    a, b = in_two_tilings(shot, alone, 160)
    assert np.abs(a - b).max() <= model.tolerance


@pytest.mark.slow
@pytest.mark.parametrize("kind", ["raw", "picture"])
def test_a_chain_does_not_depend_on_the_tile_size(kind, raw_shot, picture_shot):
    chain = EVERYTHING.set("sharpen.model", "unsharp-mask")
    shot = raw_shot if kind == "raw" else picture_shot
    a, b = in_two_tilings(shot, chain if kind == "raw" else chain.set("denoise.model", "sliding-dct"), 160)
    assert np.array_equal(a, b)


def test_a_region_is_a_part_of_the_whole(picture_shot):
    pipeline = picture_shot.pipeline(EVERYTHING)
    part = Rect(101, 67, 250, 300)
    assert np.array_equal(pipeline.region(part), pipeline.region(pipeline.size.rect)[part.slices])


@pytest.mark.parametrize("kind", ["raw", "picture"])
@pytest.mark.parametrize(
    ("denoise", "enlarge"),
    [
        ("metered", "faithful"),
        ("wavelet", "lanczos"),
        pytest.param("sliding-dct", "detail-net", marks=pytest.mark.slow),
    ],
)
def test_a_patch_computed_without_tiles_is_a_part_of_the_whole(kind, denoise, enlarge, raw_shot, picture_shot):
    shot = raw_shot if kind == "raw" else picture_shot
    pipeline = shot.pipeline(EVERYTHING.set("denoise.model", denoise).set("enlarge.model", enlarge), tile=256)
    part = Rect(101, 67, 90, 75)
    patch, expected = pipeline.untiled(part), pipeline.region(part)
    # Networks round otherwise in a patch of another size; undoing a blur asks one, too, and comes after another.
    networks = any(s.model.id.endswith("-net") or s.model.stage is Stage.SHARPEN for s in pipeline.steps)
    assert np.abs(patch - expected).max() < 5e-5 if networks else np.array_equal(patch, expected)


def test_patches_of_one_place_share_the_steps_they_have_in_common(raw_shot, monkeypatch):
    runs = []
    first = raw_shot.pipeline(EVERYTHING, TileCache())
    second = raw_shot.pipeline(EVERYTHING.set("finish.amount", 9.0), first.cache)
    compute = Pipeline._compute

    def counted(self, wanted, depth, cancel, tiled):
        runs.append(self.steps[depth - 1].model.id)
        return compute(self, wanted, depth, cancel, tiled)

    monkeypatch.setattr(Pipeline, "_compute", counted)
    part = Rect(64, 64, 80, 80)
    first.untiled(part)
    light = ["light"] if "light" in runs else []  # a step of its own, if the meter finds it dark
    assert runs == ["surface", "faithful", "lens-softness", *light, "directional", "mosaic-dct"]
    second.untiled(part)
    assert runs[5 + len(light) :] == ["surface"]


def test_a_patch_can_be_cancelled(raw_shot):
    cancel = CancelToken()
    cancel.cancel()
    with pytest.raises(Cancelled):
        raw_shot.pipeline(EVERYTHING).untiled(Rect(0, 0, 64, 64), cancel=cancel)


@pytest.mark.slow
def test_a_change_of_sharpen_leaves_denoise_in_the_cache(raw_shot):
    cache = TileCache()
    plan = EVERYTHING.set("sharpen.radius", 0.8)
    first = raw_shot.pipeline(plan, cache)
    first.region(first.size.rect)
    again = raw_shot.pipeline(plan.set("sharpen.radius", 1.1), cache)
    denoise, sharpen = (1 + [s.model.id for s in again.steps].index(m) for m in ("mosaic-dct", "lens-softness"))
    assert all(again.tile_key(r, c, denoise) in cache for r, c in tiles_over(raw_shot.source.size.rect, again.tile))
    assert not any(again.tile_key(r, c, sharpen) in cache for r, c in tiles_over(raw_shot.source.size.rect, again.tile))


def test_the_cache_stays_within_its_budget_and_forgets_the_oldest():
    cache = TileCache(budget=10 * 400)
    for i in range(30):
        cache.get(i, lambda: np.zeros(100, np.float32))
        cache.get(0, lambda: np.zeros(100, np.float32))
    assert cache.bytes_held <= 10 * 400
    assert 0 in cache
    assert 1 not in cache


def test_two_threads_wanting_a_tile_compute_it_once():
    cache, calls, gate = TileCache(), [], threading.Event()

    def compute():
        calls.append(1)
        gate.wait(5)
        return np.ones(1, np.float32)

    threads = [threading.Thread(target=lambda: cache.get("t", compute)) for _ in range(4)]
    for thread in threads:
        thread.start()
    gate.set()
    for thread in threads:
        thread.join()
    assert len(calls) == 1


def test_a_failed_tile_can_be_tried_again():
    cache = TileCache()

    def fail():
        raise ValueError

    with pytest.raises(ValueError):
        cache.get("t", fail)
    assert cache.get("t", lambda: np.ones(1, np.float32))[0] == 1


def test_cancelling_stops_between_tiles(raw_shot):
    cancel = CancelToken()
    seen: list[Progress] = []

    def report(progress: Progress) -> None:
        seen.append(progress)
        cancel.cancel()

    pipeline = raw_shot.pipeline(EVERYTHING)
    small = Pipeline(pipeline.source, pipeline.reading, pipeline.resolved, tile=128)
    with pytest.raises(Cancelled):
        render_whole(small, OutputSettings(), report=report, cancel=cancel)
    assert len(seen) == 1 < seen[0].total


def test_a_cancelled_export_leaves_nothing(raw_shot, tmp_path):
    cancel = CancelToken()
    cancel.cancel()
    with pytest.raises(Cancelled):
        export(raw_shot.pipeline(EVERYTHING), tmp_path, cancel=cancel)
    assert list(tmp_path.iterdir()) == []


@pytest.mark.slow
def test_preview_equals_export(raw_shot, tmp_path):
    """What a view shows at 100 % is what the file gets."""
    pipeline = raw_shot.pipeline(EVERYTHING)
    path = export(pipeline, tmp_path)
    stored = read_shot(path).stored
    view = raw_shot.pipeline(EVERYTHING).region(Rect(300, 200, 128, 160))
    assert np.array_equal(stored[300:428, 200:360], icc.from_working(view, icc.profile("srgb"), 16))


def test_large_results_grow_on_disk_with_the_same_pixels(picture_shot, monkeypatch):
    pipeline = picture_shot.pipeline(Treatment().only([]))
    in_memory = render_whole(pipeline, OutputSettings())
    monkeypatch.setattr("crispgrain.core.render.whole.IN_MEMORY", 0)
    on_disk = render_whole(pipeline, OutputSettings())
    assert isinstance(on_disk, np.memmap)
    assert np.array_equal(in_memory, on_disk)


def test_progress_counts_and_estimates(raw_shot):
    seen: list[Progress] = []
    render_whole(raw_shot.pipeline(Treatment().only([])), OutputSettings(), report=seen.append)
    assert [p.done for p in seen] == list(range(1, seen[0].total + 1))
    assert seen[-1].seconds_left == 0
    assert time_left(0.2) == "about 1 s left"
    assert time_left(240) == "about 4 min left"


def test_tiles_cut_off_at_the_edge_count_as_less_work(monkeypatch):
    seen: list[Progress] = []
    now = 100.0
    monkeypatch.setattr("crispgrain.core.render.progress.time.monotonic", lambda: now)
    clock = ProgressEstimator([900, 900, 300, 300], seen.append, started=now)
    for seconds in (3, 3, 1):
        now += seconds
        clock.tick()
    assert [p.seconds_left for p in seen] == pytest.approx([5, 2, 1])


@pytest.mark.parametrize("shape", [(1, 1), (1, 7), (2, 2), (9, 1), (33, 31)])
def test_tiny_pictures_go_through_every_stage(tmp_path, shape):
    source = PictureSource(tmp_path / "x.png", np.full((*shape, 3), 90, np.uint8), icc.profile("srgb"))
    reading = Reading(Noise.even(5))
    for model in ("sliding-dct", "wavelet"):
        pipeline = Pipeline(source, reading, resolve(EVERYTHING.set("denoise.model", model), source, reading))
        assert np.isfinite(pipeline.region(pipeline.size.rect)).all()


def test_the_overview_looks_like_the_picture(raw_shot, picture_shot, clean):
    import cv2

    for shot in (raw_shot, picture_shot):
        resolved = resolve(Treatment(), shot.source, shot.reading)
        small = overview(shot.source, resolved, 160)
        assert max(small.shape) == 160
        full = shot.pipeline(Treatment().only([])).region(shot.source.size.rect)
        expected = cv2.resize(full, small.shape[1::-1], interpolation=cv2.INTER_AREA)
        assert psnr(encoded(small), encoded(expected)) > 28


def test_geometry():
    assert Rect(0, 0, 4, 4).intersect(Rect(5, 5, 2, 2)).empty
    assert list(tiles_over(Rect(10, 10, 10, 10), 8)) == [(1, 1), (1, 2), (2, 1), (2, 2)]
    assert tile_rect(1, 1, 8, Size(12, 10)) == Rect(8, 8, 4, 2)
    assert near_first(Rect(0, 0, 24, 24), 8, (20, 20))[0] == (2, 2)
    assert Rect(5, 5, 2, 2).grow(10, Rect(0, 0, 9, 9)) == Rect(0, 0, 9, 9)
