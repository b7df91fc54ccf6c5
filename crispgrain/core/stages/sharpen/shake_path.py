"""The path of an unsteady hand: found in a patch of the shot, the most promising one or one that is drawn."""

from __future__ import annotations

import cv2
import numpy as np

from crispgrain.arrays import Array
from crispgrain.geometry import Rect
from crispgrain.restoration import blind, deconvolution
from crispgrain.restoration.point_spread import as_text

from ...files.source import Source
from ...meter.blocks import rough_colours, rough_luminance
from ...meter.reading import Reading
from ...model import Drawn, Product, Shape, Tool, ToolError, Values
from ...networks import runtime
from . import luminance, shake_net, undo

PATCH = 448  # px, edge
LOOKED_AT = 5  # places each way
MOST_CLIPPED = 0.02  # of a patch
LEAST_NOISE = 0.005  # of white; with less, what is finest in a patch misleads (by trial on photographs)
ERROR = 0.02  # of a path as it is found, as noise, white = 1
ROUNDS = 2  # by trial: most is gained by then
ROOM = 6  # px by which the path may grow in all


def promising_patch(source: Source) -> Rect:
    """The patch with most edges in its poorest direction, and hardly anything clipped."""

    def promise(rect: Rect) -> float:
        y = np.ascontiguousarray(cv2.GaussianBlur(rough_luminance(source, rect), (0, 0), 2))
        across, down = (cv2.Scharr(y, cv2.CV_32F, *d, scale=1 / 32) for d in ((1, 0), (0, 1)))
        a, b, c = (float((u * v).mean()) for u, v in ((across, across), (across, down), (down, down)))
        poorest = (a + c) / 2 - np.hypot((a - c) / 2, b)
        return poorest if (y >= undo.CLIPPED).mean() < MOST_CLIPPED else poorest / 100

    height, width = (min(PATCH, n) for n in (source.size.height, source.size.width))
    tops, lefts = (
        sorted({int(v) // 2 * 2 for v in np.linspace(0, whole - part, LOOKED_AT)})  # whole cells of a mosaic
        for whole, part in ((source.size.height, height), (source.size.width, width))
    )
    return max((Rect(top, left, height, width) for top in tops for left in lefts), key=promise)


def find_path(source: Source, noise: float, extent: int, patch: Rect | None = None) -> Array:
    """The blur path of a shot, from a patch of it; ``noise`` is its sigma, white = 1.

    Around it is room up to ``extent`` (px, edge), in which it can be corrected.
    """
    path = path_in(rough_colours(source, patch or promising_patch(source)), noise, extent)
    return np.pad(path, max(extent // 2 - len(path) // 2, 0))


def path_in(pixels: Array, noise: float, extent: int, rounds: int = ROUNDS) -> Array:
    """The blur path of a patch: found by its edges, then by what it looks like without the blur.

    Parameters
    ----------
    pixels : H x W x 3
        Linear, white = 1; of a camera's own colours, or the working space's.
    noise : float
        Its sigma, white = 1.
    extent : int
        Largest path looked for, px.
    rounds : int
        Times it is looked for anew; none without shake net.

    Returns
    -------
    k x k, k odd, sum 1
        Without nothing around it; 1 x 1 if the patch is too small to show any.

    References
    ----------
    C. J. Schuler, M. Hirsch, S. Harmeling, B. Schölkopf, "Learning to deblur", IEEE Trans. Pattern Analysis 38(7),
    2016: a network's picture and the path that explains the blurred one by it, in turn.
    """
    y, noise = luminance.working_luminance(pixels), max(noise, LEAST_NOISE)
    extent = min(extent, min(y.shape) // 3)  # a path hardly shorter than the patch cannot be told from its edges
    kernel = blind.trimmed(blind.estimate(y, extent, noise))
    if len(kernel) < blind.SMALLEST or runtime.unavailable(shake_net.NAME):
        return kernel
    clipped, left, longest = undo.clipped_in(pixels), max(noise, ERROR), min(len(kernel) + ROOM, extent)
    for _ in range(rounds):
        sharp = shake_net.clean(undo.rough(pixels, kernel, left, deconvolution.PATH, clipped), pixels, left)
        kernel = blind.trimmed(blind.explained(luminance.working_luminance(sharp), y, longest, noise))
    return kernel


def _found(source: Source, reading: Reading, values: Values) -> Array:
    return find_path(source, undo.linear_noise(reading.noise), int(float(values["longest"])))


PATH = Product("blur path", 2, ("longest",), _found)


def _in_patch(drawn: Drawn) -> Values:
    """The path found in a drawn rectangle."""
    extent = int(float(drawn.values["longest"]))
    x, y = zip(*drawn.points, strict=True)
    left, top, right, bottom = (int(end(v)) // 2 * 2 for end in (min, max) for v in (x, y))  # whole sensor cells
    patch = Rect.between(top, left, bottom, right).intersect(drawn.source.size.rect)
    if min(patch.width, patch.height) < 3 * extent:
        raise ToolError(f"The patch is too small: it wants at least {3 * extent} pixels each way.")
    return {"path": as_text(find_path(drawn.source, undo.linear_noise(drawn.reading.noise), extent, patch))}


FIND = Tool(
    "Find the path in a patch …", "Drag a rectangle over a part with clear edges in all directions.",
    "path found in a patch", Shape.RECTANGLE, _in_patch, slow=True,
)  # fmt: skip
