"""Camera RAW and DNG through LibRaw: the mosaic itself, not LibRaw's rendering of it."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import numpy as np
import rawpy
from numpy.typing import NDArray

from crispgrain.geometry import Rect, Size
from crispgrain.restoration.cells import known, repeated

from ..colour import icc
from ..colour.spaces import SRGB, SRGB_TO_WORKING, WORKING, between, to_xyz
from ..errors import ShotError
from ..optics import LensProfile
from . import gain_map, lens_opcodes, masked, metadata
from .source import Facts, PictureSource, RawSource
from .trouble import check_size, cut_short, missing_strips

# Quarter turns anticlockwise for LibRaw's flip code.
QUARTER_TURNS = {0: 0, 3: 2, 5: 1, 6: 3}
COLOURS = "RGBG"  # LibRaw tells a cell's greens apart


def read_raw(path: Path) -> RawSource | PictureSource:
    """Read a RAW file.

    Sensors whose colours are neither Bayer's nor those of the known cell of 6 x 6
    are demosaiced by LibRaw and come back as a linear picture, with a remark that
    says so.

    Raises
    ------
    ShotError
        If LibRaw cannot open or unpack the file.
    """
    facts = metadata.read_facts(path)
    try:
        with rawpy.imread(str(path)) as raw:
            check_size(path, raw.sizes.raw_height, raw.sizes.raw_width)
            places = _colours(raw)
            return _demosaiced_by_libraw(raw, path, facts) if places is None else _mosaic(raw, path, facts, places)
    except rawpy.LibRawFileUnsupportedError as error:
        raise ShotError(path, "this is not a RAW file that LibRaw can read") from error
    except rawpy.LibRawError as error:
        missing = missing_strips(path)
        words = (
            cut_short(missing) if missing else f"the RAW data is damaged or cut short (LibRaw says: {_words(error)})"
        )
        raise ShotError(path, words) from error


def _words(error: Exception) -> str:
    said = error.args[0] if error.args else error
    return said.decode("ascii", "replace") if isinstance(said, bytes) else str(said)


def _colours(raw: rawpy.RawPy) -> NDArray[np.int64] | None:
    """The numbers that LibRaw gives to the colours in a cell; None where the sensor is none that is known here."""
    cell = raw.raw_pattern
    if cell is None or raw.raw_type != rawpy.RawType.Flat or not set(raw.color_desc) <= set(COLOURS.encode()):
        return None
    rows, columns = cell.shape
    top, left = raw.sizes.top_margin, raw.sizes.left_margin
    places = np.array([[raw.raw_color(top + y, left + x) for x in range(columns)] for y in range(rows)], np.int64)
    try:
        known(_pattern(raw, places))
    except ValueError:
        return None
    return places


def _pattern(raw: rawpy.RawPy, places: NDArray[np.int64]) -> NDArray[np.int8]:
    return np.array([COLOURS.index(chr(c)) for c in raw.color_desc], np.int8)[places]


def _mosaic(raw: rawpy.RawPy, path: Path, facts: Facts, places: NDArray[np.int64]) -> RawSource:
    sizes = raw.sizes
    mosaic = raw.raw_image_visible
    height, width = (n // 2 * 2 for n in mosaic.shape)
    if min(height, width) < len(places):
        raise ShotError(path, "the picture is smaller than one cell of the sensor's colour pattern")
    turns = QUARTER_TURNS.get(sizes.flip, 0)
    gains = np.asarray(raw.camera_whitebalance[:3], np.float32)
    if not (gains[:3] > 0).all():
        gains = np.asarray(raw.daylight_whitebalance[:3], np.float32)
        facts = _remarked(facts, "No white balance in the file: daylight is assumed.")
    white = float(raw.camera_white_level_per_channel[1] if raw.camera_white_level_per_channel else raw.white_level)
    seeing = Rect(sizes.top_margin, sizes.left_margin, height, width)
    columns = masked.beside(metadata.masked_areas(path), seeing, raw.raw_image.shape[1])
    offsets = masked.row_offsets(raw.raw_image[seeing.top : seeing.bottom, columns])
    if offsets.any():
        facts = _remarked(facts, "Row noise is taken off, as the sensor's masked pixels show it.")
        mosaic = masked.level_rows(mosaic[:height, :width], offsets, white)

    shading = None
    try:
        shading = gain_map.read(metadata.opcodes(path, 2), Size(height, width), _pattern(raw, places))
    except ValueError as error:
        facts = _remarked(facts, f"Lens shading is left as it is: {error}.")
    if shading is not None:
        facts = _remarked(facts, "Lens shading is put right as the file says.")
    lens, facts = _lens(path, turns, facts)

    def turned(cell: NDArray) -> NDArray:
        """The cell that the turned mosaic begins with, which is not of whole cells only."""
        return np.rot90(repeated(cell, height, width), turns)[: len(cell), : len(cell)].copy()

    return RawSource(
        path=path,
        # LibRaw frees its own memory when the file is closed: this must be a copy.
        mosaic=np.rot90(mosaic[:height, :width], turns).copy(),
        pattern=turned(_pattern(raw, places)),
        black=turned(np.asarray(raw.black_level_per_channel, np.float32)[places]),
        white=white,
        white_balance=gains / gains[1],
        camera_to_working=_to_working(raw),
        noise_profile=metadata.noise_profile(path),
        facts=facts,
        daylight=_daylight(raw),
        shading=shading.turned(turns, Size(height, width)) if shading is not None else None,
        lens=lens,
    )


def _lens(path: Path, turns: int, facts: Facts) -> tuple[LensProfile | None, Facts]:
    """What the file says its lens did to the picture turned upright, and the facts with what to know of that."""
    lens, unknown = lens_opcodes.read(metadata.opcodes(path, 3))
    if lens is not None:
        lens = lens.turned(turns)
        facts = _remarked(facts, "The file says what its lens did: Lens in Develop undoes it.")
    return lens, _remarked(facts, *(f"Not all is undone that the file asks for: {part}." for part in unknown))


def _remarked(facts: Facts, *remarks: str) -> Facts:
    return replace(facts, remarks=(*facts.remarks, *remarks))


def _daylight(raw: rawpy.RawPy) -> NDArray[np.float32] | None:
    gains = np.asarray(raw.daylight_whitebalance[:3], np.float32)
    return gains / gains[1] if np.isfinite(gains).all() and (gains > 0).all() else None


def camera_matrix(xyz_to_camera: NDArray[np.float64]) -> NDArray[np.float32]:
    """White-balanced camera RGB to the working space from the DNG ColorMatrix (XYZ to camera, D65).

    Rows are scaled so that equal camera values (after white balance) give white,
    as in the DNG specification 1.6, chapter 6.
    """
    if not np.any(xyz_to_camera):
        return np.eye(3, dtype=np.float32)
    forward = xyz_to_camera @ to_xyz(WORKING)
    return np.linalg.inv(forward / forward.sum(axis=1, keepdims=True)).astype(np.float32)


def _to_working(raw: rawpy.RawPy) -> NDArray[np.float32]:
    """LibRaw's own camera to sRGB matrix (from the file's ColorMatrix) if it has one, else its table's."""
    to_srgb = np.asarray(raw.color_matrix, np.float64)[:, :3]
    if np.any(to_srgb):
        return (between(SRGB, WORKING) @ to_srgb).astype(np.float32)
    return camera_matrix(np.asarray(raw.rgb_xyz_matrix[:3], np.float64))


