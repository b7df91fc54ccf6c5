"""The command line, as a user types it."""

import csv
import json
import subprocess
import sys
import time
from pathlib import Path

import numpy as np
import pytest
import tifffile
from attrs import evolve
from PIL import Image

from crispgrain import presets
from crispgrain.cli.main import main
from crispgrain.cli.run import JOURNAL
from crispgrain.core.colour import icc
from crispgrain.core.colour.spaces import srgb_decode, srgb_encode
from crispgrain.core.files import read_shot
from crispgrain.core.model import Stage
from crispgrain.core.render import naming
from crispgrain.core.treatment import Treatment, sidecar_path
from crispgrain.desktop.base.preferences import SIDECARS, preferences
from crispgrain.orders.job import JobState
from crispgrain.orders.journal import Journal
from crispgrain.session import export_sets
from crispgrain.session.export_sets import ExportSet


def test_a_mixed_folder_with_a_broken_shot(roll_folder, tmp_path, capsys):
    out = tmp_path / "out"
    before = {p.name: p.read_bytes() for p in roll_folder.iterdir()}
    code = main(["run", str(roll_folder), "--out", str(out), "--format", "png", "--bits", "8"])
    said = capsys.readouterr()
    assert code == 1
    assert "d-broken.jpg" in said.err
    assert "1 of 4 failed" in said.err
    written = sorted(p.name for p in out.iterdir())
    assert len(written) == 3
    assert written[0].startswith("a-rim-denoise")
    assert sorted(said.out.split()) == [str(out / name) for name in written]
    assert {p.name: p.read_bytes() for p in roll_folder.iterdir()} == before


@pytest.mark.slow
def test_settings_sizes_and_output(raw_file, tmp_path):
    arguments = ["run", str(raw_file), "--out", str(tmp_path), "--only", "develop,denoise,enlarge"]
    arguments += ["--set", "denoise.model=wavelet", "--set", "denoise.luminance=70"]
    code = main([*arguments, "--long-side", "1000", "--profile", "prophoto", "--ppi", "240"])
    assert code == 0
    (path,) = tmp_path.glob("*.tif")
    source = read_shot(path)
    assert (source.size.width, source.size.height) == (1000, 750)
    assert source.stored.dtype == np.uint16
    with Image.open(path) as picture:
        assert picture.info["dpi"] == pytest.approx((240, 240))


@pytest.mark.parametrize(
    ("flags", "size"),
    [(["--width", "80"], (80, 60)), (["--height", "240"], (320, 240)), (["--factor", "1.5"], (240, 180))],
)
def test_ways_to_say_a_size(clean8, tmp_path, flags, size):
    shot, out = tmp_path / "part.png", tmp_path / "out"
    Image.fromarray(clean8[:120, :160]).save(shot)
    assert main(["run", str(shot), "--out", str(out), "--format", "jpeg", "--only", "enlarge", *flags]) == 0
    with Image.open(next(out.glob("*.jpg"))) as picture:
        assert picture.size == size


def test_only_develop_differs_from_metered(raw_file, tmp_path):
    assert main(["run", str(raw_file), "--out", str(tmp_path / "a"), "--only", "develop"]) == 0
    assert main(["run", str(raw_file), "--out", str(tmp_path / "b")]) == 0
    plain, metered = (read_shot(next((tmp_path / d).iterdir())).stored.astype(int) for d in "ab")
    assert np.diff(plain, axis=1).std() > 1.3 * np.diff(metered, axis=1).std()


def test_a_treatment_file_and_a_sidecar(raw_file, tmp_path):
    shot = tmp_path / "rim.dng"
    shot.write_bytes(raw_file.read_bytes())
    Treatment().only([]).save(tmp_path / "rim.dng.treatment.json")
    assert main(["run", str(shot), "--out", str(tmp_path / "side")]) == 0
    assert [p.name for p in (tmp_path / "side").iterdir()] == ["rim-develop.tif"]
    Treatment().only([]).set("finish.on", True).save(tmp_path / "grain.json")
    assert main(["run", str(shot), "--out", str(tmp_path / "given"), "--treatment", str(tmp_path / "grain.json")]) == 0
    assert [p.name for p in (tmp_path / "given").iterdir()] == ["rim-finish.tif"]


