"""Recipes in plain lines: what is printed reads back, what people write is read or named."""

from pathlib import Path

import pytest
from hypothesis import example, given
from hypothesis import strategies as st

from openpail.formats.recipe_print import markdown
from openpail.formats.recipe_text import MOST_LINES
from openpail.formats.written.make import understand
from tests.support import HOUSE, RECIPES

DOCS = Path(__file__).parents[2] / "docs"
STEP = (
    "kind",
    "minutes",
    "hands_on_minutes",
    "title",
    "words",
    "clock",
    "celsius",
    "ph",
    "sign",
    "goes_wrong",
    "leave",
    "may_stretch_minutes",
    "cut_mm",
    "load_kg",
    "asks",
)
HEAD = (
    "name",
    "family",
    "words",
    "reference",
    "eat_by_days",
    "renneting_c",
    "ripening_ph_drop",
    "cut_multiplier",
    "acid_target_ph",
    "ready_words",
    "other_milks",
    "whose",
)


def parts(each, names):
    return {name: getattr(each, name) for name in names}


@pytest.mark.parametrize("key", sorted(RECIPES))
def test_a_printed_recipe_reads_back(key):
    recipe = RECIPES[key]
    written = understand(markdown(recipe), HOUSE, "metric")
    assert [line for line in written.lines if line.why] == []
    again = written.recipe
    assert parts(again, HEAD) == parts(recipe, HEAD)
    assert [parts(step, STEP) for step in again.steps] == [parts(s, STEP) for s in recipe.steps]
    assert [len(step.adds) for step in again.steps] == [len(step.adds) for step in recipe.steps]
    stage = ("place", "celsius", "days", "ends_when", "humidity_pct")
    assert [parts(s, stage) for s in again.stages] == [parts(s, stage) for s in recipe.stages]
    care = ("words", "every_days", "from_day", "matters")
    assert [[parts(c, care) for c in s.cares] for s in again.stages] == [
        [parts(c, care) for c in s.cares] for s in recipe.stages
    ]
    for mine, theirs in zip(again.ingredients, recipe.ingredients, strict=True):
        assert (mine.amount, mine.unit, mine.basis, mine.product.kind) == (
            theirs.amount,
            theirs.unit,
            theirs.basis,
            theirs.product.kind,
        )
        assert mine.product.strength == theirs.product.strength
        assert mine.product.serves_l == theirs.product.serves_l


def one(line, system="metric", before=""):
    return understand(f"A name\n{before}\n{line}", HOUSE, system)


@pytest.mark.parametrize(
    ("line", "litres", "breed", "heat"),
    [
        ("2 gal goat milk", 7.571, "goat", "raw"),
        ("1 gal 1 qt raw ewes milk", 4.732, "sheep", "raw"),
        ("10 L batch high-solids cow milk", 10, "cow_high_solids", "batch"),
        ("4 litres of shop milk", 4, "cow_lowland", "flash"),
        ("½ gal long-life milk", 1.893, "cow_lowland", "ultra_heated"),
        ("12 L buffalo whey", 12, "buffalo", "raw"),
    ],
)
def test_milk_is_read_in_any_unit_of_any_animal(line, litres, breed, heat):
    part = one(line, "us").recipe.reference[0]
    assert part.volume_l == pytest.approx(litres, abs=0.001)
    assert (part.breed, part.treatment) == (breed, heat)
    assert part.stream == ("whey" if "whey" in line else "milk")


@pytest.mark.parametrize(
    ("line", "kind", "amount", "unit"),
    [
        ("1/4 tsp mild culture", "culture", 0.5, "g"),
        ("2 g freeze-dried culture", "culture", 2, "g"),
        ("1 packet culture", "culture", 1, "packet"),
        ("1/2 tsp calf rennet, 200 IMCU", "rennet", 2.464, "mL"),
        ("1/2 tablet rennet 1:10 000", "rennet", 0.5, "tablet"),
        ("2,5 mL calcium chloride 33 %", "calcium", 2.5, "mL"),
        ("1 cup vinegar 5 %", "acid", 236.6, "mL"),
        ("2 % salt", "salt", 2, "%"),
        ("4 % of the milk fine salt", "salt", 4, "%"),
        ("0.1 g blue mould", "mould", 0.1, "g"),
        ("60 mL brandy", "herb", 60, "mL"),
        ("10 g dried chives", "herb", 10, "g"),
    ],
)
def test_what_goes_in_is_read_in_any_unit(line, kind, amount, unit):
    each = one(line, "us").recipe.ingredients[0]
    assert (each.product.kind, each.unit) == (kind, unit)
    assert each.amount == pytest.approx(amount, rel=1e-3)


@pytest.mark.parametrize(
    ("line", "kind", "minutes", "celsius"),
    [
        ("warm to 30 C over 40 min", "warm", 40, 30),
        ("Heat slowly to 102 F in 1 h 10", "warm", 70, 38.89),
        ("wait 45 min", "wait", 45, None),
        ("- let it set for half", "wait", 30, None),
        ("3) cut to 1/2 inch", "cut", 8, None),
        ("press with 20 lb for 12 hours", "press", 720, None),
        ("take off 4 L whey", "take whey off", 8, None),
        ("add 3 L of hot water", "add water", 10, None),
        ("stir 20 min at 38 C until springy", "stir", 20, 38),
        ("brine 8 h at 12 C", "brine", 480, 12),
    ],
)
def test_a_verb_how_long_and_how_warm_is_a_step(line, kind, minutes, celsius):
    step = one(line).recipe.steps[0]
    assert (step.kind, step.minutes) == (kind, minutes)
    assert (step.celsius and step.celsius.target) == celsius
    assert step.cut_mm == (12.7 if kind == "cut" else None)
    assert step.sign == ("Springy" if "springy" in line else "")


