"""The one short line each stage shows on the rail."""

from __future__ import annotations

from crispgrain.core.model import Stage
from crispgrain.core.render.pipeline import Pipeline


def stage_summary(stage: Stage, pipeline: Pipeline) -> str:
    """Model and strength in a few words, or ``off``."""
    resolved = pipeline.resolved[stage]
    if not resolved.on:
        return "off"
    v = resolved.values
    name = resolved.model.name
    match stage:
        case Stage.DEVELOP:
            if v["exposure"] or v["warmth"] or v["tint"]:
                return f"{float(v['exposure']):+.1f} EV, {float(v['warmth']):+.0f} mired"
            return "as shot"
        case Stage.DENOISE:
            return f"{name} {float(v['luminance']):.0f} / {float(v['colour']):.0f} %"
        case Stage.SHARPEN:
            if "length" in v:
                return f"{name} {float(v['length']):.1f} px, {float(v['angle']):.0f}°"
            return f"{name} {float(v['radius']):.1f} px" if "radius" in v else name
        case Stage.ENLARGE:
            return f"{name} to {pipeline.size.width} × {pipeline.size.height}"
        case Stage.FINISH:
            return f"{name} {float(v['amount']):g}"
    bits = "8" if v["format"] == "jpeg" else v["bits"]
    return f"{str(v['format']).upper()} {bits} bit, {float(v['ppi']):.0f} ppi"
