"""A treatment made concrete for one shot: what is metered is filled in from its reading."""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace

from attrs import evolve

from crispgrain.geometry import Size
from crispgrain.restoration.curves import written

from .files.lens_profiles import known_lens
from .files.source import RawSource, Source
from .frame import Frame
from .masks import Mask
from .meter.reading import Noise, Reading
from .model import Model, Role, Stage, ToolError, Value
from .operation import Operation
from .registry import ABOUT, CROP, LENS, VIEW, find_model, models_of
from .stages.develop import fringes, lens_faults
from .stages.develop.crop_shape import FREE, LANDSCAPE, OWN, PORTRAIT, after
from .stages.develop.crop_tools import TO_PRINT, cut_to_print
from .stages.develop.lighting import BASE, BASE_COLOUR
from .stages.enlarge.calmness import CALMNESS, calm_for
from .stages.enlarge.size import exactly
from .stages.finish.finish import PPI
from .stages.finish.viewing import NEAREST
from .stages.print.paper import sheet_of
from .treatment import Treatment


@dataclass(frozen=True)
class ResolvedOperation:
    """An operation with nothing left metered; remarks say what had to be changed for that, or was chosen badly."""

    stage: Stage
    on: bool
    model: Model
    values: Mapping[str, Value]
    remarks: tuple[str, ...] = ()
    done_in: Stage | None = None  # the stage whose model does the work of this one, which is off for that
    id: str = ""
    mask: Mask | None = None


@dataclass(frozen=True)
class Resolved:
    """A treatment made concrete for one shot: each stage's operation everywhere, and those beside it."""

    stages: Mapping[Stage, ResolvedOperation]
    beside: tuple[ResolvedOperation, ...] = ()

    def __getitem__(self, stage: Stage) -> ResolvedOperation:
        return self.stages[stage]

    def find(self, id: str) -> ResolvedOperation | None:
        return next((o for o in self.operations if o.id == id), None)

    @property
    def operations(self) -> list[ResolvedOperation]:
        """In the order of their stages, that everywhere first."""
        return [o for stage in Stage for o in (self.stages[stage], *(z for z in self.beside if z.stage is stage))]

    @property
    def remarks(self) -> list[str]:
        """Those of every operation."""
        return [remark for operation in self.operations for remark in operation.remarks]


def metered_model(stage: Stage, source: Source, reading: Reading, role: Role = Role.EVERYWHERE) -> Model:
    """The model a shot gets if none is chosen: the first of its stage that can take its pixels and suits it."""
    return next(m for m in models_of(stage, role) if m.fits(source) and m.suits(reading))


def switched_on(treatment: Treatment, stages: Iterable[Stage], source: Source, reading: Reading) -> Treatment:
    """A copy in which stages that would be off for this shot are on: who changes a setting wants to see it."""
    resolved = resolve(treatment, source, reading)
    for stage in stages:
        if not resolved[stage].on:
            treatment = treatment.set(f"{stage}.on", True)
    return treatment


def resolve(treatment: Treatment, source: Source, reading: Reading) -> Resolved:
    """Fill in every metered setting from a shot's reading.

    A model that cannot be used, or works on a RAW mosaic where there is none, is replaced with a remark. One that is
    the wrong choice is kept, with a remark.
    """
    stages = {stage: concrete(treatment[stage], source, reading) for stage in Stage}
    beside = tuple(concrete(o, source, reading) for o in treatment.operations if not o.everywhere)
    told = for_base(for_lens(Resolved(_without_double_work(stages, treatment), beside), source), reading)
    printed = for_print(for_sheet(told, source), source, treatment[Stage.ENLARGE].on)
    return for_calm(for_viewing(printed, treatment), reading, treatment)


def for_lens(resolved: Resolved, source: Source) -> Resolved:
    """With what is known of the shot's lens filled in; a remark says which it is, or that it is not known."""

    def told(operation: ResolvedOperation) -> ResolvedOperation:
        if operation.model is not LENS:
            return operation
        profile = known_lens(source) if lens_faults.asks(operation.values) else None
        said = (lens_faults.said(profile, source.facts.lens),) if lens_faults.asks(operation.values) else ()
        shaded = isinstance(source, RawSource) and source.shading is not None and source.lens is None
        if profile is not None and shaded:
            profile, said = replace(profile, light=()), (*said, "Dark corners are put right by the file itself.")
        return replace(
            operation, values=lens_faults.told(operation.values, profile), remarks=(*operation.remarks, *said)
        )

    beside = [told(o) for o in resolved.beside]
    found = next((o for o in beside if o.model is LENS and o.on), None)
    # Where there still is a mosaic, whose colours can be moved each by itself, fringes are undone there.
    at_once = isinstance(source, RawSource) and source.bayer
    if found is not None and at_once and (found.values["red"] or found.values["blue"]):
        colours = {part: found.values[part] for part in ("red", "blue", "middle")}
        beside[beside.index(found)] = replace(found, values={**found.values, "red": "", "blue": ""})
        beside.append(replace(found, model=fringes.MODEL, id=fringes.MODEL.id, values=colours, remarks=()))
    return replace(resolved, beside=tuple(beside))


