"""What all models that undo a blur share: settings, noise, highlights, halo limit, and the mix of what was gained."""

from __future__ import annotations

import math
from collections.abc import Callable

import cv2
import numpy as np
from numpy.typing import NDArray

from crispgrain.arrays import Array
from crispgrain.restoration import halo
from crispgrain.restoration.blind import trimmed
from crispgrain.restoration.deconvolution import PATH, ROUND, Blurred, Care, total_variation, with_prior

from ...colour.spaces import brightest
from ...frame import Frame
from ...meter.reading import Noise
from ...model import Context, Parameter, Values
from ...networks import runtime
from . import luminance, photo_prior, regions, shake_net

LEAST_NOISE = 0.006  # of white; a picture and its blur are never known better than this
AFTER_DENOISE = 0.8  # share of the noise to reckon with after full strength: noise is gone by then, and detail
LUMINANCE_NOISE = 0.75  # of that of a channel; chance alone would be 1/sqrt(3), the rest is for the blur's error
CLIPPED, NEARLY_CLIPPED = 0.985, 0.85  # of white
BESIDE = 8  # px, a block of compression
DOUBTFUL = 0.01  # of white; a path with a larger error was found, not known
MID_TONE = 0.5  # encoded; there the slope of the curve is about 1, so encoded and linear noise are alike
DETAIL_SPLIT = 1.5  # px, sigma between fine and coarse detail
SETTLED = 48  # px beyond the kernel from which an edge is no longer felt
TILE = 512  # px; views and files must have the same tiles, for frequencies know no place
BOUND_MARGIN = math.ceil(4 * DETAIL_SPLIT)

STRENGTH = Parameter(
    "strength", "Strength",
    "How far the blur is undone. Above 100 % the noise is taken for weaker than metered: sharper, and rougher.",
    100.0, 0, 160, 1, "%",
)  # fmt: skip
HALO = Parameter(
    "halo", "Halo limit", "How far an edge may overshoot its surroundings, in percent of white.", 2.0, 0, 20, 0.5, "%"
)
FINE = Parameter("fine", "Fine detail", "Share of what was gained in detail finer than about 3 px.", 100.0, 0, 150, 1,
                 "%")  # fmt: skip
# Share of the local contrast that a strong blur took from fine lines, for each unit of the halo limit (by trial: at 2 %
# two thirds of what the limit cost come back), and from which spread on (px) a blur is strong.
LOST, STRONG = 10.0, 1.5
BLACKENED = 0.7  # share of its luminance that a pixel has at least, if its colour is to be believed
SPREAD = 2**0.5  # of a Gaussian of sigma 1, and about of a disc of radius 2
COARSE = Parameter("coarse", "Coarse detail", "Share of what was gained in coarser detail.", 100.0, 0, 150, 1, "%")
EFFORT = Parameter(
    "effort", "Effort",
    "Fast takes pictures to be even but for their edges, and lets the photo net clean the result. Best asks it again "
    "and again what a picture looks like: a little better, and about three times as slow.",
    "fast", choices=("fast", "best"),
)  # fmt: skip
SHARED = (STRENGTH, FINE, COARSE, HALO, EFFORT)


def after(frame: Frame, values: Values) -> Frame:
    """What is left of the blur."""
    return frame.sharpened(float(values["strength"]) / 100)


def linear_noise(noise: Noise) -> float:
    """Sigma of a noise in linear light, white = 1, at a middle tone."""
    tone = np.array([MID_TONE], np.float32)
    return float(noise.sigma_at(tone, colour=False)[0])


def clipped_in(pixels: Array) -> NDArray[np.bool_]:
    """Where a picture (H x W x 3, linear) is white, or nearly so beside white: compression and noise roughen lamps."""
    lightest = brightest(pixels)
    beside = cv2.dilate((lightest >= CLIPPED).astype(np.uint8), np.ones((2 * BESIDE + 1,) * 2, np.uint8))
    return (beside > 0) & (lightest >= NEARLY_CLIPPED)


def deblurred(pixels: Array, kernel: Array, noise: float, best: bool, care: Care = PATH) -> Array:
    """Pixels (H x W x 3, linear) with the blur of ``kernel`` undone.

    Without the network on luminance, with colour following. With it on all channels; fast takes the classical answer
    for too little noise, which leaves detail and noise, and has the network clean that once.
    """
    clipped = clipped_in(pixels)
    if not runtime.unavailable(photo_prior.NAME):
        blurred = Blurred(pixels, kernel, clipped, care.saturated)
        start = total_variation(blurred, noise if best else care.bold * noise, care.start_penalties)
        if best:
            return with_prior(blurred, start, noise, photo_prior.clean, care.rounds)[blurred.inner]
        return cleaned_once(start, noise)[blurred.inner]
    y = luminance.working_luminance(pixels)
    blurred = Blurred(y[..., None], kernel, clipped, care.saturated)
    sharp = total_variation(blurred, LUMINANCE_NOISE * noise, care.penalties)[blurred.inner][..., 0]
    return halo.with_luminance(pixels, y, sharp)


def rough(pixels: Array, kernel: Array, noise: float, care: Care, clipped: NDArray[np.bool_]) -> Array:
    """The classical answer (linear, H x W x 3) for less than the ``noise``, to be cleaned by a network."""
    blurred = Blurred(pixels, kernel, clipped, care.saturated)
    return total_variation(blurred, care.bold * noise, care.start_penalties)[blurred.inner]


