"""A dairy of five years on the demo farm's shoulders, made in the database itself.

    ./pail bench five-years        builds it, then times each page of it beside the same page of a
                                   young dairy with as many cheeses at rest, turn about on one
                                   machine; then the vat with many samples

1 400 makes, 600 000 deeds and samples, 6 500 pieces of which about 400 rest.
"""

from __future__ import annotations

import os
import time
import uuid
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from dataclasses import asdict, dataclass
from datetime import UTC, datetime
from functools import partial
from statistics import median

from flask.testing import FlaskClient
from sqlalchemy import create_engine, make_url, select, text
from sqlalchemy.orm import Session
from werkzeug.test import TestResponse

from openpail.demo.load import load
from openpail.records.dairy.models import Dairy
from openpail.records.log import samples
from openpail.records.makes import actions as makes
from openpail.records.schema import migrate
from openpail.records.session import engine_for, sessions
from openpail.web.app import create_app
from openpail.web.config import Config
from openpail.web.server import settle


@dataclass(frozen=True, slots=True)
class Kept:
    """What a dairy has kept: makes, pieces and samples of a probe each; over how many days, weeks
    and times sixty days; slips and bottles. As many pieces rest in a young one as in an old."""

    makes: int
    pieces: int
    days: int
    weeks: int
    sixties: int
    slips: int
    bottles: int
    live: int = 400
    samples: int = 400


FIVE_YEARS = Kept(1400, 6500, 1826, 260, 30, 130, 12)
YOUNG = Kept(87, 400, 113, 16, 2, 8, 1)

