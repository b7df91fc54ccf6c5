"""``crispgrain lab``: what a print lab says to files."""

from __future__ import annotations

import argparse
import json

from crispgrain.lab import load_spec, refused


def ask_lab(options: argparse.Namespace) -> int:
    """Exit code 1 if a file is refused; the reasons are on standard output."""
    spec = load_spec(options.spec)
    answers = [{"file": str(path), "refused": refused(path, spec)} for path in options.files]
    if options.json:
        print(json.dumps({"lab": spec.name, "files": answers}, indent=2))
        return int(any(answer["refused"] for answer in answers))
    for path, answer in zip(options.files, answers, strict=True):
        reasons = answer["refused"]
        print(f"{path.name}: {'accepted' if not reasons else 'refused: ' + '; '.join(reasons)}")
    return int(any(answer["refused"] for answer in answers))
