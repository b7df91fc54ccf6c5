"""Networks from picture to picture that are told, as planes, what is wrong with it: photo net and sharp net."""

from __future__ import annotations

from crispgrain.arrays import Array

from . import ensemble, runtime

MULTIPLE = 8  # the deepest level works at an eighth of the resolution
# Margin, one side. The receptive field is 84 px: (1 + 4 + 4 + 1) convolutions at 1/2, 8 at 1/4, 4 at 1/8 resolution;
# but what lies farther than this changes no value by more than 4e-5 (noise of sigma 40; docs/benchmarks.md).
REACH = 64
TILE = 384  # px; smaller ones would be mostly margin


def restored(
    name: str, encoded: Array, conditioning: Array, start: tuple[int, int] = (0, 0), effort: str = "fast"
) -> Array:
    """What a network makes of a picture.

    Parameters
    ----------
    encoded : H x W x 3
        sRGB-encoded values.
    conditioning : H x W x 3
        Its conditions; the network takes every second one.
    start : (int, int)
        Row and column of the pixels in the whole picture.
    effort : str
        ``fast``, or ``best`` for an average over turned copies.

    Raises
    ------
    NetworkUnavailableError
        If the network's file is missing or damaged.
    Cancelled
        If nobody wants the answer any more.
    """
    picture, (top, left) = runtime.framed(encoded, start, MULTIPLE)
    conditions, _ = runtime.framed(conditioning, start, MULTIPLE)
    inputs = {"picture": picture, "conditions": conditions[:, :, ::2, ::2]}
    output = ensemble.run(name, inputs, effort, ensemble.ROTATIONS)[0].transpose(1, 2, 0)
    return output[top:, left:][: encoded.shape[0], : encoded.shape[1]]
