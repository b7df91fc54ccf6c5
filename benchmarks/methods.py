"""The methods that are compared: ours through the core, and references from general libraries."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import Any

import cv2
import numpy as np
import rawpy
from numpy.typing import NDArray
from PIL import Image

from crispgrain.core.colour import icc
from crispgrain.core.colour.spaces import SRGB_TO_WORKING, apply_matrix, srgb_decode, srgb_encode
from crispgrain.core.files import PictureSource, RawSource, read_shot
from crispgrain.core.meter import Blur, Noise, Reading, measure
from crispgrain.core.model import Stage
from crispgrain.core.render.pipeline import Pipeline
from crispgrain.core.resolve import resolve
from crispgrain.core.treatment import Treatment
from crispgrain.restoration.point_spread import as_text
from crispgrain.store import Store
from crispgrain.store.sensors import known_shot, learn
from crispgrain.threads import single_threaded_libraries

NOTHING = Treatment().only([]).set("develop.exposure", 0.0).set("develop.base", "linear")  # truths are as light is


def encoded(pixels: NDArray) -> NDArray:
    """Working-space pixels as sRGB values 0..1, at 16 bits."""
    return icc.from_working(pixels, icc.profile("srgb"), 16) / 65535


def _treated(source: Any, treatment: Treatment, reading: Reading) -> NDArray:
    resolved = resolve(treatment, source, reading)
    if any(treatment[s].model not in (None, resolved[s].model.id) for s in Stage):  # measured under another one's name
        raise ValueError(" ".join(resolved.remarks))
    pipeline = Pipeline(source, reading, resolved)
    with single_threaded_libraries():
        return encoded(pipeline.region(pipeline.size.rect))


def picture(values: NDArray) -> PictureSource:
    return PictureSource(Path("benchmark.png"), values.astype(np.float32), icc.profile("srgb"))


def unclipped(values: NDArray) -> PictureSource:
    """Encoded sRGB values, H x W x 3, in the working space, where those below 0 and above 1 survive.

    LittleCMS, which a picture's own profile goes through, bends what noise brings below 0; BM3D is given all of it.
    """
    linear = apply_matrix(srgb_decode(values.astype(np.float32)), SRGB_TO_WORKING)
    return PictureSource(Path("benchmark.tif"), linear, icc.working_profile())


def unchanged(case: tuple[NDArray, float]) -> NDArray:
    return case[0]


def given(picture: NDArray) -> NDArray:
    return picture


def ours_denoise(case: tuple[NDArray, float], model: str, told: float = 1.0, effort: str = "") -> NDArray:
    """Told the true sigma, as the references are, or ``told`` times that."""
    noisy, sigma = case
    treatment = NOTHING.set("denoise.on", True).set("denoise.model", model)
    if effort:
        treatment = treatment.set("denoise.effort", effort)
    return _treated(unclipped(noisy), treatment, Reading(Noise.even(255 * sigma * told)))


def opencv_nlm(case: tuple[NDArray, float], strength: float) -> NDArray:
    noisy, sigma = case
    stored = (np.clip(noisy, 0, 1) * 255 + 0.5).astype(np.uint8)
    h = strength * 255 * sigma
    return cv2.fastNlMeansDenoisingColored(stored, None, h, h, 5, 15) / 255


def skimage_nlm(case: tuple[NDArray, float], strength: float) -> NDArray:
    from skimage.restoration import denoise_nl_means

    noisy, sigma = case
    return denoise_nl_means(noisy, h=strength * sigma, sigma=sigma, patch_size=5, patch_distance=6, channel_axis=-1)


def skimage_wavelet(case: tuple[NDArray, float]) -> NDArray:
    from skimage.restoration import denoise_wavelet

    noisy, sigma = case
    return denoise_wavelet(noisy, sigma, channel_axis=-1, convert2ycbcr=True, rescale_sigma=True)


def bm3d_colour(case: tuple[NDArray, float]) -> NDArray:
    import bm3d

    return bm3d.bm3d_rgb(case[0], case[1])


def _plan(settings: dict[str, Any], plan: Treatment = NOTHING) -> Treatment:
    for name, value in settings.items():
        plan = plan.set(name, value)
    return plan


def ours_file(path: str, treatment: dict[str, Any], profile: bool = True) -> NDArray:
    """A file with the meter's own reading of it; ``profile``: whether a RAW's noise profile may be looked at."""
    source = read_shot(Path(path))
    if isinstance(source, RawSource) and not profile:
        source = replace(source, noise_profile=None)
    return _treated(source, _plan(treatment), measure(source))


def ours_told_even(path: str, treatment: dict[str, Any]) -> NDArray:
    """A RAW taken for one whose noise is alike everywhere."""
    source = read_shot(Path(path))
    reading = measure(source)
    return _treated(source, _plan(treatment), replace(reading, noise=replace(reading.noise, corner=1.0)))


def ours_known(path: str, treatment: dict[str, Any]) -> NDArray:
    """A RAW among other shots of its camera, those beside it whose names begin alike and go on with "other"."""
    store, file = Store(Path(path).with_suffix(".store")), Path(path)
    learn(sorted(file.parent.glob(f"{file.stem} other *")), store)
    shot = known_shot(file, store)
    return _treated(shot.source, _plan(treatment), shot.reading)


def ours_metered(path: str, treatment: dict[str, Any]) -> NDArray:
    """A file with all that is not given left to the meter."""
    source = read_shot(Path(path))
    return _treated(source, _plan(treatment, Treatment()), measure(source))


def file_bicubic(path: str, factor: int = 4) -> NDArray:
    return np.clip(cv2.resize(as_it_is(path), None, fx=factor, fy=factor, interpolation=cv2.INTER_CUBIC), 0, 1)


def libraw(path: str, algorithm: str) -> NDArray:
    """LibRaw's own rendering, white level held still so that exposures agree."""
    return encoded(icc.to_working(_by_libraw(path, algorithm), icc.linear_srgb_profile()))


