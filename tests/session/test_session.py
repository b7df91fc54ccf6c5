"""What is open and what is done with it, without a window."""

from pathlib import Path

import numpy as np
import pytest
from PIL import Image

from crispgrain.core.colour.spaces import srgb_encode
from crispgrain.core.marks import Mark
from crispgrain.core.masks import LinearGradient
from crispgrain.core.model import Stage
from crispgrain.core.registry import HEAL
from crispgrain.core.shot import open_shot
from crispgrain.core.treatment import Treatment
from crispgrain.geometry import Size
from crispgrain.session.listing import Listing, Order
from crispgrain.session.session import Session
from crispgrain.session.shots import State
from crispgrain.session.sync import Part, synced, whole_stages
from crispgrain.store import Store


@pytest.fixture
def session(tmp_path):
    session = Session(Store(tmp_path / "store.sqlite"))
    yield session
    session.close()


@pytest.fixture
def files(tmp_path) -> list[Path]:
    paths = [tmp_path / f"{name}.png" for name in "dacb"]
    for n, path in enumerate(paths):
        Image.fromarray(np.full((40, 60, 3), 60 + 30 * n, np.uint8)).save(path)
    return paths


def load(session: Session) -> None:
    """What a window does in the background: bring the shot on the easel into memory."""
    session.on_easel.shot = open_shot(session.on_easel.path)


def test_the_first_shot_opened_goes_on_the_easel_and_none_is_opened_twice(session, files):
    heard = []
    session.current_changed.connect(lambda: heard.append(session.on_easel.path.name))
    assert session.open(files[:2]) == [0, 1]
    assert session.open([files[1], files[2], files[2]]) == [2]
    assert heard == ["d.png"]
    assert session.selection == [0] == session.chosen


def test_treatments_kept_for_shots_are_read_and_broken_ones_told_of(session, files):
    Treatment().set("finish.on", True).save(files[0].with_name("d.png.treatment.json"))
    files[1].with_name("a.png.treatment.json").write_text("{}")
    problems = []
    session.problem.connect(problems.append)
    session.open(files)
    assert session.treatment[Stage.FINISH].on is True
    assert session.on_easel.state is State.WAITING
    assert session.on_easel.settled_state is State.TREATED
    assert session.roll[1].treatment == Treatment()
    assert "a.png.treatment.json" in problems[0]


def test_ids_stay_while_shots_are_sorted_hidden_and_taken_off(session, files):
    session.open(files)
    session.choose(2)
    session.roll.arrange(Listing(Order.NAME))
    assert session.roll.listed == [1, 3, 2, 0]
    session.step(-1)
    assert session.on_easel.path.name == "b.png"
    session.mark(Mark.KEEP, [2, 0])
    session.roll.arrange(Listing(Order.NAME, marks=frozenset({Mark.KEEP})))
    assert session.roll.listed == [2, 0]
    session.choose(2)
    session.take_off([2])
    assert session.roll.listed == session.selection == [0]
    assert session.on_easel.path.name == "d.png"
    assert files[2].exists()
    session.roll.arrange(Listing())
    assert session.roll.listed == [0, 1, 3]


def test_stepping_goes_through_all_or_through_those_selected(session, files):
    session.open(files)
    session.select([0, 3])
    session.step(1, selected_only=True)
    assert (session.current, session.selection) == (3, [0, 3])
    session.step(1)
    assert session.current == 3  # the last one
    session.step(-1)
    assert (session.current, session.selection) == (2, [2])


def test_changes_are_undone_and_redone_step_by_step(session, files):
    session.open(files)
    load(session)
    for value in (10.0, 20.0, 30.0):  # a slider on its way
        session.change_setting("denoise.luminance", value)
    session.change_setting("denoise.colour", 50.0)
    assert session.history.next_undo == "Denoise: colour"
    session.history.undo()
    assert session.treatment[Stage.DENOISE].values == {"luminance": 30.0}
    session.history.undo()
    assert session.treatment == Treatment()
    assert (session.history.next_undo, session.history.next_redo) == ("", "Denoise: luminance")
    session.history.redo()
    session.change_setting("denoise.luminance", 40.0)  # another stroke: not one with what was done again
    session.history.undo()
    assert session.treatment[Stage.DENOISE].values == {"luminance": 30.0}
    assert session.history.next_redo == "Denoise: luminance"


