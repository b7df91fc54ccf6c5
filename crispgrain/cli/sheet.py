"""``crispgrain sheet``: shots on pages, at true size or as a contact sheet."""

from __future__ import annotations

import argparse
import sys
from collections.abc import Iterator

import numpy as np

from crispgrain.core.colour import icc
from crispgrain.core.errors import ShotError, TreatmentError
from crispgrain.core.model import Stage
from crispgrain.core.render.overview import overview
from crispgrain.core.render.pipeline import Pipeline
from crispgrain.core.render.whole import render_whole, settings_of
from crispgrain.core.resolve import resolve
from crispgrain.core.sheet.layout import Print, cells, pages
from crispgrain.core.sheet.pdf import Page, Picture, write_pdf
from crispgrain.core.shot import Shot, saved_treatment
from crispgrain.core.stages.print.paper import length_from, sheet_of, sheet_sides
from crispgrain.core.treatment import Treatment

from .opening import opened
from .shape import with_shape

THUMBNAIL = 600  # px; at 300 ppi 5 cm
NAME = 5.0  # mm, below a frame


def make_sheet(options: argparse.Namespace) -> int:
    """Exit code 1 if a file could not be read; the others are on the pages."""
    width, height = sheet_sides(options.sheet)
    margin, gap = length_from(options.margin), length_from(options.gap)
    if options.paper is None and options.contact is None:
        raise TreatmentError("a sheet is asked for with --print PAPER, or --contact COLUMNSxROWS")
    options.failed = False
    if options.contact is not None:
        columns, rows = _columns(options.contact)
        pictures = [_frame(shot) for shot in _shots(options)]
        laid = cells(len(pictures), columns, rows, width, height, margin, gap, NAME)
        # Each picture in the middle of its frame, as large as it fits in.
        made = [Page([p.around(*pictures[p.index].pixels.shape[1::-1]) for p in page], False) for page in laid]
    else:
        with_shape(Treatment(), options, None)  # a wrong call fails before any work is done
        done = [_print(shot, options) for shot in _shots(options)]
        pictures = [picture for picture, _ in done]
        made = [Page(page, not options.no_marks) for page in pages([p for _, p in done], width, height, margin, gap)]
    if not pictures:
        print("crispgrain: nothing is left for a page", file=sys.stderr)
        return 1
    path = write_pdf(options.out, made, pictures, width, height, options.out.stem, options.replace)
    print(f"{path}: {len(pictures)} pictures on {len(made)} page{'s' if len(made) > 1 else ''}")
    return int(options.failed)


def _shots(options: argparse.Namespace) -> Iterator[Shot]:
    for shot in opened(options.files):
        if isinstance(shot, ShotError):
            print(shot, file=sys.stderr)
            options.failed = True
        else:
            yield shot


def _print(shot: Shot, options: argparse.Namespace) -> tuple[Picture, Print]:
    """A shot as its treatment makes it for the paper, and its size there."""
    pipeline = _pipeline(shot, with_shape(saved_treatment(shot.path) or Treatment(), options, shot))
    settings = settings_of(pipeline)
    pixels = render_whole(pipeline, settings)
    sheet = sheet_of(pipeline.resolved[Stage.PRINT].values)
    bleed = sheet.bleed if sheet is not None and not sheet.border else 0.0
    height, width = (25.4 * n / settings.ppi for n in pixels.shape[:2])
    return Picture(pixels, settings.profile_bytes), Print(width, height, bleed)


def _pipeline(shot: Shot, treatment: Treatment) -> Pipeline:
    try:
        return shot.pipeline(treatment)
    except TreatmentError as error:
        raise ShotError(shot.path, str(error)) from error


def _frame(shot: Shot) -> Picture:
    treatment = saved_treatment(shot.path) or Treatment()
    small = overview(shot.source, resolve(treatment, shot.source, shot.reading), THUMBNAIL)
    words = " · ".join(w for w in (shot.path.name, treatment.mark.value) if w)
    return Picture(np.ascontiguousarray(icc.from_working(small, icc.profile("srgb"), 8)), icc.profile("srgb"), words)


def _columns(words: str) -> tuple[int, int]:
    try:
        columns, rows = (int(n) for n in words.lower().split("x"))
    except ValueError:
        raise TreatmentError(f"--contact takes COLUMNSxROWS, not “{words}”") from None
    if min(columns, rows) < 1:
        raise TreatmentError(f"--contact {words} has no frames")
    return columns, rows
