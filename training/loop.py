"""The training loop: fixed seeds, averaged weights, checkpoints to go on from, a log."""

from __future__ import annotations

import json
import time
from collections.abc import Callable, Iterator, Mapping
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import torch
from torch import Tensor, nn
from torch.nn import functional

from crispgrain.threads import single_threaded_libraries

from .optimiser import optimisers_for

Batch = tuple[tuple[Tensor, ...], Tensor, Tensor]  # inputs, target, weight of each sample
Loss = Callable[[Tensor, Tensor, Tensor], Tensor]  # of output, target and weight


@dataclass(frozen=True)
class Plan:
    """How a network is trained.

    The learning rate rises over ``warm_up`` steps and then stays, so that
    training can go on for as long as there is time; a run with ``cool_down``
    steps ends with a linear fall to zero, which brings out the quality. A
    further fall goes on from there, for instance with other degradations.
    """

    lr: float = 0.006
    plain_lr: float = 1e-3
    decay: float = 0.1
    warm_up: int = 300
    averaging: float = 0.999
    log_every: int = 200
    save_every: int = 500
    further: float = 1 / 3  # of the learning rate, at which a further fall begins


def charbonnier(output: Tensor, target: Tensor, weight: Tensor) -> Tensor:
    """Nearly the absolute error, smooth at zero."""
    return (weight * ((output - target) ** 2 + 1e-6).sqrt()).mean()


def take_weights(network: nn.Module, weights: Mapping[str, Tensor]) -> None:
    """Give a network other weights.

    Raises
    ------
    KeyError
        If one of the network's own is missing.
    """
    with torch.no_grad():
        for name, parameter in network.named_parameters():
            parameter.copy_(weights[name])


def alike(network: nn.Module, weights: Mapping[str, Tensor]) -> dict[str, Tensor]:
    """All of a network's weights, those of another where name and form are the same.

    Where only the network's input has more channels, it does not heed those after the other's.
    """

    def taken(name: str, own: Tensor) -> Tensor:
        other = weights.get(name)
        if other is not None and other.ndim == own.ndim == 4 and other.shape[1] < own.shape[1]:
            other = functional.pad(other, (0, 0, 0, 0, 0, own.shape[1] - other.shape[1]))
        return other if other is not None and other.shape == own.shape else own.detach()

    return {name: taken(name, own) for name, own in network.named_parameters()}


@contextmanager
def _tiny_numbers_are_zero() -> Iterator[None]:
    """Momentum of weights that have gone quiet may decay into numbers too small for the processor's fast path."""
    torch.set_flush_denormal(True)
    try:
        yield
    finally:
        torch.set_flush_denormal(False)


