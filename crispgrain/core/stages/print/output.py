"""The Print stage's values as settings for the file writer."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import numpy as np

from ...colour import icc
from ...files.metadata import Kept, Wanted
from ...files.profiles import read_profile
from ...files.source import RawSource, Source
from ...files.write import OutputFormat, OutputSettings
from ...model import Values
from .file import LIKE_SOURCE

# What each kind of file comes back as; what is not among these is a TIFF, which holds all there is.
FORMATS = {
    ".jpg": OutputFormat.JPEG, ".jpeg": OutputFormat.JPEG, ".jpe": OutputFormat.JPEG, ".png": OutputFormat.PNG,
    ".webp": OutputFormat.WEBP, ".avif": OutputFormat.AVIF,
}  # fmt: skip


def output_format(values: Values, source: Source | None = None) -> OutputFormat:
    """The kind of file that is asked for; a TIFF where it is to be like a source that no other kind can be like."""
    if values["format"] != LIKE_SOURCE:
        return OutputFormat(str(values["format"]))
    if source is None or isinstance(source, RawSource):
        return OutputFormat.TIFF
    return FORMATS.get(source.path.suffix.lower(), OutputFormat.TIFF)


def output_settings(values: Values, source: Source | None = None) -> OutputSettings:
    """The Print stage's values as settings for the file writer; like the ``source`` if they say so and there is one.

    Raises
    ------
    ShotError
        If a profile of the user's cannot be used.
    """
    like_source = values["format"] == LIKE_SOURCE
    own = read_profile(Path(str(values["icc"])).expanduser()) if values["icc"] and not like_source else None
    chosen = OutputSettings(
        output_format(values, source), int(values["bits"]),
        str(values["profile"]), float(values["ppi"]), int(values["quality"]), own, str(values["compression"]),
        int(values["limit"]), values["progressive"] == "on", str(values["subsampling"]),
        icc.Intent(str(values["intent"])), values["black-point"] == "on",
        Wanted(Kept(str(values["metadata"])), str(values["copyright"]), str(values["creator"]), str(values["caption"])),
        values["dither"] == "on",
    )  # fmt: skip
    return _like(source, chosen) if like_source and source is not None else chosen


def _like(source: Source, chosen: OutputSettings) -> OutputSettings:
    """RAW, and floating-point files, come back as TIFF with 16 bits in the chosen profile."""
    chosen = replace(chosen, ppi=source.facts.ppi or chosen.ppi)
    if isinstance(source, RawSource):
        return chosen
    bits = 8 if source.stored.dtype == np.uint8 else 16
    theirs = source.icc if source.stored.dtype.kind == "u" else None
    return replace(chosen, bits=bits, icc=theirs, dithered=False)
