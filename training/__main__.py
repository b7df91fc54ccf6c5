"""Training from the command line: ``./run train data``, then ``./run train mosaic --minutes 90``."""

from __future__ import annotations

import argparse
from collections.abc import Callable
from dataclasses import dataclass
from functools import partial
from pathlib import Path

import numpy as np
import torch
from torch import Tensor, nn

from crispgrain.core.meter import blur_net, noise_net
from crispgrain.core.networks import dot_net, runtime
from crispgrain.core.stages.enlarge.detail_net import FACTORS
from crispgrain.restoration.cells import SIX_BY_SIX

from . import (
    blur_batches,
    curves,
    cutouts,
    detail,
    dot_batches,
    eight_bits,
    export,
    mosaic,
    noise_batches,
    photographs,
    shaken,
)
from .blurred import draw_blurred
from .finished import draw_finished
from .loop import Batch, Loss, Plan, Trainer, alike, charbonnier, take_weights
from .networks import (
    DEEPER,
    BlurNet,
    DetailNet,
    DotNet,
    MosaicNet,
    NoiseNet,
    PhotoNet,
    ShakeNet,
    SixBySixNet,
    SubjectNet,
)
from .pool import PooledBatches

HERE = Path(__file__).parent
DATA = HERE / "data"
MODELS = HERE.parent / "crispgrain" / "core" / "networks"
CURVES = HERE / "curves.svg"
EXAMPLES = 32  # batches by which 8 bits are laid out
PLAIN = 6  # the rate of the other layers is so many times lower
ROUNDING = 0.02  # where a value falls between two of 256 steps, two machines may round it differently


@dataclass(frozen=True)
class Job:
    """A network to train: how it is made, what it learns from, and inputs of the right form."""

    make_network: Callable[[], nn.Module]
    make_batches: Callable[[Path], Callable[[np.random.Generator], Batch]]
    inputs: dict[str, Tensor]
    name: str
    like: str = ""  # a network that ships, whose weights are a good start wherever their form is the same
    loss: Loss = charbonnier
    kept: tuple[str, ...] = eight_bits.FINEST  # blocks that compute with floats where the others do with 8 bits


MOSAIC_INPUTS = {"mosaic": torch.rand(1, 1, 64, 64), "sigma": torch.rand(1, 1, 32, 32)}
SIX_INPUTS = {**MOSAIC_INPUTS, "measured": mosaic.measured(SIX_BY_SIX, 64)}
SIX_BATCHES = partial(mosaic.MosaicBatches, pattern=SIX_BY_SIX, told=True)
PICTURE_INPUTS = {"picture": torch.rand(1, 3, 64, 64), "conditions": torch.rand(1, 3, 32, 32)}
JOBS = {
    "mosaic": Job(MosaicNet, mosaic.MosaicBatches, MOSAIC_INPUTS, "mosaic-net"),
    "mosaic-large": Job(
        partial(MosaicNet, blocks=DEEPER), mosaic.MosaicBatches, MOSAIC_INPUTS, "mosaic-net-large", like="mosaic-net",
    ),
    "six-by-six": Job(SixBySixNet, SIX_BATCHES, SIX_INPUTS, "six-by-six-net", like="mosaic-net"),
    "six-by-six-large": Job(
        partial(SixBySixNet, blocks=DEEPER), SIX_BATCHES, SIX_INPUTS, "six-by-six-net-large", like="six-by-six-net",
    ),
    "photo": Job(PhotoNet, partial(PooledBatches, degrade=draw_finished), PICTURE_INPUTS, "photo-net"),
    "photo-large": Job(
        partial(PhotoNet, blocks=DEEPER), partial(PooledBatches, degrade=draw_finished), PICTURE_INPUTS,
        "photo-net-large", like="photo-net",
    ),
    "sharp": Job(PhotoNet, partial(PooledBatches, degrade=draw_blurred), PICTURE_INPUTS, "sharp-net", like="photo-net"),
    "sharp-large": Job(
        partial(PhotoNet, blocks=DEEPER), partial(PooledBatches, degrade=draw_blurred), PICTURE_INPUTS,
        "sharp-net-large", like="sharp-net",
    ),
    "shake": Job(
        ShakeNet, shaken.ShakenBatches, {**PICTURE_INPUTS, "picture": torch.rand(1, 6, 64, 64)}, "shake-net",
        like="photo-net",
    ),
    **{
        f"detail-x{factor}": Job(
            partial(DetailNet, factor), partial(detail.DetailBatches, factor=factor),
            {"picture": torch.rand(1, 3, 32, 32)}, f"detail-net-x{factor}", kept=eight_bits.LAST_BLOCK,
        )
        for factor in FACTORS
    },
    "subject": Job(SubjectNet, cutouts.SubjectBatches, {"picture": torch.rand(1, 4, 64, 64)}, "subject-net"),
    "blur": Job(
        partial(BlurNet, blur_net.CLASSES), blur_batches.BlurBatches, {"blocks": torch.rand(1, 1, 128, 128)},
        blur_net.NAME, loss=blur_batches.cross_entropy,
    ),
    "noise": Job(
        partial(NoiseNet, noise_net.PLANES, len(noise_net.LEVELS)), noise_batches.NoiseBatches,
        {"blocks": torch.rand(1, noise_net.PLANES, 128, 128)}, noise_net.NAME, loss=noise_batches.cross_entropy,
    ),
    "dots": Job(
        partial(DotNet, dot_net.PLANES, dot_net.EDGE), dot_batches.DotBatches,
        {"places": torch.rand(2, dot_net.PLANES, dot_net.EDGE, dot_net.EDGE)}, dot_net.NAME,
        loss=dot_batches.cross_entropy,
    ),
    "restore-x4": Job(
        partial(DetailNet, 4), partial(detail.DetailBatches, factor=4, reducing=detail.SECOND_ORDER),
        {"picture": torch.rand(1, 3, 32, 32)}, "restore-net-x4", like="restore-net-x4", kept=eight_bits.LAST_BLOCK,
    ),
}  # fmt: skip