def for_sheet(resolved: Resolved, source: Source) -> Resolved:
    """With a crop that is to follow the print on a scan filled in; a remark says so, or that none stands out."""

    def told(operation: ResolvedOperation) -> ResolvedOperation:
        if operation.model is not CROP or not operation.on or operation.values["edge"] != TO_PRINT:
            return operation
        try:
            cut, said = cut_to_print(source, operation.values)
        except ToolError as error:
            cut, said = {}, str(error)
        return replace(operation, values={**operation.values, **cut}, remarks=(*operation.remarks, said))

    return replace(resolved, beside=tuple(told(o) for o in resolved.beside))


def for_base(resolved: Resolved, reading: Reading) -> Resolved:
    """With the points of the curve that a RAW comes up with; a remark says if its camera left nothing to go by."""
    developing, tones = resolved[Stage.DEVELOP], reading.tones
    how = developing.values.get("base", "linear")
    if how == "linear":
        return resolved
    points, colour, said = tones.curve, 1.0, list(developing.remarks)
    if how == "camera" and tones.camera:
        points, colour = tones.camera, tones.camera_colour
    elif how == "camera":
        said.append("The file holds no picture by its camera: tones follow the histogram.")
    values = {**developing.values, BASE: written(points), BASE_COLOUR: colour}
    developing = replace(developing, values=values, remarks=tuple(said))
    return replace(resolved, stages={**resolved.stages, Stage.DEVELOP: developing})


def for_print(resolved: Resolved, source: Source, enlarge: bool | None = None) -> Resolved:
    """With crop and size as the chosen print asks for them, lying or upright as the shot is cropped.

    Where Enlarge is switched off (``enlarge`` is False), all pixels stay, and the resolution is what that gives.

    Raises
    ------
    TreatmentError
        If the border leaves nothing of the paper.
    """
    printing, enlarging = resolved[Stage.PRINT], resolved[Stage.ENLARGE]
    sheet = sheet_of(printing.values)
    if sheet is None:
        return resolved
    frame = Frame(source.size, Noise(), wraps=source.wraps)
    for seen in (o for o in resolved.beside if o.model is VIEW and o.on):
        frame = VIEW.after(frame, seen.values)
    plain = concrete(Operation(CROP.id, Stage.DEVELOP, on=True, model=CROP.id), source, Reading())
    shape = next((o for o in resolved.beside if o.model is CROP and o.on), plain)
    cropped = after(frame, shape.values).size
    area = sheet.area(cropped.width >= cropped.height)
    if sheet.fills:
        side = LANDSCAPE if area.width >= area.height else PORTRAIT
        aspect = max(area.width, area.height) / min(area.width, area.height)
        said = shape.remarks
        if str(shape.values["ratio"]) != FREE:
            said = (*said, "The chosen print has a ratio of its own, which is used in place of the crop's.")
        shape = replace(shape, values={**shape.values, "ratio": OWN, "aspect": aspect, "side": side}, remarks=said)
        cropped = after(frame, shape.values).size
    size = area if sheet.fills else sheet.fitted(cropped)
    stages = dict(resolved.stages)
    if enlarge is False:
        ppi = sheet.ppi * cropped.width / size.width
        stages[Stage.PRINT] = replace(printing, values={**printing.values, "ppi": ppi})
    else:
        stages[Stage.ENLARGE] = replace(enlarging, on=True, values={**enlarging.values, **exactly(size)})
    others = tuple(o for o in resolved.beside if o.model is not CROP)
    return Resolved(stages, (*others, shape))


