"""The simulated print lab takes what keeps to its specification, and says why it does not take the rest."""

import json

import numpy as np
import pytest
from PIL import Image
from skimage import data

from crispgrain.cli.main import main
from crispgrain.core.errors import ShotError
from crispgrain.core.files import OutputFormat, OutputSettings, write_picture
from crispgrain.geometry import Size
from crispgrain.lab import load_spec, refused
from crispgrain.lab.before import expected_bytes, to_be_handed
from crispgrain.lab.counter import reasons


def made(tmp_path, size=(1181, 1772), name="a", bits=8, **settings):
    """A grey file of a size (height, width); that of 10 x 15 cm at 300 ppi if not given."""
    settings = OutputSettings(**{"format": OutputFormat.TIFF, "bits": bits} | settings)
    pixels = np.full((*size, 3), 128 if settings.stored_bits == 8 else 32768, f"uint{settings.stored_bits}")
    return write_picture(pixels, tmp_path / f"{name}{settings.format.suffix}", settings)


@pytest.mark.parametrize(
    "settings",
    [
        {}, {"bits": 16}, {"format": OutputFormat.JPEG}, {"profile": "adobe-rgb"}, {"size": (1772, 1181)},
        {"size": (2400, 3000)}, {"size": (827, 1169), "ppi": 200}, {"compression": "zip", "bits": 16},
    ],
)  # fmt: skip
def test_what_keeps_to_the_specification_is_taken(tmp_path, settings):
    assert refused(made(tmp_path, **settings), load_spec()) == []


@pytest.mark.parametrize(
    ("settings", "words"),
    [
        ({"format": OutputFormat.PNG}, "PNG is not taken, only TIFF or JPEG"),
        ({"profile": "prophoto"}, "the profile is “ROMM RGB"),
        ({"size": (1200, 1772)}, "10.2 × 15.0 cm is no size of this lab"),
        ({"size": (591, 886), "ppi": 150}, "150 ppi; between 200 and 400 are taken"),
    ],
)
def test_what_does_not_is_refused_with_the_reason(tmp_path, settings, words):
    (reason,) = refused(made(tmp_path, **settings), load_spec())
    assert words in reason


def test_files_of_others_are_looked_at_as_they_are(tmp_path):
    grey = np.full((1181, 1772, 3), 128, np.uint8)
    Image.fromarray(grey).save(tmp_path / "plain.jpg")
    assert refused(tmp_path / "plain.jpg", load_spec()) == [
        "it has no colour profile", "it says nothing of its resolution"
    ]  # fmt: skip
    whole = made(tmp_path, format=OutputFormat.JPEG).read_bytes()
    (tmp_path / "cut.jpg").write_bytes(whole[: len(whole) // 2])
    (tmp_path / "words.tif").write_text("no picture")
    for name in ("cut.jpg", "words.tif", "gone.tif"):
        assert refused(tmp_path / name, load_spec()) == ["it cannot be read as a picture"]


def test_a_specification_of_ones_own(tmp_path):
    spec = {
        "name": "Small", "formats": ["jpeg"], "profiles": ["sRGB"], "bits": [8], "sizes_mm": [[100, 100]],
        "ppi": [100, 300], "bleed_mm": 3, "megabytes": 0.001,
    }  # fmt: skip
    (tmp_path / "spec.json").write_text(json.dumps(spec))
    small = load_spec(tmp_path / "spec.json")
    path = made(tmp_path, (1252, 1252), format=OutputFormat.JPEG)  # 106 mm at 300 ppi
    (reason,) = refused(path, small)
    assert "MB are too many" in reason
    (tmp_path / "bad.json").write_text(json.dumps(spec | {"bits": [12]}))
    with pytest.raises(ShotError, match=r"bits/0, 12 is not one of"):
        load_spec(tmp_path / "bad.json")
    (tmp_path / "none.json").write_text("{")
    for name in ("none.json", "gone.json"):
        with pytest.raises(ShotError, match=name):
            load_spec(tmp_path / name)


@pytest.mark.slow
def test_a_print_ordered_on_the_command_line_is_taken(tmp_path, clean8, capsys):
    Image.fromarray(clean8).save(tmp_path / "a.png")
    call = ["run", str(tmp_path / "a.png"), "--out", str(tmp_path / "out"), "--set", "enlarge.model=lanczos"]
    call += ["--set", "denoise.on=no", "--set", "sharpen.on=no"]
    for paper, more in (("30x40cm", ["--border", "1cm"]), ("8x10in", ["--fit", "fit"]), ("a4", ["--crop", "4:5"])):
        assert main([*call, "--print", paper, *more, "--format", "jpeg", "--name", paper]) == 0
    capsys.readouterr()
    assert main(["lab", *map(str, (tmp_path / "out").iterdir())]) == 0
    assert capsys.readouterr().out.count("accepted") == 3
    assert main(["lab", str(tmp_path / "a.png"), "--json"]) == 1
    assert "PNG is not taken" in json.loads(capsys.readouterr().out)["files"][0]["refused"][0]


@pytest.mark.parametrize("settings", [
    {}, {"bits": 16, "compression": "zip"}, {"format": OutputFormat.JPEG}, {"format": OutputFormat.PNG},
    {"profile": "prophoto"}, {"profile": "grey", "channels": 1}, {"size": (1200, 1772)},
    {"size": (591, 886), "ppi": 150},
])  # fmt: skip
def test_the_lab_says_beforehand_what_it_says_of_the_file(tmp_path, settings):
    settings = dict(settings)
    size, channels = settings.pop("size", (1181, 1772)), settings.pop("channels", 3)
    chosen = OutputSettings(**{"format": OutputFormat.TIFF, "bits": 8} | settings)
    pixels = np.full((*size, channels), 99, f"uint{chosen.stored_bits}")
    path = write_picture(pixels, tmp_path / f"x{chosen.format.suffix}", chosen)
    assert reasons(to_be_handed(Size(*size), chosen), load_spec()) == refused(path, load_spec())


@pytest.mark.slow
def test_the_bytes_expected_are_those_of_a_photograph(tmp_path):
    """Uncompressed to the point, else within a factor of two of an enlarged photograph of scikit-image."""
    photo = np.asarray(Image.fromarray(data.astronaut()).resize((1024, 1024), Image.Resampling.LANCZOS))
    for settings in (
        {}, {"compression": "zip"}, {"format": OutputFormat.PNG}, {"format": OutputFormat.JPEG},
        {"format": OutputFormat.JPEG, "quality": 75}, {"format": OutputFormat.WEBP}, {"format": OutputFormat.AVIF},
        {"format": OutputFormat.JPEG, "limit": 90},
    ):  # fmt: skip
        chosen = OutputSettings(**{"format": OutputFormat.TIFF, "bits": 8} | settings)
        real = write_picture(photo, tmp_path / f"x{chosen.format.suffix}", chosen).stat().st_size
        share = expected_bytes(Size(1024, 1024), chosen) / real
        assert 0.45 < share < 2.2, (settings, share)
        if not settings:
            assert share == pytest.approx(1, abs=0.01)
