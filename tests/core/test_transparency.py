"""Transparency: read, enlarged with the picture, written, and no foreign colour along edges."""

import io

import imagecodecs
import numpy as np
import pytest
import tifffile
from PIL import Image

from crispgrain.core.colour import icc
from crispgrain.core.colour.spaces import srgb_decode
from crispgrain.core.files import read_shot
from crispgrain.core.meter import Noise, Reading
from crispgrain.core.model import Stage
from crispgrain.core.render.pipeline import Pipeline
from crispgrain.core.render.views import Result
from crispgrain.core.render.whole import export
from crispgrain.core.resolve import resolve
from crispgrain.core.treatment import Treatment
from crispgrain.geometry import Rect

READING = Reading(Noise.even(0.5))
COLOUR = np.array([200, 120, 40], np.float32)
EDGE = 96


def disc(edge=EDGE):
    """Opacity 0..1 of a soft disc."""
    y, x = (np.mgrid[:edge, :edge] + 0.5) * EDGE / edge - EDGE / 2
    return np.clip((30 - np.hypot(x, y)) / 3 + 0.5, 0, 1).astype(np.float32)


def rgba(hidden=(0, 0, 0), top=255):
    """A disc of one colour; other colours hide where nothing is seen."""
    seen = disc() > 0
    colours = np.where(seen[..., None], COLOUR, np.array(hidden, np.float32)) * (top / 255)
    return np.rint(np.dstack([colours, disc() * top])).astype(np.uint8 if top == 255 else np.uint16)


def chain(path, treatment):
    source = read_shot(path)
    return Pipeline(source, READING, resolve(treatment, source, READING))


def plain(stage=None):
    return Treatment().only([stage] if stage else [])


@pytest.mark.parametrize("hidden", [(0, 0, 0), (255, 255, 255), (255, 0, 0)], ids=["black", "white", "red"])
@pytest.mark.parametrize("model", ["lanczos", "faithful", "detail-net"])
def test_an_enlarged_edge_has_no_fringe_of_what_was_hidden(model, hidden, tmp_path):
    Image.fromarray(rgba(hidden)).save(tmp_path / "disc.png")
    treatment = plain(Stage.ENLARGE).set("enlarge.model", model).set("enlarge.factor", 2)
    written = export(chain(tmp_path / "disc.png", treatment.set("print.format", "png")), tmp_path / "out")
    result = np.asarray(Image.open(io.BytesIO(written.read_bytes()))).astype(np.float32)
    assert result.shape == (2 * EDGE, 2 * EDGE, 4)
    share, truth = result[..., 3:] / 255, disc(2 * EDGE)[..., None]
    assert np.abs(share - truth).max() < 0.12
    for backdrop in (np.zeros(3), np.full(3, 255.0), np.array([255.0, 0, 0])):
        shown = result[..., :3] * share + backdrop * (1 - share)
        wanted = COLOUR * share + backdrop * (1 - share)
        assert np.abs(shown - wanted).max() < 4


@pytest.mark.parametrize("bits", [8, 16])
@pytest.mark.parametrize("kind", ["tiff", "png", "webp", "avif", "jxl"])
def test_formats_keep_it_as_other_libraries_read(kind, bits, tmp_path):
    Image.fromarray(rgba()).save(tmp_path / "disc.png")
    treatment = plain().set("print.format", kind).set("print.bits", str(bits)).set("print.quality", 100.0)
    written = export(chain(tmp_path / "disc.png", treatment), tmp_path / "out")
    if kind == "tiff":
        with tifffile.TiffFile(written) as file:
            assert file.pages.first.extrasamples == (tifffile.EXTRASAMPLE.UNASSALPHA,)
            stored = file.asarray()
    elif kind == "jxl":
        stored = imagecodecs.jpegxl_decode(written.read_bytes())
    elif kind == "png":
        stored = imagecodecs.png_decode(written.read_bytes())
    else:
        stored = np.asarray(Image.open(written))
    got = stored[..., 3] / np.iinfo(stored.dtype).max
    assert np.abs(got - np.rint(disc() * 255) / 255).max() < (0.002 if kind != "avif" else 0.02)
    again = read_shot(written) if kind != "jxl" else None
    assert again is None or again.opacity is not None


def test_a_format_without_it_is_white_there(tmp_path):
    Image.fromarray(rgba((0, 0, 255))).save(tmp_path / "disc.png")
    written = export(chain(tmp_path / "disc.png", plain().set("print.format", "jpeg")), tmp_path / "out")
    result = np.asarray(Image.open(written)).astype(int)
    assert (result[:8, :8] >= 253).all()
    assert np.abs(result[44:52, 44:52] - COLOUR).max() < 4


def test_grey_with_opacity_and_multiplied_colours_are_read(tmp_path):
    grey = np.dstack([np.full((EDGE, EDGE), 140, np.uint8), np.rint(disc() * 255).astype(np.uint8)])
    Image.fromarray(grey, "LA").save(tmp_path / "grey.png")
    source = read_shot(tmp_path / "grey.png")
    assert source.grey
    assert np.array_equal(source.opacity, grey[..., 1])
    multiplied = rgba(top=65535).astype(np.float32)
    multiplied[..., :3] *= multiplied[..., 3:] / 65535
    tifffile.imwrite(
        tmp_path / "m.tif", np.rint(multiplied).astype(np.uint16), photometric="rgb", extrasamples=["assocalpha"]
    )
    stored = read_shot(tmp_path / "m.tif").stored
    assert np.abs(stored[disc() > 0.1] / 257 - COLOUR).max() < 1


def test_a_picture_that_is_opaque_all_over_has_no_fourth_channel(tmp_path):
    picture = rgba()
    picture[..., 3] = 255
    Image.fromarray(picture).save(tmp_path / "opaque.png")
    pipeline = chain(tmp_path / "opaque.png", plain().set("print.format", "png"))
    assert pipeline.source.opacity is None
    assert Image.open(export(pipeline, tmp_path / "out")).mode == "RGB"


def test_it_is_cropped_with_the_picture_and_seen_through_on_the_screen(tmp_path):
    Image.fromarray(rgba()).save(tmp_path / "disc.png")
    treatment = plain().set("crop.left", 50.0).set("print.format", "png")
    pipeline = chain(tmp_path / "disc.png", treatment)
    stored = imagecodecs.png_decode(export(pipeline, tmp_path / "out").read_bytes())
    assert np.array_equal(stored[..., 3] >> 8 if stored.dtype == np.uint16 else stored[..., 3], rgba()[:, 48:, 3])
    shown = Result(pipeline).display(0, 0)
    assert srgb_decode(np.float32(shown[0, -1, 0] / 255)) == pytest.approx(0.2, abs=0.01)
    assert np.abs(shown[48, 0].astype(int) - COLOUR).max() <= 1
    assert shown.shape[2] == icc.channels(icc.profile("srgb"))
    assert Rect(0, 0, *shown.shape[:2]) == pipeline.size.rect
