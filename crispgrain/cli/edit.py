"""``crispgrain edit``: what a catalogue or an editor calls with pictures that it wants back."""

from __future__ import annotations

import argparse
import json
import sys
from pathlib import Path

from crispgrain.core.errors import ShotError
from crispgrain.session.handing_back import HandedBack, hand_back

from .opening import opened
from .shape import SHAPES
from .treatments import FILE, SIZES, treatment_of

GIVEN_UP = 3  # exit code if the user did not want anything written


def edit_files(options: argparse.Namespace) -> int:
    """Exit code 0: all were written; 1: one failed; 3: the user gave up."""
    from crispgrain.desktop.base.preferences import sidecar_folder

    options.sidecars, options.rules = sidecar_folder(), None
    options.zones, options.settings, options.only = [], [], None
    for name in (*SIZES, *SHAPES, *FILE):
        setattr(options, name, None)
    if options.treatment or options.preset:
        treatment_of(options, Path("-"))  # a wrong call fails before any work is done
    if options.treatment or options.preset or options.no_window:
        return _told([_handed_back(options, shot) for shot in opened(options.files)], options.json)
    from crispgrain.desktop.app import edit_in_window

    answer = edit_in_window(options.files, options.in_place)
    if answer is None:
        print("crispgrain: nothing was written", file=sys.stderr)
        return GIVEN_UP
    return _told(answer, options.json)


def _handed_back(options: argparse.Namespace, shot: object) -> HandedBack:
    if isinstance(shot, ShotError):
        return HandedBack(shot.path, words=str(shot))
    return hand_back(shot, treatment_of(options, shot.path, shot), options.in_place)  # type: ignore[attr-defined, arg-type]


def _told(answers: list[HandedBack], as_json: bool) -> int:
    if as_json:
        print(json.dumps([answer.as_json() for answer in answers], indent=2, ensure_ascii=False))
    for answer in answers:
        if answer.result is None:
            print(f"crispgrain: {answer.words}", file=sys.stderr)
        elif not as_json:
            print(answer.result)
    return 1 if any(answer.result is None for answer in answers) else 0
