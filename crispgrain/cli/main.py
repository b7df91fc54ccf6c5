"""The command line: the same jobs as the window, without one."""

from __future__ import annotations

import sys
from collections.abc import Sequence
from pathlib import Path

from crispgrain.cancel import Cancelled
from crispgrain.core.errors import ShotError, TreatmentError

from .parser import make_parser

COMMANDS = ("run", "edit", "meter", "proof", "carve", "lab", "sheet", "models", "demo", "completion")


def main(arguments: Sequence[str] | None = None) -> int:
    """Run the command line; the exit code is 0 if all went well, 1 if a file failed, 2 for a wrong call."""
    given = list(sys.argv[1:] if arguments is None else arguments)
    if not given or (given[0] not in COMMANDS and Path(given[0]).exists()):
        from crispgrain.desktop.app import run_window

        return run_window([Path(a) for a in given])
    if given[0] not in COMMANDS and not given[0].startswith("-"):
        return _fail(f"“{given[0]}” is no command ({', '.join(COMMANDS)}) and no file", 2)
    options = make_parser().parse_args(given)
    try:
        return options.job(options)
    except (TreatmentError, ShotError) as error:
        return _fail(str(error), 2)
    except (KeyboardInterrupt, Cancelled):
        return _fail("stopped", 130)
    except BrokenPipeError:
        return 1


def _fail(words: str, code: int) -> int:
    print(f"crispgrain: {words}", file=sys.stderr)
    return code