def _demosaiced_by_libraw(raw: rawpy.RawPy, path: Path, facts: Facts) -> PictureSource:
    # Of cells of 6 x 6 LibRaw's better ways know one order only, and no small pictures.
    by_lines = raw.raw_pattern is not None and raw.raw_pattern.shape != (2, 2)
    rgb = raw.postprocess(
        use_camera_wb=True, no_auto_bright=True, output_bps=16, gamma=(1, 1), adjust_maximum_thr=0.0,
        output_color=rawpy.ColorSpace.XYZ, demosaic_algorithm=rawpy.DemosaicAlgorithm.LINEAR if by_lines else None,
    )  # fmt: skip
    # LibRaw's XYZ has D65 for white; taken to linear sRGB primaries here, unclipped.
    linear = rgb.astype(np.float32) / 65535 @ np.linalg.inv(to_xyz(SRGB)).T.astype(np.float32)
    if raw.raw_type == rawpy.RawType.Flat:
        remark = (
            "This sensor's colours are in no known order: LibRaw demosaiced it; it is treated as a finished picture."
        )
    else:
        remark = "The file has all colours of every pixel already: it is treated as a finished picture."
    lens, facts = _lens(path, QUARTER_TURNS.get(raw.sizes.flip, 0), _remarked(facts, remark))
    return PictureSource(path, linear @ SRGB_TO_WORKING.T, icc.working_profile(), facts=facts, lens=lens)
