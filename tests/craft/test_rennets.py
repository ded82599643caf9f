"""Rennet as its label says it, each enzyme by its own slope, and recipes that agree with both."""

from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from openpail.craft.doses.setting import Setting, cut_multiplier, flocculation_minutes
from openpail.craft.errors import OutOfRange, PailError
from openpail.craft.figure import replay
from openpail.craft.sheet.second_look import own_set_min, read_over
from openpail.craft.stock.labels import asked_of_label, lacks, read_label
from openpail.craft.stock.products import SORTS, Product, rennet_label
from openpail.formats.line_parts import product_of
from tests.craft.test_doses import vat_milk
from tests.support import HOUSE, RECIPES

SET = [r for r in RECIPES.values() if own_set_min(r, HOUSE)]


@pytest.mark.parametrize(
    ("text", "strength", "scale"),
    [
        ("200", 200, None),
        ("200 IMCU/mL", 200, "imcu"),
        ("1 : 10 000", 10_000, "soxhlet"),
        ("1:15.000", 15_000, "soxhlet"),
        ("520 mg/L chymosine", 520, "mg"),
        ("30 mL for 100 L", 10 / 3, "dose"),
        ("4 drops for 2 L", 10, "dose"),
        ("1 tablet for 50 L", 50, "dose"),
        ("½ tablet for 25 L", 50, "dose"),
        ("2 g per 100 L", 50, "dose"),
    ],
)
def test_a_strength_is_read_as_its_label_says_it(text, strength, scale):
    found = read_label(text)
    assert found.strength == pytest.approx(strength) and found.scale == scale


@pytest.mark.parametrize("text", ["strong", "0 mL for 10 L", "for 10 L", "3 mL for a pail"])
def test_what_is_no_strength_is_refused_in_words(text):
    with pytest.raises(PailError):
        read_label(text)


def rennet(**more):
    return Product(kind="rennet", name="Rennet", **more)


def test_every_bottle_can_stand_on_the_shelf_and_a_liquid_too_strong_is_asked():
    assert replay(rennet_label(rennet(scale="unknown"), HOUSE)) == 135
    assert lacks(rennet(scale="unknown")) == ""
    assert lacks(rennet(scale="dose", strength=50.0, form="tablet")) == ""
    for short in (rennet(), rennet(scale="mg"), rennet(scale="unknown", form="tablet")):
        assert lacks(short)
    with pytest.raises(OutOfRange, match="like “1 for 50 L”"):
        rennet_label(rennet(scale="unknown", form="powder"), HOUSE)
    assert "mg of chymosin" in asked_of_label(rennet(strength=520.0), HOUSE)
    for fine in (rennet(strength=290.0), rennet(strength=520.0, scale="mg")):
        assert asked_of_label(fine, HOUSE) == ""
    assert asked_of_label(rennet(strength=2000.0, form="powder"), HOUSE) == ""
    assert product_of("calf rennet, 520 mg/L", "rennet", "calf").scale == "mg"


def at(ph, sort):
    return Setting(milk=vat_milk(), celsius=32, ph=ph, calcium_g_per_kg=0.0, rennet=sort)


@given(st.floats(6.0, 6.85), st.sampled_from(sorted(SORTS["rennet"])))
def test_every_enzyme_agrees_where_labels_are_tested_and_none_sets_sweeter_milk_sooner(ph, sort):
    calf, this = (flocculation_minutes(40, at(6.5, each), HOUSE) for each in ("calf", sort))
    assert this == pytest.approx(calf)
    sooner, later = (flocculation_minutes(40, at(each, sort), HOUSE) for each in (ph, ph + 0.05))
    assert sooner < later


def test_grown_cattles_rennet_suffers_most_of_sweet_milk_and_parasitica_least():
    sweet = {each: flocculation_minutes(40, at(6.7, each), HOUSE) for each in SORTS["rennet"]}
    assert max(sweet, key=sweet.get) == "pepsin" and min(sweet, key=sweet.get) == "parasitica"
    assert sweet["adult_bovine"] > sweet["kid"] > sweet["calf"] == sweet["fermented"]


@pytest.mark.parametrize("recipe", SET, ids=lambda recipe: recipe.key)
def test_a_shipped_recipe_agrees_with_its_own_set_and_doses_as_is_usual(recipe):
    flocks, cut = own_set_min(recipe, HOUSE)
    by_clock = {step.clock: step.minutes for step in recipe.steps}
    assert by_clock["flocculation"] == pytest.approx(flocks, rel=0.25)
    assert by_clock["flocculation"] + by_clock["cut"] == pytest.approx(cut, rel=0.25)
    assert not [e for e in read_over(recipe, HOUSE) if "own dose gives" in e.words]


def test_a_recipe_whose_own_minutes_do_not_agree_is_told_so():
    hatch = RECIPES["hatch"]
    dear = replace(hatch.ingredient("rennet"), amount=3.0)
    parts = tuple(dear if each.key == dear.key else each for each in hatch.ingredients)
    words = " ".join(each.words for each in read_over(replace(hatch, ingredients=parts), HOUSE))
    assert "Flocks after 14 min, it says; its own dose gives them" in words
    assert own_set_min(replace(hatch, reference=()), HOUSE) is None
    late = tuple(replace(s, minutes=90) if s.clock == "cut" else s for s in hatch.steps)
    words = " ".join(each.words for each in read_over(replace(hatch, steps=late), HOUSE))
    assert "Cut after 104 min by its steps, after about 42" in words


def test_a_recipe_in_its_own_milk_is_cut_at_its_own_multiple():
    for species in ("cow", "goat", "sheep", "buffalo"):
        for treatment in ("raw", "batch", "high_heat", "scalded"):
            milk = vat_milk(species, treatment)
            assert cut_multiplier(milk, 2.2, HOUSE, own=milk).value == 2.2