def test_a_changed_setting_switches_its_stage_on(session, files):
    session.open(files)
    load(session)
    assert not session.pipeline.resolved[Stage.ENLARGE].on
    session.change_setting("enlarge.factor", 3.0)
    assert session.pipeline.resolved[Stage.ENLARGE].on
    assert session.pipeline.size.width == 180
    session.change_setting("enlarge.*", None)
    assert session.treatment == Treatment()


def test_what_is_no_setting_is_said_and_changes_nothing(session, files):
    problems = []
    session.problem.connect(problems.append)
    session.open(files)
    load(session)
    session.change_setting("denoise.loudness", 3.0)
    assert "loudness" in problems[0]
    assert session.history.next_undo == ""


def test_sync_takes_what_is_metered_to_each_shots_reading_or_the_same_numbers(session, files):
    session.open(files)
    load(session)
    session.change_setting("denoise.colour", 60.0)
    luminance = session.pipeline.resolved[Stage.DENOISE].values["luminance"]
    after = session.synced([1], [Part("denoise")])
    assert after[1][Stage.DENOISE].values == {"colour": 60.0}
    after = session.synced([1], [Part("denoise", fixed=True)])
    assert after[1][Stage.DENOISE].values["luminance"] == luminance
    assert after[1][Stage.DENOISE].model is not None
    assert session.roll[1].treatment == Treatment()  # only said so far
    assert session.synced([1], [Part("finish")]) == {}


def test_a_zone_is_synced_only_if_ticked_and_takes_the_place_of_its_like(session, files):
    session.open(files)
    treatment, id = Treatment().with_zone(Stage.DEVELOP, LinearGradient((0, 0), (1, 0)))
    session.change_treatment(treatment.set(f"{id}.exposure", 1.0), "zone")
    session.sync([1], [Part("develop")])
    assert session.roll[1].treatment.find(id) is None
    for stops in (1.0, 2.0):
        session.change_treatment(session.treatment.set(f"{id}.exposure", stops), "zone")
        session.sync([1], [Part(id)])
        (zone,) = session.roll[1].treatment.beside(Stage.DEVELOP)
        assert zone.values == {"exposure": stops}


def test_sync_is_one_step_and_leaves_out_what_belongs_to_one_shot(session, files):
    session.open(files)
    session.change_treatment(Treatment().set("sharpen.angle", 30.0).set("denoise.colour", 60.0), "by hand")
    assert session.sync([0, 1, 2], [Part(Stage.DENOISE), Part(Stage.SHARPEN)]) == 2
    for id in (1, 2):
        assert session.roll[id].treatment[Stage.DENOISE].values == {"colour": 60.0}
        assert "angle" not in session.roll[id].treatment[Stage.SHARPEN].values
    assert session.roll[3].treatment == Treatment()
    session.history.undo()
    assert session.roll[1].treatment == session.roll[2].treatment == Treatment()


def test_a_zone_that_is_undone_is_not_open_any_more(session, files):
    session.open(files)
    session.choose_stage(Stage.DEVELOP)
    treatment, id = session.treatment.with_zone(Stage.DEVELOP, LinearGradient((0, 0), (1, 0)))
    session.change_treatment(treatment, "A zone")
    session.choose_operation(id)
    session.history.undo()
    assert session.operation == "develop"


def test_a_folder_that_cannot_be_written_keeps_the_change_and_says_so(session, files):
    problems = []
    session.problem.connect(problems.append)
    session.open(files)
    session.roll.sidecars = Path("/proc/nowhere")
    session.change_treatment(Treatment().set("finish.on", True), "Finish on")
    session.keeper.close()
    assert session.treatment[Stage.FINISH].on is True
    assert "d.png.treatment.json" in problems[0]


def test_what_was_open_comes_back(session, files, tmp_path):
    session.open(files)
    session.choose(2)
    files[3].unlink()
    again = Session(Store(tmp_path / "store.sqlite"))  # the first was never closed, as after a kill
    assert again.reopen()
    assert [again.roll[id].path for id in again.roll.listed] == files[:3]
    assert again.on_easel.path == files[2]
    again.close()


