"""A recipe beside itself in other milks."""

from datetime import date

import pytest
from hypothesis import given
from hypothesis import strategies as st

from openpail.craft.bench.ratio import shares
from openpail.craft.doses.asked import Ways
from openpail.craft.recipe.recipe import reference_pours
from openpail.craft.sheet.adapt import adapt
from openpail.craft.sheet.other_milk import as_if, scaled_to, side_by_side
from tests.support import HOUSE, MILK_RECIPES, RECIPES, job_for, one_pour

DAY = date(2026, 5, 4)
every = pytest.mark.parametrize("key", sorted(MILK_RECIPES))


def columns(key, *own):
    return {each.name: each for each in side_by_side(RECIPES[key], HOUSE, Ways(), DAY, own)}


@every
def test_the_first_column_is_the_recipe_itself_and_each_other_is_its_own_sheet(key):
    found = columns(key)
    own = found.pop("as written")
    for line in own.sheet.lines:
        assert line.figure.value == pytest.approx(line.written.value, rel=1e-6)
    for each in found.values():
        if each.sheet:
            again = adapt(job_for(key, *each.pours))
            assert again.cheese.value == each.sheet.cheese.value
            volume = sum(pour.volume_l for pour in each.pours)
            assert volume == pytest.approx(sum(p.volume_l for p in own.pours))
        else:
            assert each.name == "ultra_heated" and "rennet" in each.refusal


@every
def test_ewes_and_buffalo_give_more_than_goats_and_raw_milk_warns_of_itself(key):
    found = columns(key)
    by_animal = {
        name: each.sheet.cheese.value
        for name, each in found.items()
        if name in ("cow", "goat", "sheep", "buffalo")
    }
    assert len(by_animal) >= 3
    if "goat" in by_animal:
        assert by_animal["goat"] == min(by_animal.values())
    if "sheep" in by_animal:
        assert by_animal["sheep"] > 1.3 * by_animal.get("cow", by_animal.get("goat"))
    raw = found.get("raw")
    if raw:
        assert any("Raw" in each.title for each in raw.cautions)


@given(st.floats(0.5, 90), st.floats(0.5, 90), st.floats(1, 200))
def test_a_mix_scaled_is_the_same_mix(goat, ewe, litres):
    pours = [one_pour("goat", litres=goat), one_pour("sheep", litres=ewe)]
    scaled = scaled_to(pours, litres)
    assert sum(each.volume_l for each in scaled) == pytest.approx(litres)
    for before, after in zip(shares(pours), shares(scaled), strict=True):
        assert before.mass == pytest.approx(after.mass, abs=0.02)
        assert before.volume == pytest.approx(after.volume)


def test_homogenised_is_of_the_carton_not_of_the_animal():
    recipe = RECIPES["skillet-lemon"]
    assert reference_pours(recipe, HOUSE)[0].homogenised
    assert not as_if(recipe, HOUSE, breed="goat")[0].homogenised
    assert as_if(recipe, HOUSE)[0].homogenised


def test_the_dairys_own_milk_has_a_column_of_its_own():
    found = columns("steading-wheel", one_pour("goat"), one_pour("sheep", litres=5))
    assert list(found)[-1] == "own mix" and found["own mix"].sheet
    assert "own mix" not in columns("steading-wheel")