class Trainer:
    """A network in training, with everything needed to stop and go on."""

    def __init__(self, network: nn.Module, folder: Path, plan: Plan, seed: int = 0, loss: Loss = charbonnier) -> None:
        torch.manual_seed(seed)
        self.network = network.to(memory_format=torch.channels_last)
        self.plan, self.folder, self.loss = plan, folder, loss
        self.optimisers = optimisers_for(network, plan.lr, plan.plain_lr, plan.decay)
        self.base = [[g["lr"] for g in o.param_groups] for o in self.optimisers]
        self.average = {k: v.clone() for k, v in network.state_dict().items()}
        self.step, self.seconds, self.rate = 0, 0.0, 1.0
        folder.mkdir(parents=True, exist_ok=True)
        if self.checkpoint.exists():
            self._load()

    @property
    def checkpoint(self) -> Path:
        return self.folder / "checkpoint.pt"

    def start_after_fall(self, weights: Mapping[str, Tensor], steps: int) -> None:
        """Go on from the weights that a fall of so many steps has left, for a further one.

        Raises
        ------
        KeyError
            If one of the network's weights is missing.
        """
        take_weights(self.network, weights)
        self.average = {k: v.clone() for k, v in self.network.state_dict().items()}
        self.optimisers = optimisers_for(self.network, self.plan.lr, self.plan.plain_lr, self.plan.decay)
        self.step, self.rate = self.step + steps, self.plan.further

    def run(
        self, draw: Callable[[np.random.Generator], Batch], minutes: float, threads: int, cool_down: int = 0
    ) -> None:
        """Train for a time; with ``cool_down``, for just so many steps of falling learning rate.

        A cool-down leaves the checkpoint as it was: training goes on from before it.
        A file named ``stop`` in the folder ends either early, with everything saved.
        """
        stop = self.folder / "stop"
        stop.unlink(missing_ok=True)
        torch.set_num_threads(threads)
        rng = np.random.default_rng([self.step, 7])  # a resumed run must not see the same patches again
        losses: list[float] = []
        batches = _ahead(draw, rng)
        start, first_step, before = time.monotonic(), self.step, self.seconds
        with _tiny_numbers_are_zero():
            while not stop.exists():
                if (self.step - first_step >= cool_down) if cool_down else (time.monotonic() - start > 60 * minutes):
                    break
                fall = self.rate * (1 - (self.step - first_step) / cool_down if cool_down else 1.0)
                losses.append(self._one(next(batches), min(1.0, (self.step + 1) / self.plan.warm_up) * fall))
                self.seconds = before + time.monotonic() - start
                if self.step % self.plan.log_every == 0:
                    self._log(float(np.mean(losses[-self.plan.log_every :])), bool(cool_down))
                if self.step % self.plan.save_every == 0 and not cool_down:
                    self.save()
        if cool_down:
            torch.save(self.average, self.folder / "weights.pt")
        else:
            self.save()

    def _one(self, batch: Batch, rate: float) -> float:
        for optimiser, base in zip(self.optimisers, self.base, strict=True):
            for group, lr in zip(optimiser.param_groups, base, strict=True):
                group["lr"] = lr * rate
        inputs, target, weight = batch
        output = self.network(*(i.contiguous(memory_format=torch.channels_last) for i in inputs))
        loss = self.loss(output, target, weight)
        self.network.zero_grad()
        loss.backward()
        nn.utils.clip_grad_norm_(self.network.parameters(), 0.5)
        for optimiser in self.optimisers:
            optimiser.step()
        self.step += 1
        decay = min(self.plan.averaging, self.step / (self.step + 50))
        state = self.network.state_dict()
        torch._foreach_lerp_([self.average[name] for name in state], list(state.values()), 1 - decay)
        return float(loss.detach())

    def _log(self, loss: float, cooling: bool) -> None:
        row = {"step": self.step, "seconds": round(self.seconds), "loss": round(loss, 6), "cooling": cooling}
        with (self.folder / "log.jsonl").open("a") as file:
            file.write(json.dumps(row) + "\n")
        print(row, flush=True)

    def save(self) -> None:
        """Write the checkpoint, whole or not at all, and the averaged weights."""
        state = {
            "network": self.network.state_dict(), "average": self.average, "step": self.step, "seconds": self.seconds,
            "optimisers": [o.state_dict() for o in self.optimisers],
        }  # fmt: skip
        unfinished = self.checkpoint.with_suffix(".unfinished")
        torch.save(state, unfinished)
        unfinished.replace(self.checkpoint)
        torch.save(self.average, self.folder / "weights.pt")

    def _load(self) -> None:
        state = torch.load(self.checkpoint, weights_only=True)
        self.network.load_state_dict(state["network"])
        self.average, self.step, self.seconds = state["average"], state["step"], state["seconds"]
        for optimiser, saved in zip(self.optimisers, state["optimisers"], strict=True):
            # Momentum is of the past; rates and decay are the plan's.
            optimiser.load_state_dict({**saved, "param_groups": optimiser.state_dict()["param_groups"]})


def _ahead(draw: Callable[[np.random.Generator], Batch], rng: np.random.Generator) -> Iterator[Batch]:
    """Batches, each drawn in another thread while the one before is learnt from."""
    # torch has its own threads; those of NumPy's libraries would only get in their way.
    with ThreadPoolExecutor(1) as pool, single_threaded_libraries():
        coming = pool.submit(draw, rng)
        while True:
            batch = coming.result()
            coming = pool.submit(draw, rng)
            yield batch
