"""Momentum with orthogonalised steps for convolutions, AdamW for the rest."""

from __future__ import annotations

from collections.abc import Iterable

import torch
from torch import Tensor, nn

# Coefficients of the quintic that drives singular values towards 1: K. Jordan et al., "Muon", 2024.
QUINTIC = (3.4445, -4.7750, 2.0315)
MOMENTUM = 0.95
PLAIN = ("head", "tail", "grow")  # first, last and upsampling layers learn better with AdamW


def orthogonalised(matrices: Tensor, iterations: int = 5) -> Tensor:
    """The nearest semi-orthogonal matrices (n x rows x columns), roughly, by Newton-Schulz iterations.

    Each iteration multiplies by a polynomial of the Gram matrix, so all of
    them are done on the small Gram matrix and applied once.
    """
    a, b, c = QUINTIC
    x = matrices / (matrices.norm(dim=(1, 2), keepdim=True) + 1e-7)
    tall = x.shape[1] > x.shape[2]
    x = x.mT if tall else x
    gram = x @ x.mT
    identity = torch.eye(gram.shape[1])
    product = identity.expand_as(gram)
    for _ in range(iterations):
        polynomial = a * identity + b * gram + c * gram @ gram
        product = polynomial @ product
        gram = polynomial @ gram @ polynomial
    x = product @ x
    return x.mT if tall else x


class Muon(torch.optim.Optimizer):
    """Nesterov momentum whose step for each weight is made orthogonal (out x in * k * k).

    Each step has the same size whatever the gradient, so weights would grow
    for ever; decay keeps every singular value below ``1 / decay``.
    """

    def __init__(self, parameters: Iterable[nn.Parameter], lr: float, decay: float) -> None:
        super().__init__(parameters, {"lr": lr, "decay": decay})

    @torch.no_grad()
    def step(self, closure: None = None) -> None:
        for group in self.param_groups:
            # Weights of one shape are handled together: many small products are slow.
            shapes: dict[torch.Size, list[tuple[nn.Parameter, Tensor]]] = {}
            for p in group["params"]:
                momentum = self.state[p].setdefault("momentum", torch.zeros_like(p))
                momentum.mul_(MOMENTUM).add_(p.grad)
                wanted = p.grad.add(momentum, alpha=MOMENTUM).reshape(len(p), -1)
                shapes.setdefault(wanted.shape, []).append((p, wanted))
            for shape, members in shapes.items():
                steps = orthogonalised(torch.stack([w for _, w in members]))
                scale = max(1.0, shape[0] / shape[1]) ** 0.5
                for (p, _), step in zip(members, steps, strict=True):
                    p.mul_(1 - group["lr"] * group["decay"])
                    p.add_(step.reshape(p.shape), alpha=-group["lr"] * scale)


def optimisers_for(network: nn.Module, lr: float, plain_lr: float, decay: float) -> list[torch.optim.Optimizer]:
    """Muon for inner convolution weights, AdamW for first, last, upsampling layers and biases."""
    inner: list[nn.Parameter] = []
    rest: list[nn.Parameter] = []
    for name, p in network.named_parameters():
        is_inner = p.ndim == 4 and not any(part.startswith(PLAIN) for part in name.split("."))
        (inner if is_inner else rest).append(p)
    return [Muon(inner, lr, decay), torch.optim.AdamW(rest, plain_lr, betas=(0.9, 0.99), weight_decay=0.0)]
