"""``crispgrain sheet``: shots on pages, at true size or as a contact sheet."""

from __future__ import annotations

import argparse
import sys
from collections.abc import Iterator

from crispgrain.core.errors import ShotError, TreatmentError
from crispgrain.core.render.pipeline import Pipeline
from crispgrain.core.sheet.make import Stock, contact_pages, frame_of, paper_of, print_of, print_pages
from crispgrain.core.sheet.page import Page
from crispgrain.core.shot import Shot
from crispgrain.core.stages.print.paper import length_from, sheet_sides
from crispgrain.core.treatment import Treatment

from .opening import opened
from .shape import with_shape
from .treatments import own_treatment


def make_sheet(options: argparse.Namespace) -> int:
    """Exit code 1 if a file could not be read; the others are on the pages."""
    from crispgrain.core.sheet.pdf import write_pdf

    stock = Stock(*sheet_sides(options.sheet), length_from(options.margin), length_from(options.gap))
    options.failed = False
    if options.contact is not None:
        columns, rows = _columns(options.contact)
        contact_pages([], columns, rows, stock)  # frames that do not fit are no reason to look at shots
        pictures = [frame_of(shot, _own(shot)) for shot in _shots(options)]
        made = contact_pages(pictures, columns, rows, stock)
    else:
        with_shape(Treatment(), options, None)  # a wrong call fails before any work is done
        pictures, sizes, made = [], [], list[Page]()
        for shot in _shots(options):
            pipeline = _pipeline(shot, with_shape(_own(shot), options, shot))
            sizes.append(paper_of(pipeline))
            made = print_pages(sizes, stock, not options.no_marks)  # one too large is refused before it is rendered
            pictures.append(print_of(pipeline))
    if not pictures:
        print("crispgrain: nothing is left for a page", file=sys.stderr)
        return 1
    path = write_pdf(options.out, made, pictures, stock.width, stock.height, options.out.stem, options.replace)
    print(f"{path}: {len(pictures)} pictures on {len(made)} page{'s' if len(made) > 1 else ''}")
    return int(options.failed)


def _shots(options: argparse.Namespace) -> Iterator[Shot]:
    for shot in opened(options.files):
        if isinstance(shot, ShotError):
            print(shot, file=sys.stderr)
            options.failed = True
        else:
            yield shot


def _own(shot: Shot) -> Treatment:
    from crispgrain.desktop.base.preferences import sidecar_folder

    return own_treatment(shot.path, sidecar_folder())


def _pipeline(shot: Shot, treatment: Treatment) -> Pipeline:
    try:
        return shot.pipeline(treatment)
    except TreatmentError as error:
        raise ShotError(shot.path, str(error)) from error


def _columns(words: str) -> tuple[int, int]:
    try:
        columns, rows = (int(n) for n in words.lower().split("x"))
    except ValueError:
        raise TreatmentError(f"--contact takes COLUMNSxROWS, not “{words}”") from None
    if min(columns, rows) < 1:
        raise TreatmentError(f"--contact {words} has no frames")
    return columns, rows
