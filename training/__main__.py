"""Training from the command line: ``./run train data``, then ``./run train mosaic --minutes 90``."""

from __future__ import annotations

import argparse
from pathlib import Path

import torch

from . import export, mosaic, photographs
from .loop import Plan, Trainer

HERE = Path(__file__).parent
DATA = HERE / "data"
MODELS = HERE.parent / "crispgrain" / "core" / "networks"


def main() -> None:
    parser = argparse.ArgumentParser(prog="train", description=__doc__)
    jobs = parser.add_subparsers(required=True, dest="job")
    jobs.add_parser("data", help="fetch the photographs")
    train = jobs.add_parser("mosaic", help="train the mosaic net, going on from its checkpoint")
    train.add_argument("--minutes", type=float, default=60)
    train.add_argument("--threads", type=int, default=2)
    train.add_argument("--cool-down", type=int, default=0, metavar="STEPS")
    jobs.add_parser("export", help="write the newest weights as ONNX")
    options = parser.parse_args()
    folder = HERE / "checkpoints" / "mosaic-net"
    if options.job == "data":
        photographs.fetch(DATA)
        return
    if options.job == "mosaic":
        trainer = Trainer(mosaic.make_network(), folder, Plan())
        trainer.run(mosaic.MosaicBatches(DATA), options.minutes, options.threads, options.cool_down)
        return
    steps = torch.load(folder / "checkpoint.pt", weights_only=True)["step"]
    inputs = {"mosaic": torch.rand(1, 1, 64, 64), "sigma": torch.rand(1, 1, 32, 32)}
    MODELS.mkdir(exist_ok=True)
    notes = f"mosaic net, {steps} steps of batch 16, patch 64"
    difference = export.export(mosaic.make_network(), folder / "weights.pt", inputs, MODELS / "mosaic-net.onnx", notes)
    print(f"{notes}; ONNX and torch differ by at most {difference:.2g}")


if __name__ == "__main__":
    main()
