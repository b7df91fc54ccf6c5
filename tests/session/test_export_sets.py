"""Export sets: several files of each shot, and what is wrong with a file of them."""

import json

import pytest
import tifffile
from PIL import Image

from crispgrain.cli.main import main
from crispgrain.core.errors import ShotError, TreatmentError
from crispgrain.core.model import Stage
from crispgrain.core.render.pipeline import Pipeline
from crispgrain.core.treatment import Treatment
from crispgrain.paths import export_sets_file
from crispgrain.session import export_sets
from crispgrain.session.export_sets import ExportSet, named, saved


@pytest.fixture(autouse=True)
def own_folder(tmp_path, monkeypatch):
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path / "data"))


def test_a_set_changes_how_a_file_is_written_and_nothing_else():
    treatment = Treatment().set("denoise.on", True).set("print.paper", "30x40cm")
    web = named("Web")[0].of(treatment)
    assert web.find("denoise") == treatment.find("denoise")
    assert web.find("print").values["format"] == "jpeg" and web.find("print").values["paper"] == "none"
    assert web.find("enlarge").on and web.find("enlarge").values["pixels"] == 2048


def test_ones_own_come_first_and_stand_for_those_of_their_name(tmp_path):
    assert [one.name for one in saved()] == ["Lab", "Web", "Archive", "Phone"]
    mine = ExportSet("Web", {"print.format": "png"}, "mine", "{number}")
    export_sets.save([mine, ExportSet("Wall", {"print.paper": "40x60cm"})])
    assert [one.name for one in saved()] == ["Web", "Wall", "Lab", "Archive", "Phone"]
    assert named("web, wall")[0] == mine
    with pytest.raises(TreatmentError, match="no export set “gallery”; there are Web, Wall, Lab"):
        named("gallery")
    with pytest.raises(TreatmentError, match="no export set is named"):
        named(" , ")


def test_a_folder_stays_within_that_of_the_results(tmp_path):
    assert ExportSet("a", folder="x/y").within(tmp_path) == tmp_path / "x" / "y"
    assert ExportSet("a", folder="../../etc").within(tmp_path) == tmp_path / "etc"
    assert ExportSet("a", folder="/etc").within(tmp_path) == tmp_path / "etc"


@pytest.mark.parametrize(
    ("sets", "words"),
    [
        ("{", "not JSON"), ([{"name": "a"}], "settings"),
        ([{"name": "a", "settings": {"denoise.on": 1}}], "denoise.on"),
        ([{"name": "a", "settings": {"print.format": "gif"}}], "“a”: print.format"),
        ([{"name": "a", "settings": {}, "names": "{nothing}"}], "a name is made of"),
    ],
)  # fmt: skip
def test_what_is_wrong_with_a_file_of_sets_is_told(sets, words):
    export_sets_file().parent.mkdir(parents=True, exist_ok=True)
    export_sets_file().write_text(sets if isinstance(sets, str) else json.dumps(sets))
    with pytest.raises(ShotError, match=words):
        saved()


@pytest.mark.slow
@pytest.mark.parametrize("jobs", ["1", "2"])
def test_four_sets_give_four_files_a_shot(tmp_path, clean8, jobs, capsys):
    shots = tmp_path / "shots"
    shots.mkdir()
    for name in ("a", "b"):
        Image.fromarray(clean8).save(shots / f"{name}.png")
    call = ["run", str(shots), "--out", str(tmp_path / "out"), "--set", "denoise.on=no", "--set", "sharpen.on=no"]
    call += ["--set", "enlarge.model=lanczos", "--set", "enlarge.on=no", "--sets", "Lab,Web,Archive,phone"]
    assert main([*call, "--jobs", jobs]) == 0
    made = sorted(str(p.relative_to(tmp_path / "out")) for p in (tmp_path / "out").rglob("*") if p.is_file())
    assert made == [
        "archive/a-develop.tif", "archive/b-develop.tif", "lab/a-develop.tif", "lab/b-develop.tif",
        "phone/a-enlarge.webp", "phone/b-enlarge.webp", "web/a-enlarge.jpg", "web/b-enlarge.jpg",
    ]  # fmt: skip
    with Image.open(tmp_path / "out" / "web" / "a-enlarge.jpg") as picture:
        assert max(picture.size) == 2048
    assert tifffile.imread(tmp_path / "out" / "lab" / "a-develop.tif").shape == clean8.shape
    assert (tmp_path / "out" / "web" / "a-enlarge.jpg").stat().st_size <= 1_000_000
    assert main([*call[:-1], "nothing"]) == 2


def test_what_sets_have_in_common_is_computed_once(raw_file, tmp_path, monkeypatch):
    runs = []
    compute = Pipeline._compute

    def counted(self, wanted, depth, cancel, tiled):
        runs.append(self.steps[depth - 1].stage)
        return compute(self, wanted, depth, cancel, tiled)

    monkeypatch.setattr(Pipeline, "_compute", counted)
    export_sets.save([ExportSet(name, {"print.format": form}) for name, form in (("A", "png"), ("B", "jpeg"))])
    call = ["run", str(raw_file), "--out", str(tmp_path / "out"), "--only", "denoise"]
    assert main([*call, "--set", "denoise.model=wavelet", "--set", "denoise.on=on", "--sets", "A,B"]) == 0
    assert len(list((tmp_path / "out").iterdir())) == 2
    assert runs.count(Stage.DENOISE) == 1
