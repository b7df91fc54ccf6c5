"""Networks trained by us that enlarge two- or fourfold; other sizes are reductions of the next larger."""

from __future__ import annotations

import numpy as np

from crispgrain.arrays import Array
from crispgrain.restoration import resample

from ...colour.spaces import WORKING_TO_SRGB, apply_matrix, srgb_encode
from ...model import Context, Model, Stage, Values
from ...networks import ensemble, runtime
from ..develop.reshape import SRGB_ENCODED
from ..effort import EFFORT
from . import lanczos
from .calmness import CALMNESS
from .grid import covered, grids, reach, resampled, shrinks, stretch
from .size import PARAMETERS, summary

FACTORS = (2, 4)
RESTORING = {4: "restore-net-x4"}  # by the factor it enlarges by
MULTIPLE = 4  # the deepest level works at a quarter of the source's resolution
# Margin, one side, in source pixels. The receptive field is 42 px: (1 + 4 + 4 + 1) convolutions at 1/1, 8 at 1/2, 4 at
# 1/4 resolution; but what lies farther than this changes no value by more than 2e-5 (docs/benchmarks.md).
REACH = 36
PROJECTIONS = 2
TILE = 1152  # px of the result; 768 takes 1.16 times as long, for margins, and 1536 0.9 times, but 0.7 GB more
AFTER = 14  # source pixels that back-projection and the final reduction look at, on each side


def network_name(factor: int) -> str:
    return f"detail-net-x{factor}"


def _network(networks: dict[int, str], wanted: float) -> tuple[int, str]:
    """The smallest network that enlarges as much as wanted, or the largest there is, with its factor."""
    there = [(f, name) for f, name in networks.items() if not runtime.unavailable(name)]
    return next((found for found in there if found[0] >= wanted - 1e-3), there[-1])


def run(pixels: Array, values: Values, context: Context) -> Array:
    """Enlarge by a network, agree with the source, then resample to the wanted size.

    What area averaging of the result says is still missing of the source is put
    back (:func:`.resample.back_project`), so that neither colour nor brightness drifts. A mask says where it is calm.
    """
    can_be = not shrinks(context) and not runtime.unavailable(RESTORING[4])
    calm = np.float32(can_be * float(values["calmness"]) / 100)
    share = calm if context.mask is None else calm * context.mask[..., None]
    by_factor = {f: network_name(f) for f in FACTORS}
    if np.all(share == 1):
        return enlarged(pixels, values, context, RESTORING, 0)
    if shrinks(context):
        return lanczos.run(pixels, values, context)
    result = enlarged(pixels, values, context, by_factor, PROJECTIONS)
    return result * (1 - share) + share * enlarged(pixels, values, context, RESTORING, 0) if np.any(share) else result


def enlarged(
    pixels: Array, values: Values, context: Context, networks: dict[int, str], projections: int
) -> Array:  # fmt: skip
    """Enlarge by one of several networks, by the factors that they enlarge by, and resample to the wanted size.

    ``projections``: how often what is missing of the source is put back; 0 where the source is not to be believed.
    """
    rect = context.rect
    factor, name = _network(networks, 1 / stretch(context))
    encoded = srgb_encode(apply_matrix(pixels, WORKING_TO_SRGB))
    frame, (top, left) = runtime.framed(encoded, context.place, MULTIPLE)
    effort = str(values["effort"])
    output = ensemble.run(name, {"picture": frame}, effort, ensemble.ROTATIONS)[0].transpose(1, 2, 0)
    large = np.ascontiguousarray(output[top * factor :, left * factor :][: rect.height * factor, : rect.width * factor])
    grid = grids(context, factor)
    part = covered(rect, grid)
    large = resample.back_project(encoded, rect, grid, part, projections, large)
    return resampled(large, part, grid, context, SRGB_ENCODED)


MODEL = Model(
    Stage.ENLARGE, "detail-net", "Detail net",
    "Networks of our own, trained to find the likeliest detail; still agrees with the source when shrunk.",
    (*PARAMETERS, CALMNESS, EFFORT), run, lambda values, context: REACH + AFTER + reach(context),
    unavailable=lambda: runtime.unavailable(network_name(FACTORS[0])), tile=lambda values: TILE, grid=MULTIPLE,
    draft="faithful",
    tolerance=runtime.ROUNDING,
    summary=summary, sees_mask=True,
)  # fmt: skip
