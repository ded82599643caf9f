"""Both sides of every edge: the last figure that is taken, and the first that is not."""

from dataclasses import replace
from datetime import timedelta

import pytest

from openpail.craft.cave.climate import check_reading
from openpail.craft.cave.loss import loss_pct
from openpail.craft.cave.pierce import holes
from openpail.craft.errors import CraftError
from openpail.craft.house import House
from openpail.craft.make import checks, simulated
from openpail.craft.make.bands import round_seconds
from openpail.craft.make.deeds import (
    AcidGiven,
    CurdWeighed,
    Loaded,
    ReadingTaken,
    TimerSet,
    Trimmed,
    WaterAdded,
    Weighed,
    WheyKept,
    WheyOff,
    WheyRan,
    WheyWent,
)
from openpail.craft.make.pasteurise import boils_at, is_true
from openpail.craft.make.plain import read_told
from openpail.craft.milk import acidity, density
from openpail.craft.press.presses import Lever
from openpail.craft.press.weights import Thing
from openpail.craft.salt import brine, drying, hours, tub, tub_checks
from openpail.craft.salt import tub_deeds as of_tub
from openpail.craft.salt.cover import TubSize, cover
from openpail.craft.salt.rind import rubs
from openpail.craft.sheet import washed
from openpail.craft.table.trial import next_is_new
from tests.craft.test_make import bounds, told
from tests.craft.test_salt import AT, BATCHES, STORY, say
from tests.support import RECIPES

HOUSE = House()
LITTLE = 0.01


SENT = {
    "id": "5b1f2c1e-3f0a-4c8e-9a51-0d8f2f5d3c11",
    "deed": "heat_off",
    "happened": "2026-05-04T09:30:00+00:00",
}
NO_TIME = timedelta(0)


def of_make(deed):
    return lambda value: checks.check(told(deed(value), 1.0), bounds(now=200.0))


def of_brine(deed, story=STORY, hours=60):
    standing = tub.fold(story, BATCHES, HOUSE)
    now = AT + timedelta(hours=hours)
    return lambda value: tub_checks.check(
        say(hours, deed(value)), standing, 30.0, now=now, lying=0, house=HOUSE
    )


# what is asked, the least and the most that it takes, and how far beyond it takes no more
EDGES = {
    # deeds of a make of 20 L
    "whey off": (of_make(WheyOff), LITTLE, 20.0),
    "whey kept": (of_make(WheyKept), LITTLE, 40.0),
    "water": (of_make(lambda v: WaterAdded(v, 40.0)), LITTLE, 40.0),
    "how warm the water": (of_make(lambda v: WaterAdded(1.0, v)), 0.0, 100.0),
    "acid": (of_make(AcidGiven), LITTLE, None),
    "curd": (of_make(CurdWeighed), LITTLE, 40.0),
    "trimmed": (of_make(Trimmed), LITTLE, 40.0 - LITTLE),
    "whey ran": (of_make(WheyRan), LITTLE, 40.0),
    "whey went": (of_make(lambda v: WheyWent(v, "land")), LITTLE, 40.0),
    "load": (of_make(lambda v: Loaded(step="press-light", load_kg=v)), LITTLE, 5_000.0),
    "piece": (of_make(lambda v: Weighed((v,))), LITTLE, None),
    "°C": (of_make(lambda v: ReadingTaken(celsius=v)), -2.0, 105.0),
    "pH": (of_make(lambda v: ReadingTaken(ph=v)), 3.0, 9.0),
    "acidity": (of_make(lambda v: ReadingTaken(acid_pct=v)), 0.0, 3.0),
    "timer": (of_make(TimerSet), LITTLE, 7 * 1440.0),
    # deeds of a tub
    "salt in": (of_brine(lambda v: of_tub.SaltIn(v, "it is so")), LITTLE, None),
    "water in": (of_brine(of_tub.WaterIn), LITTLE, None),
    "calcium in": (of_brine(of_tub.CalciumIn), LITTLE, None),
    "pH of a brine": (of_brine(of_tub.PhRead), 3.0, 9.0),
    "made": (of_brine(lambda v: of_tub.Made(v, 18.0), ()), LITTLE, None),
    "made so strong": (of_brine(lambda v: of_tub.Made(20.0, v), ()), 1.0, 26.4),
    # measures
    "density": (lambda v: brine.pct_of_density(v / 1000), 997.75, 1201.05),
    "°Baumé": (lambda v: brine.strength(v, "baume", 20.0, HOUSE), 0.0, None),
    "salometer": (lambda v: brine.strength(v, "salometer", 20.0, HOUSE), 0.0, 100.5),
    "how warm a brine": (lambda v: brine.strength(18.0, "pct", v, HOUSE), 0.0, 60.0),
    "humidity that dries": (lambda v: drying.drying(v, 12.0, HOUSE), 20.0, 100.0),
    "room that dries": (lambda v: drying.drying(80.0, v, HOUSE), 0.0, 40.0),
    "salt wanted": (lambda v: hours.brine_hours(1.0, v, 18.0, HOUSE), 0.1, 5.0),
    "brine it lies in": (lambda v: hours.brine_hours(1.0, 1.8, v, HOUSE), 1.0, 27.0),
    "warmth it lies in": (lambda v: hours.diffusion_cm2_per_day(0.4, v, HOUSE), 0.0, 30.0),
    "salt on a rind": (lambda v: rubs(1.0, v, 2), 0.1, 8.0),
    "humidity": (lambda v: check_reading(12.0, v), 0.0, 100.0),
    "air": (lambda v: check_reading(v, 80.0), -40.0, 60.0),
    "humidity that takes weight": (lambda v: loss_pct(10, v, 0.045, HOUSE), 0.0, 100.0),
    "pierced across": (holes, 4.0, 60.0),
    "how high": (lambda v: is_true(0.0, boils_at(v), v), -50.0, 5000.0),
    "sample": (lambda v: acidity.ph_at_25(6.6, v, HOUSE), 0.0, 60.0),
    "milk weighed at": (lambda v: density.density(4.0, 8.7, v), 0.0, 60.0),
    "lactometer at": (lambda v: density.lactometer(30.0, v, 4.0), 10.0, 27.0),
    "lactometer": (lambda v: density.lactometer(v, 20.0, 4.0), 15.0, 50.0),
    "milk in a dry run": (simulated.filled, -1.0, 100.0),
    "vat to wash": (lambda v: washed.hot_water_kg(v, 32.0, 38.0, 60.0), LITTLE, None),
    "own weight of a press": (lambda v: Lever(weight_cm=60, follower_cm=20, own_kg=v), 0.0, 100.0),
    "arm of a press": (lambda v: Lever(weight_cm=v, follower_cm=1), None, 400.0),
    "strength to come down to": (lambda v: brine.to_dilute(10.0, 20.0, v), LITTLE, 26.4),
    "floor of a piece": (lambda v: cover(TubSize(30.0, 20.0), 1, v, 8.0), LITTLE, 706.85),
    "height of a piece": (lambda v: cover(TubSize(30.0, 20.0), 1, 300.0, v), LITTLE, None),
    "salt out of a brine": (lambda v: brine.after_batch(10.0, 20.0, v), 0.0, 2.0),
    "weight of the house": (lambda v: Thing(name="stone", kg=v), LITTLE, 200.0),
}