def cleaned_once(start: Array, noise: float) -> Array:
    """A classical answer for too little noise, cleaned by the network."""
    within = np.minimum(start, np.float32(1))  # highlights beyond white are nothing the network knows
    return photo_prior.clean(within, noise) + (start - within)


def undo(pixels: Array, kernel: Array, values: Values, context: Context, error: float = 0.0) -> Array:
    """Undo the blur of a path as the settings say; ``error``: how far it may be wrong, as noise, white = 1."""
    if float(values["strength"]) <= 0:
        return pixels
    kernel, noise = trimmed(kernel), noise_left(values, context, error)
    if error >= DOUBTFUL and not runtime.unavailable(shake_net.NAME):
        start = rough(pixels, kernel, noise, PATH, clipped_in(pixels))
        sharp = shake_net.clean(start, pixels, noise, str(values["effort"]))
    else:
        sharp = deblurred(pixels, kernel, noise, values["effort"] == "best")
    return mixed(pixels, sharp, values, max(1, len(kernel) // 2), spread_of(kernel))


def undone(pixels: Array, kernel: Array, values: Values, context: Context, care: Care = ROUND) -> Array:
    """Pixels with a blur undone as far as noise and effort allow."""
    return deblurred(pixels, kernel, noise_left(values, context), values["effort"] == "best", care)


def noise_left(values: Values, context: Context, least: float = 0.0) -> float:
    """The noise to reckon with: sigma in linear light, white = 1."""
    metered = max(context.before.left(AFTER_DENOISE) * linear_noise(context.noise), LEAST_NOISE, least)
    return metered / max(float(values["strength"]) / 100, 1)


def by_radius(
    pixels: Array, radius: float, values: Values, context: Context, sharpened: Callable[[float], Array],
    by_region: Callable[[], Array] | None = None,
) -> Array:  # fmt: skip
    """Undo a blur of some radius, even or by region; ``sharpened`` gives the pixels with one radius undone.

    ``by_region`` is a quicker way than to blend what ``sharpened`` gives for several radii.
    """
    if float(values["strength"]) <= 0:
        return pixels
    if values["varies"] != "by-region" or not context.reading.blur.regions:
        sharp = sharpened(radius)
    else:
        sharp = by_region() if by_region is not None else regions.blended(radius, context, sharpened)
    return mixed(pixels, sharp, values, max(1, math.ceil(2 * radius)), SPREAD * radius)


def deconvolved(
    pixels: Array, radius: float, values: Values, context: Context, kernel_of: Callable[[float], Array],
    care: Care = ROUND,
) -> Array:  # fmt: skip
    """Undo a blur of some radius by deconvolution; ``kernel_of`` gives the kernel of a radius."""

    def sharpened(radius: float) -> Array:
        return undone(pixels, kernel_of(radius), values, context, care)

    def by_region() -> Array:
        """The network, which takes most of the time, cleans what all radii together gave."""
        noise, clipped = noise_left(values, context), clipped_in(pixels)

        def start(radius: float) -> Array:
            return rough(pixels, kernel_of(radius), noise, care, clipped)

        return cleaned_once(regions.blended(radius, context, start), noise)

    once = values["effort"] == "fast" and not runtime.unavailable(photo_prior.NAME)
    return by_radius(pixels, radius, values, context, sharpened, by_region if once else None)


def spread_of(kernel: Array) -> float:
    """Root mean square distance from the middle of a kernel, in px: how strong a blur is, whatever its form."""
    y, x = np.indices(kernel.shape) - len(kernel) // 2
    return float(np.sqrt((kernel * (x**2 + y**2)).sum()))


def mixed(pixels: Array, sharp: Array, values: Values, reach: int, spread: float) -> Array:
    """What was gained, by strength and by size of detail, without leaving the local range by more than the limit.

    ``spread`` is how strong the undone blur was: fine lines really lost contrast to it, and may get it back.
    """
    strength = min(float(values["strength"]) / 100, 1)
    fine_share, coarse_share = (np.float32(strength * float(values[k]) / 100) for k in ("fine", "coarse"))
    gained = sharp - pixels
    if fine_share == coarse_share:
        result = pixels + fine_share * gained
    else:
        coarse = cv2.GaussianBlur(gained, (2 * BOUND_MARGIN + 1,) * 2, DETAIL_SPLIT, borderType=cv2.BORDER_REFLECT)
        result = pixels + fine_share * (gained - coarse) + coarse_share * coarse
    y, new_y = luminance.working_luminance(pixels), luminance.working_luminance(result)
    limit = float(values["halo"]) / 100
    # Contrast with a lamp that was clipped says nothing of what is around it: there rings would come through.
    beside_lamps = clipped_in(pixels)
    if beside_lamps.any():
        beside_lamps = cv2.dilate(beside_lamps.astype(np.uint8), np.ones((4 * reach + 1,) * 2, np.uint8)) > 0
    lost = np.where(beside_lamps, np.float32(0), np.float32(LOST * limit * min(1.0, spread / STRONG)))
    bounded = halo.bound(new_y, y, limit, reach, lost)
    held = halo.with_luminance(result, new_y, bounded)
    # What is left of a colour there, or where hardly any is left, cannot be brightened: that of before is taken.
    unknown = beside_lamps | (new_y < BLACKENED * bounded)
    held[unknown] = halo.with_luminance(pixels[unknown], y[unknown], bounded[unknown])
    return held


def margin(reach: int) -> int:
    """How far a pixel is felt through a kernel of so many pixels from its middle, and all that follows."""
    return 4 * reach + SETTLED + BOUND_MARGIN
