"""How long one recipe takes to be adapted: the aim is a median of 3 ms at most."""

import pytest

from openpail.craft.milk.kinds import MilkTest
from openpail.craft.sheet.adapt import adapt
from tests.support import MILK_RECIPES, job_for, one_pour

TESTED = MilkTest(fat_pct=4.1, protein_pct=3.3, protein_kind="true", casein_pct=None, ph=6.58)


@pytest.mark.parametrize("recipe", sorted(MILK_RECIPES))
def bench_one_milk(benchmark, recipe):
    benchmark(adapt, job_for(recipe, one_pour(test=TESTED)))


def bench_three_milks_untested(benchmark):
    pours = [one_pour(breed) for breed in ("goat", "sheep", "cow_lowland")]
    benchmark(adapt, job_for("larder-block", *pours))