@pytest.mark.parametrize(
    "arguments",
    [
        ["--set", "denoise.luminance"], ["--set", "denoise.luminance=lots"], ["--only", "bake"],
        ["--treatment", "gone.json"], ["--factor", "99"],
    ],
)  # fmt: skip
def test_wrong_calls_fail_before_any_work(raw_file, tmp_path, capsys, arguments):
    assert main(["run", str(raw_file), "--out", str(tmp_path / "out"), *arguments]) == 2
    assert not (tmp_path / "out").exists()
    assert capsys.readouterr().err.startswith("crispgrain: ")


def test_names_are_not_written_over(raw_file, tmp_path):
    for _ in range(2):
        assert main(["run", str(raw_file), "--out", str(tmp_path), "--only", "develop"]) == 0
    assert sorted(p.name for p in tmp_path.iterdir()) == ["rim-6400-develop-2.tif", "rim-6400-develop.tif"]
    assert main(["run", str(raw_file), "--out", str(tmp_path), "--only", "develop", "--replace"]) == 0
    assert len(list(tmp_path.iterdir())) == 2


def test_results_into_a_place_that_takes_none(raw_file, capsys):
    assert main(["run", str(raw_file), "--out", "/proc/results", "--only", "develop"]) == 1
    assert "cannot be written to" in capsys.readouterr().err


@pytest.mark.slow
def test_a_disk_that_fills_up_leaves_nothing_half_written(raw_file, tmp_path):
    # A limit on file size is what a full disk looks like to the program, whoever runs it.
    script = (
        "import resource, signal, sys; signal.signal(signal.SIGXFSZ, signal.SIG_IGN);"
        "resource.setrlimit(resource.RLIMIT_FSIZE, (200_000, 200_000));"
        "from crispgrain.cli.main import main; sys.exit(main(sys.argv[1:]))"
    )
    run = subprocess.run(
        [sys.executable, "-c", script, "run", str(raw_file), "--out", str(tmp_path), "--only", "develop"],
        capture_output=True, text=True, check=False,
    )  # fmt: skip
    assert run.returncode == 1, run.stderr
    assert "rim-6400-develop.tif" in run.stderr
    assert list(tmp_path.iterdir()) == []


def test_meter_in_words_and_json(roll_folder, capsys):
    assert main(["meter", str(roll_folder / "a-rim.dng"), "--json"]) == 0
    (reading,) = json.loads(capsys.readouterr().out)
    assert (reading["size"]["width"], reading["size"]["height"]) == (512, 384)
    assert len(reading["noise"]["a"]) == 3
    assert reading["noise"]["luminance"] > 3
    assert main(["meter", str(roll_folder)]) == 1
    said = capsys.readouterr()
    assert "b-noisy.jpg\n  512 × 384 px\n  largest print 4 × 3 cm at 300 ppi" in said.out
    assert "d-broken.jpg" in said.err


def test_the_meter_tells_the_quality_of_a_jpeg_and_of_nothing_else(roll_folder, raw_file, capsys):
    assert main(["meter", str(roll_folder / "b-noisy.jpg"), str(raw_file)]) == 0
    jpeg, raw = capsys.readouterr().out.split(f"{raw_file.name},")
    assert "saved as JPEG of quality 95, by its table" in jpeg
    assert "quality" not in raw
    assert main(["meter", str(roll_folder / "b-noisy.jpg"), "--json"]) == 0
    (found,) = json.loads(capsys.readouterr().out)
    assert found["jpeg"]["quality"] == 95
    assert found["jpeg"]["confidence"] > 0.9


