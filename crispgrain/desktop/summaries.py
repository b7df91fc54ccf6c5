"""What is said of each stage: the one short line on the rail, and what should be known before trusting it."""

from __future__ import annotations

from crispgrain.core.model import Stage
from crispgrain.core.render.pipeline import Pipeline
from crispgrain.core.shot import Shot


def stage_summary(stage: Stage, pipeline: Pipeline) -> str:
    """Model and strength in a few words, or ``off``; and what stands beside it."""
    beside = [o for o in pipeline.resolved.beside if o.stage is stage and o.on]
    zones = sum(o.mask is not None for o in beside)
    words = ["cropped"] if len(beside) > zones else []
    words += [f"{zones} zone{'s' if zones > 1 else ''}"] if zones else []
    return ", ".join([_everywhere(stage, pipeline), *words])


def _everywhere(stage: Stage, pipeline: Pipeline) -> str:
    resolved = pipeline.resolved[stage]
    if not resolved.on:
        return f"done in {resolved.done_in.label}" if resolved.done_in else "off"
    v = resolved.values
    name = resolved.model.name
    match stage:
        case Stage.DEVELOP:
            changes = [f"{float(v['exposure']):+.2f} EV"] if v["exposure"] else []
            changes += [f"{float(v['warmth']):+.0f} mired"] if v["warmth"] else []
            changes += [f"tint {float(v['tint']):+.0f}"] if v["tint"] else []
            return ", ".join(changes) or "as shot"
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


def remark_words(stage: Stage, shot: Shot, pipeline: Pipeline) -> list[str]:
    """What the user should know before trusting the result: what the file lacks, a model replaced or badly chosen."""
    remarks = list(pipeline.resolved[stage].remarks)
    size = shot.reading.size
    if stage is Stage.DEVELOP:
        remarks += shot.source.facts.remarks
    if stage is Stage.ENLARGE and min(size.width, size.height) < 500:
        remarks.append("The source is under 500 pixels on a side: too small to enlarge well.")
    return remarks
