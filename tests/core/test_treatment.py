"""Treatments as data: settings, JSON, sync, and what the meter makes of them."""

import json
from pathlib import Path

import jsonschema
import numpy as np
import pytest
from PIL import Image

from crispgrain import presets
from crispgrain.core.colour import icc
from crispgrain.core.colour.spaces import srgb_decode, srgb_encode
from crispgrain.core.errors import ShotError, TreatmentError
from crispgrain.core.files import PictureSource, read_shot
from crispgrain.core.masks import LinearGradient
from crispgrain.core.meter import Blur, Compression, Noise, Reading, exposure, measure
from crispgrain.core.meter.exposure import measure_lift
from crispgrain.core.model import Stage
from crispgrain.core.registry import MODELS, find_model, models_of
from crispgrain.core.resolve import resolve, switched_on
from crispgrain.core.shot import open_shot, saved_treatment
from crispgrain.core.treatment import Treatment, sidecar_path
from crispgrain.core.treatment_schema import schema
from crispgrain.paths import presets_folder
from tests.conftest import write_raw


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
        ("zone-1.exposure", 1, "no stage or zone"),
        ("crop.angle", 90, "-45 to 45"),
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


def test_a_treatment_of_version_1_is_read():
    old = {
        "format": "crispgrain-treatment", "version": 1, "name": "Dim store",
        "stages": {"denoise": {"on": True, "model": "wavelet", "luminance": 80.0}, "sharpen": {"on": "metered"}},
    }  # fmt: skip
    treatment = Treatment.from_json(old)
    assert treatment == (
        Treatment(name="Dim store").set("denoise.on", True).set("denoise.model", "wavelet")
        .set("denoise.luminance", 80.0).set("sharpen.on", None)
    )  # fmt: skip
    assert treatment.as_json()["version"] == 2


def test_the_schema_that_is_told_is_the_one_that_is_used():
    told = json.loads((Path(__file__).parents[2] / "docs" / "treatment.schema.json").read_text(encoding="utf-8"))
    assert told == schema()


SHARPEN = {"id": "sharpen", "stage": "sharpen", "settings": {}}
GRADIENT = LinearGradient((0.5, 0.2), (0.5, 0.8))


def test_zones_have_settings_of_their_own_and_come_back():
    treatment, first = Treatment().set("develop.exposure", 0.5).with_zone(Stage.DEVELOP, GRADIENT)
    treatment, second = treatment.with_zone(Stage.DEVELOP, LinearGradient((0, 0), (1, 1)))
    treatment = treatment.set(f"{first}.exposure", -1.0).set(f"{second}.warmth", 20.0).set("crop.angle", 2.0)
    assert treatment[Stage.DEVELOP].values == {"exposure": 0.5}
    assert [o.id for o in treatment.beside(Stage.DEVELOP)] == [first, second, "crop"]
    assert treatment.find(first).values == {"exposure": -1.0}
    data = json.loads(json.dumps(treatment.as_json()))
    jsonschema.validate(data, schema())
    assert Treatment.from_json(data) == treatment
    assert treatment.without(first).beside(Stage.DEVELOP)[0].id == second


def test_what_was_drawn_stays_on_its_shot_unless_asked_for():
    drawn, zone = Treatment().set("develop.exposure", 0.5).with_zone(Stage.DEVELOP, GRADIENT)
    drawn = drawn.set("crop.left", 10.0)
    assert drawn.has_per_shot
    own = Treatment().set("crop.left", 20.0)
    synced = own.synced_from(drawn, [Stage.DEVELOP])
    assert synced[Stage.DEVELOP].values == {"exposure": 0.5}
    assert [(o.id, o.values) for o in synced.beside(Stage.DEVELOP)] == [("crop", {"left": 20.0})]
    whole = own.synced_from(drawn, [Stage.DEVELOP], per_shot=True)
    assert [o.id for o in whole.beside(Stage.DEVELOP)] == [zone, "crop"]
    assert whole.find("crop").values == {"left": 10.0}


