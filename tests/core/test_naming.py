"""File names from templates: numbers filled in beforehand, names taken as they are, what cannot be a name left out."""

import pytest
from hypothesis import given
from hypothesis import strategies as st
from PIL import Image

from crispgrain.core.errors import TreatmentError
from crispgrain.core.meter import Reading
from crispgrain.core.render.naming import check, literal, numbered
from crispgrain.core.render.whole import result_name
from crispgrain.core.shot import open_shot
from crispgrain.core.treatment import Treatment


@given(st.text(min_size=1))
def test_a_name_taken_as_it_is_comes_out_as_it_is(name):
    assert literal(name).format() == name


@given(st.text(max_size=5), st.text(max_size=5), st.integers(1, 999))
def test_only_the_number_is_filled_in(before, after, number):
    template = f"{literal(before)}{{number:04}}{{shot}}{{iso:>6}}{literal(after)}"
    out = numbered(template, number)
    assert out.format(shot="s", iso=100) == f"{before}{number:04}s   100{after}"


@pytest.mark.parametrize("template", ["", "  ", "{nothing}", "{", "{shot", "{0}", "{shot.stem}", "{number!x}"])
def test_an_impossible_template_is_told(template):
    for ask in (check, lambda text: numbered(text, 1)):
        with pytest.raises(TreatmentError, match="a name is made of"):
            ask(template)


def test_words_cannot_be_formatted_as_a_number(clean8, tmp_path):
    Image.fromarray(clean8).save(tmp_path / "a.png")
    pipeline = open_shot(tmp_path / "a.png", lambda source: Reading()).pipeline(Treatment())
    assert result_name(pipeline, "{shot} {number:03} {width}") == "a 001 512.tif"
    with pytest.raises(TreatmentError, match="is no name"):
        result_name(pipeline, "{shot:d}")
