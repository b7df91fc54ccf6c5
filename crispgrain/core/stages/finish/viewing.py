"""Sharpening for the paper, or the screen, and the distance from which it is looked at."""

from __future__ import annotations

from crispgrain.restoration import output_sharpening

from ...model import Parameter, Values

# Sigma of the medium's own blur in mm: what ink spreads in paper. Common practice, no source.
SPREAD = {"none": 0.0, "gloss": 0.025, "matt": 0.05, "canvas": 0.1, "screen": 0.0}
SCREEN_PPI = 110.0  # of a desktop screen; common practice, no source
NEAREST = 250.0  # mm; nearer hardly anyone looks at a print


def _asked(values: Values) -> bool:
    return values["medium"] != "none"


PARAMETERS = (
    Parameter("medium", "Sharpen for", "Makes up for what the paper softens and the eye hardly sees from there.",
              "none", choices=tuple(SPREAD), labels=("nothing", "glossy paper", "matt paper", "canvas", "a screen")),
    Parameter("distance", "Seen from", "Distance of the eye; metered, a print is seen from as far as its diagonal.",
              40, 20, 1000, 5, "cm", matters=_asked),
    Parameter("crispness", "Sharpness", "Share of what the eye would want.", 60, 0, 150, 5, "%", matters=_asked),
)  # fmt: skip


def mask(values: Values, ppi: float) -> tuple[float, float]:
    """Radius (px) and amount of the unsharp mask that the values ask for; 0 is none."""
    medium = str(values["medium"])
    if not _asked(values):
        return 0.0, 0.0
    dense = SCREEN_PPI if medium == "screen" else ppi
    radius, amount = output_sharpening.mask_for(10 * float(values["distance"]), dense, SPREAD[medium])
    return radius, amount * float(values["crispness"]) / 100
