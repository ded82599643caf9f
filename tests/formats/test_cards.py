"""Cards by very different hands, each with what a cheesemaker means by it; what is forbidden."""

from itertools import pairwise
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from openpail.formats.written.asides import asides
from openpail.formats.written.make import understand
from tests.formats.card_words import told
from tests.support import HOUSE

CARDS = {path.stem: path for path in sorted(Path(__file__).with_name("cards").glob("*.txt"))}


def card(name):
    text, meant = CARDS[name].read_text("utf-8").split("\n====\n")
    system, _, text = text.partition("\n")
    return system, text, meant.strip()


@pytest.mark.parametrize("name", CARDS)
def test_a_card_becomes_what_it_means(name):
    system, text, meant = card(name)
    assert told(understand(text, HOUSE, system)) == meant


@pytest.mark.parametrize("name", CARDS)
def test_no_number_of_a_card_is_passed_over_in_silence(name):
    system, text, _ = card(name)
    for line in understand(text, HOUSE, system).lines:
        marked = [(each.begins, each.ends) for each in line.marks] + list(line.unused)
        for at, sign in enumerate(line.text):
            begins_one = sign.isdigit() and not line.text[max(0, at - 1)].isalnum()
            if begins_one and not line.why and line.understood not in ("its name", "a heading"):
                is_count = not line.text[:at].strip(" (")  # the number of a step
                assert is_count or any(a <= at < b for a, b in marked) or at < 12, line


ORDERS = {
    "press": "press it with 10 kg for 2 hours",
    "salt": "salt it all over",
    "heat": "heat it to 45 °C over 30 minutes",
    "stir": "stir for 20 minutes",
    "brine": "brine it for 6 hours",
    "turn": "turn it after 3 hours",
    "add water": "wash the curd with 5 L of water at 40 °C",
    "hang": "hang it for 8 hours",
    "drain": "drain it for 2 hours",
}
BEFORE = "x\n20 L raw cow milk\n4 g culture\n6 mL rennet 200 IMCU\nWarm to 31 °C. Add the culture. "
BEFORE += "Wait 30 min. Add the rennet. Leave 40 min until it sets. Cut to 1 cm. "
BANS = ("Do not {}.", "Never {}.", "Don't {}!", "You must not {}.", "We do not {} here.")
UNSURE = ("If it is too soft, {}.", "You could {}, but I never do.", "Last year I had to {}.")


def kinds(text):
    return [step.kind for step in understand(text, HOUSE, "metric").recipe.steps]


@given(st.sampled_from(sorted(ORDERS)), st.sampled_from(BANS + UNSURE))
def test_what_is_forbidden_or_only_possible_becomes_no_step_and_what_is_ordered_does(kind, ban):
    order = ORDERS[kind]
    plain = kinds(BEFORE)
    assert kind in kinds(f"{BEFORE}{order.capitalize()}.")[len(plain) - 1 :]
    found = understand(f"{BEFORE}{ban.format(order)}", HOUSE, "metric")
    assert [step.kind for step in found.recipe.steps] == plain
    assert ban.format(order).rstrip(".!")[-12:] in found.recipe.steps[-1].words  # kept, in words


@given(st.permutations(["press", "brine", "hang"]), st.sampled_from(BANS))
def test_an_order_beside_a_ban_is_kept_in_its_place(order, ban):
    first, banned, last = order
    text = f"{BEFORE}{ORDERS[first].capitalize()}. {ban.format(ORDERS[banned])} "
    found = kinds(f"{text}{ORDERS[last].capitalize()}.")
    assert banned not in found and found.index(first) < found.index(last)


@pytest.mark.parametrize(
    ("text", "raw", "apart"),
    [
        ("warm to 84, no, 88 F", None, ["84, no, "]),
        ("6 mL calcium, only if heated (ours is not: skip)", True, ["6 mL calcium"]),
        ("If the milk is raw, skip the calcium", False, ["If the milk is raw, skip the calcium"]),
        ("heat to 38, never above 40", None, ["never above 40"]),
        ("Keeps a month. They do not keep beyond six weeks", None, []),
        ("no more than 20 minutes", None, []),
        ("for no longer than 20 minutes", None, []),
        ("Salt it? No.", None, ["Salt it"]),
        ("No oil, no smear", None, ["No oil", "no smear"]),
        ("stir it in, not too fast, and leave an hour", None, ["not too fast"]),
    ],
)
def test_what_orders_nothing_is_told_apart(text, raw, apart):
    found = asides(text, raw)
    assert len(found) >= len(apart)
    for each, begins in zip(found, apart, strict=False):
        assert text[each.begins : each.ends].strip().startswith(begins.strip())
    assert bool(found) == bool(apart)
    assert all(a.ends <= b.begins for a, b in pairwise(found))


def test_how_much_of_a_thing_is_the_makes_to_say_and_stands_as_written_below():
    text = "x\n8 L raw milk\nwarm to 30\n2.5 ml rennet in half a glass of cold water, stir"
    step = understand(text, HOUSE, "metric").recipe.steps[-1]
    assert (step.kind, step.title) == ("add", "Stir in the rennet")
    assert "As written: “2.5 ml rennet in half a glass of cold water”." in step.words


def test_what_is_forbidden_is_not_filled_in_with_what_is_usual():
    text = f"Tomme\n{BEFORE[2:]}Press 5 kg for 12 h. Brine 6 h."
    plain, never = (
        understand(each, HOUSE, "metric").recipe.stages
        for each in (text, f"{text} Never brush it.")
    )
    done = {care.kind for stage in plain for care in stage.cares}
    assert "brush" in done
    assert {care.kind for stage in never for care in stage.cares} == done - {"brush"}