_STEPS = (
    # which make is copied, and how many days before
    """create temp table copied on commit drop as
       select n, gen_random_uuid() as make_id, gen_random_uuid() as lot_id, old.id as old_make,
              old.dairy_id, interval '1 day' * (60 + n * {days} / {makes}) as back, old.started_at
       from generate_series(1, {makes}) n
       join lateral (select * from make where state = 'resting'
                     order by number offset mod(n, 10) limit 1) old on true""",
    "create index on copied (old_make)",
    # milk: a lot a make, with its slip, all of it used
    """insert into milk_lot select (jsonb_populate_record(l, jsonb_build_object('id', c.lot_id,
           'number', 10000 + c.n, 'left_kg', 0, 'collected_at', l.collected_at - c.back,
           'created_at', l.created_at - c.back))).*
       from copied c join make_milk m on m.dairy_id = c.dairy_id and m.make_id = c.old_make
       join milk_lot l on l.dairy_id = m.dairy_id and l.id = m.lot_id""",
    """insert into milk_test select (jsonb_populate_record(t, jsonb_build_object(
           'id', gen_random_uuid(), 'lot_id', c.lot_id, 'taken_at', t.taken_at - c.back))).*
       from copied c join make_milk m on m.dairy_id = c.dairy_id and m.make_id = c.old_make
       join milk_test t on t.dairy_id = m.dairy_id and t.lot_id = m.lot_id""",
    """insert into milk_test select (jsonb_populate_record(t, jsonb_build_object(
           'id', gen_random_uuid(), 'taken_at', t.taken_at - interval '14 days' * k))).*
       from milk_test t, generate_series(1, {slips}) k
       where t.id in (select distinct on (herd_id) id from milk_test where lot_id is null
                      order by herd_id, taken_at desc)""",
    # makes, their deeds, what they taught and took
    """insert into make select (jsonb_populate_record(m, jsonb_build_object('id', c.make_id,
           'number', 10000 + c.n, 'started_at', m.started_at - c.back))).*
       from copied c join make m on m.dairy_id = c.dairy_id and m.id = c.old_make""",
    """insert into make_milk select (jsonb_populate_record(p, jsonb_build_object(
           'id', gen_random_uuid(), 'make_id', c.make_id, 'lot_id', c.lot_id))).*
       from copied c join make_milk p on p.dairy_id = c.dairy_id and p.make_id = c.old_make""",
    """insert into deed select (jsonb_populate_record(d, jsonb_build_object(
           'id', gen_random_uuid(), 'subject_id', c.make_id, 'amends', null,
           'happened', d.happened - c.back, 'at', d.at - c.back,
           'arrived', d.arrived - c.back))).*
       from copied c join deed d on d.dairy_id = c.dairy_id and d.subject_id = c.old_make""",
    """insert into flocks_lesson select (jsonb_populate_record(f, jsonb_build_object(
           'id', gen_random_uuid(), 'make_id', c.make_id, 'at', f.at - c.back))).*
       from copied c join flocks_lesson f on f.dairy_id = c.dairy_id and f.make_id = c.old_make""",
    """insert into warming_lesson select (jsonb_populate_record(w, jsonb_build_object(
           'id', gen_random_uuid(), 'make_id', c.make_id, 'at', w.at - c.back))).*
       from copied c join warming_lesson w on w.dairy_id = c.dairy_id and w.make_id = c.old_make""",
    """insert into stock_move select (jsonb_populate_record(s, jsonb_build_object(
           'id', gen_random_uuid(), 'make_id', c.make_id, 'deed_id', null, 'at', s.at - c.back))).*
       from copied c join stock_move s on s.dairy_id = c.dairy_id and s.make_id = c.old_make""",
    # probes: a value every two minutes, and what is drawn of them
    """insert into sample select c.dairy_id, c.make_id, 'vat', c.started_at - c.back
           + interval '2 minutes' * k, 20 + 12 * k / {samples}::float, null
       from copied c, generate_series(1, {samples}) k""",
    """insert into sample_span select dairy_id, make_id, probe, date_bin('5 minutes', at,
           timestamptz '2000-01-01'), count(*), min(celsius), max(celsius), max(celsius), max(at),
           null
       from sample group by dairy_id, make_id, probe, date_bin('5 minutes', at,
           timestamptz '2000-01-01')""",
    # pieces: the last ones still rest
    """create temp table laid on commit drop as
       select c.*, k, gen_random_uuid() as piece_id, row_number() over (order by c.n, k) <= {live}
           as rests
       from copied c, generate_series(1, {pieces} / {makes} + 1) k order by c.n, k
       limit {pieces}""",
    """insert into piece select (jsonb_populate_record(null::piece, to_jsonb(p)
           || jsonb_build_object('id', l.piece_id,
           'make_id', l.make_id, 'number', l.k, 'label', (10000 + l.n) || '-' || l.k,
           'made_on', p.made_on - extract(day from l.back)::int,
           'left_kg', case when l.rests then p.mass_kg else 0 end,
           'course', case when l.rests then jsonb_build_object('lain', jsonb_build_array(
               jsonb_build_array('cave', mod(l.k, 4), (p.made_on - mod(l.n, 60)::int)::text,
               (p.course->'lain'->-1->>3)::int))) else p.course end,
           'ended_at', case when l.rests then null else p.made_on + interval '90 days' - l.back
           end))).*
       from laid l join lateral (select * from piece where dairy_id = l.dairy_id
           and make_id = l.old_make order by number limit 1) p on true""",
    # the air of the places, hour by hour
    """insert into climate_hour select r.dairy_id, r.room_id, r.begins - interval '60 days' * k,
           r.count_c, r.sum_c, r.low_c, r.high_c, r.count_h, r.sum_h, r.low_h, r.high_h
       from climate_hour r, generate_series(1, {sixties}) k on conflict do nothing""",
    """insert into climate_day select r.dairy_id, r.room_id, r.day - 60 * k,
           r.count_c, r.sum_c, r.low_c, r.high_c, r.count_h, r.sum_h, r.low_h, r.high_h
       from climate_day r, generate_series(1, {sixties}) k on conflict do nothing""",
    """insert into piece_out (dairy_id, id, piece_id, kind, "to", mass_kg, why, at)
       select dairy_id, gen_random_uuid(), id, 'sold', 'the inn', mass_kg, '', ended_at
       from piece where ended_at is not null and label ~ '^1[0-9]{{4}}-'""",
    # brine: a batch a make, and the tub read every week
    """insert into brining (dairy_id, id, make_id, tub_id, step, pieces, kg, pct_in, salt_kg, keeps,
           in_at, until, out_at)
       select c.dairy_id, gen_random_uuid(), c.make_id, t.id, 'brine', 1, 2, 18, 0.02, false,
           c.started_at - c.back, c.started_at - c.back + interval '12 hours',
           c.started_at - c.back + interval '12 hours'
       from copied c join tub t on t.dairy_id = c.dairy_id and not t.soft""",
    """insert into deed select (jsonb_populate_record(d, jsonb_build_object(
           'id', gen_random_uuid(), 'happened', d.happened - interval '7 days' * k,
           'at', d.at - interval '7 days' * k, 'arrived', d.arrived - interval '7 days' * k))).*
       from deed d, generate_series(1, {weeks}) k where d.subject = 'brine' and d.deed = 'read'""",
    # what makes and pieces taught
    """insert into share_lesson select (jsonb_populate_record(s, jsonb_build_object(
           'id', gen_random_uuid(), 'make_id', c.make_id, 'subject_id', c.make_id,
           'at', s.at - c.back))).*
       from copied c join share_lesson s on s.dairy_id = c.dairy_id and s.make_id = c.old_make
           and s.sort <> 'drying'""",
    # stock that came and went, plans that were begun, house values that were tried
    """insert into bottle select (jsonb_populate_record(b, jsonb_build_object(
           'id', gen_random_uuid(), 'created_at', b.created_at - interval '30 days' * k,
           'ended_at', b.created_at - interval '20 days' * k))).*
       from bottle b, generate_series(1, {bottles}) k where b.ended_at is null""",
    """insert into planned_make (dairy_id, id, recipe_id, vat_id, ready, day, at, created_at,
           make_id)
       select c.dairy_id, gen_random_uuid(), v.recipe_id, m.vat_id, '{{}}',
           (c.started_at - c.back)::date, '08:00', c.started_at - c.back, c.make_id
       from copied c join make m on m.dairy_id = c.dairy_id and m.id = c.make_id
       join recipe_version v on v.dairy_id = m.dairy_id and v.id = m.recipe_version_id""",
    """insert into task (dairy_id, id, words, due, lot_id, done_at)
       select dairy_id, gen_random_uuid(), 'Thawed', (started_at - back)::date, lot_id, started_at
       from copied""",
)


