"""``crispgrain proof``: what a profile makes of files."""

from __future__ import annotations

import argparse
import json
import sys

from crispgrain.arrays import Array
from crispgrain.core.colour.proof import gamut_of
from crispgrain.core.errors import ShotError, TreatmentError
from crispgrain.core.files.profiles import read_profile
from crispgrain.core.shot import Shot
from crispgrain.core.treatment import Treatment

from .opening import opened
from .treatments import own_treatment

SIDE = 1600  # px at which a picture's colours are looked at


def proof_files(options: argparse.Namespace) -> int:
    """Exit code 1 if a file could not be read; the profile is read before any of them.

    Shots are looked at under their own treatment, those of more than 1600 px at reduced size.
    """
    from crispgrain.desktop.base.preferences import sidecar_folder

    profile = read_profile(options.icc)
    found: list[dict[str, object]] = []
    failed, folder = False, sidecar_folder()
    for shot in opened(options.files):
        if isinstance(shot, ShotError):
            print(shot, file=sys.stderr)
            failed = True
            continue
        try:
            gamut = gamut_of(_small(shot, own_treatment(shot.path, folder)), profile)
        except (ShotError, TreatmentError) as error:
            print(error if isinstance(error, ShotError) else f"{shot.path.name}: {error}", file=sys.stderr)
            failed = True
            continue
        found.append({"file": str(shot.path), "share_out_of_gamut": gamut.share, "largest_ciede2000": gamut.largest})
        if not options.json:
            print(f"{shot.path.name}: {100 * gamut.share:.1f} % out of gamut, by CIEDE2000 {gamut.largest:.1f} at most")
    if options.json:
        print(json.dumps(found, indent=2))
    return int(failed)


def _small(shot: Shot, treatment: Treatment) -> Array:
    """The result in working space, its long side between once and twice ``SIDE``; as it is if it has less."""
    pipeline = shot.pipeline(treatment)
    factor = max(pipeline.size.height, pipeline.size.width) // SIDE
    small = pipeline.reduced(factor) if factor > 1 else pipeline
    return small.region(small.size.rect)
