"""The course of every training, drawn from the logs beside the checkpoints."""

from __future__ import annotations

import json
from collections.abc import Iterable
from dataclasses import dataclass, field
from pathlib import Path
from typing import TypedDict

CONSTANT, FALLING = "#8c8c8c", "#a85400"  # colours of lines
EARLIEST = 1000  # steps; before, the loss is so high that nothing else could be seen
WIDTH, HEIGHT = 9, 0.8  # inches, the latter of each network


class Line(TypedDict):
    """A line of a log: the mean loss of the last steps, and whether the rate was falling."""

    step: int
    loss: float
    cooling: bool


@dataclass
class Stretch:
    """Lines that follow each other, all at the constant rate or all of one fall."""

    falling: bool
    steps: list[int] = field(default_factory=list)
    losses: list[float] = field(default_factory=list)


def stretches(lines: Iterable[Line]) -> list[Stretch]:
    """Cut a log where the rate begins to fall, and where training goes back to an earlier step."""
    found: list[Stretch] = []
    for line in lines:
        if not found or found[-1].falling != line["cooling"] or line["step"] <= found[-1].steps[-1]:
            found.append(Stretch(line["cooling"]))
        found[-1].steps.append(line["step"])
        found[-1].losses.append(line["loss"])
    return found


def read(log: Path) -> list[Line]:
    """The lines of a log, but for the earliest steps."""
    lines = [json.loads(line) for line in log.read_text(encoding="utf-8").splitlines()]
    return [line for line in lines if line["step"] > EARLIEST]


def draw(logs: dict[str, Path], target: Path) -> None:
    """Draw the loss of each network, by name, over its steps, one below the other, as SVG."""
    import matplotlib

    matplotlib.use("svg")
    matplotlib.rcParams |= {"svg.fonttype": "none", "svg.hashsalt": "curves", "font.size": 9}
    from matplotlib import pyplot

    size = (WIDTH, HEIGHT * (len(logs) + 1))
    figure, places = pyplot.subplots(len(logs), 1, sharex=True, figsize=size, layout="constrained")
    for place, (name, log) in zip(places, logs.items(), strict=True):
        for stretch in stretches(read(log)):
            colour = FALLING if stretch.falling else CONSTANT
            place.plot([step / 1000 for step in stretch.steps], stretch.losses, color=colour, linewidth=0.8)
        place.set_title(name, loc="left", fontsize=9)
        place.locator_params(axis="y", nbins=2)
        place.spines[["top", "right"]].set_visible(False)
    figure.supxlabel("thousand steps", fontsize=9)
    figure.supylabel("loss", fontsize=9)
    figure.savefig(target, metadata={"Date": None})
