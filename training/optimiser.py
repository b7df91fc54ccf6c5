"""Momentum with orthogonalised steps for convolutions, AdamW for the rest."""

from __future__ import annotations

from collections.abc import Iterable

import torch
from torch import Tensor, nn

# Coefficients of the quintic that drives singular values towards 1: K. Jordan et al., "Muon", 2024.
QUINTIC = (3.4445, -4.7750, 2.0315)
MOMENTUM = 0.95
PLAIN = ("head", "tail", "grow")  # first, last and upsampling layers learn better with AdamW


def orthogonalised(matrix: Tensor, iterations: int = 5) -> Tensor:
    """The nearest semi-orthogonal matrix, roughly, by Newton-Schulz iterations."""
    a, b, c = QUINTIC
    x = matrix / (matrix.norm() + 1e-7)
    tall = x.shape[0] > x.shape[1]
    x = x.T if tall else x
    for _ in range(iterations):
        gram = x @ x.T
        x = a * x + (b * gram + c * gram @ gram) @ x
    return x.T if tall else x


class Muon(torch.optim.Optimizer):
    """Nesterov momentum whose step for each weight is made orthogonal (out x in * k * k)."""

    def __init__(self, parameters: Iterable[nn.Parameter], lr: float) -> None:
        super().__init__(parameters, {"lr": lr})

    @torch.no_grad()
    def step(self, closure: None = None) -> None:
        for group in self.param_groups:
            for p in group["params"]:
                if p.grad is None:
                    continue
                momentum = self.state[p].setdefault("momentum", torch.zeros_like(p))
                momentum.mul_(MOMENTUM).add_(p.grad)
                wanted = p.grad.add(momentum, alpha=MOMENTUM)
                step = orthogonalised(wanted.reshape(len(wanted), -1))
                step = step * max(1.0, step.shape[0] / step.shape[1]) ** 0.5
                p.add_(step.reshape(p.shape), alpha=-group["lr"])


def optimisers_for(network: nn.Module, lr: float, plain_lr: float) -> list[torch.optim.Optimizer]:
    """Muon for inner convolution weights, AdamW for first, last, upsampling layers and biases."""
    inner: list[nn.Parameter] = []
    rest: list[nn.Parameter] = []
    for name, p in network.named_parameters():
        is_inner = p.ndim == 4 and not any(part.startswith(PLAIN) for part in name.split("."))
        (inner if is_inner else rest).append(p)
    return [Muon(inner, lr), torch.optim.AdamW(rest, plain_lr, betas=(0.9, 0.99), weight_decay=0.0)]
