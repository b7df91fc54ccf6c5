"""Rules, kept rolls, and a folder that is watched: all by the files that result."""

import json
import threading
import time
from pathlib import Path

import jsonschema
import pytest

from crispgrain import presets
from crispgrain.cli.main import main
from crispgrain.core.errors import ShotError
from crispgrain.core.files.source import Facts
from crispgrain.core.model import Stage
from crispgrain.core.treatment import Treatment
from crispgrain.demo.shoot import BROKEN, TETHERED, shoot
from crispgrain.session import roll_file, rules
from crispgrain.session.rules import Rule, first_match, load_rules, save_rules
from crispgrain.session.watch import FolderWatch

RULES = [
    Rule("night", camera="field two", iso_from=3200, iso_to=12_800),
    Rule("pocket", kind="picture", below_megapixels=3.0),
    Rule("rest"),
]


@pytest.mark.parametrize(
    ("name", "facts", "megapixels", "preset"),
    [
        ("a.dng", Facts("Lumen & Daughter Field Two", 3200), 12, "night"),
        ("a.dng", Facts("Lumen & Daughter Field Two", 25_600), 12, "rest"),
        ("a.dng", Facts("Another", 6400), 12, "rest"), ("a.dng", Facts("Field Two"), 12, "rest"),
        ("a.jpg", Facts(), 2.9, "pocket"), ("a.jpg", Facts(), 3.0, "rest"), ("a.dng", Facts(), 2.0, "rest"),
    ],
)  # fmt: skip
def test_the_first_rule_that_fits_is_taken(name, facts, megapixels, preset):
    assert first_match(RULES, Path(name), facts, megapixels).preset == preset


def test_no_rule_may_fit_and_each_says_why():
    assert first_match(RULES[:2], Path("a.dng"), Facts("Field Two", 100), 12) is None
    assert RULES[0].why_not(Path("a.dng"), Facts("Field Two", 100), 12) == "not from ISO 3200"
    assert [rule.words for rule in RULES] == [
        "field two, ISO 3200 to 12800", "finished pictures, below 3 MP", "every shot"
    ]  # fmt: skip


def test_rules_are_kept_as_json_by_their_schema(tmp_path):
    save_rules(RULES, tmp_path / "r.json")
    jsonschema.validate(json.loads((tmp_path / "r.json").read_text()), rules.SCHEMA)
    assert load_rules(tmp_path / "r.json") == RULES
    (tmp_path / "bad.json").write_text('{"format": "crispgrain-rules", "version": 1, "rules": [{"iso_from": 3}]}')
    with pytest.raises(ShotError, match=r"bad\.json: no rules: at rules/0, 'preset' is a required property"):
        load_rules(tmp_path / "bad.json")


def test_rules_from_the_command_line_say_which_preset_each_shot_gets(raw_file, tmp_path, capsys):
    presets.save(Treatment().set("finish.on", True), "night", [Stage.FINISH])
    save_rules([Rule("night", iso_from=3200, kind="raw")], tmp_path / "r.json")
    call = ["run", str(raw_file), "--out", str(tmp_path / "out"), "--rules", str(tmp_path / "r.json"), "--dry-run"]
    assert main(call) == 0
    said = capsys.readouterr()
    assert "preset night (RAW, from ISO 3200)" in said.err
    assert said.out.strip().endswith("finish.tif")
    assert not (tmp_path / "out").exists()
    save_rules([Rule("evening")], tmp_path / "r.json")
    assert main(call) == 2
    assert "there is no preset “evening”" in capsys.readouterr().err


def test_a_kept_roll_has_relative_paths_and_may_move_with_its_shots(tmp_path):
    (tmp_path / "old" / "shots").mkdir(parents=True)
    shots = [tmp_path / "old" / "shots" / n for n in ("a.png", "ä b.png")]
    roll_file.save_roll(shots, shots[1], tmp_path / "old" / "evening.roll.json")
    data = json.loads((tmp_path / "old" / "evening.roll.json").read_text(encoding="utf-8"))
    jsonschema.validate(data, roll_file.SCHEMA)
    assert data["shots"] == ["shots/a.png", "shots/ä b.png"]
    (tmp_path / "old").rename(tmp_path / "new")
    found, on_easel = roll_file.load_roll(tmp_path / "new" / "evening.roll.json")
    assert found == [tmp_path / "new" / "shots" / n for n in ("a.png", "ä b.png")]
    assert on_easel == found[1]


def test_a_watched_folder_tells_of_complete_files_only_and_of_each_once(tmp_path):
    (tmp_path / "there.png").write_bytes(b"x")
    watch = FolderWatch(tmp_path)
    path = tmp_path / "new.png"
    for size in (0, 10, 20, 20, 20):
        path.write_bytes(b"x" * size)
        (tmp_path / "words.txt").write_bytes(b"x" * size)
        if size < 20:
            assert watch.look() == []
    seen = [watch.look() for _ in range(6)]
    assert [path] in seen and sum(map(len, seen)) == 1


@pytest.mark.slow
def test_a_camera_on_a_cable_fills_the_folder_and_broken_shots_are_complete_files_too(tmp_path, monkeypatch):
    monkeypatch.setattr("crispgrain.demo.shoot.TETHERED", TETHERED[:1])
    watch, found = FolderWatch(tmp_path), []
    camera = threading.Thread(target=shoot, args=(tmp_path, 2.4, BROKEN))
    camera.start()
    sizes: set[int] = set()
    while camera.is_alive() or len(found) < BROKEN:
        first = tmp_path / "tethered-0001.dng"
        sizes.add(first.stat().st_size if first.exists() else 0)
        found += [(path, path.stat().st_size) for path in watch.look()]
        time.sleep(0.15)
    assert len(sizes) > 3  # it came slowly
    assert [path.name for path, _ in found] == [f"tethered-{n:04d}.dng" for n in (1, 2, 3)]
    assert all(path.stat().st_size == size for path, size in found)  # none was told of half-copied
    with pytest.raises(ShotError):
        from crispgrain.core.files import read_shot

        read_shot(found[BROKEN - 1][0])