def main() -> None:
    parser = argparse.ArgumentParser(prog="train", description=__doc__)
    parser.add_argument("job", choices=["data", "shaken", "export", "round", "curves", *JOBS])
    parser.add_argument("network", nargs="?", choices=list(JOBS), help="of export and round: which network")
    parser.add_argument("--minutes", type=float, default=60)
    parser.add_argument("--threads", type=int, default=2)
    parser.add_argument("--rate", type=float, default=Plan.lr, help="learning rate of inner convolutions")
    parser.add_argument("--seed", type=int, default=0, help="of shaken: tells those of several processes apart")
    parser.add_argument("--cool-down", type=int, default=0, metavar="STEPS")
    parser.add_argument("--after", type=int, default=0, metavar="STEPS", help="go on from what ships, after so many")
    options = parser.parse_args()
    if options.after and not options.cool_down:
        parser.error("--after needs --cool-down")
    if options.job == "data":
        photographs.fetch(DATA)
        cutouts.fetch(DATA)
        return
    if options.job == "shaken":
        shaken.make(DATA, options.minutes, options.seed)
        return
    if options.job == "curves":
        logs = {job.name: HERE / "checkpoints" / job.name / "log.jsonl" for job in JOBS.values()}
        curves.draw({n: log for n, log in logs.items() if log.exists() and curves.read(log)}, CURVES)
        return
    job = JOBS[options.network or "mosaic" if options.job in ("export", "round") else options.job]
    if options.job == "round":
        _round(job)
        return
    folder, target = HERE / "checkpoints" / job.name, MODELS / f"{job.name}.onnx"
    if options.job != "export":
        network = job.make_network()
        start = target if target.exists() else MODELS / f"{job.like}.onnx"
        if job.like and not (folder / "checkpoint.pt").exists():
            take_weights(network, alike(network, export.shipped_weights(start)))
        trainer = Trainer(network, folder, Plan(lr=options.rate, plain_lr=options.rate / PLAIN), loss=job.loss)
        if options.after:
            trainer.start_after_fall(alike(network, export.shipped_weights(start)), options.after)
        trainer.run(job.make_batches(DATA), options.minutes, options.threads, options.cool_down)
        return
    checkpoint = folder / "checkpoint.pt"
    steps = torch.load(checkpoint, weights_only=True)["step"] if checkpoint.exists() else 0
    notes = f"{job.name}, {f'{steps} steps, then ' if steps else ''}a fall"
    network = job.make_network()
    network.load_state_dict(torch.load(folder / "weights.pt", weights_only=True))
    difference = export.export(network, job.inputs, target, notes)
    print(f"{notes}; ONNX and torch differ by at most {difference:.2g}")


def _round(job: Job) -> None:
    """Write a network that ships once more, its blocks computing with 8 bits."""
    network = job.make_network()
    take_weights(network, alike(network, export.shipped_weights(MODELS / f"{job.name}.onnx")))
    draw, rng = job.make_batches(DATA), np.random.default_rng(8)
    eight_bits.round_blocks(network, [draw(rng)[0] for _ in range(EXAMPLES)], job.kept)
    notes = f"{job.name}, blocks with 8 bits"
    difference = export.export(network, job.inputs, MODELS / f"{runtime.rounded(job.name)}.onnx", notes, ROUNDING)
    print(f"{notes}; ONNX and torch differ by at most {difference:.2g}")


if __name__ == "__main__":
    main()
