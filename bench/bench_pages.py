"""How long a page takes at the server, beside a bare Flask page: a sheet aims at 60 ms at most."""

import pytest
from flask import Flask

from openpail.formats.recipe_file import library

DAUGHTERS = [recipe.key for recipe, document in library() if "changes" in document]


@pytest.fixture
def sheet_address(client, post):
    page = client.get("/milk").text
    lot = page.split('href="/milk/')[1].split('"')[0]
    return f"/sheet?lot={lot}&recipe=larder-block"


def bench_sheet_page(benchmark, client, sheet_address):
    assert "for this milk" in client.get(sheet_address).text
    benchmark(client.get, sheet_address)


def bench_sheet_what_if(benchmark, client, sheet_address):
    """At most 40 ms at the 95th percentile: warmth, pH, dose and calcium all tried at once."""
    tried = "&at=33&ph=6.45&own-rennet=1.4&own-calcium=0.5&vat="
    address = sheet_address.replace("/sheet?", "/sheet/figures?") + tried
    benchmark.pedantic(client.get, (address,), warmup_rounds=10, rounds=200)
    times = sorted(benchmark.stats.stats.data)
    benchmark.extra_info["p95_ms"] = round(1000 * times[int(0.95 * len(times))], 1)


@pytest.mark.parametrize(
    "page", ["/", "/milk", "/milk/herds", "/stock", "/cave", "/table", "/recipes"]
)
def bench_page(benchmark, client, post, page):
    benchmark(client.get, page)


@pytest.mark.parametrize("daughters", [False, True], ids=["18 recipes", "and their 6 daughters"])
def bench_which_can_i_make(benchmark, client, post, daughters):
    """At most 150 ms over the 18 recipes of the library."""
    for key in () if daughters else DAUGHTERS:
        post(f"/recipes/{key}/away", {"away": "1"}, page="/milk")
    page = client.get("/which").text
    assert page.count('class="which-row"') == (24 if daughters else 18)
    benchmark(client.get, "/which")


def bench_days_ahead(benchmark, client, post):
    benchmark(client.get, "/days")


def bench_calendar_file(benchmark, client, post):
    benchmark(client.get, "/calendar.ics")


def bench_bare_flask_page(benchmark):
    bare = Flask("bare")
    bare.add_url_rule("/", view_func=lambda: "hello")
    benchmark(bare.test_client().get, "/")
