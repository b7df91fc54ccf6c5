"""Profiles of the user's: what is written in them, and what they have not; against LittleCMS and published data."""

import io
import json

import numpy as np
import pytest
import tifffile
from PIL import Image, ImageCms
from skimage import color

from crispgrain.cli.main import main
from crispgrain.core.colour import icc
from crispgrain.core.colour.difference import ciede2000, lab
from crispgrain.core.colour.proof import MISSED, gamut_of, missed
from crispgrain.core.errors import ShotError
from crispgrain.core.files import OutputFormat, OutputSettings, write_picture
from crispgrain.core.files.profiles import read_profile
from crispgrain.core.meter import Reading
from crispgrain.core.render.whole import export
from crispgrain.core.shot import open_shot
from crispgrain.core.treatment import Treatment, sidecar_path
from crispgrain.simulation.print_profile import print_profile

# Rows of the supplementary data of Sharma, Wu, Dalal (2005), table 1: pairs of L*a*b* and their CIEDE2000.
SHARMA = [
    ((50, 2.6772, -79.7751), (50, 0, -82.7485), 2.0425), ((50, 3.1571, -77.2803), (50, 0, -82.7485), 2.8615),
    ((50, -1.3802, -84.2814), (50, 0, -82.7485), 1.0000), ((50, 0, 0), (50, -1, 2), 2.3669),
    ((50, 2.49, -0.001), (50, -2.49, 0.0009), 7.1792), ((50, 2.49, -0.001), (50, -2.49, 0.0011), 7.2195),
    ((50, 2.5, 0), (73, 25, -18), 27.1492), ((50, 2.5, 0), (56, -27, -3), 31.9030),
    ((60.2574, -34.0099, 36.2677), (60.4626, -34.1751, 39.4387), 1.2644),
    ((22.7233, 20.0904, -46.694), (23.0331, 14.973, -42.5619), 2.0373),
    ((90.8027, -2.0831, 1.441), (91.1528, -1.6435, 0.0447), 1.4441),
    ((2.0776, 0.0795, -1.135), (0.9033, -0.0636, -0.5514), 0.9082),
]  # fmt: skip


@pytest.mark.parametrize(("first", "second", "difference"), SHARMA)
def test_differences_are_those_published(first, second, difference):
    assert float(ciede2000(np.array(first), np.array(second))) == pytest.approx(difference, abs=5e-5)


def test_lab_and_differences_are_those_of_scikit_image():
    rng = np.random.default_rng(0)
    encoded = rng.random((40, 50, 3)).astype(np.float32)
    working = icc.to_working(encoded, icc.profile("srgb"))
    theirs = color.rgb2lab(encoded)
    np.testing.assert_allclose(lab(working), theirs, atol=0.05)
    np.testing.assert_allclose(ciede2000(theirs, theirs[::-1]), color.deltaE_ciede2000(theirs, theirs[::-1]), atol=1e-4)


@pytest.fixture(params=["RGB", "CMYK"])
def profile(request) -> bytes:
    return print_profile(request.param)


@pytest.mark.parametrize("intent", list(icc.Intent))
@pytest.mark.parametrize("black_point", [True, False])
def test_what_is_written_is_what_littlecms_alone_makes(profile, intent, black_point):
    """Through Pillow's binding of it, from 8-bit sRGB; within a step and a half of 255 for the rounding there."""
    rng = np.random.default_rng(1)
    encoded = rng.integers(0, 256, (32, 32, 3), np.uint8)
    ours = icc.from_working(icc.to_working(encoded, icc.profile("srgb")), profile, 8, intent, black_point)
    flags = ImageCms.Flags.BLACKPOINTCOMPENSATION if black_point else ImageCms.Flags.NONE
    transform = ImageCms.buildTransform(
        io.BytesIO(icc.profile("srgb")), io.BytesIO(profile), "RGB", icc.colour_space(profile),
        ImageCms.Intent(list(icc.Intent).index(intent)), flags | ImageCms.Flags.HIGHRESPRECALC,
    )  # fmt: skip
    theirs = np.asarray(ImageCms.applyTransform(Image.fromarray(encoded), transform))
    off = np.abs(ours.astype(int) - theirs)
    assert off.mean() < 0.6 and np.percentile(off, 99) <= 3


def test_colours_that_the_paper_has_come_back_and_others_are_found(profile):
    grey = np.full((4, 4, 3), 0.4, np.float32)
    assert missed(grey, profile).max() < 0.5
    glowing = np.zeros((4, 4, 3), np.float32)
    glowing[..., 1] = 1.0  # the green primary of Rec. 2020: no ink has it
    assert missed(glowing, profile).min() > 10
    half = np.concatenate([grey, glowing])
    assert gamut_of(half, profile).share == 0.5
    assert gamut_of(half, profile).largest == pytest.approx(float(missed(glowing, profile).max()))


def test_what_ink_has_made_counts_as_within_gamut():
    rng = np.random.default_rng(2)
    device = rng.random((60, 60, 3)).astype(np.float32)
    printed = icc.to_working(device, print_profile("RGB"))
    assert (missed(printed, print_profile("RGB")) < MISSED).mean() > 0.95


