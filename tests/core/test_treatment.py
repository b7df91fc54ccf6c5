"""Treatments as data: settings, JSON, sync, and what the meter makes of them."""

import json

import jsonschema
import numpy as np
import pytest

from crispgrain.core.colour import icc
from crispgrain.core.errors import ShotError, TreatmentError
from crispgrain.core.files import PictureSource, read_shot
from crispgrain.core.meter import Blur, Compression, Noise, Reading
from crispgrain.core.model import Stage
from crispgrain.core.registry import MODELS, find_model
from crispgrain.core.shot import open_shot, saved_treatment
from crispgrain.core.treatment import Treatment, resolve, schema, sidecar_path


def test_setting_and_metering_a_value():
    treatment = Treatment().set("denoise.luminance", "80").set("denoise.on", "on")
    assert treatment[Stage.DENOISE].values == {"luminance": 80.0}
    assert treatment[Stage.DENOISE].on is True
    back = treatment.set("denoise.luminance", "metered").set("denoise.on", None)
    assert back[Stage.DENOISE].values == {}
    assert back[Stage.DENOISE].on is None


@pytest.mark.parametrize(
    ("name", "value", "words"),
    [
        ("develope.exposure", 1, "no stage"),
        ("denoise.radius", 1, "no setting"),
        ("denoise.model", "magic", "no model"),
        ("denoise.luminance", 500, "0 to 200"),
        ("denoise.luminance", "much", "a number"),
        ("print.format", "gif", "one of"),
        ("denoise.on", "perhaps", "on, off or metered"),
        ("denoise.magic", None, "no setting"),
    ],
)
def test_wrong_settings_say_what_is_right(name, value, words):
    with pytest.raises(TreatmentError, match=words):
        Treatment().set(name, value)


def test_json_there_and_back():
    treatment = Treatment(name="Dim store").set("denoise.model", "wavelet").set("sharpen.on", False)
    treatment = treatment.set("enlarge.by", "long-side").set("enlarge.pixels", 4000).set("print.bits", 8)
    data = json.loads(json.dumps(treatment.as_json()))
    jsonschema.validate(data, schema())
    assert Treatment.from_json(data) == treatment


@pytest.mark.parametrize(
    "data",
    [
        [], {}, {"format": "crispgrain-treatment", "version": 2, "stages": {}},
        {"format": "crispgrain-treatment", "version": 1, "stages": {"denoise": {"luminance": [1]}}},
        {"format": "crispgrain-treatment", "version": 1, "stages": {"bake": {}}},
        {"format": "crispgrain-treatment", "version": 1, "stages": {"denoise": {"model": "magic"}}},
    ],
)  # fmt: skip
def test_json_that_is_no_treatment(data):
    with pytest.raises(TreatmentError):
        Treatment.from_json(data)


def test_files_that_are_no_treatment_are_named(tmp_path):
    path = tmp_path / "t.json"
    path.write_text("{ nonsense")
    with pytest.raises(ShotError, match=r"t\.json"):
        Treatment.load(path)
    with pytest.raises(ShotError, match="gone"):
        Treatment.load(tmp_path / "gone.json")


def test_sidecars_beside_the_shot_or_in_a_folder(raw_file, tmp_path):
    treatment = Treatment().set("denoise.luminance", 70)
    sidecar = sidecar_path(raw_file, tmp_path)
    assert sidecar.parent == tmp_path
    assert sidecar_path(raw_file).parent == raw_file.parent
    assert saved_treatment(raw_file, tmp_path) is None
    treatment.save(sidecar)
    assert saved_treatment(raw_file, tmp_path) == treatment


def test_metered_strengths_follow_each_shot_after_sync():
    given = Treatment().set("sharpen.model", "lens-softness").set("sharpen.strength", 60)
    synced = Treatment().set("sharpen.radius", 2.0).synced_from(given, [Stage.SHARPEN])
    assert synced[Stage.SHARPEN] == given[Stage.SHARPEN]
    assert synced[Stage.DENOISE] == Treatment()[Stage.DENOISE]


