"""Linear DNG: developed by LibRaw, and its tags read by exiv2 and tifffile."""

import exiv2
import numpy as np
import pytest
import rawpy
import tifffile
from PIL import Image

from crispgrain.core.colour import icc
from crispgrain.core.colour.difference import ciede2000, lab
from crispgrain.core.colour.spaces import SRGB_TO_WORKING, apply_matrix
from crispgrain.core.errors import ShotError
from crispgrain.core.render.whole import export
from crispgrain.core.shot import open_shot
from crispgrain.core.treatment import Treatment


@pytest.fixture(scope="module")
def written(raw_file, tmp_path_factory):
    shot = open_shot(raw_file)
    treatment = Treatment().only(["denoise"]).set("denoise.model", "wavelet").set("denoise.on", True)
    treatment = treatment.set("print.format", "dng").set("develop.exposure", 0.7).set("develop.base", "linear")
    pipeline = shot.pipeline(treatment)
    return shot, treatment, export(pipeline, tmp_path_factory.mktemp("dng"))


def developed(path):
    """What LibRaw makes of a file, as linear sRGB in our working space."""
    with rawpy.imread(str(path)) as raw:
        rgb = raw.postprocess(
            use_camera_wb=True, no_auto_bright=True, output_bps=16, gamma=(1, 1), adjust_maximum_thr=0.0,
            output_color=rawpy.ColorSpace.sRGB,
        )  # fmt: skip
    return apply_matrix(rgb.astype(np.float32) / 65535, SRGB_TO_WORKING)


def test_libraw_develops_it_to_the_same_picture(written):
    """Within 0.5 CIEDE2000, without the exposure, which LibRaw leaves to its user."""
    shot, treatment, path = written
    plain = shot.pipeline(treatment.set("develop.exposure", 0.0).set("develop.base", "linear"))
    ours, theirs = plain.region(plain.size.rect), developed(path)
    assert ours.shape == theirs.shape
    inside = ((ours > 0.002) & (ours < 0.9)).all(axis=-1)
    difference = ciede2000(lab(ours), lab(theirs))[inside]
    assert inside.mean() > 0.3
    assert difference.mean() < 0.1
    assert np.quantile(difference, 0.99) < 0.5


def test_its_tags_are_those_of_the_standard(written):
    shot, _, path = written
    image = exiv2.ImageFactory.open(str(path))
    image.readMetadata()
    exif = image.exifData()
    assert exif["Exif.Image.DNGVersion"].toString() == "1 4 0 0"
    assert float(exif["Exif.Image.BaselineExposure"].toFloat()) == pytest.approx(0.7, abs=1e-4)
    assert exif["Exif.SubImage1.PhotometricInterpretation"].toInt64() == 34892
    assert exif["Exif.Photo.ISOSpeedRatings"].toInt64() == shot.source.facts.iso
    with tifffile.TiffFile(path) as file:
        preview, full = file.pages[0], file.pages[0].pages[0]
        assert preview.shape[2] == 3 and max(preview.shape[:2]) <= 1024
        assert full.shape == (shot.source.size.height, shot.source.size.width, 3)
        neutral = np.array(preview.tags["AsShotNeutral"].value).reshape(3, 2)
        assert neutral[:, 0] / neutral[:, 1] == pytest.approx(1 / shot.source.white_balance, rel=1e-4)
        matrix = np.array(preview.tags["ColorMatrix1"].value, float).reshape(9, 2)
        # DNG 1.4, chapter 6: the matrix takes the white of its light to the neutral camera colour.
        white = (matrix[:, 0] / matrix[:, 1]).reshape(3, 3) @ (0.3127 / 0.3290, 1, (1 - 0.3127 - 0.3290) / 0.3290)
        assert white / white[1] == pytest.approx(1 / shot.source.white_balance, rel=2e-3)
        noise = np.array(full.tags[51041].value).reshape(3, 2)
        assert (noise[:, 0] < np.array(shot.reading.noise.a)).all()


def test_the_preview_is_the_picture_with_its_exposure(written):
    shot, treatment, path = written
    with tifffile.TiffFile(path) as file:
        preview = file.pages[0].asarray()
    brighter, plain = (shot.pipeline(treatment.set("develop.exposure", v)) for v in (0.7, 0.0))

    seen = [icc.from_working(p.region(p.size.rect), icc.profile("srgb"), 8).mean() for p in (brighter, plain)]
    assert preview.mean() == pytest.approx(seen[0], abs=2.5)
    assert abs(preview.mean() - seen[1]) > 4


def test_finished_pictures_are_refused(tmp_path):

    Image.fromarray(np.full((40, 60, 3), 120, np.uint8)).save(tmp_path / "x.png")
    shot = open_shot(tmp_path / "x.png")
    with pytest.raises(ShotError, match=r"x.png: a linear DNG is made of RAW only"):
        export(shot.pipeline(Treatment().only([]).set("print.format", "dng")), tmp_path / "out")
    assert not list(tmp_path.glob("out/*"))


@pytest.mark.slow
def test_opened_again_it_is_a_finished_picture_and_that_is_said(written):
    source = open_shot(written[2]).source
    assert not source.is_raw
    assert (
        "The file has all colours of every pixel already: it is treated as a finished picture." in source.facts.remarks
    )