def test_nothing_comes_back_of_nothing(session):
    assert not session.reopen()
    assert session.on_easel is None and session.pipeline is None


def test_a_mark_is_undone_kept_beside_the_shot_and_read_by_others(session, files):
    """The rating is read back with a reader of its own: XMP is XML (ISO 16684-1)."""
    from xml.etree import ElementTree

    session.open(files)
    session.mark(Mark.REJECT, [1, 2])
    session.history.undo()
    session.history.redo()
    assert [session.roll[id].treatment.mark for id in range(4)] == ["", "reject", "reject", ""]
    assert session.roll[1].settled_state is State.UNTOUCHED
    session.keeper.close()
    assert Treatment.load(files[1].with_name("a.png.treatment.json")).mark is Mark.REJECT
    text = files[1].with_name("a.png.xmp").read_text()
    element = next(e for e in ElementTree.fromstring(text[text.index("<x:xmpmeta") :].split("<?xpacket")[0]).iter()
                   if e.tag.endswith("Description"))  # fmt: skip
    assert element.attrib["{http://ns.adobe.com/xap/1.0/}Rating"] == "-1"
    again = Session(session.store)
    files[1].with_name("a.png.treatment.json").unlink()
    again.open(files[1:2])
    assert again.treatment.mark is Mark.REJECT
    again.keeper.close()


def test_marking_leaves_what_others_wrote_into_the_xmp_file(session, files):
    import exiv2

    from crispgrain.core.files.rating import read_rating

    path = files[0].with_name("d.png.xmp")
    image = exiv2.ImageFactory.create(exiv2.ImageType.xmp, str(path))
    image.xmpData()["Xmp.dc.subject"] = "orrery"
    image.writeMetadata()
    session.open(files)
    session.mark(Mark.LOOK_AGAIN)
    session.mark(Mark.LOOK_AGAIN)  # once more takes it away
    session.mark(Mark.KEEP)
    session.keeper.close()
    assert "orrery" in path.read_text() and read_rating(files[0]) == 5


def test_sync_presets_and_resetting_leave_the_mark_alone(session, files):
    session.open(files)
    session.mark(Mark.KEEP, [0])
    session.change_treatment(Treatment().set("finish.on", True), "by hand")
    session.sync([1], whole_stages(session.treatment, Stage))
    session.change_treatment(Treatment(), "reset")
    assert [session.roll[id].treatment.mark for id in (0, 1)] == [Mark.KEEP, Mark.NONE]
    assert session.roll[1].treatment[Stage.FINISH].on is True
    assert session.treatment.part(list(Stage), "preset").mark is Mark.NONE


def test_treated_together_only_what_was_changed_is_carried_over(session, files):
    session.open(files)
    session.change({1: Treatment().set("denoise.colour", 10.0).set("sharpen.on", False)}, "its own")
    session.select([0, 1, 2])
    session.treat_together(True)
    session.change_treatment(session.treatment.set("denoise.luminance", 80.0).set("sharpen.angle", 30.0), "one")
    assert session.roll[1].treatment[Stage.DENOISE].values == {"colour": 10.0, "luminance": 80.0}
    assert session.roll[1].treatment[Stage.SHARPEN].on is False  # its own choices stay, and no drawn angle comes
    assert "angle" not in session.roll[2].treatment[Stage.SHARPEN].values
    session.change_treatment(session.treatment.set("denoise.luminance", None), "back to the meter")
    assert session.roll[1].treatment[Stage.DENOISE].values == {"colour": 10.0}
    assert session.roll[3].treatment == Treatment()


def test_a_copied_treatment_is_pasted_on_all_chosen_shots_as_one_step(session, files):
    session.open(files)
    assert session.paste_treatment() == 0
    session.change_treatment(Treatment().set("denoise.colour", 60.0).set("crop.angle", 2.0), "by hand")
    session.copy_treatment()
    session.select([1, 2])
    assert session.paste_treatment() == 2
    for id in (1, 2):
        assert session.roll[id].treatment[Stage.DENOISE].values == {"colour": 60.0}
        assert session.roll[id].treatment.find("crop") is None
    session.history.undo()
    assert session.roll[1].treatment == session.roll[2].treatment == Treatment()


