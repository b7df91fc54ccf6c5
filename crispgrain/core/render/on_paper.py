"""A result on the sheet of paper that was chosen for it."""

from __future__ import annotations

from crispgrain.geometry import Size

from ..model import Stage
from ..stages.print.paper import Layout, sheet_of
from .pipeline import Pipeline


def layout_of(pipeline: Pipeline) -> Layout:
    """Where the result lies on its sheet, which is as large as it where no print is chosen or one without border."""
    sheet = sheet_of(pipeline.resolved[Stage.PRINT].values)
    return sheet.layout(pipeline.size) if sheet is not None else Layout(pipeline.size, pipeline.size, 0, 0)


def sheet_size(pipeline: Pipeline) -> Size:
    """Of the file: of the result, and the white that the chosen print leaves around it."""
    return layout_of(pipeline).sheet
