"""Whether small letters can be read: tesseract, an outside judge, before and after. Needs its package (tesseract-ocr).

Every picture is enlarged to four times its size before it is read, by bicubic interpolation where Enlarge did not:
tesseract reads no letters this small.
"""

from __future__ import annotations

import shutil
import subprocess
import tempfile
from pathlib import Path

import numpy as np
from PIL import Image, ImageDraw, ImageFont

from crispgrain.core.colour import icc
from crispgrain.core.shot import Shot, open_shot
from crispgrain.core.treatment import Treatment
from crispgrain.paths import FONTS

LINES = (
    "The Marlowe Orrery was made in 1794 by",
    "a clockmaker of Whitby. Its six planets",
    "turn on brass arms, driven by a crank;",
    "the moons are ivory, the sun gilt lead.",
    "Repaired 1851, wheel 7 with 83 teeth.",
)
PAPER, INK = (245, 240, 225), (20, 20, 20)
FACTOR, FINER = 4, 8
NET = {"denoise.on": True, "denoise.model": "photo-net"}
DRAWN = {**NET, "drawing.strength": 90.0}
WAYS = {
    "file": {},
    "photo net": NET,
    "and Drawing": DRAWN,
    "and detail net x4": {**DRAWN, "enlarge.on": True, "enlarge.model": "detail-net", "enlarge.factor": 4.0},
    "restore net x4": {"enlarge.on": True, "enlarge.model": "restore-net", "enlarge.factor": 4.0},
}
CASES = ((60, 0), (60, 12), (30, 0), (15, 0), (10, 0))  # JPEG quality, sigma of the noise


def plate(height: int) -> Image.Image:
    """Five lines of letters of a size in px, drawn larger and averaged down."""
    fine = height * FINER
    picture = Image.new("RGB", (24 * fine, 8 * fine), PAPER)
    pen, font = ImageDraw.Draw(picture), ImageFont.truetype(str(FONTS / "NotoSans-Regular.ttf"), fine)
    for i, line in enumerate(LINES):
        pen.text((0.7 * fine, (0.6 + 1.45 * i) * fine), line, INK, font)
    return picture.resize((24 * height, 8 * height), Image.Resampling.BOX)


def misread(picture: Image.Image, scratch: Path) -> float:
    """Share of characters that are wrong, missing or too many (Levenshtein's distance)."""
    picture.save(scratch / "read.png")
    command = ["tesseract", str(scratch / "read.png"), "-", "--psm", "6", "-l", "eng"]
    read = " ".join(subprocess.run(command, capture_output=True, text=True, check=True).stdout.split())
    truth = " ".join(LINES)
    row = list(range(len(read) + 1))
    for i, wanted in enumerate(truth, 1):
        last, row[0] = row[0], i
        for j, got in enumerate(read, 1):
            last, row[j] = row[j], min(row[j] + 1, row[j - 1] + 1, last + (wanted != got))
    return row[-1] / len(truth)


def _treated(shot: Shot, settings: dict[str, object]) -> Image.Image:
    treatment = Treatment().only([])
    for name, value in settings.items():
        treatment = treatment.set(name, value)  # type: ignore[arg-type]
    pipeline = shot.pipeline(treatment)
    return Image.fromarray(icc.from_working(pipeline.region(pipeline.size.rect), icc.profile("srgb"), 8))


def report() -> str:
    """Percent of characters misread, as a table.

    Raises
    ------
    SystemExit
        Without tesseract.
    """
    if shutil.which("tesseract") is None:
        raise SystemExit("tesseract is not there: sudo apt-get install tesseract-ocr")
    lines = [f"| letters of | JPEG | noise | {' | '.join(WAYS)} |", "|---|---:|---:|" + "---:|" * len(WAYS)]
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "plate.jpg"
        for height in (9, 11, 14):
            truth = np.asarray(plate(height)).astype(float)
            for quality, sigma in CASES:
                noisy = truth + sigma * np.random.default_rng(1).standard_normal(truth.shape)
                Image.fromarray(np.clip(noisy + 0.5, 0, 255).astype(np.uint8)).save(path, quality=quality)
                large = (FACTOR * truth.shape[1], FACTOR * truth.shape[0])
                seen = (_treated(open_shot(path), settings) for settings in WAYS.values())
                wrong = [100 * misread(p.resize(large, Image.Resampling.BICUBIC), Path(folder)) for p in seen]
                lines.append(f"| {height} px | {quality} | {sigma} | {' | '.join(f'{w:.1f}' for w in wrong)} |")
    return "\n".join(lines)