def test_a_zone_that_comes_along_takes_no_other_stage_s_place():
    own, kept = Treatment().with_zone(Stage.DENOISE, GRADIENT)
    other, zone = Treatment().with_zone(Stage.DEVELOP, LinearGradient((0, 0), (1, 1)))
    assert kept == zone
    both = own.synced_from(other, [Stage.DEVELOP], per_shot=True)
    assert [o.mask for o in both.beside(Stage.DENOISE)] == [GRADIENT]
    assert [o.mask for o in both.beside(Stage.DEVELOP)] == [LinearGradient((0, 0), (1, 1))]


@pytest.mark.parametrize(
    "data",
    [
        [], {}, {"format": "crispgrain-treatment", "version": 3, "operations": []},
        {"format": "crispgrain-treatment", "version": 2, "operations": [{"id": "denoise", "stage": "denoise"}] * 2},
        {"format": "crispgrain-treatment", "version": 1, "stages": {"denoise": {"luminance": [1]}}},
        {"format": "crispgrain-treatment", "version": 1, "stages": {"bake": {}}},
        {"format": "crispgrain-treatment", "version": 1, "stages": {"denoise": {"model": "magic"}}},
        {"format": "crispgrain-treatment", "version": 1, "stages": {"denoise": 3}},
        {"format": "crispgrain-treatment", "version": 2, "operations": [{**SHARPEN, "mask": {"shape": "cloud"}}]},
        {"format": "crispgrain-treatment", "version": 2, "operations": [SHARPEN, SHARPEN]},
        {"format": "crispgrain-treatment", "version": 2, "operations": [{**SHARPEN, "id": "9"}]},
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


# ---- what goes with a setting, and what stays -------------------------------------------------


def test_a_radius_does_not_survive_a_model_in_which_it_means_something_else():
    treatment = Treatment().set("sharpen.model", "unsharp-mask").set("sharpen.radius", 1.5).set("sharpen.halo", 5)
    changed = treatment.set("sharpen.model", "defocus")
    assert changed[Stage.SHARPEN].values == {"halo": 5}  # which means the same everywhere
    assert treatment.set("sharpen.model", "unsharp-mask") == treatment
    assert Treatment().set("sharpen.radius", 1.5).set("sharpen.model", "defocus")[Stage.SHARPEN].values == {}
    denoise = Treatment().set("denoise.model", "wavelet").set("denoise.luminance", 70)
    assert denoise.set("denoise.model", "photo-net")[Stage.DENOISE].values == {"luminance": 70}


def test_what_was_drawn_on_one_shot_stays_there_unless_asked_for():
    drawn = Treatment().set("sharpen.model", "motion").set("sharpen.length", 12).set("sharpen.halo", 4)
    other = Treatment().set("sharpen.model", "motion").set("sharpen.angle", 80)
    assert drawn.has_per_shot
    assert Treatment().synced_from(drawn, [Stage.SHARPEN])[Stage.SHARPEN].values == {"halo": 4}
    assert other.synced_from(drawn, [Stage.SHARPEN])[Stage.SHARPEN].values == {"halo": 4, "angle": 80}
    asked = other.synced_from(drawn, [Stage.SHARPEN], per_shot=True)
    assert asked[Stage.SHARPEN].values == {"halo": 4, "length": 12}
    assert drawn.part([Stage.SHARPEN], "calm")[Stage.SHARPEN].values == {"halo": 4}
    assert drawn.part([Stage.SHARPEN], "calm", per_shot=True)[Stage.SHARPEN].values == {"halo": 4, "length": 12}


def test_stages_that_would_be_off_are_switched_on(raw_file):
    source = read_shot(raw_file)
    wish = Treatment().set("enlarge.factor", 3)
    assert switched_on(wish, [Stage.ENLARGE], source, Reading())[Stage.ENLARGE].on is True
    noisy = Reading(Noise.even(8))
    assert switched_on(wish, [Stage.DENOISE], source, noisy)[Stage.DENOISE].on is None  # metered on: stays metered


def test_presets_of_names_that_differ_in_punctuation_are_kept_apart():
    first = presets.save(Treatment().set("finish.on", True), "Wall: 30 x 40", [Stage.FINISH])
    second = presets.save(Treatment().set("finish.on", False), "Wall? 30 x 40", [Stage.FINISH])
    assert first != second
    assert presets.load("Wall: 30 x 40")[Stage.FINISH].on is True
    assert presets.load("Wall? 30 x 40")[Stage.FINISH].on is False
    assert presets.save(Treatment().set("finish.on", False), "Wall: 30 x 40", [Stage.FINISH]) == first
    assert len([path for path in presets.saved() if path.parent == presets_folder()]) == 2
    with pytest.raises(TreatmentError, match="Wall: 30 x 40"):
        presets.load("Wall")


def test_finished_pictures_are_not_spoken_to_of_demosaicing(tmp_path, clean8):
    Image.fromarray(clean8).save(tmp_path / "p.png")
    source = read_shot(tmp_path / "p.png")
    resolved = resolve(Treatment().set("develop.model", "linear"), source, Reading())
    assert resolved[Stage.DEVELOP].model.id == "finished"
    assert resolved.remarks == []
    assert "emosaic" not in resolved[Stage.DEVELOP].model.purpose
    assert "highlights" not in resolved[Stage.DEVELOP].values
    assert "finished" not in [m.id for m in models_of(Stage.DEVELOP) if m.fits(read_shot_raw(tmp_path))]


def read_shot_raw(folder):
    return read_shot(write_raw(folder / "r.dng", np.full((64, 64, 3), 0.1, np.float32)))


# ---- how bright a RAW comes up -------------------------------------------------------------------


def brightened(folder, grey: float, lamp: float = 0.0, edge: int = 0) -> float:
    scene = np.full((128, 128, 3), grey, np.float32)
    scene[:edge, :edge] = lamp
    return measure_lift(read_shot(write_raw(folder / "r.dng", scene, 100)))


def test_a_dark_raw_comes_up_with_its_median_two_and_a_half_stops_below_white(tmp_path):
    assert brightened(tmp_path, 2**-4.5) == pytest.approx(2.0, abs=0.1)
    assert brightened(tmp_path, 2**-2.5) == pytest.approx(0.0, abs=0.1)


def test_highlights_are_protected(tmp_path):
    assert brightened(tmp_path, 2**-4.5, lamp=0.5, edge=24) == pytest.approx(1.0, abs=0.1)
    assert brightened(tmp_path, 2**-4.5, lamp=0.9, edge=8) == pytest.approx(2.0, abs=0.1)


def test_a_raw_comes_up_as_bright_as_the_cameras_own_preview(tmp_path, monkeypatch):
    shown = np.full((60, 80, 3), 255 * srgb_encode(np.float32(2**-3)), np.uint8)
    monkeypatch.setattr(exposure, "embedded_preview", lambda path, longest: shown)
    assert brightened(tmp_path, 2**-4.5) == pytest.approx(1.5, abs=0.1)


def test_a_finished_picture_keeps_its_light(tmp_path, clean8):
    Image.fromarray(clean8 // 4).save(tmp_path / "p.png")
    assert measure(read_shot(tmp_path / "p.png")).tones.lift == 0


def test_noise_moves_with_the_light_it_is_in():
    """Against noise that was really brightened: encoded, in eight tones, two stops."""
    rng = np.random.default_rng(3)
    tones = np.linspace(0.1, 0.45, 8, dtype=np.float32)
    sigma = 1.5 + 4 * tones
    told = Noise(4, 4, tuple(tones.tolist()), tuple(sigma.tolist()), tuple(sigma.tolist())).brightened(2)
    for tone, s in zip(tones, sigma, strict=True):
        seen = tone + rng.normal(0, s / 255, 40_000).astype(np.float32)
        brighter = srgb_encode(4 * srgb_decode(seen))
        found = told.sigma_at(np.array([np.median(brighter)]), colour=False)[0]
        assert found == pytest.approx(float(brighter.std()), rel=0.04)


def test_even_noise_is_far_from_even_in_another_light():
    """Which the two tones it is known at would not say."""
    told = Noise.even(6).brightened(2)
    dark, middle = told.sigma_at(np.array([0.05, 0.5]), colour=False)
    rng = np.random.default_rng(5)
    for tone, sigma in ((0.05, dark), (0.5, middle)):
        before = srgb_encode(srgb_decode(np.float32(tone)) / 4)
        seen = srgb_encode(4 * srgb_decode(before + rng.normal(0, 6 / 255, 40_000).astype(np.float32)))
        assert sigma == pytest.approx(float(seen.std()), rel=0.06)