@pytest.mark.slow
def test_networks_are_run_at_the_effort_asked_for(raw_file, tmp_path):
    written = []
    for effort in ("fast", "best"):
        settings = ["--set", "denoise.model=mosaic-net", "--set", f"denoise.effort={effort}"]
        arguments = ["run", str(raw_file), "--out", str(tmp_path / effort), "--only", "develop,denoise", *settings]
        assert main(arguments) == 0
        (path,) = (tmp_path / effort).iterdir()
        written.append(read_shot(path).stored.astype(float))
    difference = np.abs(written[0] - written[1]).mean() / 65535
    assert 0 < difference < 0.01


def test_models_are_listed_with_their_settings(capsys):
    assert main(["models", "--json"]) == 0
    listed = json.loads(capsys.readouterr().out)
    names = {p["setting"] for m in listed for p in m["parameters"]}
    assert {"denoise.luminance", "sharpen.radius", "enlarge.factor", "print.profile"} <= names
    assert main(["models"]) == 0
    assert "denoise.model=sliding-dct" in capsys.readouterr().out


def test_a_folder_without_pictures(tmp_path, capsys):
    (tmp_path / "empty").mkdir()
    assert main(["run", str(tmp_path / "empty"), "--out", str(tmp_path / "out")]) == 1
    assert "no pictures" in capsys.readouterr().err


@pytest.mark.parametrize("shape", [(1, 1, 3), (5, 4, 4)])
def test_odd_pictures_go_through(tmp_path, shape):
    Image.fromarray(np.full(shape, 120, np.uint8)).save(tmp_path / "odd.png")
    assert main(["run", str(tmp_path / "odd.png"), "--out", str(tmp_path / "out"), "--factor", "2"]) == 0
    assert read_shot(next((tmp_path / "out").iterdir())).size.width == 2 * shape[1]


def test_a_folder_of_strange_files(strange_folder, tmp_path, capsys):
    """Each bad file is named with its cause, each good one is written, nothing else is left."""
    before = {p.name: p.stat().st_mtime_ns for p in strange_folder.iterdir()}
    assert main(["run", str(strange_folder), "--out", str(tmp_path / "out"), "--format", "png"]) == 1
    said = capsys.readouterr().err
    for name in before:
        if name.startswith("bad-"):
            assert f"crispgrain: {name}: " in said
    written = sorted(p.name for p in (tmp_path / "out").iterdir())
    assert [w.split("-")[1].split(".")[0] for w in written] == ["alpha", "cmyk", "grey16", "one"]
    assert "without a profile" in said
    assert {p.name: p.stat().st_mtime_ns for p in strange_folder.iterdir()} == before


def test_version_and_help(capsys):
    for flag in ("--version", "--help"):
        with pytest.raises(SystemExit) as left:
            main([flag])
        assert left.value.code == 0
    assert "Crisp Grain" in capsys.readouterr().out


def size_written(folder) -> tuple[int, int]:
    source = read_shot(next(folder.glob("*.tif")))
    return source.size.width, source.size.height


def test_a_setting_of_a_stage_that_is_off_switches_it_on(raw_file, tmp_path):
    """Enlarge is metered off; who gives a factor wants it. Who says off, means off."""
    run = ["run", str(raw_file), "--set", "denoise.on=off", "--set", "sharpen.on=off", "--set", "enlarge.factor=1.5"]
    assert main([*run, "--set", "enlarge.model=lanczos", "--out", str(tmp_path / "a")]) == 0
    assert size_written(tmp_path / "a") == (768, 576)
    assert main([*run, "--set", "enlarge.on=off", "--out", str(tmp_path / "b")]) == 0
    assert size_written(tmp_path / "b") == (512, 384)


@pytest.mark.parametrize("word", ["modles", "missing.dng"])
def test_a_word_that_is_no_command_and_no_file_is_an_error(word, capsys, monkeypatch):
    from crispgrain.desktop import app

    monkeypatch.setattr(app, "run_window", lambda paths: pytest.fail("opened a window"))
    assert main([word, "--help"]) == 2
    assert word in capsys.readouterr().err


