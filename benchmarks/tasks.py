"""The tasks: made from open photographs and from our own scenes, truth known."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import replace
from fractions import Fraction
from functools import partial
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray
from PIL import Image
from scipy.ndimage import convolve
from skimage import data

from crispgrain.core.colour.spaces import SRGB_TO_WORKING, apply_matrix, srgb_decode, srgb_encode
from crispgrain.core.stages.sharpen.shake_path import PATCH
from crispgrain.demo.roll import scene
from crispgrain.geometry import Rect
from crispgrain.simulation import camera, in_camera
from crispgrain.simulation.defects import USUAL, Defects
from crispgrain.simulation.dng import write_dng

from . import methods as m
from . import patterns
from .measure import Method

Case = tuple[Any, NDArray]
Task = tuple[str, list[Case], list[tuple[str, Method]]]
RNG = np.random.default_rng(2026)
MASKED = (24, 48)  # rows and columns of a sensor that see no light; common practice, no source
GROWN = 768  # px; LibRaw refuses small pictures of cells of 6 x 6, and in small ones nothing can be told of corners

# Photographs shipped inside scikit-image.
PHOTOGRAPHS = (("astronaut", 0, 100), ("coffee", 60, 180), ("chelsea", 20, 90), ("rocket", 60, 200))
# For each ISO, LibRaw's ways of demosaicing and BM3D's sigmas: those that came out best of three and up to six.
BEST_AFTER_DEMOSAICING = {
    1600: (("AAHD", 0.05), ("DHT", 0.05)),
    6400: (("AAHD", 0.07), ("AAHD", 0.09)),
    25600: (("AAHD", 0.13), ("AAHD", 0.17)),
}
RIM = Rect(1900, 900, 256, 384)
# Photographs kept out of training, there after ./run train data.
RESERVED = Path(__file__).parent.parent / "training" / "data" / "reserved"


def photographs(edge: int = 256) -> list[NDArray]:
    return [getattr(data, n)()[y : y + edge, x : x + edge] / 255 for n, y, x in PHOTOGRAPHS]


def held_out(edge: int = 256) -> list[NDArray]:
    """The photographs of scikit-image, and the centres of the reserved ones."""
    return photographs(edge) + reserved(edge)


def reserved(edge: int) -> list[NDArray]:
    """The centres of the photographs kept out of training, shrunk by two."""
    found = []
    for path in sorted(RESERVED.glob("*-2.npy")):
        picture = np.load(path)
        top, left = ((n - edge) // 2 for n in picture.shape[:2])
        found.append(picture[top : top + edge, left : left + edge] / 255)
    return found


def white_noise(full: bool) -> Iterator[Task]:
    for sigma in (15, 25, 50):
        s = sigma / 255
        cases: list[Case] = [((t + RNG.normal(0, s, t.shape), s), t) for t in held_out()]
        yield (
            f"white noise, sigma {sigma}", cases,
            [
                ("noisy", m.unchanged),
                *((f"OpenCV non-local means, h = {k} sigma", partial(m.opencv_nlm, strength=k)) for k in (0.6, 0.9)),
                *((f"scikit-image non-local means, h = {k} sigma", partial(m.skimage_nlm, strength=k))
                  for k in (0.6, 0.8)),
                ("scikit-image wavelet", m.skimage_wavelet),
                *([("BM3D (package bm3d)", m.bm3d_colour)] if full else []),
                ("**Sliding cosine**", partial(m.ours_denoise, model="sliding-dct")),
                ("**Wavelet**", partial(m.ours_denoise, model="wavelet")),
                ("**Photo net**", partial(m.ours_denoise, model="photo-net")),
                ("**Photo net**, best", partial(m.ours_denoise, model="photo-net", effort="best")),
                ("**Matched blocks**", partial(m.ours_denoise, model="matched-blocks")),
                ("**Matched blocks**, best", partial(m.ours_denoise, model="matched-blocks", effort="best")),
                *((f"**Photo net**, told {k:.0%} of the noise", partial(m.ours_denoise, model="photo-net", told=k))
                  for k in (0.7, 1.3)),
            ],
        )  # fmt: skip


def _raw_truths() -> list[NDArray]:
    """Clean linear pictures (working space): the engraved rim of our scene, and open photographs."""
    rim = camera.lens_softness(scene("orrery")[RIM.grow(64, Rect(0, 0, 3000, 4000)).slices], 0.6)
    photos = [apply_matrix(srgb_decode(p.astype(np.float32)), SRGB_TO_WORKING) for p in photographs()[:3]]
    return [np.ascontiguousarray(rim[:, :384]), *photos]


def _raw_file(
    path: Path, clean: NDArray, iso: int, seed: int, defects: Defects | None = None, masked: bool = False
) -> str:
    """A clean linear picture through the simulated camera; a sensor with ``masked`` pixels, or without."""
    used = replace(camera.FIELD_TWO, masked=MASKED if masked else (0, 0))
    values = camera.expose(clean, iso, seed, used, defects=defects)
    write_dng(path, values, used, iso, Fraction(1, 60), "2026:03:14 16:20:08")
    return str(path)


def raw(folder: Path, full: bool) -> Iterator[Task]:
    """Crops through the simulated camera, as files."""
    truths = _raw_truths()
    for iso in (25, 400, 1600, 6400, 25600):
        cases: list[Case] = []
        for number, clean in enumerate(truths):
            cases.append((_raw_file(folder / f"{number}-{iso}.dng", clean, iso, number), m.encoded(clean)))
        ours: dict[str, dict[str, Any]] = {
            "**Develop only**": {},
            "**Mosaic cosine**": {"denoise.on": True, "denoise.model": "mosaic-dct"},
        }
        for name, model in (("Mosaic net", "mosaic-net"), ("Matched mosaic", "matched-mosaic")):
            ours[f"**{name}**"] = {"denoise.on": True, "denoise.model": model}
            ours[f"**{name}**, best"] = ours[f"**{name}**"] | {"denoise.effort": "best"}
        if iso > 25:
            ours["**Sliding cosine after demosaicing**"] = {"denoise.on": True, "denoise.model": "sliding-dct"}
        references = [
            (f"LibRaw {algorithm} + {name}, sigma {sigma}", partial(method, algorithm=algorithm, sigma=sigma))
            for name, method in (("BM3D", m.libraw_bm3d), ("non-local means", m.libraw_nlm))
            for algorithm, sigma in BEST_AFTER_DEMOSAICING.get(iso, ()) if full or name != "BM3D"
        ]  # fmt: skip
        yield (
            f"RAW, ISO {iso}" if iso > 25 else "RAW, almost no noise (ISO 25)", cases,
            [
                *((f"LibRaw {a}", partial(m.libraw, algorithm=a)) for a in ("AHD", "AAHD", "DHT")),
                *references,
                *((name, partial(m.ours_file, treatment=t)) for name, t in ours.items()),
                ("**Mosaic cosine**, the file's noise profile not looked at",
                 partial(m.ours_file, treatment=ours["**Mosaic cosine**"], profile=False)),
            ],
        )  # fmt: skip


def defective(folder: Path) -> Iterator[Task]:
    """RAW of a sensor with hot, dead and blinking pixels, row and column noise, heavy tails and unequal greens."""
    truths = _raw_truths()
    for iso in (1600, 12800):
        kinds = (("without defects", None), ("usual defects", USUAL), ("usual defects and masked pixels", USUAL))
        for words, defects in kinds:
            masked = "masked" in words
            own = folder / f"{words} {iso}"
            own.mkdir()
            cases: list[Case] = [
                (_raw_file(own / f"{n}.dng", clean, iso, n, defects, masked), m.encoded(clean))
                for n, clean in enumerate(truths)
            ]
            _beside(own, truths, defects, masked)
            models = {"Mosaic net": "mosaic-net", "Matched mosaic": "matched-mosaic", "Mosaic cosine": "mosaic-dct"}
            ours = {f"**{name}**": {"denoise.on": True, "denoise.model": model} for name, model in models.items()}
            yield (
                f"sensor with {words}, ISO {iso}" if defects else f"sensor {words}, ISO {iso}", cases,
                [
                    ("LibRaw AAHD", partial(m.libraw, algorithm="AAHD")),
                    *((name, partial(m.ours_file, treatment=t)) for name, t in ours.items()),
                    ("**Mosaic net**, best, eight other shots known",
                     partial(m.ours_known, treatment=ours["**Mosaic net**"] | {"denoise.effort": "best"})),
                ],
            )  # fmt: skip


def as_written(folder: Path) -> Iterator[Task]:
    """RAW as cameras write it, not as their sensors saw it; and a sensor whose colours repeat every 6 x 6 pixels."""
    used = camera.FIELD_TWO
    span = used.white - used.black
    ways: dict[str, Callable[[NDArray, float, float], NDArray]] = {
        "14 bits, as the sensor saw it": lambda s, a, b: s,
        "12 bits": lambda s, a, b: in_camera.with_bits(s, 12),
        "lossy, steps of a sigma": in_camera.compressed,
        "smoothed by 0.4 px of each colour": lambda s, a, b: in_camera.smoothed(s, 0.4),
        "shading put right, 2.5 in the corners": lambda s, a, b: s * in_camera.shading(s.shape[0], s.shape[1], 2.5),
    }
    net = {"denoise.on": True, "denoise.model": "mosaic-net"}
    for iso in (1600, 12800):
        for words, way in ways.items():
            cases: list[Case] = []
            for number, clean in enumerate(_grown_truths() if "shading" in words else _raw_truths()):
                light = clean
                if "shading" in words:
                    light = clean / in_camera.shading(clean.shape[0], clean.shape[1], 2.5)[..., None]
                signal = (camera.expose(light, iso, number).astype(np.float32) - used.black) / span
                values = np.rint(way(signal, *camera.noise_at(iso)) * span + used.black)
                path = folder / f"{number}-{iso}-{words}.dng"
                stored = np.clip(values, 0, used.white).astype(np.uint16)
                write_dng(path, stored, used, iso, Fraction(1, 60), "2026:03:14 16:20:08")
                cases.append((str(path), m.encoded(clean)))
            even = [("**Mosaic net**, told even noise", partial(m.ours_told_even, treatment=net))]
            yield (
                f"RAW file, {words}, ISO {iso}", cases,
                [("**Mosaic net**", partial(m.ours_file, treatment=net)), *(even if "shading" in words else [])],
            )  # fmt: skip
        cases = []
        dark = replace(used, shading=2.5)
        for number, clean in enumerate(_grown_truths()):
            path = folder / f"{number}-{iso}-map.dng"
            write_dng(path, camera.expose(clean, iso, number, dark), dark, iso, Fraction(1, 60), "2026:03:14 16:20:08")
            cases.append((str(path), m.encoded(clean)))
        yield (
            f"RAW file, shading to 1 / 2.5 and a gain map, ISO {iso}", cases,
            [("**Mosaic net**", partial(m.ours_file, treatment=net))],
        )  # fmt: skip
        six = replace(used, pattern="six by six")
        cases = []
        for number, clean in enumerate(_grown_truths()):
            path = folder / f"{number}-{iso}-six.dng"
            write_dng(path, camera.expose(clean, iso, number, six), six, iso, Fraction(1, 60), "2026:03:14 16:20:08")
            cases.append((str(path), m.encoded(clean)))
        photo = {"denoise.on": True, "denoise.model": "photo-net"}
        yield (
            f"RAW file, colours of 6 x 6, ISO {iso}", cases,
            [
                ("LibRaw", partial(m.libraw, algorithm="AHD")),
                ("LibRaw, then **Photo net**", partial(m.libraw_then_ours, algorithm="AHD", treatment=photo)),
                ("**Mosaic net**", partial(m.ours_file, treatment=net)),
                ("**Mosaic net**, best", partial(m.ours_file, treatment=net | {"denoise.effort": "best"})),
            ],
        )  # fmt: skip


def _grown_truths() -> list[NDArray]:
    """Those of RAW, mirrored on until they are as large as is needed."""
    return [
        np.pad(clean, (*((0, max(GROWN - n, 0)) for n in clean.shape[:2]), (0, 0)), mode="symmetric")
        for clean in _raw_truths()
    ]


def _beside(folder: Path, truths: list[NDArray], defects: Defects | None, masked: bool) -> None:
    """Eight other shots of the same sensor for each file of the truths: other ones of them, moved."""
    for n, truth in enumerate(truths):
        for k in range(8):
            other = truths[(n + 1 + k % (len(truths) - 1)) % len(truths)]
            times = [-(-a // b) for a, b in zip(truth.shape[:2], other.shape[:2], strict=True)]
            moved = np.roll(np.tile(other, (*times, 1)), (70 * k, 110 * k), (0, 1))[: truth.shape[0], : truth.shape[1]]
            _raw_file(folder / f"{n} other {k}.dng", moved, 1600, 100 + k, defects, masked)


def moire(folder: Path) -> Iterator[Task]:
    """Fine grey things through a good lens, with hardly any noise: all colour is false."""
    cases: list[Case] = []
    for name, picture in zip(patterns.NAMES, patterns.pictures(), strict=True):
        clean = camera.lens_softness(picture, 0.5)
        cases.append((_raw_file(folder / f"{name}.dng", clean, 25, 0), m.encoded(clean)))
    net = {"denoise.on": True, "denoise.model": "mosaic-net"}
    yield (
        "grey fabric, wires, grass and gravel, RAW, almost no noise", cases,
        [
            *((f"LibRaw {a}", partial(m.libraw, algorithm=a)) for a in ("VNG", "AHD", "AAHD", "DHT")),
            ("**Develop only**", partial(m.ours_file, treatment={})),
            ("**Mosaic net**", partial(m.ours_file, treatment=net)),
            ("**Mosaic net**, best", partial(m.ours_file, treatment=net | {"denoise.effort": "best"})),
        ],
    )  # fmt: skip


def spread(kernel: NDArray) -> Callable[[NDArray], NDArray]:
    """Blurring by a kernel."""
    return lambda picture: np.stack([convolve(picture[..., c], kernel, mode="mirror") for c in range(3)], axis=-1)


def gaussian(sigma: float) -> NDArray:
    taps = cv2.getGaussianKernel(15, sigma)
    return taps @ taps.T


def disc(radius: float, fine: int = 20) -> NDArray:
    reach = int(radius) + 1
    places = (np.arange((2 * reach + 1) * fine) + 0.5) / fine - reach - 0.5
    inside = np.hypot(*np.meshgrid(places, places)) <= radius
    kernel = inside.reshape(2 * reach + 1, fine, 2 * reach + 1, fine).mean(axis=(1, 3))
    return kernel / kernel.sum()


def blurs() -> Iterator[Task]:
    """Known blur in linear light, then noise in encoded values, all at 8 bits."""
    line = camera.motion(15, 30)
    paths = [camera.shake_path(length, seed) for seed, length in enumerate((10, 12, 14, 16, 18, 20, 24, 28))]
    pictures = photographs()
    kinds: list[tuple[str, list[NDArray], str, dict[str, Any], list[NDArray]]] = [
        ("Gaussian 1.2 px", [gaussian(1.2)], "lens-softness", {}, pictures),
        ("disc of radius 3 px", [disc(3)], "defocus", {"radius": 3.0}, pictures),
        ("motion of 15 px", [line], "motion", {"length": 15.0, "angle": 30.0}, pictures),
        ("shake, eight paths of 10 to 28 px", paths, "shake", {}, pictures),
    ]
    if own := reserved(PATCH):  # evening sky, a flower, moss, falling water; as large as the patch it looks at
        kinds.append(("shake, the same paths on reserved photographs", paths, "shake", {}, own))
    for name, kernels, model, known, pictures in kinds:
        for sigma in (0.01, 0.03):
            cases: list[Case] = []
            for number, kernel in enumerate(kernels):
                # One of the photographs for each path; each of them for a kernel that is alone.
                truths = pictures[number % len(pictures) :][:1] if len(kernels) > 1 else pictures
                for truth in truths:
                    linear = srgb_decode(truth.astype(np.float32))
                    soft = srgb_encode(spread(kernel)(linear)) + RNG.normal(0, sigma, truth.shape)
                    cases.append(((np.round(np.clip(soft, 0, 1) * 255) / 255, kernel, sigma), truth))
            ours: list[tuple[str, Method]] = []
            label = model.replace("-", " ").capitalize()
            for effort in ("fast", "best"):
                told = {"model": model, "effort": effort, **known}
                ours.append((f"**{label}**, {effort}, told the blur", partial(m.ours_deblur, settings=told)))
            for effort in {"lens-softness": (), "shake": ("fast", "best")}.get(model, ("best",)):
                blind = {"model": model, "effort": effort}
                ours.append((f"**{label}**, {effort}, metered", partial(m.ours_deblur, settings=blind, metered=True)))
            if model == "lens-softness":
                ours.append(
                    (
                        "**Unsharp mask**, 120 %",
                        partial(m.ours_deblur, settings={"model": "unsharp-mask", "strength": 120.0}),
                    )
                )
            yield (
                f"{name}, noise {sigma:.0%}", cases,
                [
                    ("blurred", m.unchanged),
                    *((f"scikit-image Wiener, balance {b}, {light} values",
                       partial(m.skimage_wiener, balance=b, linear=light == "linear"))
                      for b in (0.02, 0.1, 0.6) for light in ("linear", "encoded")),
                    *((f"scikit-image Richardson-Lucy, {n} steps", partial(m.skimage_richardson_lucy, iterations=n))
                      for n in (3, 10)),
                    ("scikit-image unsupervised Wiener", m.skimage_unsupervised),
                    *ours,
                ],
            )  # fmt: skip


def mild_blurs(folder: Path) -> Iterator[Task]:
    """Blur that nobody was told of: six small ones on each photograph, everything metered."""
    kernels = (gaussian(0.8), gaussian(1.6), disc(1.5), disc(2.5), camera.motion(5, 20), camera.motion(9, 110))
    for sigma, quality in ((0.005, 100), (0.02, 100), (0.01, 85)):
        cases: list[Case] = []
        for truth in photographs():
            linear = srgb_decode(truth.astype(np.float32))
            softs = [srgb_encode(spread(k)(linear)) + RNG.normal(0, sigma, truth.shape) for k in kernels]
            stored = [np.round(np.clip(s, 0, 1) * 255) / 255 for s in softs]
            if quality < 100:
                stored = [m.as_it_is(path) for path in _saved(folder, stored, quality, "mild")]
            cases += [(s, truth) for s in stored]
        compression = f", JPEG of quality {quality}" if quality < 100 else ""
        ours = [("lens-softness", "fast"), ("lens-softness", "best"), ("sharp-net", "fast"), ("sharp-net", "best")]
        yield (
            f"mild unknown blur, noise {sigma:.1%}{compression}", cases,
            [
                ("blurred", m.given),
                ("**The kind's own deconvolution**, best", partial(m.ours_sharpen, by_kind=True)),
                *((f"**{model.replace('-', ' ').capitalize()}**, {effort}",
                   partial(m.ours_sharpen, settings={"model": model, "effort": effort})) for model, effort in ours),
            ],
        )  # fmt: skip


# The references' strengths: several, the best one counts.
FILE_REFERENCES: list[tuple[str, Method]] = [
    ("the file as it is", m.as_it_is),
    *((f"OpenCV non-local means, h = {h}", partial(m.file_opencv_nlm, strength=h)) for h in (2, 4, 7)),
    *((f"scikit-image non-local means, h = {h}", partial(m.file_skimage_nlm, strength=h)) for h in (5, 8, 11)),
    *((f"scikit-image total variation, weight {w}", partial(m.file_total_variation, weight=w)) for w in (0.02, 0.04)),
    *((f"OpenCV bilateral, sigma {s}", partial(m.file_bilateral, sigma=s)) for s in (0.05, 0.1)),
    *((f"scikit-image wavelet, sigma {s}", partial(m.file_wavelet, sigma=s)) for s in (0.01, 0.02, 0.04)),
]


def _saved(folder: Path, pictures: list[NDArray], quality: int, name: str) -> list[str]:
    paths = [folder / f"{name}-{number}-{quality}.jpg" for number in range(len(pictures))]
    for path, picture in zip(paths, pictures, strict=True):
        stored = np.round(np.clip(picture, 0, 1) * 255).astype(np.uint8)
        Image.fromarray(stored).save(path, quality=quality, subsampling="4:2:0")
    return [str(p) for p in paths]


def compressed(folder: Path) -> Iterator[Task]:
    truths = held_out()
    ours = {"denoise.on": True, "denoise.model": "photo-net"}
    for quality in (10, 20, 40):
        cases: list[Case] = list(zip(_saved(folder, truths, quality, "jpeg"), truths, strict=True))
        yield (
            f"JPEG of quality {quality}", cases,
            [
                *FILE_REFERENCES,
                ("**Photo net**, metered", partial(m.ours_file, treatment=ours)),
                ("**Photo net**, best, metered", partial(m.ours_file, treatment=ours | {"denoise.effort": "best"})),
            ],
        )  # fmt: skip


def processed(folder: Path) -> Iterator[Task]:
    """Sensor noise that LibRaw has developed, saved as JPEG."""
    truths = held_out()
    for iso in (1600, 6400):
        pictures = []
        for number, truth in enumerate(truths):
            clean = apply_matrix(srgb_decode(truth.astype(np.float32)), SRGB_TO_WORKING)
            path = _raw_file(folder / f"processed-{number}-{iso}.dng", clean, iso, number)
            pictures.append(m.libraw(path, "AHD"))
        cases: list[Case] = list(zip(_saved(folder, pictures, 75, f"processed-{iso}"), truths, strict=True))
        ours = [
            (f"{name}, metered", partial(m.ours_file, treatment={"denoise.on": True, **settings}))
            for name, settings in (
                ("**Photo net**", {"denoise.model": "photo-net"}),
                ("**Photo net**, best", {"denoise.model": "photo-net", "denoise.effort": "best"}),
                ("**Matched blocks**", {"denoise.model": "matched-blocks"}),
                ("**Sliding cosine**", {"denoise.model": "sliding-dct"}),
            )
        ]
        yield f"ISO {iso} developed by LibRaw, JPEG of quality 75", cases, [*FILE_REFERENCES, *ours]


def _bicubic(picture: NDArray, factor: int) -> NDArray:
    """Bicubic reduction as Pillow does it, which widens the kernel."""
    size = picture.shape[1] // factor, picture.shape[0] // factor
    planes = [
        Image.fromarray(picture[..., c].astype(np.float32)).resize(size, Image.Resampling.BICUBIC) for c in range(3)
    ]
    return np.clip(np.stack([np.asarray(p) for p in planes], axis=-1), 0, 1)


def enlarging() -> Iterator[Task]:
    for kind in ("area", "bicubic"):
        for factor in (2, 4):
            cases: list[Case] = []
            for t in held_out():
                area = cv2.resize(t, None, fx=1 / factor, fy=1 / factor, interpolation=cv2.INTER_AREA)
                cases.append(((area if kind == "area" else _bicubic(t, factor), factor), t))
            yield (
                f"enlarge x{factor}, {kind} reduction", cases,
                [
                    ("OpenCV bicubic", partial(m.opencv_resize, interpolation=cv2.INTER_CUBIC)),
                    ("OpenCV Lanczos", partial(m.opencv_resize, interpolation=cv2.INTER_LANCZOS4)),
                    ("**Lanczos**", partial(m.ours_enlarge, model="lanczos")),
                    ("**Faithful**", partial(m.ours_enlarge, model="faithful")),
                    ("**Detail net**", partial(m.ours_enlarge, model="detail-net")),
                    ("**Detail net**, best", partial(m.ours_enlarge, model="detail-net", effort="best")),
                ],
            )  # fmt: skip


def small_pictures(folder: Path) -> Iterator[Task]:
    """What people have of old pictures: reduced to a quarter, soft, noisy, compressed, and wanted large again."""
    whole = [getattr(data, name)() for name, *_ in PHOTOGRAPHS]
    truths = [p[: p.shape[0] // 32 * 32, : p.shape[1] // 32 * 32] / 255 for p in whole] + reserved(512)
    size = {"enlarge.on": True, "enlarge.factor": 4.0}
    alone = {"denoise.on": False, "sharpen.on": False}
    for sigma, quality in ((2, 85), (6, 60), (10, 30)):
        small = []
        for t in truths:
            soft = cv2.GaussianBlur(cv2.resize(t, None, fx=0.25, fy=0.25, interpolation=cv2.INTER_AREA), (0, 0), 0.6)
            small.append(soft + RNG.normal(0, sigma / 255, soft.shape))
        cases: list[Case] = list(zip(_saved(folder, small, quality, "small"), truths, strict=True))
        yield (
            f"small, soft, noise {sigma}, JPEG {quality}, x4", cases,
            [
                ("OpenCV bicubic of the file", m.file_bicubic),
                ("**Denoise, Sharpen, Detail net**, metered",
                 partial(m.ours_metered, treatment=size | {"enlarge.model": "detail-net"})),
                ("**Detail net** alone",
                 partial(m.ours_file, treatment=size | alone | {"enlarge.model": "detail-net"})),
                ("**Restore net**", partial(m.ours_file, treatment=size | alone | {"enlarge.model": "restore-net"})),
                ("**Restore net**, best", partial(m.ours_file, treatment=size | alone | {
                    "enlarge.model": "restore-net", "enlarge.effort": "best"})),
                ("**everything metered**", partial(m.ours_metered, treatment=size)),
            ],
        )  # fmt: skip


def every_task(folder: Path, full: bool) -> Iterator[Task]:
    """All tasks, with their files in ``folder``; without ``full`` there is no BM3D, which takes minutes a row."""
    yield from white_noise(full)
    yield from raw(folder, full)
    yield from defective(folder)
    yield from as_written(folder)
    yield from moire(folder)
    yield from compressed(folder)
    yield from processed(folder)
    yield from mild_blurs(folder)
    yield from blurs()
    yield from enlarging()
    yield from small_pictures(folder)
