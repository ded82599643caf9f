"""A dairy of five years on the demo farm's shoulders, made in the database itself.

    ./pail bench --five-years      builds it, then times each page of it beside the same page of the
                                   demo, on one machine

1 400 makes, 600 000 deeds and samples, 6 500 pieces of which about 400 rest.
"""

from __future__ import annotations

import time

from sqlalchemy import text
from sqlalchemy.orm import Session

MAKES, PIECES, LIVE, DAYS = 1400, 6500, 400, 1826
SAMPLES = 400  # of a probe, each make

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
       from milk_test t, generate_series(1, 60) k where t.lot_id is null""",
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
           + interval '2 minutes' * k, 20 + 12 * k / {samples}::float
       from copied c, generate_series(1, {samples}) k""",
    """insert into sample_span select dairy_id, make_id, probe, date_bin('5 minutes', at,
           timestamptz '2000-01-01'), count(*), min(celsius), max(celsius), max(celsius), max(at)
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
           'ended_at', case when l.rests then null else p.made_on + interval '90 days' - l.back
           end))).*
       from laid l join lateral (select * from piece where dairy_id = l.dairy_id
           and make_id = l.old_make order by number limit 1) p on true""",
    """insert into care (dairy_id, id, piece_id, stage, key, words, place, due, matters, done_at)
       select l.dairy_id, gen_random_uuid(), l.piece_id, 'cave', 'turn', 'Turn it', 'cave',
           current_day + 3 * d - case when l.rests then 90 else extract(day from l.back)::int end,
           'daily', case when not l.rests or d < 30 then l.started_at end
       from laid l, generate_series(0, 34) d, (select max(started_at)::date as current_day from make
           where state = 'under way') today""",
    """insert into piece_out (dairy_id, id, piece_id, kind, "to", mass_kg, why, at)
       select dairy_id, gen_random_uuid(), id, 'sold', 'the inn', mass_kg, '', ended_at
       from piece where ended_at is not null and label ~ '^1[0-9]{{4}}-'""",
    # stock that came and went, plans that were begun, house values that were tried
    """insert into bottle select (jsonb_populate_record(b, jsonb_build_object(
           'id', gen_random_uuid(), 'created_at', b.created_at - interval '30 days' * k,
           'ended_at', b.created_at - interval '20 days' * k))).*
       from bottle b, generate_series(1, 12) k where b.ended_at is null""",
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


def build(session: Session) -> dict[str, float]:
    """Make the five years; how long each statement took, s."""
    numbers = {"makes": MAKES, "pieces": PIECES, "live": LIVE, "days": DAYS, "samples": SAMPLES}
    took = {}
    for each in _STEPS:
        began = time.perf_counter()
        session.connection().exec_driver_sql(each.format(**numbers))
        took[" ".join(each.split()[:3])] = time.perf_counter() - began
    session.commit()
    session.connection(execution_options={"isolation_level": "AUTOCOMMIT"})
    session.execute(text("analyze"))
    return took


def counts(session: Session) -> dict[str, int]:
    """How many rows of each there are."""
    tables = ("make", "deed", "sample", "piece", "care", "milk_lot", "stock_move")
    return {name: session.scalar(text(f"select count(*) from {name}")) or 0 for name in tables}
