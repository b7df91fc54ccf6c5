"""What goes from a shot's file into its result: what describes the photograph. Read back with Pillow."""

import exiv2
import numpy as np
import pytest
import tifffile
from PIL import Image

from crispgrain.core.files import OutputFormat, OutputSettings, read_shot
from crispgrain.core.files.metadata import Wanted
from crispgrain.core.files.write import write_picture
from crispgrain.core.meter import Reading
from crispgrain.core.model import Stage
from crispgrain.core.render.whole import export
from crispgrain.core.shot import Shot
from crispgrain.core.treatment import Treatment

XMP = """<?xpacket begin="" id="W5M0MpCehiHzreSzNTczkc9d"?><x:xmpmeta xmlns:x="adobe:ns:meta/"><rdf:RDF
 xmlns:rdf="http://www.w3.org/1999/02/22-rdf-syntax-ns#"><rdf:Description rdf:about=""
 xmlns:dc="http://purl.org/dc/elements/1.1/" xmlns:xmp="http://ns.adobe.com/xap/1.0/"
 xmlns:tiff="http://ns.adobe.com/tiff/1.0/" xmlns:exif="http://ns.adobe.com/exif/1.0/"
 xmlns:GPano="http://ns.google.com/photos/1.0/panorama/" xmlns:other="https://example.org/adjustments/1.0/"
 xmp:Rating="4" tiff:Orientation="6" tiff:ImageWidth="64" exif:PixelXDimension="64"
 other:Exposure="+1.50" other:Sharpness="80"
 GPano:ProjectionType="equirectangular" GPano:FullPanoWidthPixels="64" GPano:FullPanoHeightPixels="32"
 GPano:CroppedAreaImageWidthPixels="64" GPano:CroppedAreaImageHeightPixels="32"
 GPano:CroppedAreaLeftPixels="0" GPano:CroppedAreaTopPixels="0">
 <dc:title><rdf:Alt><rdf:li xml:lang="x-default">The dome</rdf:li></rdf:Alt></dc:title>
 <dc:subject><rdf:Bag><rdf:li>observatory</rdf:li></rdf:Bag></dc:subject>
</rdf:Description></rdf:RDF></x:xmpmeta><?xpacket end="w"?>"""
PIXEL_WIDTH, THUMBNAIL = 0xA002, 0x0201  # Exif 2.32


@pytest.fixture
def shot(tmp_path):
    path = tmp_path / "dome.jpg"
    pixels = np.random.default_rng(0).integers(0, 255, (32, 64, 3), dtype=np.uint8)
    exif = Image.Exif()
    exif[0x010E] = "From the roof"
    exif[0x0112] = 1
    exif.get_ifd(0x8769)[PIXEL_WIDTH] = 64
    Image.fromarray(pixels).save(path, xmp=XMP.encode(), exif=exif, dpi=(240, 240), quality=90)
    return path


def result(shot, tmp_path, treatment: Treatment):
    written = export(Shot(read_shot(shot), Reading()).pipeline(treatment), tmp_path / "out")
    picture = Image.open(written)
    return picture, picture.info.get("xmp", b"").decode()


@pytest.mark.parametrize("format", ["jpeg", "png", "tiff"])
def test_what_describes_the_photograph_goes_on_and_what_another_program_did_stays(shot, tmp_path, format):
    picture, xmp = result(shot, tmp_path, Treatment().only([]).set("print.format", format))
    if format == "tiff":
        xmp = picture.tag_v2[700].decode()
    assert "The dome" in xmp and "observatory" in xmp and 'Rating="4"' in xmp
    assert "Exposure" not in xmp and "Sharpness" not in xmp  # they are in the pixels: not to be applied once more
    assert 'Orientation="6"' not in xmp
    assert picture.getexif()[0x010E] == "From the roof"
    assert picture.getexif()[0x0112] == 1


def test_sizes_follow_an_enlarged_panorama(shot, tmp_path):
    treatment = Treatment().only([Stage.ENLARGE]).set("enlarge.factor", 2.0).set("print.format", "jpeg")
    picture, xmp = result(shot, tmp_path, treatment)
    assert picture.size == (128, 64)
    assert picture.getexif().get_ifd(0x8769)[PIXEL_WIDTH] == 128
    assert 'ProjectionType="equirectangular"' in xmp
    assert 'FullPanoWidthPixels="128"' in xmp and 'CroppedAreaImageHeightPixels="64"' in xmp
    assert '"32"' not in xmp


def test_a_part_of_a_panorama_is_no_view_all_round(shot, tmp_path):
    treatment = Treatment().only([]).set("crop.right", 50.0).set("print.format", "jpeg")
    picture, xmp = result(shot, tmp_path, treatment)
    assert picture.size[0] < 64
    assert "GPano" not in xmp
    # Half as wide and half as high it has the form of one, and a view across two fields of it, too.
    quarter = treatment.set("crop.bottom", 50.0)
    picture, xmp = result(shot, tmp_path / "quarter", quarter)
    assert picture.size == (32, 16) and "GPano" not in xmp


def test_like_the_source_is_its_format_depth_profile_and_resolution(shot, tmp_path):
    picture, _ = result(shot, tmp_path, Treatment().only([]).set("print.format", "source"))
    assert picture.format == "JPEG"
    assert picture.info["dpi"] == pytest.approx((240, 240))
    sixteen = tmp_path / "sixteen.png"
    pixels = np.random.default_rng(0).integers(0, 65535, (20, 20, 3), dtype=np.uint16)
    write_picture(pixels, sixteen, OutputSettings(OutputFormat.PNG, 16, "display-p3", 150))
    written = export(
        Shot(read_shot(sixteen), Reading()).pipeline(Treatment().only([]).set("print.format", "source")), tmp_path / "o"
    )
    again, before = read_shot(written), read_shot(sixteen)
    assert written.suffix == ".png" and again.stored.dtype == np.uint16 and again.icc == before.icc
    assert again.facts.ppi == pytest.approx(150, abs=0.1)
    np.testing.assert_allclose(again.stored.astype(int), before.stored, atol=2)


@pytest.mark.parametrize("bytes", [0, 10**12])
def test_a_large_tiff_is_written_once_with_its_metadata(raw_file, tmp_path, monkeypatch, bytes):
    """What exiv2 reads of a small one, written afterwards, and of one that counts as large, by tifffile alone."""
    monkeypatch.setattr("crispgrain.core.files.write.LARGE", bytes)
    pixels = np.full((20, 30, 3), 9, np.uint8)
    wanted = Wanted(copyright="Lumen, 2026", caption="The orrery")
    path = write_picture(pixels, tmp_path / "a.tif", OutputSettings(bits=8, metadata=wanted), metadata_from=raw_file)
    image = exiv2.ImageFactory.open(str(path))
    image.readMetadata()
    exif, xmp = image.exifData(), image.xmpData()
    assert exif["Exif.Image.Copyright"].toString() == "Lumen, 2026"
    assert exif["Exif.Image.Model"].toString() == "Field Two"
    assert exif["Exif.Image.ImageDescription"].toString() == "The orrery"
    if bytes:
        assert exif["Exif.Photo.FNumber"].toString() == "4/1"
    else:
        assert xmp["Xmp.exif.FNumber"].toString() == "4/1"
        assert xmp["Xmp.exif.PixelXDimension"].toString() == "30"
        assert xmp["Xmp.dc.rights"].toString().endswith("Lumen, 2026")
    with tifffile.TiffFile(path) as file:
        assert np.array_equal(file.asarray(), pixels)
