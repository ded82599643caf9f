"""What a kg cost: a sum that adds up, and no cheap cheese for want of a price."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from openpail.craft.house import House
from openpail.craft.table.money import PaidMilk, PaidStock, cost_of
from tests.support import HOUSE

OWN = House({"money.goat_milk": 1.6, "money.hour": 18.0})
price = st.floats(0.01, 500)


@given(price, price, st.floats(0, 900), st.floats(0.2, 40))
def test_milk_stock_and_time_add_up_to_what_a_kg_costs(milk, stock, minutes, kg):
    cost = cost_of(
        [PaidMilk(name="bought", breed="cow_lowland", litres=10.0, paid=milk)],
        [PaidStock("rennet", stock)],
        minutes,
        kg,
        OWN,
    )
    assert cost.whole.value == pytest.approx(milk + stock + 18 * minutes / 60)
    assert cost.per_kg.value * kg == pytest.approx(cost.whole.value)
    assert cost.lacks == ()


def test_own_milk_has_the_price_of_the_house_and_a_lots_own_price_beats_it():
    own = cost_of([PaidMilk(name="goats", breed="goat_dwarf", litres=20.0)], [], 0, 2.5, OWN)
    assert own.milk.value == pytest.approx(32) and own.per_kg.value == pytest.approx(32 / 2.5)
    bought = cost_of(
        [PaidMilk(name="goats", breed="goat", litres=20.0, paid=50.0)], [], 0, 2.5, OWN
    )
    assert bought.milk.value == 50
    assert (
        cost_of(
            [PaidMilk(name="whey", breed="goat", litres=20.0, paid=0.0)], [], 0, 1.0, OWN
        ).milk.value
        == 0
    )


def test_a_price_that_nobody_wrote_is_said_and_makes_no_cheese_cheap():
    cows = PaidMilk(name="cows", breed="cow_lowland", litres=30.0)
    cost = cost_of(
        [PaidMilk(name="goats", breed="goat", litres=10.0), cows],
        [PaidStock("a mould", None)],
        60,
        4.0,
        OWN,
    )
    assert cost.milk is None and cost.per_kg is None
    assert cost.lacks == ("the milk of cows", "a mould")
    assert cost.whole.value == 18  # what is known is told all the same
    nothing = cost_of([cows], [], 60, 4.0, HOUSE)
    assert nothing.whole is None and "the time" in nothing.lacks
    assert (
        cost_of([PaidMilk(name="goats", breed="goat", litres=10.0)], [], 60, None, OWN).per_kg
        is None
    )