def libraw_then_ours(path: str, algorithm: str, treatment: dict[str, Any]) -> NDArray:
    """LibRaw's own rendering, treated as a finished picture."""
    rendered = PictureSource(Path(path), _by_libraw(path, algorithm), icc.linear_srgb_profile())
    return _treated(rendered, _plan(treatment), measure(rendered))


def _by_libraw(path: str, algorithm: str) -> NDArray:
    with rawpy.imread(path) as raw:
        return raw.postprocess(
            demosaic_algorithm=rawpy.DemosaicAlgorithm[algorithm], use_camera_wb=True, no_auto_bright=True,
            adjust_maximum_thr=0, gamma=(1, 1), output_bps=16,
        )  # fmt: skip


def libraw_bm3d(path: str, algorithm: str, sigma: float) -> NDArray:
    import bm3d

    return bm3d.bm3d_rgb(libraw(path, algorithm), sigma)


def libraw_nlm(path: str, algorithm: str, sigma: float) -> NDArray:
    return opencv_nlm((libraw(path, algorithm), sigma), 0.8)


def as_it_is(path: str) -> NDArray:
    with Image.open(path) as picture:
        return np.asarray(picture.convert("RGB")) / 255


def file_opencv_nlm(path: str, strength: float) -> NDArray:
    """``strength`` is the filter's h in 8-bit steps."""
    return opencv_nlm((as_it_is(path), 1 / 255), strength)


def file_skimage_nlm(path: str, strength: float) -> NDArray:
    """``strength`` is the filter's h in 8-bit steps."""
    from skimage.restoration import denoise_nl_means

    return denoise_nl_means(as_it_is(path), h=strength / 255, patch_size=3, patch_distance=6, channel_axis=-1)