def for_viewing(resolved: Resolved, treatment: Treatment) -> Resolved:
    """With Finish told the print's resolution and, unless chosen, the eye as far off as the paper's diagonal."""
    printing = resolved[Stage.PRINT].values
    sheet = sheet_of(printing)

    def told(finish: ResolvedOperation, chosen: Mapping[str, object]) -> ResolvedOperation:
        values: dict[str, Value] = {**finish.values, PPI: printing["ppi"]}
        if sheet is not None and "distance" in values and "distance" not in chosen:
            values["distance"] = max(NEAREST, math.hypot(sheet.width, sheet.height)) / 10
        return replace(finish, values=values)

    chosen = {o.id: o.values for o in treatment.operations}
    stages = {**resolved.stages, Stage.FINISH: told(resolved[Stage.FINISH], treatment[Stage.FINISH].values)}
    beside = (told(o, chosen[o.id]) if o.stage is Stage.FINISH else o for o in resolved.beside)
    return Resolved(stages, tuple(beside))


def for_calm(resolved: Resolved, reading: Reading, treatment: Treatment) -> Resolved:
    """With Enlarge told, unless it was chosen, how calm to be about the noise that Denoise leaves."""
    enlarging, denoising = resolved[Stage.ENLARGE], resolved[Stage.DENOISE]
    if CALMNESS.id not in enlarging.values or CALMNESS.id in treatment[Stage.ENLARGE].values:
        return resolved
    frame = Frame(Size(reading.size.height, reading.size.width), reading.noise)
    left = denoising.model.after(frame, denoising.values).left(0.0) if denoising.on else 1.0
    values = {**enlarging.values, CALMNESS.id: calm_for(reading, left)}
    return replace(resolved, stages={**resolved.stages, Stage.ENLARGE: replace(enlarging, values=values)})


def concrete(operation: Operation, source: Source, reading: Reading) -> ResolvedOperation:
    """One operation with everything metered filled in."""
    stage = operation.stage
    role = Role.EVERYWHERE if operation.everywhere else Role.ZONE
    remarks: list[str] = []
    model = find_model(stage, operation.model) if operation.model else metered_model(stage, source, reading, role)
    if model.all_round and not model.fits(source):
        off = {p.id: operation.values.get(p.id, p.metered_value(reading)) for p in model.parameters}
        return ResolvedOperation(stage, False, model, off, ("This picture does not go all round.",), None, operation.id)
    fits = model.fits(source) and any(model.may_be(r) for r in (role, Role.SHAPE, Role.CUT, Role.RETOUCH))
    if model.unavailable() or not fits:
        fallback = metered_model(stage, source, reading, role)
        needs = "needs a Bayer sensor's mosaic" if model.bayer_only and source.is_raw else "needs a RAW mosaic"
        needs = "cannot be used in a part of a picture" if model.fits(source) else needs
        why = model.unavailable() or f"{model.name} {needs}."
        if stage is not Stage.DEVELOP:  # there nobody would expect anything else
            remarks.append(f"{why} {fallback.name} is used for this shot.")
        model = fallback
    on = ABOUT[stage].needed(reading) if operation.on is None else operation.on
    if on and model.may_be(Role.CUT) and operation.mask is None:
        remarks.append("Nothing is cut out yet: add a mask.")
    if on and stage is Stage.ENLARGE and operation.mask is not None and not model.sees_mask:
        remarks.append(f"{model.name} does not heed the mask: it says where Detail net is calm.")
    if on and (warning := model.warning(reading)):
        remarks.append(warning)
    values: dict[str, Value] = {}
    for p in model.parameters:
        value = operation.values.get(p.id, p.metered_value(reading))
        values[p.id] = min(max(float(value), p.minimum), p.maximum) if p.is_number else value
    return ResolvedOperation(stage, on, model, values, tuple(remarks), None, operation.id, operation.mask)


def fixed_by(operation: Operation, source: Source, reading: Reading) -> Operation:
    """An operation with model and settings as a reading asks for them, whatever the rest of the shot is like."""
    given = concrete(evolve(operation, on=None, model=None, values={}), source, reading)
    followed = {p.id for p in given.model.parameters if p.metered is not None}
    values = {k: v for k, v in given.values.items() if k in followed}
    return evolve(operation, on=given.on or not operation.everywhere, model=given.model.id, values=values)


def _without_double_work(
    stages: dict[Stage, ResolvedOperation], treatment: Treatment
) -> dict[Stage, ResolvedOperation]:
    """The stages, with those off whose work the model of another does, unless they were switched on by hand."""
    for other in [s for s in stages.values() if s.on]:
        for stage in other.model.does:
            if stages[stage].on and treatment[stage].on is None:
                stages[stage] = replace(stages[stage], on=False, done_in=other.stage)
    return stages