def build(session: Session, kept: Kept = FIVE_YEARS) -> dict[str, float]:
    """Make what was kept; how long each statement took, s."""
    took = {}
    for each in _STEPS:
        began = time.perf_counter()
        session.connection().exec_driver_sql(each.format(**asdict(kept)))
        took[" ".join(each.split()[:3])] = time.perf_counter() - began
    session.commit()
    session.connection(execution_options={"isolation_level": "AUTOCOMMIT"})
    session.execute(text("analyze"))
    return took


def counts(session: Session) -> dict[str, int]:
    """How many rows of each there are."""
    tables = ("make", "deed", "sample", "piece", "climate_hour", "milk_lot", "stock_move")
    return {name: session.scalar(text(f"select count(*) from {name}")) or 0 for name in tables}


# ── timed ──

NOW = datetime(2026, 5, 4, 9, 30, tzinfo=UTC)
ROUNDS = 25
_DEEDS = 200
_PAGES = {
    "today": "/",
    "which": "/which",
    "days ahead": "/days",
    "milk": "/milk",
    "herds": "/milk/herds",
    "bench": "/bench",
    "cave": "/cave",
    "press": "/press",
    "table": "/table",
    "logbook": "/logbook",
    "find a word": "/logbook?words=goat",
    "find a cheese": "/logbook?recipe=larder-block&animals=goat",
    "learnt": "/logbook/learnt",
    "yield over time": "/logbook/charts/yield",
    "acid over time": "/logbook/charts/acid",
    "cost over time": "/logbook/charts/cost",
    "stock": "/stock",
    "recipes": "/recipes",
    "dairy": "/dairy",
    "house values": "/dairy/house",
    "calendar": "/calendar.ics",
}


