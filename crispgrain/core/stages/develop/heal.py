"""Heal: spots and scratches replaced by patches from nearby; before Sharpen, which would make them stronger."""

from __future__ import annotations

from crispgrain.arrays import Array
from crispgrain.geometry import Size
from crispgrain.restoration.healing import healed, reach

from ...colour.spaces import srgb_decode, srgb_encode
from ...model import Context, Model, Parameter, Role, Stage, Values
from .spots import HEAL, MOVE, in_px, spots_from

SPOTS = Parameter("spots", "Spots", "Middle, radius and patch of each, in shares; empty for none.", "",
                  check=spots_from, per_shot=True)  # fmt: skip
SIZE = Parameter("size", "Size", "Of the next spot, across, as a share of the longer side.", 1.5, 0.1, 15, 0.1, "%")


def run(pixels: Array, values: Values, context: Context) -> Array:
    height, width = pixels.shape[:2]
    spots = in_px(values, context.source.size, context.rect)
    near = [s for s in spots if -reach(s) < s.x < width + reach(s) and -reach(s) < s.y < height + reach(s)]
    return srgb_decode(healed(srgb_encode(pixels), near)) if near else pixels


def margin(values: Values, context: Context) -> int:
    return max((2 * reach(s) for s in in_px(values, context.source.size, context.rect)), default=0)


def summary(model: Model, values: Values, size: Size) -> str:
    count = len(spots_from(str(values["spots"])))
    return f"{count} spot{'s' if count != 1 else ''} healed"


MODEL = Model(
    Stage.DEVELOP, "heal", "Heal", "Spots and scratches, replaced by what lies nearby in the same light.",
    (SPOTS, SIZE), run, margin, roles=(Role.RETOUCH,), summary=summary, tools=(HEAL, MOVE), tolerance=1e-5,
)  # fmt: skip
