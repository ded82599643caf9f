"""The vat under many hands: a state poll aims at 15 ms, 200 waiting taps at 2 s, eight devices that
poll at less than a tenth of a core."""

import time
import uuid
from datetime import timedelta

import pytest

from openpail.web.server import settle
from tests.conftest import NOW, token_in

EVERY_S, DEVICES = 4.0, 8


@pytest.fixture
def vat(client, post):
    settle()
    page = client.get("/vat", follow_redirects=True)
    return page.text.split('data-make="')[1].split('"')[0], page.text


def poll(client, make, page):
    version = page.split('data-version="')[1].split('"')[0]
    return lambda: client.get(f"/vat/{make}/now?v={version}")


def bench_poll(benchmark, client, vat):
    asked = poll(client, *vat)
    assert asked().status_code == 204
    benchmark(asked)


def bench_eight_devices_polling(benchmark, client, vat):
    """The share of a core that they cost, %."""
    asked = poll(client, *vat)
    begun = time.process_time()
    benchmark.pedantic(asked, rounds=200, warmup_rounds=20)
    cost = (time.process_time() - begun) / 220
    benchmark.extra_info["percent_of_a_core"] = round(100 * cost * DEVICES / EVERY_S, 2)


def bench_two_hundred_waiting_taps(benchmark, client, vat):
    make, page = vat
    head = {"X-CSRFToken": token_in(page)}

    def taps():
        moment = NOW - timedelta(minutes=5)
        told = [
            {
                "event": str(uuid.uuid4()),
                "deed": "reading",
                "celsius": "31",
                "note": f"tap {number}",
                "happened": (moment + timedelta(seconds=number)).isoformat(),
                "counter": str(number),
            }
            for number in range(200)
        ]
        return ({"sent": NOW.isoformat(), "device": "bench", "taps": told},), {}

    def deliver(body):
        answers = client.post(f"/makes/{make}/taps", json=body, headers=head).json["answers"]
        assert all(each["outcome"] == "kept" for each in answers), answers[:2]

    benchmark.pedantic(deliver, setup=taps, rounds=5)