@contextmanager
def _dairy(name: str) -> Iterator[tuple[FlaskClient, str]]:
    """A demo farm in a database of its own, the demo's maker signed in; and its address."""
    server = os.environ["OPENPAIL_TEST_DATABASE_URL"]
    admin = create_engine(server, isolation_level="AUTOCOMMIT")
    url = make_url(server).set(database=name).render_as_string(hide_password=False)
    with admin.connect() as connection:
        connection.exec_driver_sql(f"drop database if exists {name} with (force)")
        connection.exec_driver_sql(f"create database {name}")
    migrate(url)
    with sessions(url).begin() as session:
        load(session, NOW)
    app = create_app(
        Config(
            database_url=url,
            secret="a secret for timing only, long enough to be one",
            mode="demo",
            frozen_now=NOW,
        )
    )
    app.config["WTF_CSRF_ENABLED"] = False
    client = app.test_client()
    client.post("/demo")
    try:
        yield client, url
    finally:
        engine_for(url).dispose()
        with admin.connect() as connection:
            connection.exec_driver_sql(f"drop database {name} with (force)")
        admin.dispose()


def _pages(client: FlaskClient) -> dict[str, str]:
    lot = client.get("/milk").text.split('href="/milk/')[1].split('"')[0]
    sheet, vat = f"/sheet?lot={lot}&recipe=larder-block", client.get("/vat").headers["Location"]
    tub = "/press/tubs/" + client.get("/press").text.split('href="/press/tubs/')[1].split('"')[0]
    cheese = "/cave/" + client.get("/cave").text.split('class="on-shelf')[1].split("/cave/")[1][:36]
    labels = f"/cave/labels.pdf?ids={','.join(_pieces(client, 24))}"
    made = [link[:36] for link in client.get("/logbook").text.split('name="make" value="')[1:]]
    done = made[3]  # one that is done, with its readings
    traced = client.get(f"/trace/make/{done}").text
    bottle = traced.split('href="/trace/bottle/')[1].split('"')[0]
    more = {
        "a cheese": cheese,
        "the round": "/cave/round",
        "24 labels": labels,
        "a make": f"/logbook/{done}",
        "compare four": "/logbook/compare?" + "&".join(f"make={key}" for key in made[2:6]),
        "trace a make": f"/trace/make/{done}",
        "trace a bottle": f"/trace/bottle/{bottle}",
        "trace a tub": tub.replace("/press/tubs/", "/trace/tub/"),
    }
    return {**_PAGES, **more, "sheet": sheet, "vat": vat, "tub": tub}


def _pieces(client: FlaskClient, count: int) -> list[str]:
    """The first cheeses on their shelves, by id."""
    links = client.get("/cave").text.split('href="/cave/')[1:]
    found = [link[:36] for link in links if link[36:].startswith("?by=shelf")]
    return found[:count]


def _ms(clients: Sequence[FlaskClient], addresses: Sequence[str]) -> tuple[list[float], list[int]]:
    """Medians of pages that are asked for turn about, ms, and their bytes."""
    took: list[list[float]] = [[] for _ in clients]
    sizes = [0 for _ in clients]
    for turn in range(ROUNDS + 4):
        for number, (client, address) in enumerate(zip(clients, addresses, strict=True)):
            began = time.perf_counter()
            sizes[number] = len(client.get(address, follow_redirects=True).data)
            if turn >= 4:
                took[number].append(1000 * (time.perf_counter() - began))
    return [median(each) for each in took], sizes


Told = dict[str, tuple[float, float | None]]


def _beside_the_young(small: FlaskClient, large: FlaskClient) -> Told:
    """Each page of both: ms in the large one, and its ratio to the small one."""
    print(f"{'page':<14}{'young, ms':>10}{'five years':>12}{'ratio':>8}{'kB':>7}")
    there, told = _pages(large), Told()
    for name, address in _pages(small).items():
        (before, after), sizes = _ms((small, large), (address, there[name]))
        ratio = after / before
        print(f"{name:<14}{before:>10.1f}{after:>12.1f}{ratio:>8.2f}{sizes[1] / 1000:>7.0f}")
        told[name] = (after, ratio)
    return told


