"""Crop, level, turns and paper, as a call asks for them."""

from __future__ import annotations

import argparse
import sys

from crispgrain.core.errors import TreatmentError
from crispgrain.core.masks import Found, Kind
from crispgrain.core.meter.level import tilt_of_shot
from crispgrain.core.operation import Operation
from crispgrain.core.registry import CUT_OUT
from crispgrain.core.shot import Shot
from crispgrain.core.stages.develop.crop_shape import AS_SHOT, RATIOS
from crispgrain.core.stages.print.paper import length_from, settings_from
from crispgrain.core.treatment import Treatment

# Options of a call.
SHAPES = (
    "lens",
    "cut_out",
    "crop",
    "straighten",
    "turn",
    "mirror",
    "paper",
    "fit",
    "bleed",
    "border",
)


def with_shape(treatment: Treatment, options: argparse.Namespace, shot: Shot | None) -> Treatment:
    """A treatment with crop and print as asked; without a ``shot``, only whether the call makes sense is found out.

    Raises
    ------
    TreatmentError
        If it does not.
    """
    settings: dict[str, float | str] = {}
    if options.lens:
        treatment = treatment.set("lens.on", True)
    if options.cut_out:
        cut = Operation(CUT_OUT.id, CUT_OUT.stage, on=True, model=CUT_OUT.id, mask=Found(Kind(options.cut_out)))
        treatment = treatment.put(cut)
    if options.crop is not None:
        settings |= _crop(options.crop, shot)
    if options.straighten is not None:
        settings["crop.angle"] = _angle(options.straighten, shot)
    if options.turn is not None:
        settings["crop.turn"] = options.turn
    if options.mirror:
        settings["crop.mirror"] = "on"
    if options.paper is not None:
        settings |= {f"print.{name}": value for name, value in settings_from(options.paper).items()}
    if options.fit is not None:
        settings["print.fit"] = options.fit
    for name in ("bleed", "border"):
        if getattr(options, name) is not None:
            settings[f"print.{name}"] = length_from(getattr(options, name))
    for name, value in settings.items():
        treatment = treatment.set(name, value)
    return treatment


def _crop(words: str, shot: Shot | None) -> dict[str, float | str]:
    if words in (AS_SHOT, *RATIOS):
        return {"crop.ratio": words}
    try:
        x, y, width, height = (int(n) for n in words.split(","))
    except ValueError:
        raise TreatmentError(f"--crop takes {', '.join((AS_SHOT, *RATIOS))} or X,Y,W,H in px, not “{words}”") from None
    if min(x, y) < 0 or min(width, height) < 1:
        raise TreatmentError(f"a crop of {words} has nothing in it")
    if shot is None:
        return {}
    size = shot.source.size
    if x + width > size.width or y + height > size.height:
        raise TreatmentError(f"a crop of {words} reaches beyond its {size.width} × {size.height} pixels")
    return {
        "crop.left": 100 * x / size.width, "crop.top": 100 * y / size.height,
        "crop.right": 100 * (x + width) / size.width, "crop.bottom": 100 * (y + height) / size.height,
    }  # fmt: skip


def _angle(words: str, shot: Shot | None) -> float:
    if words == "auto":
        if shot is None:
            return 0.0
        tilt = tilt_of_shot(shot.source)
        share = f"{100 * tilt.confidence:.0f} % of its long edges say so"
        said = f"leans by {tilt.degrees:+.2f}° ({share})"
        print(f"{shot.path.name}: {said}{'' if tilt.sure else '; left as it is'}", file=sys.stderr)
        return -tilt.degrees if tilt.sure else 0.0
    try:
        return float(words)
    except ValueError:
        raise TreatmentError(f"--straighten takes degrees or auto, not “{words}”") from None
