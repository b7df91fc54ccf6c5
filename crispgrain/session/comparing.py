"""What is compared with what, and how: the source, a stage with the one before, residuals, halos."""

from __future__ import annotations

from dataclasses import dataclass
from enum import Enum

from psygnal import Signal

from crispgrain.core.colour import icc
from crispgrain.core.colour.proof import Proof
from crispgrain.core.errors import ShotError
from crispgrain.core.model import Role, Stage
from crispgrain.core.operation import Operation
from crispgrain.core.outside import OutsidePicture
from crispgrain.core.registry import find_model
from crispgrain.core.render.cache import TileCache
from crispgrain.core.render.consistency import Consistency
from crispgrain.core.render.mask_view import Colour, MaskView, Shown
from crispgrain.core.render.pipeline import Pipeline
from crispgrain.core.render.views import Axis, Halo, Outside, Residual, Result, View
from crispgrain.core.render.whole import settings_of
from crispgrain.core.shot import Shot
from crispgrain.core.treatment import FIXED, Treatment

VIEW_TILE = 256  # px; smaller than for a file, so that less is computed that lies outside the view


class Arrangement(Enum):
    """How source and result share the easel."""

    DIVIDER = "Divider"
    ACROSS = "Divider across"
    SIDE_BY_SIDE = "Side by side"
    STACKED = "One above the other"
    RESULT = "Result only"

    @property
    def divided(self) -> bool:
        return self in (Arrangement.DIVIDER, Arrangement.ACROSS)

    @property
    def apart(self) -> bool:
        return self in (Arrangement.SIDE_BY_SIDE, Arrangement.STACKED)


class Look(Enum):
    """What the result's side of the easel shows."""

    PICTURE = "Picture"
    RESIDUAL = "Residual, luminance"
    COLOUR_RESIDUAL = "Residual, colour"
    HALO = "Halo warning"
    CONSISTENCY = "Consistency with the source"
    MASK = "Mask over the picture"
    MASK_GREY = "Mask as grey"
    MASK_OUTLINE = "Outline of the mask"
    PROOF = "Soft proof"
    PAPER_PROOF = "Soft proof with paper and ink"
    GAMUT = "Gamut warning"


MASKS = {Look.MASK: Shown.COLOUR, Look.MASK_GREY: Shown.GREY, Look.MASK_OUTLINE: Shown.OUTLINE}
PROOFS = (Look.PROOF, Look.PAPER_PROOF, Look.GAMUT)


@dataclass(frozen=True)
class Comparison:
    """Two views, their captions, and what went wrong if the wish could not be met; perhaps a third with its own."""

    source: View
    result: View
    captions: tuple[str, ...]
    remark: str = ""
    outside: View | None = None


def developed(treatment: Treatment) -> Treatment:
    """What counts as the source: the same development, nothing else, and nothing retouched."""
    plain = treatment.only([Stage.DEVELOP])
    for operation in plain.operations:
        # What there is one of at most is its model, whether that is said or not.
        model = operation.model or FIXED.get(operation.id, ("", ""))[1]
        if model and find_model(operation.stage, model).may_be(Role.RETOUCH):
            plain = plain.without(operation.id)
    return plain


