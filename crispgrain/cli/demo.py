"""``crispgrain demo``: the demo roll, or a simulated camera on a cable."""

from __future__ import annotations

import argparse
import sys

from crispgrain.core.errors import ShotError


def demo_roll(options: argparse.Namespace) -> int:
    """``crispgrain demo``: write the roll, then open it unless asked not to."""
    from crispgrain.demo.roll import write_roll
    from crispgrain.paths import demo_folder

    def report(number: int, total: int, name: str) -> None:
        print(f"Making the demo roll, {number + 1} of {total}: {name}", file=sys.stderr)

    if options.shoot:
        from crispgrain.demo.shoot import shoot

        try:
            shoot(options.shoot, options.every, options.shots, lambda path: print(path, flush=True))
        except OSError as error:
            raise ShotError(options.shoot, f"no shot can be written there ({error.strerror})") from error
        return 0
    folder = options.out or demo_folder()
    try:
        paths = write_roll(folder, report)
    except OSError as error:
        raise ShotError(folder, f"the demo roll cannot be written ({error.strerror})") from error
    if options.no_window:
        print(folder)
        return 0
    from crispgrain.desktop.app import run_window

    return run_window(paths)
