"""The scripts by their modules, each asked by itself in the browser, without a page of its own."""

import uuid

import pytest

from openpail.craft.units import so_long


@pytest.fixture
def module(page, served):
    """Ask one module: a script that has it as `it`, and an argument as `given`."""

    def ask(name, script, given=None):
        url = served.jinja_env.globals["asset"](name)
        body = f"async given => {{ const it = await import('{url}'); {script} }}"
        return page.evaluate(body, given)

    return ask


def test_a_page_tells_a_length_as_the_server_does(module, served):
    edges = [0, 0.4, 0.6, 59.4, 89.4, 89.6, 90, 119.7, 120, 150, 1439.6, 4319.4, 4319.6, 4400, 7000]
    said = module("js/clock.js", "return given.map(each => it.leftWords(each * 60000));", edges)
    with served.test_request_context("/"):
        assert said == [f"in {so_long(edge)}" for edge in edges]
    over = module(
        "js/clock.js", "return given.map(each => it.leftWords(-each * 60000));", edges[1:]
    )
    assert over == [f"{words.removeprefix('in ')} over" for words in said[1:]]


def test_a_clock_runs_by_the_second_and_from_an_hour_and_a_half_on_by_the_minute(module):
    script = "return given.map(each => it.running(each * 1000));"
    asked = [0, 9, 61, 5369, 5370, 5400, 7260, 259_200, -1, -75, -5400]
    assert module("js/clock.js", script, asked) == [
        *("0:00", "0:09", "1:01", "89:29", "1 h 30", "1 h 30", "2 h 01", "3 days"),
        *("0:01 over", "1:15 over", "1 h 30 over"),
    ]
    aged = module(
        "js/clock.js", "return given.map(each => it.aged(each * 3600000));", [0.4, 71.9, 72]
    )
    assert aged == ["0 h", "72 h", "3 days"]


def test_the_hour_of_a_moment_is_the_dairys_and_not_the_devices(module):
    script = "return given.map(zone => it.hour(Date.parse('2026-07-01T22:30:00Z'), zone));"
    assert module("js/clock.js", script, ["Europe/Dublin", "America/Denver"]) == ["23:30", "16:30"]


TAP = {
    "address": "/makes/1/tell",
    "fields": [
        *(["csrf_token", "x"], ["once", "1"], ["event", "e1"], ["deed", "timer"]),
        *(["minutes", "15"], ["happened", "2026-07-01T08:00:00Z"], ["counter", "7"], ["sent", "s"]),
    ],
    "words": "",
    "make": "m1",
    "person": "p1",
    "name": "Orla",
}


def test_a_tap_is_kept_with_its_fields_and_without_the_seal_of_its_page(module):
    tap = module("vat/taps.js", "return it.tapOf(given);", TAP)
    assert {name for name, _ in tap["fields"]}.isdisjoint({"csrf_token", "once", "sent"})
    assert (tap["event"], tap["counter"], tap["minutes"], tap["words"]) == ("e1", 7, "15", "Timer")
    script = """
      const told = it.withWord(given, "it was so");
      return [it.hasWord(given), it.hasWord(told), it.asSent(told)];
    """
    without, with_it, sent = module(
        "vat/taps.js", script, {**tap, "fields": [*tap["fields"], ["word", ""]]}
    )
    assert (without, with_it) == (False, True)
    assert sent["word"] == "it was so"
    assert sent["minutes"] == "15"


def test_what_stands_behind_a_tap_that_was_not_taken_waits_for_it(module):
    taps = [{"event": event, "refused": "", "fields": []} for event in "abcd"]
    answers = [
        {"outcome": "kept", "words": "", "field": ""},
        {"outcome": "refused", "words": "Why so soon?", "field": "word"},
        {"outcome": "refused", "words": "It is not begun.", "field": ""},
        {"outcome": "met", "words": "Bram told it before.", "field": ""},
    ]
    stay = module("vat/taps.js", "return it.answered(given[0], given[1]);", [taps, answers])
    assert [each and (each["refused"], each.get("behind")) for each in stay] == [
        None,
        ("Why so soon?", None),
        ("", "b"),
        None,
    ]
    script = "return it.free(given).map(each => each.event);"
    left = [each for each in stay if each]
    assert module("vat/taps.js", script, left) == []
    assert module("vat/taps.js", script, left[1:]) == ["c"]


@pytest.mark.parametrize(
    ("flocks_min", "row"), [(0, None), (-3, None), (1, 8), (9.6, 10), (11.4, 12), (90, 12)]
)
def test_the_cut_goes_by_the_nearest_row_of_the_servers_table(module, flocks_min, row):
    rows = [[8, 24, "that soon?"], [10, 30, ""], [12, 36, ""]]
    script = "return it.cutBy(given[0], 0, given[1] * 60000);"
    found = module("vat/taps.js", script, [rows, flocks_min])
    assert found == next((each for each in rows if each[0] == row), None)


def test_what_waits_is_kept_in_the_order_of_the_taps_and_over_a_reload(module, page):
    script = """
      for (const counter of [3, 1, 2]) await it.outbox.put({ event: it.newId(), counter: counter });
      return [it.count(), it.count(), it.device(), it.outbox.lasting];
    """
    first, second, device, lasting = module("vat/outbox.js", script)
    assert second == first + 1
    assert lasting
    page.reload()
    all_of = "return [await it.outbox.all(), it.device()];"
    kept, again = module("vat/outbox.js", all_of)
    assert [each["counter"] for each in kept] == [1, 2, 3]
    assert again == device
    assert {uuid.UUID(each["event"]).version for each in kept} == {4}
    left = module(
        "vat/outbox.js",
        "await it.outbox.remove(given); return (await it.outbox.all()).length;",
        kept[0]["event"],
    )
    assert left == 2
