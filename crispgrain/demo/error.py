"""How near a result comes to a demo shot's scene, which is known."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from crispgrain.core.colour import icc
from crispgrain.core.model import Stage
from crispgrain.core.render.pipeline import Pipeline
from crispgrain.core.stages.develop.lighting import lit, tone_of
from crispgrain.core.transform import Transform
from crispgrain.geometry import Rect
from crispgrain.restoration import tone
from crispgrain.restoration.tone import Tone

from .roll import known_truth


def psnr_of(stored: NDArray[np.uint8], rect: Rect, pipeline: Pipeline) -> float | None:
    """Peak signal-to-noise ratio of a part of a result against the scene in the same light.

    Parameters
    ----------
    stored : uint8, H x W x 3
        The part's values in sRGB, 0 to 255.
    rect
        Where it lies in the result.
    pipeline
        What made it.

    Returns
    -------
    float or None
        dB; None if the scene is not known, or something is on that changes its shape, or its tones by more than Develop
        does without looking at the whole picture.
    """
    resolved = pipeline.resolved
    light = resolved[Stage.DEVELOP].values
    by_whole = light["haze"] or light["faded"]
    changed = by_whole or resolved[Stage.FINISH].on or any(o.on for o in resolved.beside)
    truth = None if changed or pipeline.steps[-1].after.to_source != Transform() else known_truth(pipeline.source)
    if truth is None:
        return None
    longer = max(truth.shape[:2])
    around = rect.grow(tone.reach(longer) if tone_of(light) != Tone() else 0, pipeline.size.rect)
    scene = lit(np.ascontiguousarray(truth[around.slices]), light, longer)[rect.within(around).slices]
    error = (stored - icc.from_working(scene, icc.profile("srgb"), 8).astype(np.float32)) / 255
    return float(-10 * np.log10(max(float(np.square(error).mean()), 1e-12)))