def _with_samples(client: FlaskClient, url: str) -> None:
    """The vat page while a probe sends more and more."""
    address, kept, least = client.get("/vat").headers["Location"], 0, 0.0
    for count in (20, 2_000, 200_000):
        with sessions(url).begin() as session:
            make = makes.under_way(session, session.scalars(select(Dairy)).one())[0]
            span = NOW - make.started_at
            values = [
                samples.Sampled(make.started_at + span * n / 200_000, 20 + 12 * n / 200_000)
                for n in range(kept, count)
            ]
            for begin in range(0, len(values), 5_000):
                samples.take(session, make, "vat", values[begin : begin + 5_000])
        kept = count
        (now,), (size,) = _ms((client,), (address,))
        least = least or now
        print(
            f"vat page with {count:>7} samples: {now:6.1f} ms, {now / least:.2f}, {size // 1000} kB"
        )


def _telling(client: FlaskClient) -> Told:
    """A deed told and answered (aim 50 ms at the 95th percentile), and what an open page asks for
    every few seconds (aim 15 ms), in the dairy of five years."""
    vat = client.get("/vat").headers["Location"]
    door = f"/makes/{vat.rsplit('/', 1)[1]}/deeds"
    took: dict[str, list[float]] = {"a reading told": [], "a tap told": [], "nothing new": []}

    def timed(name: str, ask: Callable[[], TestResponse], wanted: int) -> None:
        began = time.perf_counter()
        answer = ask()
        took[name].append(1000 * (time.perf_counter() - began))
        assert answer.status_code == wanted, answer.text

    for turn in range(_DEEDS):
        payloads = {
            "a reading told": ("reading", {"celsius": 31.0 + 0.01 * (turn % 7)}),
            "a tap told": ("ticked", {"key": f"thing {turn}"}),
        }
        for name, (deed, payload) in payloads.items():
            told = {"id": str(uuid.uuid4()), "deed": deed, "payload": payload}
            body = {"deeds": [{**told, "happened": NOW.isoformat(), "counter": turn}]}
            timed(name, partial(client.post, door, json=body), 200)
        if turn % 20 == 0:
            seen = client.get(vat).text.split('data-version="')[1].split('"')[0]
            for _ in range(20):
                timed("nothing new", partial(client.get, f"{vat}/now?v={seen}"), 204)
    told = Told()
    for name, each in took.items():
        p95 = sorted(each)[int(0.95 * len(each))]
        told[f"{name}, 95th percentile"] = (p95, None)
        print(f"{name:<16} median {median(each):6.1f} ms, 95th percentile {p95:6.1f} ms")
    return told


def _out(client: FlaskClient) -> Told:
    """The whole dairy out as one file (aim 60 s), and as a spreadsheet."""
    told = Told()
    for name, address in (
        ("zip", "/dairy/everything.zip"),
        ("ods", "/logbook/makes-and-tests.ods"),
    ):
        began = time.perf_counter()
        first, size = 0.0, 0
        for part in client.get(address).response:
            first = first or time.perf_counter() - began
            size += len(part)
        took = time.perf_counter() - began
        print(
            f"everything out, {name}: {took:.1f} s, first byte {first:.1f} s, {size / 1e6:.1f} MB"
        )
        told[f"everything out, {name}"] = (1000 * took, None)
    return told


def measured() -> Told:
    """Build, count, time: ms, and where there is one the ratio to the young dairy's."""
    settle()
    with _dairy("bench_young") as (small, small_url), _dairy("bench_five") as (large, large_url):
        began = time.perf_counter()
        for url, kept in ((small_url, YOUNG), (large_url, FIVE_YEARS)):
            with sessions(url)() as session:
                build(session, kept)
                print(f"built in {time.perf_counter() - began:.0f} s: {counts(session)}")
        told = _beside_the_young(small, large) | _telling(large) | _out(large)
        _with_samples(small, small_url)
    return told


if __name__ == "__main__":
    measured()