def test_a_proof_on_paper_is_duller_than_one_without(profile):
    white = np.ones((2, 2, 3), np.float32)
    assert icc.through(white, profile, icc.Intent.RELATIVE, True, paper=False).min() > 0.97
    assert icc.through(white, profile, icc.Intent.RELATIVE, True, paper=True).max() < 0.9  # L* 93 is Y 0.83
    black = np.zeros((2, 2, 3), np.float32)
    assert icc.through(black, profile, icc.Intent.RELATIVE, True, paper=True).mean() > 0.005


@pytest.mark.parametrize("fmt", [OutputFormat.TIFF, OutputFormat.JPEG])
def test_files_of_inks_are_read_by_others(tmp_path, clean, profile, fmt):
    path = tmp_path / f"p{fmt.suffix}"
    settings = OutputSettings(fmt, 8, icc=profile, quality=98)
    stored = icc.from_working(clean, profile, 8, settings.intent, settings.black_point)
    write_picture(stored, path, settings)
    with Image.open(path) as picture:
        assert picture.mode == icc.colour_space(profile)
        assert picture.info["icc_profile"] == profile
        assert np.abs(np.asarray(picture).astype(int) - stored).mean() < 1.5
    if fmt is OutputFormat.TIFF:
        with tifffile.TiffFile(path) as tiff:
            assert tiff.pages.first.photometric.name == ("RGB" if stored.shape[2] == 3 else "SEPARATED")


def test_formats_without_inks_say_so(tmp_path, clean):
    settings = OutputSettings(OutputFormat.PNG, 8, icc=print_profile("CMYK"))
    stored = icc.from_working(clean, settings.profile_bytes, 8)
    with pytest.raises(ShotError, match="PNG cannot hold CMYK; TIFF and JPEG can"):
        write_picture(stored, tmp_path / "p.png", settings)
    assert list(tmp_path.iterdir()) == []


def test_a_broken_or_wrong_profile_is_told(tmp_path):
    good = print_profile("RGB")
    cases = {
        "nothing.icc": (b"nothing", "not an ICC profile"),
        "cut.icc": (good[:3000], "damaged"),
        "link.icc": (good[:12] + b"link" + good[16:], "class “link”"),
        "lab.icc": (good[:16] + b"Lab " + good[20:], "a profile for Lab"),
    }
    for name, (data, words) in cases.items():
        (tmp_path / name).write_bytes(data)
        with pytest.raises(ShotError, match=words) as error:
            read_profile(tmp_path / name)
        assert name in str(error.value)
    with pytest.raises(ShotError, match="No such file"):
        read_profile(tmp_path / "gone.icc")


@pytest.mark.slow
def test_the_command_line_writes_in_a_profile_and_proves_it(tmp_path, clean8, capsys):
    (tmp_path / "paper.icc").write_bytes(print_profile("CMYK"))
    Image.fromarray(clean8).save(tmp_path / "a.png")
    call = ["run", str(tmp_path / "a.png"), "--out", str(tmp_path / "out"), "--only", "develop"]
    call += ["--icc", str(tmp_path / "paper.icc"), "--intent", "perceptual", "--no-bpc", "--bits", "8"]
    assert main(call) == 0
    (made,) = (tmp_path / "out").iterdir()
    with Image.open(made) as picture:
        assert picture.mode == "CMYK"
    treatment = Treatment().only([]).set("print.icc", str(tmp_path / "paper.icc")).set("print.intent", "perceptual")
    treatment = treatment.set("print.black-point", "off").set("print.bits", "8")
    shot = open_shot(tmp_path / "a.png", lambda source: Reading())
    direct = export(shot.pipeline(treatment), tmp_path / "direct")
    np.testing.assert_array_equal(tifffile.imread(direct), tifffile.imread(made))
    capsys.readouterr()
    assert main(["proof", str(tmp_path / "a.png"), "--icc", str(tmp_path / "paper.icc"), "--json"]) == 0
    assert '"share_out_of_gamut"' in capsys.readouterr().out
    (tmp_path / "broken.icc").write_bytes(b"x")
    assert main([*call, "--icc", str(tmp_path / "broken.icc")]) == 2
    assert "broken.icc" in capsys.readouterr().err


@pytest.mark.slow
def test_the_command_line_proves_a_shot_under_the_treatment_kept_for_it(tmp_path, clean8, capsys, monkeypatch):
    (tmp_path / "paper.icc").write_bytes(print_profile("CMYK"))
    Image.fromarray(clean8).save(tmp_path / "a.png")

    def share() -> float:
        assert main(["proof", str(tmp_path / "a.png"), "--icc", str(tmp_path / "paper.icc"), "--json"]) == 0
        return json.loads(capsys.readouterr().out)[0]["share_out_of_gamut"]

    plain = share()
    folder = tmp_path / "treatments"
    folder.mkdir()
    monkeypatch.setattr("crispgrain.desktop.base.preferences.sidecar_folder", lambda: folder)
    stronger = Treatment().set("finish.on", True).set("finish.saturation", 150.0)
    stronger.save(sidecar_path(tmp_path / "a.png", folder))
    assert share() > plain
