"""Rendering a whole result in strips of tiles, for a file."""

from __future__ import annotations

import tempfile
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace as evolve
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from crispgrain.cancel import NEVER, CancelToken
from crispgrain.geometry import Rect, tile_rect, tiles_over
from crispgrain.threads import single_threaded_libraries, worker_count

from ..colour import icc
from ..errors import ShotError
from ..files.linear_dng import CameraColours
from ..files.source import RawSource
from ..files.write import OutputFormat, OutputSettings, write_picture
from ..model import Stage
from ..stages.develop.lighting import BASE, BASE_COLOUR
from ..stages.print.output import output_format, output_settings
from . import naming
from .on_paper import layout_of
from .opacity import over, see_through, seen
from .pipeline import Pipeline
from .progress import Progress, ProgressEstimator

PAPER = 1.0  # linear light of what shows through where a file cannot be transparent
IN_MEMORY = 400_000_000  # bytes; larger results are laid on disk while they grow


def render_whole(
    pipeline: Pipeline, settings: OutputSettings, scratch: Path | None = None,
    report: Callable[[Progress], None] | None = None, cancel: CancelToken = NEVER, opaque: bool = False,
) -> NDArray:  # fmt: skip
    """Render every tile and quantise it into one array of stored values.

    Parameters
    ----------
    settings
        Bit depth and profile of the values.
    scratch : Path, optional
        Folder for the growing result where it is large; the system's own if not given.

    Returns
    -------
    uint8 or uint16, H x W x channels of the profile
        And one of opacity, if not all is opaque, the format can hold it, and it is not to be ``opaque``. With white
        around it if the chosen print leaves some.

    Raises
    ------
    Cancelled
        If ``cancel`` was set.
    """
    profile = settings.profile_bytes
    size, depth = pipeline.size, len(pipeline.steps)
    layout = layout_of(pipeline)
    colours = icc.channels(profile)
    kept = see_through(pipeline) and settings.format.has_opacity and not opaque
    shape = (layout.sheet.height, layout.sheet.width, colours + kept)
    dtype = np.uint8 if settings.stored_bits == 8 else np.uint16
    nbytes = int(np.prod(shape)) * np.dtype(dtype).itemsize
    if nbytes <= IN_MEMORY:
        out: NDArray = np.empty(shape, dtype)
    else:
        # The file is removed from the folder at once and lives as long as the array.
        out = np.memmap(tempfile.TemporaryFile(dir=scratch), dtype, shape=shape)  # noqa: SIM115
    if layout.sheet != size:
        out[..., :colours] = np.iinfo(dtype).max * icc.white(profile)
        out[..., colours:] = np.iinfo(dtype).max
    places = list(tiles_over(size.rect, pipeline.tile))
    rects = [tile_rect(*place, pipeline.tile, size) for place in places]
    clock = ProgressEstimator([r.height * r.width for r in rects], report)

    def render(place: tuple[int, int], rect: Rect) -> None:
        cancel.check()
        pixels = pipeline.tile_pixels(*place, depth, cancel)
        pixels, share = seen(pixels, pipeline, rect, cancel)
        there = out[rect.moved(layout.above, layout.left).slices]
        if share is not None and kept:
            there[..., colours] = icc.quantise(share, dtype.__name__)
        elif share is not None:
            pixels = over(pixels, share, PAPER)
        there[..., :colours] = icc.from_working(
            pixels,
            profile,
            settings.stored_bits,
            settings.intent,
            settings.black_point,
            (rect.top, rect.left) if settings.dithered and settings.stored_bits == 8 else None,
        )

    with single_threaded_libraries(), ThreadPoolExecutor(worker_count()) as pool:
        for _ in pool.map(render, places, rects):
            clock.tick()
            cancel.check()  # nobody who cancels wants a file, even where every tile is under way already
    return out


def settings_of(pipeline: Pipeline) -> OutputSettings:
    """What a chain's Print stage says of the file, like its source where that is asked for."""
    return output_settings(pipeline.resolved[Stage.PRINT].values, pipeline.source)


def result_name(pipeline: Pipeline, template: str = naming.TEMPLATE, number: int = 1) -> str:
    """A file name that says what was done: ``orrery-0123-denoise-sharpen.tif``; TreatmentError for a bad template."""
    source = pipeline.source
    stem = naming.named(template, source.path, pipeline.resolved, source.facts, pipeline.size, number)
    suffix = output_format(pipeline.resolved[Stage.PRINT].values, source).suffix
    return stem if stem.lower().endswith(suffix) else stem + suffix


def for_dng(pipeline: Pipeline, settings: OutputSettings) -> tuple[Pipeline, OutputSettings]:
    """The chain without exposure and base curve, and settings that say what it is: in a DNG it can be chosen anew.

    Raises
    ------
    ShotError
        If the shot is no RAW.
    """
    source, frame = pipeline.source, pipeline.steps[-1].after
    if not isinstance(source, RawSource):
        raise ShotError(source.path, "a linear DNG is made of RAW only; choose TIFF for this one")
    develop = pipeline.resolved[Stage.DEVELOP]
    stops = float(develop.values["exposure"])
    unlit = evolve(develop, values={**develop.values, "exposure": 0.0, BASE: "", BASE_COLOUR: 1.0})
    resolved = evolve(pipeline.resolved, stages={**pipeline.resolved.stages, Stage.DEVELOP: unlit})
    noise = pipeline.reading.noise
    left = None if noise.a is None or noise.b is None else frame.left(0.0) ** 2 * np.stack([noise.a, noise.b], axis=1)
    camera = CameraColours.of(source, stops, left)
    return Pipeline(source, pipeline.reading, resolved, pipeline.cache, pipeline.tile), evolve(settings, camera=camera)


def export(
    pipeline: Pipeline, folder: Path, name: str = "", replace: bool = False,
    report: Callable[[Progress], None] | None = None, cancel: CancelToken = NEVER, in_place: bool = False,
) -> Path:  # fmt: skip
    """Render a shot and write it to a folder as its Print stage says.

    Returns
    -------
    Path
        The file written.

    Raises
    ------
    ShotError, Cancelled
        Nothing is left behind in either case.
    """
    source, settings = pipeline.source, settings_of(pipeline)
    if settings.format is OutputFormat.DNG:
        pipeline, settings = for_dng(pipeline, settings)
    # A part of a picture all round may have its form, too.
    metadata = evolve(settings.metadata, all_round=pipeline.steps[-1].after.wraps)
    settings = evolve(settings, metadata=metadata)
    target = folder / (name or result_name(pipeline))
    pixels = render_whole(pipeline, settings, report=report, cancel=cancel)
    return write_picture(pixels, target, settings, metadata_from=source.path, replace=replace, in_place=in_place)
