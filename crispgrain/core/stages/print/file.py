"""Print: how the result becomes a file. Nothing is done to pixels before they are quantised."""

from __future__ import annotations

from crispgrain.geometry import Size

from ...colour.icc import PROFILE_NAMES
from ...colour.spaces import OUTPUT_SPACES
from ...files.write import OutputFormat, OutputSettings
from ...model import Model, Parameter, Stage, Values


def _is_jpeg(values: Values) -> bool:
    return values["format"] == OutputFormat.JPEG


def summary(model: Model, values: Values, size: Size) -> str:
    bits = "8" if _is_jpeg(values) else values["bits"]
    return f"{str(values['format']).upper()} {bits} bit, {float(values['ppi']):.0f} ppi"


MODEL = Model(
    Stage.PRINT, "file", "File", "The file a print lab gets: format, bit depth, profile and resolution.",
    (
        Parameter("format", "Format", "TIFF and PNG lose nothing; JPEG is small.", "tiff",
                  choices=tuple(f.value for f in OutputFormat), labels=tuple(f.value.upper() for f in OutputFormat)),
        Parameter("bits", "Bit depth", "16 bits keep fine gradients; JPEG has 8.", "16", choices=("8", "16"),
                  labels=("8 bits", "16 bits"), matters=lambda values: not _is_jpeg(values)),
        Parameter("profile", "Profile", "Colour space of the file; sRGB if in doubt.", "srgb", choices=PROFILE_NAMES,
                  labels=tuple(space.name for space in OUTPUT_SPACES.values())),
        Parameter("ppi", "Resolution", "Pixels per inch of paper; labs expect 300.", 300, 36, 1200, 1, "ppi"),
        Parameter("quality", "JPEG quality", "95 shows no loss.", 95, 50, 100, 1, matters=_is_jpeg),
    ),
    lambda pixels, values, context: pixels, summary=summary,
)  # fmt: skip


def output_settings(values: Values) -> OutputSettings:
    """The Print stage's values as settings for the file writer."""
    return OutputSettings(
        OutputFormat(str(values["format"])), int(values["bits"]), str(values["profile"]), float(values["ppi"]),
        int(values["quality"]),
    )  # fmt: skip