def test_files_alone_open_the_window(raw_file, monkeypatch):
    from crispgrain.desktop import app

    monkeypatch.setattr(app, "run_window", lambda paths: len(paths))
    assert main([str(raw_file), str(raw_file.parent)]) == 2
    assert main([]) == 0


def test_treatments_kept_in_a_chosen_folder_are_found(raw_file, tmp_path):
    preferences().setValue(SIDECARS, str(tmp_path / "kept, elsewhere"))
    treatment = Treatment().only([Stage.ENLARGE]).set("enlarge.factor", 0.5)
    treatment.save(sidecar_path(raw_file, tmp_path / "kept, elsewhere"))
    assert main(["run", str(raw_file), "--out", str(tmp_path / "out")]) == 0
    assert size_written(tmp_path / "out") == (256, 192)


def test_a_named_preset_goes_on_the_shots_own_treatment(raw_file, tmp_path, capsys):
    shot = tmp_path / "own.dng"
    shot.write_bytes(raw_file.read_bytes())
    Treatment().only([]).save(sidecar_path(shot))
    half = Treatment().only([Stage.ENLARGE]).set("enlarge.factor", 0.5)
    presets.save(half, "Web: small", [Stage.ENLARGE])
    presets.save(half.set("enlarge.factor", 0.25), "Web / small", [Stage.ENLARGE])
    assert main(["run", str(shot), "--out", str(tmp_path / "out"), "--preset", "Web: small"]) == 0
    assert size_written(tmp_path / "out") == (256, 192)
    (name,) = (p.name for p in (tmp_path / "out").iterdir())
    assert "denoise" not in name  # its own treatment says off
    assert main(["run", str(shot), "--out", str(tmp_path / "out"), "--preset", "Web"]) == 2
    assert "Web: small" in capsys.readouterr().err


def written(folder) -> np.ndarray:
    (path,) = folder.iterdir()
    return np.asarray(Image.open(path))


def test_crop_straighten_and_a_zone_from_the_command_line(tmp_path):
    """What is asked for in words is in the file: its size, and the light in each half."""
    shot, plain = tmp_path / "even.png", ["--only", "develop", "--format", "png", "--bits", "8"]
    Image.fromarray(np.full((200, 300, 3), 100, np.uint8)).save(shot)
    zone = ["--zone", "develop:50,40:50,60", "--set", "zone-1.exposure=1"]
    crop = ["--set", "crop.left=10", "--set", "crop.right=60", "--set", "crop.bottom=90"]
    assert main(["run", str(shot), "--out", str(tmp_path / "out"), *plain, *zone, *crop]) == 0
    result = written(tmp_path / "out")
    assert result.shape == (180, 150, 3)
    assert (result[121:] == 100).all()
    assert np.abs(result[:79] - srgb_encode(2 * srgb_decode(np.float32(100 / 255))) * 255).max() <= 1
    assert main(["run", str(shot), "--out", str(tmp_path / "turned"), *plain, "--set", "crop.angle=10"]) == 0
    turned = written(tmp_path / "turned")
    assert turned.shape[0] < 200 and turned.shape[1] < 300 and (turned == 100).all()


def test_a_zone_is_found_or_as_a_grey_picture_says(tmp_path):
    Image.fromarray(np.full((60, 90, 3), 100, np.uint8)).save(tmp_path / "even.png")
    mask = np.zeros((60, 90), np.uint8)
    mask[:, 45:] = 255
    Image.fromarray(mask).save(tmp_path / "mask.png")
    plain = ["--only", "develop", "--format", "png", "--bits", "8", "--set", "zone-1.exposure=1"]
    call = ["run", str(tmp_path / "even.png"), "--out", str(tmp_path / "out"), *plain]
    assert main([*call, "--zone", f"develop:{tmp_path / 'mask.png'}"]) == 0
    (written,) = (tmp_path / "out").iterdir()
    result = np.asarray(Image.open(written)).astype(int)
    assert np.abs(result[:, :40] - 100).max() <= 1 and result[:, 50:].min() > 130
    assert main([*call, "--zone", "develop:light"]) == 0


