"""From shots to the pictures and pages of a sheet."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np

from crispgrain.cancel import NEVER, CancelToken

from ..colour import icc
from ..model import Stage
from ..render.on_paper import sheet_size
from ..render.overview import overview
from ..render.pipeline import Pipeline
from ..render.progress import Progress
from ..render.whole import render_whole, settings_of
from ..resolve import resolve
from ..shot import Shot
from ..stages.print.paper import sheet_of
from ..treatment import Treatment
from .layout import Print, cells, pages
from .page import Page, Picture

THUMBNAIL = 600  # px; at 300 ppi 5 cm
NAME = 5.0  # mm, below a frame


@dataclass(frozen=True)
class Stock:
    """What pages are of, in mm: their sides, what is left free at the edges, and between two pictures."""

    width: float
    height: float
    margin: float = 8.0
    gap: float = 8.0


def paper_of(pipeline: Pipeline) -> Print:
    """Size of a result on paper, with its bleed; known before anything is rendered."""
    sheet, size = sheet_of(pipeline.resolved[Stage.PRINT].values), sheet_size(pipeline)
    ppi = settings_of(pipeline).ppi
    bleed = sheet.bleed if sheet is not None and not sheet.border else 0.0
    return Print(25.4 * size.width / ppi, 25.4 * size.height / ppi, bleed)


def print_of(
    pipeline: Pipeline, cancel: CancelToken = NEVER, report: Callable[[Progress], None] | None = None
) -> Picture:  # fmt: skip
    """A result in its file's profile.

    Raises
    ------
    ShotError
        If a profile of the user's cannot be used.
    """
    settings = settings_of(pipeline)
    pixels = render_whole(pipeline, settings, report=report, cancel=cancel, opaque=True)
    return Picture(pixels, settings.profile_bytes)


def frame_of(shot: Shot, treatment: Treatment) -> Picture:
    """A small picture of a shot with its name and mark."""
    small = overview(shot.source, resolve(treatment, shot.source, shot.reading), THUMBNAIL)
    words = " · ".join(w for w in (shot.path.name, treatment.mark.value) if w)
    return Picture(np.ascontiguousarray(icc.from_working(small, icc.profile("srgb"), 8)), icc.profile("srgb"), words)


def print_pages(prints: Sequence[Print], stock: Stock, marks: bool = True) -> list[Page]:
    """Pages of prints at true size; TreatmentError if one is too large for them."""
    return [Page(page, marks) for page in pages(prints, stock.width, stock.height, stock.margin, stock.gap)]


def contact_pages(frames: Sequence[Picture], columns: int, rows: int, stock: Stock) -> list[Page]:
    """Pages of small pictures, each in the middle of its frame; TreatmentError if frames do not fit."""
    laid = cells(len(frames), columns, rows, stock.width, stock.height, stock.margin, stock.gap, NAME)
    return [Page([p.around(*frames[p.index].pixels.shape[1::-1]) for p in page], False) for page in laid]
