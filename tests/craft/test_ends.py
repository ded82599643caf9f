"""What is asked and said at the end of every kind of step, held against the page that tells it."""

from dataclasses import replace
from datetime import timedelta
from pathlib import Path
from typing import get_args

import pytest

from openpail.craft.make.by_sheet import day_by
from openpail.craft.make.deeds import (
    Felt,
    FirstFlocks,
    PortionGiven,
    ReadingTaken,
    SetLooked,
    StepDone,
    TurnedOver,
    WaterAdded,
    WheyOff,
)
from openpail.craft.make.ends import (
    LOOKS_AT,
    StepEnd,
    odd_at_end,
    question,
    ready_words,
    sign_says,
)
from openpail.craft.make.fold import fold
from openpail.craft.make.order import portions_of, set_step
from openpail.craft.make.signs import LADDERS
from openpail.craft.recipe.recipe import StepKind
from tests.craft.test_make import BEGAN, sheet_of, told
from tests.support import RECIPES

PAGE = Path(__file__).parents[2] / "docs" / "ends.md"
# Of each kind the step of a shipped recipe that has the most to be looked at.
OF = {
    "warm": ("larder-block", "warm"),
    "add": ("larder-block", "rennet"),
    "salt": ("threshing-cheddar", "salt"),
    "wait": ("larder-block", "ripen"),
    "wait (the set)": ("larder-block", "set"),
    "press": ("larder-block", "press-2"),
    "cool": ("skillet", "cool"),
    "cook in whey": ("millrace-slab", "cook"),
    "turn": ("dapple", "turn"),
    "drain": ("larder-block", "drain"),
}
SET = "wait (the set)"
SLIPS = (
    *("by the book", "too early", "too late", "too cold", "too warm", "not read"),
    *("too sweet", "too sour", "not told", "too little", "too much"),
)


def picked(kind):
    """A recipe and its step of that kind."""
    sort = "wait" if kind == SET else kind
    every = [(r, s) for r in RECIPES.values() for s in r.steps if s.kind == sort]
    every = [each for each in every if each[0].key != "second-pot"]
    name, key = OF.get(kind, ("", ""))
    found = [e for e in every if e[0].key == name and (e[1].key == key or not key)]
    found = found or [e for e in every if e[0].key == name] or every
    return max(
        found, key=lambda e: (bool(e[1].share), bool(e[1].celsius), bool(e[1].ph), len(e[1].asks))
    )


def ended(kind, slip="by the book", deeds=(), lasted=1.0):
    """The end of a step of a kind, by the book but for one slip; None where it cannot have it."""
    recipe, step = picked(kind)
    frozen = sheet_of(recipe.key)
    keys = [each.key for each in recipe.steps]
    before = [
        told(FirstFlocks() if "flocks" in recipe.step(k).asks else StepDone(step=k), 10.0 * n, k)
        for n, k in enumerate(keys[: keys.index(step.key)])
    ]
    begins = 10.0 * max(0, len(before) - 1)
    start = day_by(recipe, frozen, fold(recipe, before), started=BEGAN, now=BEGAN)
    step = start.state(step.key).planned.step
    lasts = start.state(step.key).planned.minutes
    if step.key == set_step(recipe):
        lasts = start.cut_min or lasts
    at = begins + lasts * {"too early": 0.1, "too late": 3.0}.get(slip, lasted)
    share = {"too little": 0.4, "too much": 2.0}.get(slip, 1.0)
    own, gave = list(deeds), {}
    celsius, ph = step.celsius and step.celsius.target, step.ph and step.ph.target
    if slip in ("too cold", "too warm"):
        if celsius is None:
            return None
        celsius += 6.0 if slip == "too warm" else -6.0
    if slip in ("too sweet", "too sour"):
        if ph is None:
            return None
        ph += 0.5 if slip == "too sweet" else -0.5
    if slip != "not read":
        own += [ReadingTaken(celsius=celsius)] * (celsius is not None)
        own += [ReadingTaken(ph=ph)] * (ph is not None)
    if slip != "not told":
        if step.share:
            own += [WheyOff(litres=step.share * 20.0 * share)]
        if kind == "add water":
            own += [WaterAdded(litres=3.0, celsius=60.0)]
        own += [TurnedOver(step=step.key)] * (step.times if step.times > 1 else 0)
        parts = portions_of(recipe, step.key)
        own += [PortionGiven(step=step.key)] * (parts if parts > 1 else 0)
    if share != 1.0 and kind in ("add", "salt", "stretch"):
        gave = {line.key: line.figure.value * share for line in frozen.given_by(step.adds)}
    deeds = [*before, *(told(each, at, f"own{n}") for n, each in enumerate(own))]
    day = day_by(recipe, frozen, fold(recipe, deeds), started=BEGAN, now=BEGAN + timedelta(days=3))
    return StepEnd(
        state=day.state(step.key),
        at=BEGAN + timedelta(minutes=at),
        recipe=recipe,
        sheet=frozen,
        day=day,
        milk_l=20.0,
        gave=gave,
        broke=True,
    )


