"""How long the Bench takes: a standardisation aims at 25 ms (median), a change at 100 ms (95 %)."""

import random
import re
import statistics
import sys

import pytest

from openpail.craft.bench.standardise import Stream, Target, suggest
from tests.support import HOUSE

STREAMS = [
    Stream(
        key="cows",
        name="Cows",
        fat_pct=4.2,
        protein_pct=3.35,
        casein_pct=2.75,
        low_kg=0,
        high_kg=80,
        hours_old=3,
        is_main=True,
    ),
    Stream(
        key="old",
        name="Cows, old",
        fat_pct=4.4,
        protein_pct=3.4,
        casein_pct=2.8,
        low_kg=0,
        high_kg=40,
        hours_old=40,
    ),
    Stream(
        key="goats",
        name="Goats",
        fat_pct=3.8,
        protein_pct=3.1,
        casein_pct=2.5,
        low_kg=0,
        high_kg=30,
        species="goat",
    ),
    Stream(
        key="skim",
        name="Skim",
        fat_pct=0.05,
        protein_pct=3.4,
        casein_pct=2.78,
        low_kg=0,
        high_kg=60,
        cost_per_kg=0.9,
    ),
    Stream(
        key="powder",
        name="Powder",
        fat_pct=0.8,
        protein_pct=33.5,
        casein_pct=27.4,
        low_kg=0,
        high_kg=5,
        cost_per_kg=6.0,
    ),
    Stream(
        key="cream",
        name="Shop cream",
        fat_pct=36,
        protein_pct=2.0,
        casein_pct=1.6,
        low_kg=0,
        high_kg=4,
        cost_per_kg=5.0,
    ),
    Stream(
        key="evaporated",
        name="Evaporated",
        fat_pct=7.6,
        protein_pct=6.6,
        casein_pct=5.4,
        low_kg=0,
        high_kg=8,
        cost_per_kg=3.0,
    ),
    Stream(
        key="off",
        name="cream off Cows",
        fat_pct=25,
        protein_pct=2.6,
        casein_pct=2.15,
        low_kg=-8,
        high_kg=0,
    ),
]
TARGETS = [
    Target("fat", 3.4, 0.02),
    Target("casein_to_fat", 0.85, 0.005),
    Target("mass_kg", 100, 0.005),
]


def bench_eight_streams_three_targets(benchmark):
    assert not benchmark(suggest, STREAMS, TARGETS, "", HOUSE)[0].missed


@pytest.fixture
def bench_vat(client, post):
    page = client.get("/bench", follow_redirects=True)
    vat = page.request.path
    lot = re.search(r'href="/milk/([\w-]+)">House cows', page.text)[1]
    post(f"{vat}/recipe", {"recipe": "steading-wheel"})
    post(f"{vat}/targets", {"casein_to_fat": "0.7", "cream": "hand"})
    return vat, lot


def bench_a_change_at_the_bench(benchmark, client, bench_vat, capsys):
    client.application.config["WTF_CSRF_ENABLED"] = False
    vat, lot = bench_vat
    chance = random.Random(3)

    def change():
        data = {"lot": lot, "amount": f"{chance.uniform(2, 18):.1f}"}
        answer = client.post(f"{vat}/pour", data=data, headers={"X-Fragment": "1"})
        assert answer.status_code == 200

    benchmark.pedantic(change, rounds=120)
    slow = 1000 * statistics.quantiles(benchmark.stats.stats.data, n=20)[-1]
    with capsys.disabled():
        sys.stdout.write(f"\na change at the bench: {slow:.0f} ms at the 95th percentile\n")