def test_readings_decide_what_is_metered(raw_file):
    source = read_shot(raw_file)
    noisy = resolve(Treatment(), source, Reading(Noise.even(8), Blur("soft lens", 0.9, 0.9)))
    assert noisy[Stage.DENOISE].on
    assert noisy[Stage.SHARPEN].on
    assert noisy[Stage.SHARPEN].values["radius"] == pytest.approx(0.9)
    assert noisy[Stage.DENOISE].model.id == "mosaic-net"
    little = resolve(Treatment(), source, Reading(Noise.even(0.8)))
    assert little[Stage.DENOISE].on
    assert little[Stage.DENOISE].model.id == "mosaic-net"
    clean = resolve(Treatment(), source, Reading(Noise.even(0.2), Blur("none", 0.1, 0.1)))
    assert not clean[Stage.DENOISE].on
    assert not clean[Stage.SHARPEN].on
    assert not clean[Stage.ENLARGE].on


def test_finished_pictures_get_the_photo_net_if_they_are_noisy_or_compressed(tmp_path):
    source = PictureSource(tmp_path / "x.jpg", np.zeros((8, 8, 3), np.uint8), icc.profile("srgb"))
    compressed = resolve(Treatment(), source, Reading(Noise.even(0.1), jpeg=Compression(60, 1)))[Stage.DENOISE]
    assert compressed.on
    assert (compressed.model.id, compressed.values["compression"]) == ("photo-net", 40)
    finished = resolve(Treatment(), source, Reading(Noise.even(3)))[Stage.DENOISE]
    assert (finished.on, finished.model.id, finished.values["compression"]) == (True, "photo-net", 0)
    assert not resolve(Treatment(), source, Reading(Noise.even(0.1), jpeg=Compression(95, 1)))[Stage.DENOISE].on


def test_no_strength_starts_at_its_maximum():
    for model in MODELS:
        for p in model.parameters:
            if not p.choices and p.id in ("luminance", "colour", "strength", "amount"):
                assert float(p.default) < p.maximum


def test_a_mosaic_model_on_a_finished_picture_is_replaced_with_a_remark(roll_folder):
    shot = open_shot(roll_folder / "b-noisy.jpg")
    resolved = resolve(Treatment().set("denoise.model", "mosaic-dct"), shot.source, shot.reading)
    assert resolved[Stage.DENOISE].model.id == "photo-net"
    assert any("RAW" in r for r in resolved.remarks)


def test_only_switches_the_other_stages_off():
    treatment = Treatment().only([Stage.DENOISE])
    assert [s for s in Stage if treatment[s].on is False] == [
        Stage.DEVELOP, Stage.SHARPEN, Stage.ENLARGE, Stage.FINISH
    ]  # fmt: skip


def test_model_ids_are_unique_in_their_stage_and_defaults_in_range():
    assert len({(m.stage, m.id) for m in MODELS}) == len(MODELS)
    for m in MODELS:
        assert find_model(m.stage, m.id) is m
        assert m.purpose.endswith(".")
        for p in m.parameters:
            if p.is_number:
                assert p.minimum <= float(p.default) <= p.maximum
            else:
                assert Treatment().set(f"{m.stage}.{p.id}", p.default)[m.stage].values[p.id] == p.default


def test_nearly_clean_shots_are_left_alone(tmp_path, clean8):
    """Metered, a clean picture comes out as it went in: over 46 dB."""
    from PIL import Image

    from tests.conftest import encoded, psnr

    Image.fromarray(clean8).save(tmp_path / "c.png")
    shot = open_shot(tmp_path / "c.png")
    result = shot.pipeline(Treatment().set("sharpen.on", False)).region(shot.source.size.rect)
    assert psnr(encoded(result), clean8 / 255) > 46
