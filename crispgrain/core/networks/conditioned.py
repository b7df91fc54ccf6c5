"""Networks from picture to picture that are told, as planes, what is wrong with it: photo, sharp and shake net."""

from __future__ import annotations

from crispgrain.arrays import Array
from crispgrain.geometry import Place, Size

from . import ensemble, runtime

MULTIPLE = 8  # the deepest level works at an eighth of the resolution
# Margin, one side. The receptive field is 84 px: (1 + 4 + 4 + 1) convolutions at 1/2, 8 at 1/4, 4 at 1/8 resolution;
# but what lies farther than this changes no value by more than 4e-5 (noise of sigma 40; docs/benchmarks.md).
REACH = 64
LARGE_REACH = 112  # of those with more layers: 1e-5 for photo net (the same noise), 3e-6 for sharp net
TILE = 384  # px; smaller ones would be mostly margin


def reach(effort: str) -> int:
    """How far photo and sharp net look, which have more layers at their best.

    Parameters
    ----------
    effort : str
        ``fast`` or ``best``.

    Returns
    -------
    int
        Margin, px on each side; as large at best where the network with more layers is missing.

    Examples
    --------
    >>> reach("fast") < reach("best")
    True
    """
    return LARGE_REACH if effort == "best" else REACH


def restored(name: str, encoded: Array, conditioning: Array, place: Place | None = None, effort: str = "fast") -> Array:
    """What a network makes of a picture.

    Parameters
    ----------
    encoded : H x W x 3
        sRGB-encoded values.
    conditioning : H x W x 3
        Its conditions; the network takes every second one.
    place : Place, optional
        Of the pixels in a picture; if not given, they are all of it.
    effort : str
        ``fast``, or ``best`` for a network with more layers, or else an average over turned copies.

    Raises
    ------
    NetworkUnavailableError
        If the network's file is missing or damaged.
    Cancelled
        If nobody wants the answer any more.
    """
    whole = Size(*encoded.shape[:2])
    place = place or Place(whole.rect, whole)
    picture, (top, left) = runtime.framed(encoded, place, MULTIPLE)
    conditions, _ = runtime.framed(conditioning, place, MULTIPLE)
    inputs = {"picture": picture, "conditions": conditions[:, :, ::2, ::2]}
    output = ensemble.run(name, inputs, effort, ensemble.ROTATIONS)[0].transpose(1, 2, 0)
    return output[top:, left:][: encoded.shape[0], : encoded.shape[1]]
