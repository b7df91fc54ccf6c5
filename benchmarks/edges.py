"""What Sharpen does to an edge, and how far it overshoots: beside an unsharp mask that reaches the same sharpness."""

from __future__ import annotations

from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy.optimize import brentq
from scipy.special import erf
from skimage import data

from crispgrain.core.colour.spaces import srgb_decode, srgb_encode
from crispgrain.core.meter import Blur, Noise, Reading, measure
from crispgrain.core.meter.mtf import mtf50
from crispgrain.core.render.pipeline import Pipeline
from crispgrain.core.render.views import Halo
from crispgrain.core.resolve import resolve
from crispgrain.core.shot import Shot
from crispgrain.core.treatment import Treatment

from . import methods as m
from .tasks import disc, gaussian, photographs, spread

EDGE = 256  # px
TILT = np.radians(5)
DARK, LIGHT = 0.1, 0.4  # linear; the contrast of 4 : 1 of ISO 12233
OPTICS = 0.5  # px, sigma of the edge that is not blurred further
NOISE = 0.01  # of white
PICTURES = 4  # of the edge, each with noise of its own
REACH = 40  # half pixels from the edge that its profile is looked at
STRIP = 40  # px either side of the middle
STRONGEST = 300.0  # of the unsharp mask, %


def slanted_edge() -> NDArray[np.float32]:
    """Linear RGB picture of an edge 5 degrees off the vertical, as soft as a good lens makes it."""
    rows, columns = np.mgrid[:EDGE, :EDGE] - (EDGE - 1) / 2
    distance = columns * np.cos(TILT) - rows * np.sin(TILT)
    # A pixel averages over its own width.
    sigma = np.hypot(OPTICS, 12**-0.5)
    level = DARK + (LIGHT - DARK) * 0.5 * (1 + erf(distance / (sigma * 2**0.5)))
    return np.repeat(level[..., None], 3, axis=-1).astype(np.float32)


