"""Every model there is. A new one is a file in its stage's folder and a line here."""

from __future__ import annotations

from collections.abc import Mapping

from .about import About
from .errors import TreatmentError
from .model import Model, Role, Stage
from .stages.denoise import about as denoise_about
from .stages.denoise import (
    matched_blocks,
    matched_mosaic,
    mosaic_dct,
    mosaic_net,
    photo_net,
    sliding_dct,
    wavelet,
)
from .stages.develop import about as develop_about
from .stages.develop import crop, develop, drawing, fill, heal, hints, lens, light, print_screen, red_eye, view
from .stages.enlarge import about as enlarge_about
from .stages.enlarge import detail_net, faithful, lanczos, restore_net
from .stages.finish import about as finish_about
from .stages.finish import cut_out, finish, out_of_focus
from .stages.print import about as print_about
from .stages.print import file
from .stages.sharpen import about as sharpen_about
from .stages.sharpen import defocus, lens_softness, motion, shake, sharp_net, unsharp_mask

MODELS: tuple[Model, ...] = (
    develop.DIRECTIONAL,
    develop.LINEAR,
    develop.FINISHED,
    light.MODEL,
    fill.MODEL,
    red_eye.MODEL,
    heal.MODEL,
    hints.MODEL,
    drawing.MODEL,
    print_screen.MODEL,
    lens.MODEL,
    view.MODEL,
    crop.MODEL,
    mosaic_net.MODEL,
    matched_mosaic.MODEL,
    mosaic_dct.MODEL,
    photo_net.MODEL,
    matched_blocks.MODEL,
    sliding_dct.MODEL,
    wavelet.MODEL,
    sharp_net.MODEL,
    lens_softness.MODEL,
    defocus.MODEL,
    motion.MODEL,
    shake.MODEL,
    unsharp_mask.MODEL,
    restore_net.MODEL,
    detail_net.MODEL,
    faithful.MODEL,
    lanczos.MODEL,
    finish.MODEL,
    out_of_focus.MODEL,
    cut_out.MODEL,
    file.MODEL,
)


HEAL, HINTS, DRAWING, PRINT_SCREEN = heal.MODEL, hints.MODEL, drawing.MODEL, print_screen.MODEL
LENS, VIEW, CROP, CUT_OUT = lens.MODEL, view.MODEL, crop.MODEL, cut_out.MODEL

ABOUT: Mapping[Stage, About] = {
    Stage.DEVELOP: develop_about.ABOUT,
    Stage.DENOISE: denoise_about.ABOUT,
    Stage.SHARPEN: sharpen_about.ABOUT,
    Stage.ENLARGE: enlarge_about.ABOUT,
    Stage.FINISH: finish_about.ABOUT,
    Stage.PRINT: print_about.ABOUT,
}


def models_of(stage: Stage, role: Role = Role.EVERYWHERE) -> tuple[Model, ...]:
    """The models of a stage that can be used here in a role, the preferred one first."""
    return tuple(m for m in MODELS if m.stage is stage and m.may_be(role) and not m.unavailable())


def find_model(stage: Stage, model_id: str) -> Model:
    """The model of a stage with an id.

    Raises
    ------
    TreatmentError
        If there is none; names those there are.
    """
    for model in MODELS:
        if model.stage is stage and model.id == model_id:
            return model
    known = ", ".join(m.id for m in models_of(stage))
    raise TreatmentError(f"{stage.label} has no model “{model_id}”; it has {known}")