@pytest.mark.parametrize(
    "zone", ["develop", "develop:moon", "develop:1,1", "develop:1,1:1,1", "enlarge:1,1:2,2", "bake:1,1:2,2"]
)
def test_a_zone_that_is_none_is_a_wrong_call(zone, tmp_path, capsys):
    Image.fromarray(np.full((20, 30, 3), 100, np.uint8)).save(tmp_path / "even.png")
    assert main(["run", str(tmp_path / "even.png"), "--out", str(tmp_path / "out"), "--zone", zone]) == 2
    assert "--zone" in capsys.readouterr().err


QUICK = ["--set", "denoise.model=wavelet", "--only", "develop,denoise", "--format", "png"]


@pytest.mark.slow
def test_several_processes_write_the_same_files_and_a_broken_shot_does_not_stop_them(tmp_path, clean8, capsys):
    shots = tmp_path / "shots"
    shots.mkdir()
    for n in range(3):
        Image.fromarray(np.roll(clean8, 9 * n, axis=1)[:240, :320]).save(shots / f"s{n}.png")
    (shots / "s9.png").write_bytes(b"\x89PNG broken")
    call = ["run", str(shots), *QUICK]
    assert main([*call, "--out", str(tmp_path / "one" / "out")]) == 1
    assert main([*call, "--out", str(tmp_path / "two" / "out"), "--jobs", "2"]) == 1
    assert "s9.png" in capsys.readouterr().err
    one, two = ({p.name: p.read_bytes() for p in (tmp_path / n / "out").iterdir()} for n in ("one", "two"))
    assert one == two and len(one) == 3


@pytest.mark.slow
def test_a_call_that_was_killed_is_gone_on_with(tmp_path, clean8):
    shots = tmp_path / "shots"
    shots.mkdir()
    for n in range(8):
        Image.fromarray(np.roll(clean8, 9 * n, axis=1)[:240, :320]).save(shots / f"s{n}.png")
    out = tmp_path / "out"
    call = ["run", str(shots), *QUICK, "--out", str(out), "--jobs", "2"]
    program = subprocess.Popen([sys.executable, "-m", "crispgrain", *call], stdout=subprocess.DEVNULL)
    end = time.monotonic() + 120
    while not out.exists() or len(list(out.glob("*.png"))) < 2:
        assert time.monotonic() < end
        time.sleep(0.02)
    program.kill()
    program.wait()
    time.sleep(1)
    made = {p.name: p.stat().st_mtime_ns for p in out.glob("s*.png")}
    assert len(made) < 8
    assert main([*call, "--resume"]) == 0
    assert sorted(p.name for p in out.iterdir()) == [f"s{n}-denoise.png" for n in range(8)]
    assert {name: (out / name).stat().st_mtime_ns for name in made} == made


@pytest.mark.slow
def test_every_step_is_told_as_json_for_other_programs(roll_folder, tmp_path, capsys):
    arguments = ["run", str(roll_folder), "--out", str(tmp_path), "--only", "develop", "--progress", "json"]
    assert main([*arguments, "--name", "{number}-{shot} {width}x{height}", "--report", str(tmp_path / "r.csv")]) == 1
    events = [json.loads(line) for line in capsys.readouterr().out.splitlines()]
    assert {e["event"] for e in events} == {"progress", "written", "failed", "end"}
    assert events[-1] == {"event": "end", "written": 3, "failed": 1}
    written = [Path(e["result"]) for e in events if e["event"] == "written"]
    assert all(path.exists() for path in written)
    assert "1-a-rim 512x384.tif" in [path.name for path in written]
    (failed,) = [e for e in events if e["event"] == "failed"]
    assert failed["shot"].endswith("d-broken.jpg") and "d-broken.jpg" in failed["words"]
    with (tmp_path / "r.csv").open() as file:
        rows = list(csv.DictReader(file))
    assert sorted(row["result"] for row in rows) == sorted(map(str, written))
    assert all(row["state"] == "done" and float(row["seconds"]) > 0 for row in rows)


