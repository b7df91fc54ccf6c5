"""``crispgrain proof``: what a profile makes of files."""

from __future__ import annotations

import argparse
import json
import sys

from crispgrain.core.colour.proof import gamut_of
from crispgrain.core.errors import ShotError
from crispgrain.core.files.profiles import read_profile
from crispgrain.core.render.overview import overview
from crispgrain.core.resolve import resolve
from crispgrain.core.shot import saved_treatment
from crispgrain.core.treatment import Treatment

from .opening import opened

SIDE = 1600  # px at which a picture's colours are looked at


def proof_files(options: argparse.Namespace) -> int:
    """Exit code 1 if a file could not be read; the profile is read before any of them.

    Shots are looked at as their own treatment develops them, at reduced size: detail changes no colours.
    """
    profile = read_profile(options.icc)
    found: list[dict[str, object]] = []
    failed = False
    for shot in opened(options.files):
        if isinstance(shot, ShotError):
            print(shot, file=sys.stderr)
            failed = True
            continue
        resolved = resolve(saved_treatment(shot.path) or Treatment(), shot.source, shot.reading)
        gamut = gamut_of(overview(shot.source, resolved, SIDE), profile)
        found.append({"file": str(shot.path), "share_out_of_gamut": gamut.share, "largest_ciede2000": gamut.largest})
        if not options.json:
            print(f"{shot.path.name}: {100 * gamut.share:.1f} % out of gamut, by CIEDE2000 {gamut.largest:.1f} at most")
    if options.json:
        print(json.dumps(found, indent=2))
    return int(failed)