def test_presets_of_our_own_ship_and_give_way_to_one_saved_under_their_name(session, files):
    from crispgrain import presets

    names = [presets.name_in(path) for path in presets.saved()]
    shipped = {"Night series, high ISO", "Film scan", "8 × 10 in print", "Screen", "Old compact camera", "Old print"}
    assert shipped == set(names)
    session.open(files)
    session.put_preset(presets.load("8 × 10 in print"), [0], "Preset")
    load(session)
    assert max(session.pipeline.size.width, session.pipeline.size.height) == 3000  # 10 in at 300 ppi
    presets.save(Treatment().set("finish.on", True), "Screen", [Stage.FINISH])
    assert len(presets.saved()) == 6
    assert presets.load("Screen")[Stage.FINISH].on is True


def test_how_the_roll_was_looked_at_comes_back_at_the_next_start(session, files, tmp_path):
    session.open(files)
    session.choose(2)
    session.select([1, 2])
    session.roll.arrange(Listing(Order.NAME, descending=True, text="shot", marks=None))
    session.viewport.place(Size(100, 200))
    session.viewport.zoom(2.0)
    session.viewport.look_at(150, 25)
    session.choose_stage(Stage.SHARPEN)
    session.keep_view()  # and then the power goes
    again = Session(Store(tmp_path / "store.sqlite"))
    assert again.reopen()
    assert [again.roll[id].path for id in again.selection] == [files[1], files[2]]
    assert again.on_easel.path == files[2]
    assert again.roll.listing == session.roll.listing
    assert again.stage is Stage.SHARPEN
    again.viewport.place(Size(400, 800))  # the result is another size by now
    assert (again.viewport.scale, again.viewport.centre) == (2.0, (600, 100))
    again.close()


def test_a_view_of_another_version_is_no_trouble(session, files, tmp_path):
    session.open(files)
    session.store.keep_state("view", {"order": "by magic", "marks": None})
    again = Session(Store(tmp_path / "store.sqlite"))
    assert again.reopen()
    assert again.roll.listing == Listing()
    again.close()


def test_some_stages_of_what_was_copied_are_pasted(session, files):
    session.open(files)
    session.change_treatment(Treatment().set("sharpen.strength", 30.0).set("denoise.colour", 60.0), "by hand")
    session.copy_treatment()
    session.select([1, 2])
    assert session.paste_treatment([Stage.DENOISE]) == 2
    assert session.roll[2].treatment[Stage.DENOISE].values == {"colour": 60.0}
    assert not session.roll[2].treatment[Stage.SHARPEN].touched


def test_sensor_dust_is_healed_in_the_same_place_on_other_shots():
    given = Treatment().set("heal.spots", "0.4 0.3 0.01 0.05 0").set("denoise.luminance", 50.0)
    other = Treatment().set("denoise.luminance", 80.0)
    result = synced(other, given, [Part(HEAL.id)], None)
    assert result.find(HEAL.id).values == given.find(HEAL.id).values
    assert result[Stage.DENOISE].values["luminance"] == 80.0


@pytest.mark.slow
def test_the_preset_for_old_prints_takes_scratches_off_a_scan(session, tmp_path, clean8):
    from crispgrain import presets

    grey = (0.25 * clean8.mean(axis=2) + 90 + np.random.default_rng(8).normal(0, 3, clean8.shape[:2])).round()
    scratched = grey.copy()
    for column in (100, 320, 517):
        scratched[60:420, column : column + 2] = 240
    path = tmp_path / "scan.tif"
    Image.fromarray(scratched.clip(0, 255).astype(np.uint8)).save(path)
    shot = open_shot(path)
    treatment = presets.load("Old print").only([Stage.DEVELOP])
    result = shot.pipeline(treatment).region(shot.source.size.rect)
    shown = 255 * srgb_encode(result[..., 1])
    where = scratched != grey
    assert np.abs(scratched - grey)[where].mean() > 80 and np.abs(shown - grey)[where].mean() < 15
    assert (shown - grey)[~where].std() < 3  # it may be lighter as a whole: faded colours are undone
