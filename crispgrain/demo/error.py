"""How near a result comes to a demo shot's scene, which is known."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from crispgrain.core.colour import icc
from crispgrain.core.model import Stage
from crispgrain.core.render.pipeline import Pipeline
from crispgrain.core.stages.develop.lighting import lit
from crispgrain.core.transform import Transform
from crispgrain.geometry import Rect

from .roll import known_truth


def psnr_of(stored: NDArray[np.uint8], rect: Rect, pipeline: Pipeline) -> float | None:
    """Peak signal-to-noise ratio of a part of a result against the scene in the same light.

    Parameters
    ----------
    stored : H x W x 3
        The part's values in sRGB.
    rect
        Where it lies in the result.
    pipeline
        What made it.

    Returns
    -------
    float or None
        dB; None if the scene is not known, or something is on that changes its shape, or its tones after Develop.
    """
    resolved = pipeline.resolved
    changed = resolved[Stage.FINISH].on or any(o.on for o in resolved.beside)
    truth = None if changed or pipeline.steps[-1].after.to_source != Transform() else known_truth(pipeline.source)
    if truth is None:
        return None
    scene = lit(np.ascontiguousarray(truth[rect.slices]), resolved[Stage.DEVELOP].values, max(truth.shape[:2]))
    error = (stored - icc.from_working(scene, icc.profile("srgb"), 8).astype(np.float32)) / 255
    return float(-10 * np.log10(max(float(np.square(error).mean()), 1e-12)))
