"""A treatment shown on a reduced shot: what a screenful below 50 % needs, within a second or two.

The reduced shot is of the same kind (a mosaic stays one); its noise and blur are reckoned with, and so are settings in
pixels. What cannot be seen at that size (grain, blur of less than half a pixel) is left out, and models have their
quick substitutes. What is seen at 50 % and more, and files, are never computed like this.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

from ..files.reduce import noise_left, reduced
from ..files.source import RawSource, Source
from ..meter.picture_noise import picture_noise
from ..meter.reading import Compression, Noise, Reading
from ..model import Context, Model, Stage, Value
from ..registry import find_model
from ..resolve import Resolved, ResolvedOperation
from ..stages.effort import EFFORT
from ..stages.enlarge.lanczos import MODEL as LANCZOS

SEEN = (Stage.DENOISE, Stage.SHARPEN, Stage.FINISH)  # stages of which something is seen from far away
EXACT_FROM = 0.5  # screen pixels per pixel of the result
LEAST_BLUR = 0.5  # px; less is not seen


def factor_for(scale: float) -> int:
    """By how much a shot may be reduced that is shown at a scale, still with a pixel for each of the screen's."""
    return 1 if scale >= EXACT_FROM else int(1 / scale + 1e-6)


@dataclass(frozen=True)
class Reduced:
    """A reduced shot, its reading and its size in memory."""

    source: Source
    reading: Reading
    nbytes: int


def reduce_shot(source: Source, reading: Reading, factor: int) -> Reduced:
    """A shot shrunk by a whole factor, with what the meter would find in it."""
    if factor == 1:
        return Reduced(source, reading, 0)
    small = reduced(source, factor)
    if isinstance(small, RawSource):
        pattern = source.pattern if isinstance(source, RawSource) else small.pattern
        noise, nbytes = _calmer(reading.noise, noise_left(factor, pattern)), small.mosaic.nbytes
    else:
        # How much averaging calms a finished picture hangs on how its noise was smoothed: it is measured anew.
        noise, nbytes = picture_noise(small, reading.jpeg.quality), small.stored.nbytes
    return Reduced(small, replace(reading, noise=noise, jpeg=Compression()), nbytes)


def _calmer(noise: Noise, left: float) -> Noise:
    """The noise of a RAW with a share of its variance left."""
    if noise.a is None or noise.b is None:  # not measured yet
        return noise
    a, b = ((left * line[0], left * line[1], left * line[2]) for line in (noise.a, noise.b))
    less = left**0.5
    return replace(
        noise, a=a, b=b, luminance=less * noise.luminance,
        colour=less * noise.colour, luminance_at=tuple(less * v for v in noise.luminance_at),
        colour_at=tuple(less * v for v in noise.colour_at),
    )  # fmt: skip


def reduce_treatment(resolved: Resolved, context: Context, factor: int, enlarge: float) -> Resolved:
    """A concrete treatment for a shot reduced by a factor; ``enlarge`` is what Enlarge is still to do, if it is on."""
    stages = dict(resolved.stages)
    for stage in SEEN:
        stages[stage] = _reduced_stage(resolved[stage], context, factor)
    values: dict[str, Value] = {p.id: p.default for p in LANCZOS.parameters}
    stages[Stage.ENLARGE] = ResolvedOperation(
        Stage.ENLARGE, resolved[Stage.ENLARGE].on, LANCZOS, {**values, "by": "factor", "factor": enlarge}
    )
    beside = (_reduced_stage(z, context, factor) if z.stage in SEEN else z for z in resolved.beside)
    return Resolved(stages, tuple(beside))


def _reduced_stage(resolved: ResolvedOperation, context: Context, factor: int) -> ResolvedOperation:
    # What another stage's model would do is done here: that model is left out.
    if not resolved.on and resolved.done_in is None:
        return resolved
    model = _quick(resolved.model)
    values: dict[str, Value] = {p.id: p.default for p in model.parameters}
    values |= {k: v for k, v in resolved.values.items() if k in values}
    if EFFORT.id in values:
        values[EFFORT.id] = EFFORT.choices[0]
    if "compression" in values:
        values["compression"] = float(values["compression"]) / factor  # blocks shrink with the picture
    if model.on_reduced is not None:
        return replace(resolved, model=model, values=model.on_reduced(values, context, factor), on=True)
    sizes = {p.id: float(values[p.id]) / factor for p in model.parameters if p.unit == "px"}
    values |= sizes
    seen = resolved.stage is not Stage.SHARPEN or not sizes or max(sizes.values()) >= LEAST_BLUR
    return replace(resolved, model=model, values=values, on=seen)


def _quick(model: Model) -> Model:
    return find_model(model.stage, model.draft) if model.draft else model