def rows():
    for kind in (*LOOKS_AT, SET):
        for slip in SLIPS:
            end = ended(kind, slip)
            for odd in odd_at_end(end) if end else ():
                means = f" ({odd.means})" if odd.means else ""
                how = f"**asked:** {odd.asks}" if odd.asks else "said afterwards"
                yield f"| {kind} | {slip} | {odd.planned} → {odd.happened}{means} | {how} |"


def signs():
    for ladder in LADDERS.values():
        for key, words in ladder.rungs:
            if says := sign_says(ladder.of, key):
                yield f"| {ladder.title} | {words} | {says} |"


def test_the_page_of_what_is_asked_is_what_is_asked():
    page = PAGE.read_text()
    assert "\n".join(rows()) in page and "\n".join(signs()) in page


def test_every_kind_of_step_is_looked_at_and_by_the_book_nothing_is_odd():
    assert set(LOOKS_AT) == set(get_args(StepKind))
    assert [row for row in rows() if "| by the book |" in row] == []


def told_at(kind, *deeds):
    return odd_at_end(ended(kind, deeds=deeds))


@pytest.mark.parametrize(
    ("kind", "of", "sign", "asks"),
    [
        ("heal", "whey", "milky", "let it heal longer"),
        ("press", "rind", "open", "redress it"),
        ("stretch", "stretch", "tears", "back to souring"),
        ("stretch", "stretch", "fat", "stop: mould it now"),
        ("turn", "rind", "breaks", "press the bits back"),
        ("stir", "squeeze", "apart", "go on a while"),
    ],
)
def test_a_sign_that_says_not_yet_is_asked_at_the_end_until_another_says_otherwise(
    kind, of, sign, asks
):
    key = picked(kind)[1].key
    found = told_at(kind, Felt(step=key, of=of, sign=sign))
    assert [each.rule for each in found] == ["sign"] and asks in found[0].asks.casefold()
    assert asks in sign_says(of, sign).casefold()
    good = next(k for k, _ in LADDERS[of].rungs if not sign_says(of, k))
    told_after = (Felt(step=key, of=of, sign=sign), Felt(step=key, of=of, sign=good))
    assert told_at(kind, *told_after) == ()


def test_a_set_that_stays_soft_is_asked_though_its_time_is_over():
    soft = [SetLooked("soft")] * 3
    end = replace(ended(SET, deeds=soft), broke=False)
    (odd,) = odd_at_end(end)
    assert odd.happened == "soft, looked at 3 times" and "wait for the clean break" in odd.asks
    assert odd_at_end(replace(end, broke=True)) == ()


def test_all_that_is_odd_is_one_question_and_what_was_answered_is_asked_no_more():
    cold = ended("add", "too cold")
    more = replace(cold, gave={"rennet": 9.0})
    words = question(odd_at_end(more))
    assert "26.0 °C" in words and "9.00 mL" in words and words.count("Write a word") == 1
    assert question(()) == "" == question(odd_at_end(ended("brine", "too late")))


@pytest.mark.parametrize(
    ("kind", "slip", "fits"),
    [
        ("add", "too cold", ()),
        ("add", "not read", ("not read",)),
        ("turn", "not told", ("done, not told",)),
        ("add water", "not told", ("done, not told",)),
    ],
)
def test_the_answers_at_hand_are_those_that_fit_the_question(kind, slip, fits):
    assert ready_words(odd_at_end(ended(kind, slip))) == ("it is so", *fits)


@pytest.mark.parametrize("has_meter", [True, False])
def test_a_ph_is_missed_only_where_there_is_a_meter(has_meter):
    found = odd_at_end(replace(ended("wait", "not read"), has_meter=has_meter))
    assert [each.rule for each in found] == ["no pH"] * has_meter


def test_a_curd_that_was_too_cold_is_told_no_moral_of_the_clock():
    (odd,) = odd_at_end(ended("heat", "too cold", lasted=0.2))
    assert odd.rule == "cold" and "wetter" in odd.means
