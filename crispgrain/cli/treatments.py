"""The treatment of each file, as a call asks for it."""

from __future__ import annotations

import argparse
import sys
from pathlib import Path

from crispgrain import presets
from crispgrain.core.errors import TreatmentError
from crispgrain.core.files.profiles import read_profile
from crispgrain.core.masks import Found, Kind, LinearGradient, Mask, picture
from crispgrain.core.model import Role, Stage
from crispgrain.core.registry import models_of
from crispgrain.core.shot import Shot, saved_treatment
from crispgrain.core.treatment import Treatment
from crispgrain.session.changes import with_settings
from crispgrain.session.rules import first_match, load_rules

from .shape import with_shape

MASK_SUFFIXES = (".png", ".tif", ".tiff")
SIZES = ("long_side", "width", "height", "factor", "megapixels", "screen")  # options of a call, as are these
FILE = ("format", "bits", "profile", "icc", "intent", "metadata", "ppi")


def treatment_of(options: argparse.Namespace, path: Path, shot: Shot | None = None) -> Treatment:
    """The treatment of a file: given, or kept for it, or metered; then changed as asked.

    A stage that would be off for the ``shot`` is on if one of its settings is given.
    """
    treatment = _base(options, path, shot)
    for by in SIZES:
        wish = getattr(options, by)
        if wish is not None:
            field = by if by in ("factor", "megapixels", "screen") else "pixels"
            treatment = treatment.set("enlarge.on", True).set("enlarge.by", by.replace("_", "-"))
            treatment = treatment.set(f"enlarge.{field}", wish)
    treatment = with_shape(treatment, options, shot)
    for wish in options.zones:
        treatment = _with_zone(treatment, wish)
    settings = {}
    for setting in options.settings:
        name, equals, value = setting.partition("=")
        if not equals:
            raise TreatmentError(f"--set takes STAGE.FIELD=VALUE, not “{setting}”")
        settings[name] = value
    treatment = with_settings(treatment, settings, shot)
    if options.only:
        wanted = [s.strip() for s in options.only.split(",")]
        unknown = [s for s in wanted if s not in list(Stage)]
        if unknown:
            raise TreatmentError(f"--only names stages ({', '.join(Stage)}), not “{unknown[0]}”")
        treatment = treatment.only(Stage(s) for s in wanted)
    for field in FILE:
        if getattr(options, field) is not None:
            treatment = treatment.set(f"print.{field}", getattr(options, field))
    if getattr(options, "no_bpc", False):
        treatment = treatment.set("print.black-point", "off")
    if options.icc is not None:
        read_profile(Path(options.icc).expanduser())  # a wrong call fails before any work is done
    return treatment


def _with_zone(treatment: Treatment, wish: str) -> Treatment:
    """A treatment with one more zone, from ``STAGE:X,Y:X,Y``, ``STAGE:subject`` or ``STAGE:MASK.png``."""
    stage, *points = wish.split(":")
    mask: Mask
    try:
        if points and points[0] in list(Kind):
            mask = Found(Kind(points[0]))
        elif points and Path(points[0]).suffix.lower() in MASK_SUFFIXES:
            mask = picture.from_file(Path(points[0]))
        else:
            start, end = ((float(x) / 100, float(y) / 100) for x, y in (point.split(",") for point in points))
            mask = LinearGradient(start, end)
    except ValueError:
        kinds = ", ".join(Kind)
        raise TreatmentError(
            f"--zone takes STAGE:X,Y:X,Y, STAGE:MASK.png or STAGE: and {kinds}, not “{wish}”"
        ) from None
    if stage not in list(Stage) or not models_of(Stage(stage), Role.ZONE):
        zoned = ", ".join(s for s in Stage if models_of(s, Role.ZONE))
        raise TreatmentError(f"--zone is for {zoned}, not “{stage}”")
    return treatment.with_zone(Stage(stage), mask)[0]


def own_treatment(path: Path, folder: Path | None) -> Treatment:
    """The treatment kept for a file in the folder chosen for them, else beside it, else all metered."""
    return (saved_treatment(path, folder) if folder else None) or saved_treatment(path) or Treatment()


def _base(options: argparse.Namespace, path: Path, shot: Shot | None) -> Treatment:
    if options.treatment:
        return Treatment.load(options.treatment)
    own = own_treatment(path, options.sidecars)
    name = options.preset
    if options.rules and shot is not None:
        size = shot.source.size
        rule = first_match(load_rules(options.rules), path, shot.source.facts, size.megapixels)
        name = rule.preset if rule is not None else None
        said = f"preset {rule.preset} ({rule.words})" if rule is not None else "no rule fits"
        print(f"{path.name}: {said}", file=sys.stderr)
    if not name:
        return own
    preset = presets.load(name)
    return own.synced_from(preset, preset.stages, per_shot=True)