@pytest.mark.parametrize(
    ("line", "why"),
    [
        ("sing to it", "No word of this line"),
        ("1,500 mL vinegar", "1500 or 1.5"),
        ("3 g moonlight", "nothing we know"),
        ("add moonlight", "not among what goes in"),
        ("Family: bicycle", "no family we know"),
        ("Look for: a sign", "none stands before it"),
        ("wait 9000 h", "longer than two weeks"),
        ("Eat within: 9000 weeks", "longer than anybody"),
        ("5 g rennet 200 IMCU", "by volume"),
        ("Cut at: noon", "no number"),
        ("Rennet at: noon", "like Rennet at"),
    ],
)
def test_a_line_that_is_not_understood_says_why_and_keeps_its_words(line, why):
    written = one(line)
    last = written.lines[-1]
    assert last.text == line and not last.understood and why in last.why


def test_what_is_taken_for_granted_is_told():
    written = understand(
        "Hill\n10 L milk\n2 mL calf rennet, 200 IMCU\nwarm to 33 C\nadd the rennet\n"
        "wait for the flocks\nlet it set\ncut to 1 cm\nrest 5 min\ncheddar 2 h\nweigh it",
        HOUSE,
        "metric",
    )
    recipe = written.recipe
    assert (recipe.family, recipe.renneting_c, recipe.cut_multiplier) == ("cheddared", 33, 3)
    told = "; ".join(written.granted)
    assert len(written.granted) == 4 and "33 °C" in told and "eaten fresh" in told
    assert [step.clock for step in recipe.steps][2:4] == ["flocculation", "cut"]
    assert recipe.steps[1].adds == ("rennet",) and recipe.steps[5].kind == "heal"
    assert recipe.steps[-1].asks == ("weight",)


@pytest.mark.parametrize(
    ("line", "words"),
    [
        ("2 gal goat milk", "Gal is taken as US measure"),
        ("5 mL calf rennet", "Rennet of 200 IMCU per mL, as nothing else is said"),
        ("ripen 60 days in the cave", "12 °C where it ripens, as nothing else is said"),
    ],
)
def test_what_is_usual_is_filled_in_and_said_so(line, words):
    written = one(line)
    assert written.lines[-1].understood and any(words in each for each in written.granted)
    told = one("2 US gal goat milk\n5 mL calf rennet 180 IMCU\nripen 60 days at 11 C in the cave")
    assert not any(words in each for each in told.granted)


def test_the_example_of_the_docs_is_read_to_the_last_line():
    page = (DOCS / "recipe-text.md").read_text("utf-8")
    written = understand(page.split("```\n")[1].split("```")[0], HOUSE, "us")
    assert [line.text for line in written.lines if line.why] == ["sing to it"]
    assert len(written.recipe.steps) > 8 and written.recipe.stages[0].cares


WORDS = """add wait cut press ripen every days 12 C F % pH 1/2 ( to ) : , g mL L gal milk rennet 200
IMCU 1:10 salt of the curd min h until - # by hand adds and 1/0 ½ look for may run longer 60 d whey
tsp tablet 99999999999999999999999999999999"""
words = st.sampled_from([*WORDS.split(), "\x00", "  "])


@given(st.lists(st.lists(words, max_size=9).map(" ".join), max_size=9).map("\n".join) | st.text())
@example("x\n" * (MOST_LINES + 5))
def test_no_text_breaks_the_reader_and_no_line_is_lost(text):
    written = understand(text, HOUSE, "metric")
    told = [line for line in text.splitlines() if line.strip()]
    assert len(written.lines) == len(told)
    assert all(line.why for line in written.lines if line.number > MOST_LINES)
    assert all(bool(line.understood) != bool(line.why) for line in written.lines)
    markdown(written.recipe)


@pytest.mark.parametrize(
    ("line", "understood"),
    [
        ("Press 10 kg overnight", "press, 12 h, 10 kg on it"),
        ("Wait for flocks", "test, 12 min, as nothing else is said"),
        ("Put in moulds", "mould, 10 min, as nothing else is said"),
        ("Let rest 20 min", "wait, 20 min"),
        ("Cut to 1 cm", "cut, 8 min, as nothing else is said, 10 mm"),
        (
            "Warm to 32 C until it smells sweet",
            "warm, 35 min, as nothing else is said, 32 °C, until: It smells sweet",
        ),
        (
            "Ripen 60 days at 12 C, 85 %, in the cave",
            "ripening, 60 days at 12 °C, 85 % humid, cave",
        ),
        ("Turn every 2 days", "a care: turn it, every 2 days"),
    ],
)
def test_what_a_line_says_is_carried_and_echoed(line, understood):
    before = "Ripen 60 days at 12 C, in the cave\n" if line.startswith("Turn") else ""
    lines = understand(f"Hill Tomme\n20 L raw goat milk\n{before}{line}\n", HOUSE, "metric").lines
    assert lines[-1].understood == understood and not lines[-1].why


def test_a_care_without_a_place_is_asked_for_and_no_step_of_days():
    (*_, line) = understand(
        "Hill Tomme\n20 L raw goat milk\nTurn every 2 days\n", HOUSE, "metric"
    ).lines
    assert "belongs behind a place to ripen" in line.why