def test_a_batch_ends_at_the_first_failure_if_asked_to(strange_folder, tmp_path, capsys):
    assert main(["run", str(strange_folder), "--out", str(tmp_path / "o"), "--only", "develop", "--stop"]) == 1
    assert capsys.readouterr().err.count("crispgrain: bad-") == 1


@pytest.mark.parametrize("name", ["{shot", "{lens}", "", "{shot.stem}", "{0}"])
def test_a_name_that_cannot_be_made_is_a_wrong_call(raw_file, tmp_path, name, capsys):
    assert main(["run", str(raw_file), "--out", str(tmp_path / "o"), "--name", name]) == 2
    assert "{stages}" in capsys.readouterr().err
    assert not (tmp_path / "o").exists()


def test_folders_inside_folders_are_left_alone_if_asked_to(raw_file, tmp_path, capsys):
    (tmp_path / "in" / "deep").mkdir(parents=True)
    for name in ("in/a.dng", "in/deep/b.dng"):
        (tmp_path / name).write_bytes(raw_file.read_bytes())
    arguments = ["run", str(tmp_path / "in"), "--out", str(tmp_path / "o"), "--dry-run"]
    assert main(arguments) == 0
    assert len(capsys.readouterr().out.splitlines()) == 2
    assert main([*arguments, "--flat"]) == 0
    assert capsys.readouterr().out.splitlines() == [str(tmp_path / "o" / "a-denoise.tif")]


def working_copy(path: Path, clean8: np.ndarray) -> bytes:
    """A 16-bit TIFF in Adobe RGB with a resolution and a title, as another program hands it over."""
    pixels = np.clip(clean8.astype(np.float64) + np.random.default_rng(0).normal(0, 8, clean8.shape), 0, 255)
    tifffile.imwrite(
        path, (pixels * 257).astype(np.uint16), photometric="rgb", iccprofile=icc.profile("adobe-rgb"),
        resolution=(240, 240), resolutionunit="INCH", description="Working copy", metadata=None,
    )  # fmt: skip
    return path.read_bytes()


@pytest.mark.slow
def test_a_working_copy_comes_back_in_place_with_its_depth_profile_and_resolution(raw_file, clean8, tmp_path, capsys):
    copy, raw = tmp_path / "copy.tif", tmp_path / "shot.dng"
    before = working_copy(copy, clean8)
    raw.write_bytes(raw_file.read_bytes())
    treatment = tmp_path / "t.json"
    Treatment().only([Stage.DENOISE]).save(treatment)
    assert main(["edit", str(copy), str(raw), "--in-place", "--treatment", str(treatment), "--json"]) == 0
    answers = json.loads(capsys.readouterr().out)
    assert [Path(a["result"]).name for a in answers] == ["copy.tif", "shot-treated.tif"]
    assert raw.read_bytes() == raw_file.read_bytes()
    assert copy.read_bytes() != before
    with tifffile.TiffFile(copy) as file:
        page = file.pages[0]
        assert page.dtype == np.uint16
        assert page.iccprofile == icc.profile("adobe-rgb")
        assert page.tags["XResolution"].value[0] / page.tags["XResolution"].value[1] == 240
        assert page.tags["ImageDescription"].value == "Working copy"


@pytest.mark.slow
def test_without_in_place_everything_comes_back_beside_its_source(clean8, tmp_path, capsys):
    copy, missing = tmp_path / "copy.tif", tmp_path / "gone.tif"
    before = working_copy(copy, clean8)
    assert main(["edit", str(copy), str(missing), "--no-window"]) == 1
    said = capsys.readouterr()
    assert said.out.splitlines() == [str(tmp_path / "copy-treated.tif")]
    assert "gone.tif" in said.err
    assert copy.read_bytes() == before


def test_a_shell_can_complete_the_commands(capsys):
    assert main(["completion", "bash"]) == 0
    said = capsys.readouterr().out
    assert "--in-place" in said and "--dry-run" in said