class Comparing:
    """How one compares at the moment, and the two views that follow for a shot."""

    changed = Signal()

    def __init__(self) -> None:
        self.arrangement = Arrangement.DIVIDER
        self.divider = 0.5  # share of the width, or of the height across
        self.stage_alone = False  # the chosen stage with the one before it
        self.look = Look.PICTURE
        self.outside: OutsidePicture | None = None  # what is laid beside
        self.mark = (255, 0, 0)  # 8-bit sRGB, of halos
        self.mask_colour: Colour | None = None  # that over masks; what stands out, if none is chosen

    def set_arrangement(self, arrangement: Arrangement) -> None:
        self.arrangement = arrangement
        self.changed.emit()

    def set_stage_alone(self, on: bool) -> None:
        self.stage_alone = on
        self.changed.emit()

    def set_look(self, look: Look) -> None:
        self.look = look
        self.changed.emit()

    def set_mask_colour(self, colour: Colour | None) -> None:
        self.mask_colour = colour
        self.changed.emit()

    def set_outside(self, picture: OutsidePicture | None) -> None:
        """Lay another picture of the scene beside the result; None takes it away.

        Where pictures are apart it is one more, under a divider it stands in the source's place.
        """
        self.outside = picture
        self.changed.emit()

    @property
    def apart(self) -> int:
        """How many pictures are beside each other, or one above the other."""
        if not self.arrangement.apart:
            return 1
        return 2 if self.outside is None else 3

    def compare(
        self, shot: Shot, treatment: Treatment, stage: Stage, cache: TileCache, operation: str = ""
    ) -> Comparison:
        """The two views for a shot as it is treated now; ``operation`` is the one whose mask may be shown."""
        before, after, captions = self._pipelines(shot, treatment, stage, cache)
        if self.outside is not None:
            return self._beside(self.outside, before, after, captions)
        if self.look is Look.PICTURE:
            return Comparison(Result(before), Result(after), captions)
        if self.look in MASKS:
            return self._masked(before, after, captions, treatment.find(operation))
        if self.look in PROOFS:
            return self._proven(before, after, captions)
        if self.look is Look.CONSISTENCY:
            return self._consistent(before, after, captions)
        if before.size != after.size and not (self.stage_alone and stage is Stage.ENLARGE):
            before, after, captions = self._pipelines(shot, treatment.up_to(Stage.SHARPEN), stage, cache)
            captions = (captions[0], f"{captions[1]} before Enlarge")
        if before.size != after.size:
            remark = f"{self.look.value} needs two pictures of one size: look at a stage before Enlarge."
            return Comparison(Result(before), Result(after), captions, remark)
        if self.look is Look.HALO:
            return Comparison(Result(before), Halo(before, after, colour=self.mark), captions)
        axis = Axis.LUMINANCE if self.look is Look.RESIDUAL else Axis.COLOUR
        residual = Residual(before, after, axis)
        words = f"taken away, {axis}, × {residual.gain:g}"
        enlarged = " (before Enlarge)" if captions[1].endswith("Enlarge") else ""
        return Comparison(Result(before), residual, (captions[0], words + enlarged))

    def proof_of(self, pipeline: Pipeline) -> Proof | None:
        """The soft proof that is asked for at the moment, of a chain's file; None if none is.

        Raises
        ------
        ShotError
            If a profile of the user's cannot be used.
        """
        if self.look not in PROOFS:
            return None
        settings = settings_of(pipeline)
        warning = self.mark if self.look is Look.GAMUT else None
        paper = self.look is Look.PAPER_PROOF
        return Proof(settings.profile_bytes, settings.intent, settings.black_point, paper, warning)

    def _masked(
        self, before: Pipeline, after: Pipeline, captions: tuple[str, str], operation: Operation | None
    ) -> Comparison:
        """The source beside the result with the mask of an operation over it."""
        if operation is None or operation.mask is None:
            remark = "Choose a zone: what is open here shows everywhere."
            return Comparison(Result(before), Result(after), captions, remark)
        view = MaskView(after, operation.mask, MASKS[self.look], self.mask_colour)
        return Comparison(Result(before), view, (captions[0], f"where {operation.id.replace('-', ' ')} shows"))

    def _consistent(self, before: Pipeline, after: Pipeline, captions: tuple[str, str]) -> Comparison:
        """The source beside what the result differs by from it, reduced back to its pixels."""
        try:
            view = Consistency(before, after)
        except ValueError as error:
            return Comparison(Result(before), Result(after), captions, f"{self.look.value} cannot be shown: {error}.")
        words = f"{captions[1]}, reduced back, less the {captions[0]}, × {view.gain:g}"
        return Comparison(Result(before), view, (captions[0], words))

    def _proven(self, before: Pipeline, after: Pipeline, captions: tuple[str, str]) -> Comparison:
        """The source beside what a file in the Print stage's profile will look like."""
        try:
            proof = self.proof_of(after)
        except ShotError as error:
            return Comparison(Result(before), Result(after), captions, str(error))
        words = f"{self.look.value.lower()}: {icc.description(proof.icc)}" if proof is not None else ""
        return Comparison(Result(before), Result(after, proof), (captions[0], words))

    def _beside(
        self, picture: OutsidePicture, before: Pipeline, after: Pipeline, captions: tuple[str, str]
    ) -> Comparison:
        laid, result, caption = Outside(after, picture), Result(after), captions[1]
        shown: View = result
        if self.look is not Look.PICTURE:
            shown = Outside(after, picture, difference=True)
            caption = f"{picture.name} less the {caption}, × {shown.gain:g}"
        if self.arrangement.apart:
            return Comparison(Result(before), shown, (captions[0], caption, picture.name), outside=laid)
        return Comparison(laid, shown, (picture.name, caption))

    def _pipelines(
        self, shot: Shot, treatment: Treatment, stage: Stage, cache: TileCache
    ) -> tuple[Pipeline, Pipeline, tuple[str, str]]:
        if self.stage_alone and stage not in (Stage.DEVELOP, Stage.PRINT):
            before, after = treatment.up_to(stage).set(f"{stage}.on", False), treatment.up_to(stage)
            captions = (f"before {stage.label}", f"after {stage.label}")
        else:
            before, after, captions = developed(treatment), treatment, ("source", "result")
        first, second = (shot.pipeline(t, cache, VIEW_TILE) for t in (before, after))
        return first, second, captions