def file_total_variation(path: str, weight: float) -> NDArray:
    from skimage.restoration import denoise_tv_chambolle

    return denoise_tv_chambolle(as_it_is(path), weight, channel_axis=-1)


def file_bilateral(path: str, sigma: float) -> NDArray:
    stored = (as_it_is(path) * 255).astype(np.uint8)
    return cv2.bilateralFilter(stored, 7, 255 * sigma, 2.0) / 255


def file_wavelet(path: str, sigma: float) -> NDArray:
    return skimage_wavelet((as_it_is(path), sigma))


Blurred = tuple[NDArray, NDArray, float]  # picture, point spread, sigma of the noise


def ours_deblur(case: Blurred, settings: dict[str, Any], metered: bool = False) -> NDArray:
    """Told the noise, and the blur unless ``metered``; halo limit as it comes."""
    soft, kernel, sigma = case
    source = picture(soft)
    plan = NOTHING.set("sharpen.on", True)
    for name, value in settings.items():
        plan = plan.set(f"sharpen.{name}", value)
    if settings["model"] == "shake" and not metered:
        plan = plan.set("sharpen.path", as_text(kernel)).set("sharpen.path_error", 0)
    # Of a Gaussian, the variance along a row.
    across = np.arange(len(kernel)) - len(kernel) // 2
    softness = float((kernel.sum(axis=0) * across**2).sum() ** 0.5)
    blur = measure(source).blur if metered else Blur(softness=softness)
    return _treated(source, plan, Reading(Noise.even(255 * sigma), blur))


DECONVOLUTION = {"defocus": "defocus", "motion": "motion", "shake": "shake"}


def ours_sharpen(soft: NDArray, settings: dict[str, Any] | None = None, by_kind: bool = False) -> NDArray:
    """Told nothing; ``by_kind``: by the deconvolution that the kind of blur calls for."""
    source = picture(soft)
    reading = measure(source)
    if by_kind:
        settings = {"model": DECONVOLUTION.get(reading.blur.kind, "lens-softness"), "effort": "best"}
    plan = NOTHING.set("sharpen.on", True)
    for name, value in (settings or {}).items():
        plan = plan.set(f"sharpen.{name}", value)
    return _treated(source, plan, reading)


def _each_channel(picture: NDArray, restored: Callable[[NDArray], NDArray]) -> NDArray:
    return np.stack([restored(picture[..., c]) for c in range(3)], axis=-1)


def skimage_richardson_lucy(case: Blurred, iterations: int) -> NDArray:
    from skimage.restoration import richardson_lucy

    soft, kernel, _ = case
    linear = srgb_decode(soft.astype(np.float32))
    return srgb_encode(_each_channel(linear, lambda p: richardson_lucy(p, kernel, iterations)))


def skimage_wiener(case: Blurred, balance: float, linear: bool) -> NDArray:
    from skimage.restoration import wiener

    soft, kernel, _ = case
    if not linear:
        return _each_channel(soft, lambda p: wiener(p, kernel, balance, clip=False))
    result = _each_channel(srgb_decode(soft.astype(np.float32)), lambda p: wiener(p, kernel, balance, clip=False))
    return srgb_encode(result)


def skimage_unsupervised(case: Blurred) -> NDArray:
    from skimage.restoration import unsupervised_wiener

    soft, kernel, _ = case
    return _each_channel(soft, lambda p: unsupervised_wiener(p, kernel, clip=False, rng=0)[0])


def ours_enlarge(case: tuple[NDArray, int], model: str, effort: str = "") -> NDArray:
    small, factor = case
    plan = NOTHING.set("enlarge.on", True).set("enlarge.model", model).set("enlarge.factor", factor)
    if effort:
        plan = plan.set("enlarge.effort", effort)
    return _treated(picture(small), plan, Reading())


def opencv_resize(case: tuple[NDArray, int], interpolation: int) -> NDArray:
    small, factor = case
    return cv2.resize(small, None, fx=factor, fy=factor, interpolation=interpolation)