@pytest.mark.parametrize("what", EDGES)
def test_the_last_figure_is_taken_and_the_one_beyond_is_not(what):
    take, least, most = EDGES[what]
    beyond = 0.1 if what == "density" else 0.02
    if least is not None:
        take(least)
        with pytest.raises(CraftError):
            take(least - beyond)
    if most is not None:
        take(most)
        with pytest.raises(CraftError):
            take(most + beyond)


def test_a_counter_is_one_that_can_be_kept():
    most = 2**31 - 1
    for counter in (0, most):
        assert read_told(SENT | {"counter": counter}, "phone", NO_TIME).counter == counter
    for counter in (-1, most + 1):
        with pytest.raises(CraftError):
            read_told(SENT | {"counter": counter}, "phone", NO_TIME)


def test_the_salt_of_a_strong_brine_goes_in_by_its_weight():
    take = of_brine(lambda kg: of_tub.SaltIn(kg, "it is so"))
    there = tub.fold(STORY, BATCHES, HOUSE).brine_kg
    assert 0.4 * there > 2.0
    take(0.4 * there - LITTLE)
    with pytest.raises(CraftError):
        take(0.4 * there + LITTLE)


def test_a_round_of_the_spoon_is_quicker_in_each_third_of_its_step():
    step = next(each for each in RECIPES["larder-block"].steps if each.kind == "stir")
    rounds = [round_seconds(step, share, is_soft=False) for share in (0, 0.33, 0.34, 0.66, 0.67, 1)]
    assert rounds == [6, 6, 4, 4, 3, 3]
    assert round_seconds(step, 0, is_soft=True) == 8
    assert round_seconds(replace(step, minutes=LITTLE), 0, is_soft=True) == 8
    assert round_seconds(replace(step, minutes=0), 0, is_soft=True) is None


def test_half_of_all_trials_begin_the_new_way():
    new = sum(next_is_new(str(number), {}) for number in range(400))
    assert 160 < new < 240
    assert next_is_new("one", {"a": False}) and not next_is_new("one", {"a": True})


def test_a_thermometer_is_true_within_its_own_marks():
    for ice, boiling, good in ((0.29, 100, True), (0.31, 100, False), (0, 100.9, True)):
        assert is_true(ice, boiling, 0.0) is good
    assert not is_true(0, 101.1, 0.0) and not is_true(0, 98.9, 0.0) and is_true(0, 99.1, 0.0)


@pytest.mark.parametrize(
    ("ph", "calcium", "says"),
    [
        (4.91, 1.4, ()),  # 5.0 to 5.3, and a tenth beside it; 1.5 g in a litre, and a tenth of that
        (4.89, 1.4, ("It stands at",)),
        (5.39, 1.4, ()),
        (5.41, 1.4, ("It stands at",)),
        (5.1, 1.34, ("g of calcium chloride",)),
    ],
)
def test_what_a_brine_wants_of_acid_and_calcium(ph, calcium, says):
    now = AT + timedelta(hours=1)
    made = tub.fold((say(0, of_tub.Made(20.0, 18.0)),), (), HOUSE)
    found = tub_checks.wants(
        replace(made, ph=ph, ph_at=now, calcium_g=20 * calcium), 18, now, HOUSE
    )
    assert len(found.words) == len(says)
    assert all(part in words for part, words in zip(says, found.words, strict=True))