def overshoot(y: NDArray) -> float:
    """How far the mean profile across the edge leaves its two levels, as a share of its step."""
    rows, columns = (np.mgrid[: y.shape[0], : y.shape[1]].T - (np.array(y.shape) - 1) / 2).T
    distance = columns * np.cos(TILT) - rows * np.sin(TILT)
    bins = np.round(distance * 2).astype(int)
    near = np.abs(bins) <= REACH
    index = bins[near] + REACH
    profile = np.bincount(index, y[near]) / np.bincount(index)
    low, high = np.median(profile[: REACH // 2]), np.median(profile[-REACH // 2 :])
    return float(max(profile.max() - high, low - profile.min()) / (high - low))


def _pipeline(soft: NDArray, settings: dict[str, Any], softness: float, on: bool = True) -> Pipeline:
    plan = m.NOTHING.set("sharpen.on", on)
    for name, value in settings.items():
        plan = plan.set(f"sharpen.{name}", value)
    source = m.picture(soft)
    reading = Reading(Noise.even(255 * NOISE), Blur(softness=softness))
    return Pipeline(source, reading, resolve(plan, source, reading))


def _sharpened(soft: NDArray, settings: dict[str, Any], softness: float) -> NDArray:
    """Linear mean of the channels after Sharpen."""
    pipeline = _pipeline(soft, settings, softness)
    return srgb_decode(m.encoded(pipeline.region(pipeline.size.rect)).astype(np.float32)).mean(axis=-1)


def _sharpened_edge(softs: list[NDArray], settings: dict[str, Any], softness: float) -> NDArray:
    """The strip along the edge, mean over several pictures with different noise."""
    mean = np.mean([_sharpened(soft, settings, softness) for soft in softs], axis=0)
    return mean[:, EDGE // 2 - STRIP : EDGE // 2 + STRIP]


def _halo_share(pictures: list[NDArray], results: list[Pipeline]) -> float:
    shares = []
    for soft, after in zip(pictures, results, strict=True):
        shares.append(Halo(_pipeline(soft, {}, 0, on=False), after).share(after.size.rect))
    return float(np.mean(shares))


def _blurred(linear: NDArray, kernel: NDArray, seed: int) -> NDArray:
    noise = np.random.default_rng(seed).normal(0, NOISE, linear.shape)
    return np.round(np.clip(srgb_encode(spread(kernel)(linear)) + noise, 0, 1) * 255) / 255


def _as_sharp_an_unsharp_mask(softs: list[NDArray], wanted: float, softness: float) -> dict[str, Any]:
    """The unsharp mask whose edge is as sharp; the strongest there is, if none is."""

    def short(strength: float) -> float:
        settings = {"model": "unsharp-mask", "strength": strength, "radius": softness}
        return mtf50(_sharpened_edge(softs, settings, softness)) - wanted

    strength = STRONGEST if short(STRONGEST) < 0 else brentq(short, 0, STRONGEST, xtol=1)
    return {"model": "unsharp-mask", "strength": float(strength), "radius": softness}


def left_alone() -> list[tuple[str, float]]:
    """PSNR to the source of photographs reduced by two, and so sharp and clean, with everything metered."""
    rows = []
    for name in ("astronaut", "coffee", "rocket", "camera", "hubble_deep_field", "immunohistochemistry"):
        photograph = getattr(data, name)()
        whole = np.atleast_3d(photograph)[: photograph.shape[0] // 2 * 2, : photograph.shape[1] // 2 * 2]
        small = np.round(cv2.resize(whole, None, fx=0.5, fy=0.5, interpolation=cv2.INTER_AREA))
        sharp = np.broadcast_to(np.atleast_3d(small), (*small.shape[:2], 3)) / 255
        source = m.picture(sharp)
        pipeline = Shot(source, measure(source)).pipeline(Treatment())
        error = m.encoded(pipeline.region(pipeline.size.rect)) - sharp
        used = ", ".join(step.model.name for step in pipeline.steps[1:]) or "nothing"
        rows.append((f"{name}: {used}", float(-10 * np.log10(np.mean(error**2) + 1e-10))))
    return rows


def report() -> str:
    """The figures as Markdown."""
    edge = slanted_edge()
    aim = mtf50(edge.mean(axis=-1))
    lines = [
        f"| edge of MTF50 {aim:.3f}, then blurred | MTF50 | share of {aim:.3f} | overshoot | halo in photographs |",
        "|---|---:|---:|---:|---:|",
    ]
    mild = [{"model": "sharp-net"}, {"model": "lens-softness"}]
    cases: list[tuple[str, NDArray, float, list[dict[str, Any]]]] = [
        ("Gaussian 0.8 px", gaussian(0.8), 0.8, mild),
        ("Gaussian 1.2 px", gaussian(1.2), 1.2, mild),
        ("disc of 3 px", disc(3), 1.5, [{"model": "defocus", "radius": 3.0}]),
    ]
    for blur, kernel, softness, models in cases:
        softs = [_blurred(edge, kernel, n) for n in range(PICTURES)]
        pictures = [_blurred(srgb_decode(p.astype(np.float32)), kernel, n) for n, p in enumerate(photographs())]
        halo = _halo_share(pictures, [_pipeline(p, {}, 0, on=False) for p in photographs()])
        lines.append(
            f"| {blur}, not blurred at all | {aim:.3f} | 100% | {overshoot(edge.mean(axis=-1)):.1%} | {halo:.2%} |"
        )
        ours = {f"**{s['model']}**, {e}": {**s, "effort": e} for s in models for e in ("fast", "best")}
        edges = {name: _sharpened_edge(softs, used, softness) for name, used in ours.items()}
        masks = [_as_sharp_an_unsharp_mask(softs, mtf50(y), softness) for y in edges.values()]
        named = {f"unsharp mask, {mask['strength']:.0f} %": mask for mask in masks}  # often the strongest for several
        edges |= {name: _sharpened_edge(softs, mask, softness) for name, mask in named.items()}
        for name, used in (ours | named).items():
            y, halo = edges[name], _halo_share(pictures, [_pipeline(p, used, softness) for p in pictures])
            lines.append(
                f"| {blur}, {name} | {mtf50(y):.3f} | {mtf50(y) / aim:.0%} | {overshoot(y):.1%} | {halo:.2%} |"
            )
    lines += ["", "| sharp photographs, shrunk by two, everything metered | PSNR to the source, dB |", "|---|---:|"]
    lines += [f"| {name} | {psnr:.1f} |" for name, psnr in left_alone()]
    return "\n".join(lines)