@pytest.mark.slow
def test_results_go_into_folders_by_date_and_camera_with_checksums(raw_file, tmp_path, clean8):
    """The sums are checked by GNU coreutils."""
    Image.fromarray(clean8).save(tmp_path / "plain.png")
    out = tmp_path / "out"
    call = ["run", str(raw_file), str(tmp_path / "plain.png"), "--out", str(out), "--only", "develop"]
    assert main([*call, "--folder", "{camera}/{date}", "--checksums"]) == 0
    facts = read_shot(raw_file).facts
    dated = out / facts.camera / facts.taken[:10].replace(":", "-")
    assert len(list(dated.glob("*.tif"))) == 1
    assert len(list((out / "unknown" / "unknown").glob("plain*.tif"))) == 1
    checked = subprocess.run(["sha256sum", "--check", "SHA256SUMS"], cwd=out, capture_output=True, text=True)
    assert checked.returncode == 0 and checked.stdout.count(": OK") == 2
    next(dated.glob("*.tif")).write_bytes(b"other")
    assert subprocess.run(["sha256sum", "--check", "SHA256SUMS"], cwd=out, capture_output=True).returncode == 1
    assert main([*call, "--folder", "{nothing}"]) == 2


@pytest.mark.slow
def test_sets_without_folders_of_their_own_are_all_made_after_an_ended_call(tmp_path, clean8):
    shot, out = tmp_path / "plain.png", tmp_path / "out"
    Image.fromarray(clean8).save(shot)
    sets = [ExportSet("One", {"print.format": "png"}, names="{shot}-one"), ExportSet("Two", names="{shot}-two")]
    export_sets.save(sets)
    call = ["run", str(shot), "--out", str(out), "--only", "develop", "--resume"]
    assert main([*call, "--sets", "One"]) == 0
    # As if the call had ended before its journal was taken away: one is there, the other not asked for yet.
    journal = Journal(out / JOURNAL)
    (job,) = journal.add([(shot.absolute(), Treatment(), out.absolute(), naming.literal("plain-one.png"), False)])
    journal.keep(evolve(job, state=JobState.DONE, result=out / "plain-one.png", started=time.time()))
    journal.close()
    assert main([*call, "--sets", "One,Two"]) == 0
    assert sorted(p.name for p in out.iterdir()) == ["plain-one.png", "plain-two.tif"]


@pytest.mark.slow
def test_what_is_left_of_a_damaged_shot_is_written_when_asked_for(roll_folder, tmp_path, capsys):
    out, broken = tmp_path / "out", roll_folder / "d-broken.jpg"
    arguments = ["run", str(broken), "--out", str(out), "--only", "develop", "--format", "png", "--bits", "8"]
    assert main(arguments) == 1 and not any(out.glob("*.png"))
    for more in ([], ["--jobs", "2"]):
        assert main([*arguments, *more, "--rescue"]) == 0
    said = capsys.readouterr()
    assert said.err.count("of the picture is lost") >= 2
    first, second = (np.asarray(Image.open(p)) for p in sorted(out.glob("*.png")))
    assert np.array_equal(first, second) and first.std() > 10


def test_pictures_are_taken_out_of_a_cards_image(roll_folder, tmp_path, capsys):
    picture = next(p for p in sorted(roll_folder.iterdir()) if p.suffix == ".jpg" and "broken" not in p.name)
    card, out = tmp_path / "card.img", tmp_path / "out"
    card.write_bytes(bytes(2048) + picture.read_bytes() + bytes(1024))
    assert main(["carve", str(card), "--out", str(out)]) == 0
    assert main(["carve", str(card), "--out", str(out)]) == 0  # nothing is overwritten
    written = sorted(out.iterdir())
    assert len(written) == 2 and all(p.read_bytes() == picture.read_bytes() for p in written)
    (tmp_path / "zeros.img").write_bytes(bytes(5000))
    assert main(["carve", str(tmp_path / "zeros.img"), "--out", str(out)]) == 1
    assert "zeros.img: no picture" in capsys.readouterr().err
