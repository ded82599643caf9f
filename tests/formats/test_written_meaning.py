"""What a text means: its amounts, its steps in their order, what it leaves open, other readings."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from openpail.formats.written.asked import MOST_QUESTIONS, MakersWord, OpenQuestion, in_order
from openpail.formats.written.make import understand
from openpail.formats.written.readings import AFTER, BEFORE, LEFT_OUT, ChosenReading
from tests.formats.test_written import TEXTS
from tests.support import HOUSE

# name: what goes in (kind, amount, unit), the steps (kind, minutes; °C where it is told)
MEANT = {
    "leaflet of prose": (
        [("culture", 0.5, "g"), ("rennet", 0.5, "mL"), ("salt", 1.5, "%")],
        "warm 35 22 · add 5 · wait 1080 · drain 1440 · salt 15",
    ),
    "table with bars": (
        [("culture", 2, "g"), ("rennet", 12, "mL")],
        "warm 35 31 · add 5 · wait 45 · add 5 · wait 35 · cut 10 · heat 40 38 · "
        "press 720 · brine 1440 13",
    ),
    "arrows": (
        [("culture", 0.6, "g"), ("mould", 0.1, "g"), ("calcium", 8, "mL"), ("rennet", 10, "mL")],
        "warm 35 32 · add 5 · wait 30 · add 5 · add 5 · wait 45 · cut 10 · stir 20 · "
        "take whey off 8 · mould 10 · turn 300 · brine 360 14",
    ),
    "schedule by the clock": (
        [("culture", 0.9, "g"), ("rennet", 8, "mL")],
        "warm 15 33 · add 5 · wait 45 · add 5 · wait 35 · cut 8 · wait 12 · heat 30 38 · wait 15 · "
        "press 30 · press 75 · press 60 · brine 600 14",
    ),
    "questions to herself": (
        [("culture", 0.25, "g"), ("mould", 0.075, "g"), ("rennet", 2.46, "mL")],
        "warm 35 31 · add 5 · add 5 · wait 60 · add 5 · wait 40 · cut 8 · stir 25 33 · "
        "take whey off 8 · add water 10 35 · stir 10 · mould 10 · turn 180 · brine 360",
    ),
    "alpine, two columns of time": (
        [("culture", 1, "g"), ("culture", 10, "g"), ("rennet", 22, "mL")],
        "warm 35 32 · add 5 · add 5 · wait 20 · add 5 · wait 30 · cut 15 · heat 40 52 · "
        "stir 30 52 · "
        "mould 10 · press 20 · press 60 · press 1080 · brine 1440 12",
    ),
    "two goes of heat": (
        [("rennet", 12, "g")],
        "warm 35 35 · add 5 · wait 30 · cut 8 · heat 15 42 · heat 40 45 · wait 10 · press 60 · "
        "press 120 · press 720 · brine 1440",
    ),
    "old household book": (
        [("culture", 46.6, "g"), ("salt", 3.12, "%")],
        "warm 35 24 · add 5 · wait 1440 · hang 720 · salt 15",
    ),
    "course handout": (
        [("culture", 0.15, "g"), ("calcium", 1, "mL"), ("rennet", 2, "mL")],
        "warm 30 63 · cool 20 31 · add 5 · wait 45 · add 5 · test 12 · cut 5 · heal 5 · "
        "take whey off 8 · add water 10 36 · stir 30 · drain 15 · press 20 · press 60 · "
        "press 180 · brine 240 12",
    ),
    "imperial farmhouse": (
        [("culture", 294, "g"), ("salt", 2.08, "%")],
        "warm 35 29 · add 5 · wait 45 · warm 35 30 · add 5 · wait 60 · cut 8 · heat 45 36 · "
        "settle 30 · take whey off 8 · salt 15 · press 1440 · turn 10 · press 2880",
    ),
}


def shown(step):
    warm = f" {step.celsius.target:.0f}" if step.celsius else ""
    return f"{step.kind} {step.minutes:.0f}{warm}"


@pytest.mark.parametrize("name", MEANT)
def test_what_goes_in_and_what_is_done_is_what_its_writer_meant(name):
    system, text, _ = TEXTS[name]
    goes_in, steps = MEANT[name]
    recipe = understand(text, HOUSE, system).recipe
    assert [(e.product.kind, e.unit) for e in recipe.ingredients] == [
        (kind, unit) for kind, _, unit in goes_in
    ]
    assert [e.amount for e in recipe.ingredients] == pytest.approx(
        [amount for _, amount, _ in goes_in], rel=0.06
    )
    assert " · ".join(shown(step) for step in recipe.steps) == steps
    put_in = {key for step in recipe.steps for key in step.adds}
    assert put_in == {e.key for e in recipe.ingredients}  # nothing weighed is left on the bench


@pytest.mark.parametrize(
    ("text", "milks"),
    [
        ("x\n15 L milk, two thirds goat and one third sheep", [("goat", 10), ("sheep", 5)]),
        ("x\n10 L, 60 % cow, 40 % goat", [("cow_lowland", 6), ("goat", 4)]),
        ("x\n10 L milk, half goat", [("goat", 10)]),  # the other half is not said
        ("x\n10 L cow milk, 5 L ewe", [("cow_lowland", 10), ("sheep", 5)]),
    ],
)
def test_a_mixed_milk_is_each_of_its_milks(text, milks):
    found = understand(text, HOUSE, "metric").recipe.reference
    assert [(each.breed, pytest.approx(each.volume_l)) for each in found] == milks


@pytest.mark.parametrize(
    ("text", "celsius"),
    [
        ("x\n10 L milk\nheat to 88\nheat to 100 F", [31.1, 37.8]),  # who writes F means F
        ("x\n10 L milk\nheat to 88\nheat to 100 C", [88, 100]),
        ("x\n10 L milk\nheat to 32\nheat to 100 F", [32, 37.8]),  # nobody heats to 0 °C
    ],
)
def test_a_text_keeps_to_one_scale(text, celsius):
    found = understand(text, HOUSE, "metric").recipe.steps
    assert [step.celsius.target for step in found] == pytest.approx(celsius, abs=0.1)


def test_a_wrapped_sentence_is_one_and_its_marks_stay_in_their_lines():
    text = (
        "Bag\n5 L raw goat milk\n"
        "Warm it to 22 °C and stir in half a gram of\nmild culture, leave 12 h"
    )
    found = understand(text, HOUSE, "metric")
    assert [(e.amount, e.product.name) for e in found.recipe.ingredients] == [(0.5, "mild culture")]
    first, last = found.lines[2:]
    assert [first.text[m.begins : m.ends] for m in first.marks] == ["22 °C", "half a gram"]
    assert [last.text[m.begins : m.ends] for m in last.marks] == ["12 h"]
    assert last.number == 4 and last.text == "mild culture, leave 12 h"
    other = understand("Bag\n5 L raw milk\n1 g meso\nwarm to 30\ncut 1 cm", HOUSE, "metric")
    assert [line.number for line in other.lines] == [1, 2, 3, 4, 5]


def test_a_log_with_full_stops_between_its_hours_is_one_of_times_and_stays_as_written():
    text = (
        "x\n20 L raw milk\n6.15 add 1.2 g thermo, 33.0 C\n6.45: 4 ml rennet 1:15k\n"
        "7.20 cut 8 mm\n"
        "press: 30 min, 1 h, 15 h\nsalt bath 22 °Bé 48 h\n"
        "cellar 14°, 92 %, brush w/ 5% brine 1x week\n"
        "ready from month 6"
    )
    found = understand(text, HOUSE, "metric")
    assert " · ".join(shown(step) for step in found.recipe.steps) == (
        "add 5 33 · wait 25 · add 5 · wait 30 · cut 8 · press 30 · press 60 · press 900 · "
        "brine 2880"
    )
    assert found.recipe.steps[-1].brine_pct == pytest.approx(23.6, abs=0.1)
    (stage,) = found.recipe.stages
    assert (stage.days, stage.celsius.target, stage.cares[0].every_days) == (180, 14, 7)
    assert found.lines[3].text == "6.45: 4 ml rennet 1:15k" and not found.lines[3].unused


def test_a_list_under_its_heading_is_over_where_the_first_step_begins():
    text = (
        "x\nYou'll need:\n* 1 gallon goat's milk\n* 2 drops of rennet per quart\n"
        "* 1 sachet of culture\n"
        "* salt, about 2 teaspoons\n1) Warm the milk to 80F\n"
        "2) Sprinkle the culture, let it rest 5 min\n"
        "3) Ladle into 6 moulds. Drain 2 days\nEat it within 10 days or freeze it"
    )
    found = understand(text, HOUSE, "us").recipe
    assert [e.product.kind for e in found.ingredients] == ["rennet", "culture", "salt"]
    kinds = [step.kind for step in found.steps]
    assert kinds == ["warm", "add", "wait", "mould", "drain"] and found.eat_by_days == 10


# ── what is asked ──

BARE = """Card
warm to 30
add the culture, wait 30 min
add the rennet, set 40 min
cut 1 cm
press 5 kg 2 h"""


def asked(text, system="metric", **answers):
    return understand(
        text, HOUSE, system, MakersWord({k.replace("_", "-"): v for k, v in answers.items()})
    )


def test_what_is_left_open_is_asked_in_the_order_of_the_work_and_the_rest_is_usual():
    found = asked(BARE)
    keys = [each.key for each in found.questions]
    assert keys == ["milk", "amount-culture", "amount-rennet", "family", "ripens"]
    assert [each.key for each in found.questions if not each.usual] == keys[:3]
    found = asked(BARE, milk="20 L raw ewe milk")
    assert found.recipe.reference[0].breed == "sheep"
    culture, rennet = found.recipe.ingredients
    assert culture.amount > 0 and rennet.amount > 0
    told = " ".join(found.granted)
    assert culture.product.name in told and rennet.product.name in told and "usual" in told
    more = asked(BARE, milk="40 L raw ewe milk").recipe.ingredients
    assert more[0].amount == pytest.approx(2 * culture.amount, rel=0.05)
    answered = asked(BARE, milk="20 L raw ewe milk", amount_rennet="5 mL", strength="180 IMCU")
    rennet = answered.recipe.ingredients[-1]
    assert (rennet.amount, rennet.product.strength) == (5, 180)
    assert "usual" not in " ".join(words for words in answered.granted if "rennet" in words)
    assert asked(BARE, ripens="fresh").recipe.stages == ()
    assert asked(BARE, ripens="usual").recipe.stages
    assert asked(BARE, family="blue").recipe.family == "blue"
    assert "Family" not in " ".join(asked(BARE, family="blue").granted)


@pytest.mark.parametrize(
    ("key", "answer"),
    [("milk", "a pail"), ("amount_rennet", "some"), ("strength", "strong"), ("heat", "boiled")],
)
def test_an_answer_that_is_none_is_refused_in_words_by_its_question(key, answer):
    text = f"Card\n10 L goat milk\n2 mL rennet\n{BARE[5:]}" if key != "milk" else BARE
    text = text.replace("2 mL rennet\n", "") if key == "amount_rennet" else text
    found = {each.key: each for each in asked(text, **{key: answer}).questions}
    assert found[key.replace("_", "-")].wrong


def test_a_number_that_stands_there_is_never_replaced_by_a_usual_one():
    found = asked(f"Card\n10 L raw goat milk\n2 drachms rennet\n{BARE[5:]}")
    assert [e.product.kind for e in found.recipe.ingredients] == ["culture"]
    question = next(each for each in found.questions if each.key == "amount-rennet")
    assert not question.usual


def test_whose_gallon_is_asked_only_where_the_dairy_has_none_of_its_own():
    text = "Card\n2 gal raw goat milk"
    assert "measure" in [each.key for each in asked(text).questions]
    for system in ("us", "imperial"):
        assert "measure" not in [each.key for each in asked(text, system).questions]
    us, imperial = asked(text), asked(text, measure="imperial")
    assert us.recipe.reference[0].volume_l == pytest.approx(7.571, rel=1e-3)
    assert imperial.recipe.reference[0].volume_l == pytest.approx(9.092, rel=1e-3)
    assert "US measure" in " ".join(us.granted)
    assert "US measure" not in " ".join(imperial.granted)


KEYS = st.sampled_from(["milk", "heat", "measure", "amount-salt", "strength", "family", "ripens"])


@given(
    st.lists(
        st.builds(OpenQuestion, key=KEYS, words=st.just("?"), usual=st.sampled_from(["", "x"]))
    )
)
def test_never_more_than_five_are_asked_and_what_has_no_usual_first_keeps_its_place(questions):
    kept = in_order(questions)
    assert len(kept) == min(len(questions), MOST_QUESTIONS)
    needed = [each for each in questions if not each.usual]
    assert len([e for e in kept if not e.usual]) == min(len(needed), MOST_QUESTIONS)


# ── other readings ──


def chosen(text, line, begins, reading, system="metric"):
    return understand(
        text, HOUSE, system, MakersWord(chosen=(ChosenReading(line, begins, reading),))
    )


@pytest.mark.parametrize(
    ("line", "part", "reading", "kind", "minutes", "celsius"),
    [
        ("wait 5", "5", "h", "wait", 300, None),
        ("wait 5", "5", "days", "wait", 7200, None),
        ("leave 45' ", "45'", "h", "wait", 2700, None),
        ("warm to 88", "88", "°F", "warm", 35, 31.1),
        ("stir 99 well", "99", "min", "stir", 99, None),
        ("warm to 30 over 20-30 min", "20-30", "h", "warm", 1200, 30),
    ],
)
def test_another_reading_of_a_number_is_taken(line, part, reading, kind, minutes, celsius):
    found = chosen(f"x\n10 L raw milk\n{line}", line.rstrip(), line.index(part), reading)
    step = found.recipe.steps[-1]
    assert (step.kind, step.minutes) == (kind, minutes)
    if celsius:
        assert step.celsius.target == pytest.approx(celsius, abs=0.1)


def test_a_gallon_of_one_line_and_ounces_of_another_are_read_as_chosen():
    text = "x\n1 gal goat milk, 1 gal cow milk\n4 oz buttermilk"
    one = chosen(text, "1 gal goat milk, 1 gal cow milk", 0, "imperial").recipe.reference
    assert [each.volume_l for each in one] == pytest.approx([4.546, 3.785], rel=1e-3)
    weight = understand(text, HOUSE, "us").recipe.ingredients[0].amount
    fluid = chosen(text, "4 oz buttermilk", 0, "fluid", "us").recipe.ingredients[0].amount
    assert weight == pytest.approx(113.4, rel=1e-3) and fluid == pytest.approx(121, rel=0.03)


def test_a_number_goes_to_the_step_before_to_the_one_after_or_to_none():
    text = "x\n10 L raw milk\nwarm to 30\nstir well 25 min\ndrain"
    line = "stir well 25 min"

    def lengths(reading):
        found = chosen(text, line, 10, reading)
        return {step.kind: step.minutes for step in found.recipe.steps}, found.lines[3]

    before, told = lengths(BEFORE)
    assert before["warm"] == 25 and before["stir"] == 20 and "Warm to 30" in told.marks[0].became
    after, _ = lengths(AFTER)
    assert after["drain"] == 25 and after["stir"] == 20
    none, told = lengths(LEFT_OUT)
    assert none["stir"] == 20 and told.unused == ((10, 16),)


@given(st.sampled_from(sorted(TEXTS)), st.data())
def test_leaving_one_number_out_says_so_and_breaks_nothing(name, data):
    system, text, _ = TEXTS[name]
    whole = understand(text, HOUSE, system)
    marks = [(n, m) for n in whole.lines for m in n.marks if m.sort not in ("clock", "word")]
    line, mark = data.draw(st.sampled_from(marks))
    raw = text.splitlines()[line.number - 1].rstrip()
    left = chosen(text, raw, mark.begins, LEFT_OUT, system)
    again = next(each for each in left.lines if each.number == line.number)
    assert mark.begins not in [each.begins for each in again.marks]
    assert len(left.lines) == len(whole.lines)
