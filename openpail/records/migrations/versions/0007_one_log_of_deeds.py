"""one log of deeds; lots, pours, gear and pieces out as rows with keys; who, by key; checked words"""

from alembic import op
from sqlalchemy.dialects import postgresql
import sqlalchemy as sa

revision = '0007'
down_revision = '0006'

_BY_PERSON = ('care', 'house_override', 'make', 'milk_lot', 'milk_test', 'milk_use', 'recipe_version')
_BREEDS = "('cow_lowland', 'cow_high_solids', 'goat', 'goat_dwarf', 'sheep', 'buffalo')"
_CHECKS = {
    ('herd', 'breed'): _BREEDS,
    ('milk_lot', 'breed'): _BREEDS,
    ('milk_lot', 'treatment'): "('raw', 'thermised', 'batch', 'flash', 'high_heat', 'ultra_heated', 'high_pressure')",
    ('milk_lot', 'holding'): "('cold', 'cool', 'cellar', 'warm')",
    ('bottle', 'form'): "('', 'liquid', 'powder', 'tablet', 'paste', 'freeze-dried', 'units', 'packet', 'mother', 'cubes', 'jar', 'one-packet')",
    ('bottle', 'scale'): "('imcu', 'soxhlet')",
    ('bottle', 'counts'): "('anhydrous', 'dihydrate', 'hexahydrate')",
    ('bottle', 'per'): "('w/v', 'w/w', 'dry')",
    ('bottle', 'kept'): "('fridge', 'freezer', 'room')",
}


def upgrade() -> None:
    _who()
    _log()
    _lessons()
    _makes()
    _milk()
    _plans()
    _pieces()
    for (table, column), words in _CHECKS.items():
        op.create_check_constraint(op.f(f'ck_{table}_{column}'), table, f'{column} in {words}')
    op.create_index('ix_house_override_dairy_id_until', 'house_override', ['dairy_id', 'until'])
    op.drop_index('ix_milk_test_dairy_id_herd_id', 'milk_test')
    op.create_index('ix_milk_test_dairy_id_herd_id', 'milk_test', ['dairy_id', 'herd_id', 'taken_at'])
    op.drop_index('ix_milk_lot_dairy_id_left', 'milk_lot')
    op.create_index('ix_milk_lot_waiting', 'milk_lot', ['dairy_id', 'collected_at'], postgresql_where=sa.text('left_kg > 0.01'))


def _who() -> None:
    """Who did it is a member of the dairy; whoever is none is not named."""
    for table in (*_BY_PERSON, 'make_event'):
        op.execute(f"""
            update {table} t set person_id = null where person_id is not null and not exists
            (select 1 from membership m where m.dairy_id = t.dairy_id and m.person_id = t.person_id)
        """)
    for table in _BY_PERSON:
        op.create_foreign_key(op.f(f'fk_{table}_dairy_id_person_id'), table, 'membership', ['dairy_id', 'person_id'], ['dairy_id', 'person_id'])


def _log() -> None:
    """Events become deeds; what was learnt of them leaves their payloads (see _lessons)."""
    op.create_table('deed',
    sa.Column('dairy_id', sa.Uuid(), nullable=False),
    sa.Column('id', sa.Uuid(), nullable=False),
    sa.Column('subject', sa.Text(), nullable=False),
    sa.Column('subject_id', sa.Uuid(), nullable=False),
    sa.Column('deed', sa.Text(), nullable=False),
    sa.Column('payload', postgresql.JSONB(), nullable=False),
    sa.Column('payload_version', sa.Integer(), nullable=False),
    sa.Column('happened', sa.DateTime(timezone=True), nullable=False),
    sa.Column('clock_offset_s', sa.Double(), nullable=False),
    sa.Column('at', sa.DateTime(timezone=True), nullable=False),
    sa.Column('arrived', sa.DateTime(timezone=True), nullable=False),
    sa.Column('person_id', sa.Uuid(), nullable=True),
    sa.Column('device', sa.Text(), nullable=False),
    sa.Column('counter', sa.Integer(), nullable=False),
    sa.Column('amends', sa.Uuid(), nullable=True),
    sa.CheckConstraint("subject in ('make', 'piece')", name=op.f('ck_deed_subject')),
    sa.ForeignKeyConstraint(['dairy_id', 'amends'], ['deed.dairy_id', 'deed.id'], name=op.f('fk_deed_dairy_id_amends')),
    sa.ForeignKeyConstraint(['dairy_id', 'person_id'], ['membership.dairy_id', 'membership.person_id'], name=op.f('fk_deed_dairy_id_person_id')),
    sa.ForeignKeyConstraint(['dairy_id'], ['dairy.id'], name=op.f('fk_deed_dairy_id'), ondelete='CASCADE'),
    sa.PrimaryKeyConstraint('dairy_id', 'id', name=op.f('pk_deed'))
    )
    op.create_index('ix_deed_dairy_id_subject_id', 'deed', ['dairy_id', 'subject_id', 'at', 'counter', 'id'], unique=False)
    op.create_index('ix_deed_dairy_id_subject_id_arrived', 'deed', ['dairy_id', 'subject_id', 'arrived'], unique=False)
    op.execute("""
        insert into deed (dairy_id, id, subject, subject_id, deed, payload, payload_version, happened,
            clock_offset_s, at, arrived, person_id, device, counter, amends)
        select e.dairy_id, e.id, 'make', e.make_id,
            case e.kind when 'note' then 'reading' else e.kind end,
            case e.kind
                when 'step_done' then jsonb_build_object('step', e.payload->'step')
                when 'flocks' then '{}'::jsonb
                when 'undo' then '{}'::jsonb
                when 'amend' then jsonb_build_object('change', e.payload)
                when 'weighed' then jsonb_build_object('pieces_kg', coalesce(
                    (select jsonb_agg(p.mass_kg order by p.number) from piece p
                     where p.dairy_id = e.dairy_id and p.make_id = e.make_id),
                    jsonb_build_array(e.payload->'kg')))
                else e.payload end,
            1, e.happened, e.clock_offset_s,
            e.happened + e.clock_offset_s * interval '1 second', e.arrived, e.person_id, e.device,
            e.device_counter,
            case when e.kind in ('amend', 'undo') then e.amends end
        from make_event e where e.kind <> 'finished'
    """)
    op.add_column('stock_move', sa.Column('deed_id', sa.Uuid(), nullable=True))
    op.add_column('stock_move', sa.Column('step', sa.Text(), nullable=False, server_default=''))
    op.alter_column('stock_move', 'step', server_default=None)
    op.execute("""
        update stock_move s set deed_id = d.id, step = coalesce(d.payload->>'step', '')
        from deed d where d.dairy_id = s.dairy_id and d.id = s.event_id
    """)
    op.create_foreign_key(op.f('fk_stock_move_dairy_id_deed_id'), 'stock_move', 'deed', ['dairy_id', 'deed_id'], ['dairy_id', 'id'])
    op.create_index('ix_stock_move_dairy_id_make_id', 'stock_move', ['dairy_id', 'make_id'])
    op.drop_column('stock_move', 'event_id')
    op.create_table('sample',
    sa.Column('dairy_id', sa.Uuid(), nullable=False),
    sa.Column('make_id', sa.Uuid(), nullable=False),
    sa.Column('probe', sa.Text(), nullable=False),
    sa.Column('at', sa.DateTime(timezone=True), nullable=False),
    sa.Column('celsius', sa.Double(), nullable=False),
    sa.ForeignKeyConstraint(['dairy_id', 'make_id'], ['make.dairy_id', 'make.id'], name=op.f('fk_sample_dairy_id_make_id')),
    sa.ForeignKeyConstraint(['dairy_id'], ['dairy.id'], name=op.f('fk_sample_dairy_id'), ondelete='CASCADE'),
    sa.PrimaryKeyConstraint('dairy_id', 'make_id', 'probe', 'at', name=op.f('pk_sample'))
    )
    op.create_table('sample_span',
    sa.Column('dairy_id', sa.Uuid(), nullable=False),
    sa.Column('make_id', sa.Uuid(), nullable=False),
    sa.Column('probe', sa.Text(), nullable=False),
    sa.Column('begins', sa.DateTime(timezone=True), nullable=False),
    sa.Column('count', sa.Integer(), nullable=False),
    sa.Column('low_c', sa.Double(), nullable=False),
    sa.Column('high_c', sa.Double(), nullable=False),
    sa.Column('last_c', sa.Double(), nullable=False),
    sa.Column('last_at', sa.DateTime(timezone=True), nullable=False),
    sa.CheckConstraint('low_c <= last_c and last_c <= high_c and count > 0', name=op.f('ck_sample_span_values')),
    sa.ForeignKeyConstraint(['dairy_id', 'make_id'], ['make.dairy_id', 'make.id'], name=op.f('fk_sample_span_dairy_id_make_id')),
    sa.ForeignKeyConstraint(['dairy_id'], ['dairy.id'], name=op.f('fk_sample_span_dairy_id'), ondelete='CASCADE'),
    sa.PrimaryKeyConstraint('dairy_id', 'make_id', 'probe', 'begins', name=op.f('pk_sample_span'))
    )


def _lessons() -> None:
    """What flocks and warmings taught stood in the events, where no correction reached it."""
    op.create_table('flocks_lesson',
    sa.Column('dairy_id', sa.Uuid(), nullable=False),
    sa.Column('id', sa.Uuid(), nullable=False),
    sa.Column('make_id', sa.Uuid(), nullable=False),
    sa.Column('bottle_id', sa.Uuid(), nullable=False),
    sa.Column('animals', sa.Text(), nullable=False),
    sa.Column('observed_min', sa.Double(), nullable=False),
    sa.Column('expected_min', sa.Double(), nullable=False),
    sa.Column('at', sa.DateTime(timezone=True), nullable=False),
    sa.CheckConstraint("animals in ('cow_lowland', 'cow_high_solids', 'goat', 'goat_dwarf', 'sheep', 'buffalo')", name=op.f('ck_flocks_lesson_animals')),
    sa.CheckConstraint('observed_min > 0 and expected_min > 0', name=op.f('ck_flocks_lesson_minutes')),
    sa.ForeignKeyConstraint(['dairy_id', 'bottle_id'], ['bottle.dairy_id', 'bottle.id'], name=op.f('fk_flocks_lesson_dairy_id_bottle_id')),
    sa.ForeignKeyConstraint(['dairy_id', 'make_id'], ['make.dairy_id', 'make.id'], name=op.f('fk_flocks_lesson_dairy_id_make_id')),
    sa.ForeignKeyConstraint(['dairy_id'], ['dairy.id'], name=op.f('fk_flocks_lesson_dairy_id'), ondelete='CASCADE'),
    sa.PrimaryKeyConstraint('dairy_id', 'id', name=op.f('pk_flocks_lesson')),
    sa.UniqueConstraint('dairy_id', 'make_id', name=op.f('uq_flocks_lesson_dairy_id_make_id'))
    )
    op.create_index('ix_flocks_lesson_dairy_id_bottle_id', 'flocks_lesson', ['dairy_id', 'bottle_id', 'at'], unique=False)
    op.create_table('warming_lesson',
    sa.Column('dairy_id', sa.Uuid(), nullable=False),
    sa.Column('id', sa.Uuid(), nullable=False),
    sa.Column('make_id', sa.Uuid(), nullable=False),
    sa.Column('step', sa.Text(), nullable=False),
    sa.Column('vat_id', sa.Uuid(), nullable=False),
    sa.Column('mass_kg', sa.Double(), nullable=False),
    sa.Column('from_c', sa.Double(), nullable=False),
    sa.Column('to_c', sa.Double(), nullable=False),
    sa.Column('minutes', sa.Double(), nullable=False),
    sa.Column('at', sa.DateTime(timezone=True), nullable=False),
    sa.ForeignKeyConstraint(['dairy_id', 'make_id'], ['make.dairy_id', 'make.id'], name=op.f('fk_warming_lesson_dairy_id_make_id')),
    sa.ForeignKeyConstraint(['dairy_id', 'vat_id'], ['vat.dairy_id', 'vat.id'], name=op.f('fk_warming_lesson_dairy_id_vat_id')),
    sa.ForeignKeyConstraint(['dairy_id'], ['dairy.id'], name=op.f('fk_warming_lesson_dairy_id'), ondelete='CASCADE'),
    sa.PrimaryKeyConstraint('dairy_id', 'id', name=op.f('pk_warming_lesson')),
    sa.UniqueConstraint('dairy_id', 'make_id', 'step', name=op.f('uq_warming_lesson_dairy_id_make_id_step'))
    )
    op.create_index('ix_warming_lesson_dairy_id_vat_id', 'warming_lesson', ['dairy_id', 'vat_id', 'at'], unique=False)
    op.execute("""
        insert into flocks_lesson (dairy_id, id, make_id, bottle_id, animals, observed_min, expected_min, at)
        select distinct on (e.dairy_id, e.make_id) e.dairy_id, gen_random_uuid(), e.make_id, b.id,
            e.payload->>'animals', (e.payload->>'observed_min')::float,
            (e.payload->>'expected_min')::float, e.happened
        from make_event e join bottle b on b.dairy_id = e.dairy_id and b.id::text = e.payload->>'bottle'
        where e.kind = 'flocks' and (e.payload->>'observed_min')::float > 0
        and (e.payload->>'expected_min')::float > 0
        and not exists (select 1 from make_event u where u.dairy_id = e.dairy_id and u.kind = 'undo' and u.amends = e.id)
        order by e.dairy_id, e.make_id, e.happened
    """)
    op.execute("""
        insert into warming_lesson (dairy_id, id, make_id, step, vat_id, mass_kg, from_c, to_c, minutes, at)
        select distinct on (e.dairy_id, e.make_id, e.payload->>'step') e.dairy_id, gen_random_uuid(),
            e.make_id, e.payload->>'step', m.vat_id, (w->>'mass_kg')::float, (w->>'from_c')::float,
            (w->>'to_c')::float, (w->>'minutes')::float, e.happened
        from make_event e join make m on m.dairy_id = e.dairy_id and m.id = e.make_id,
            lateral (select e.payload->'warmed' as w) each
        where e.kind = 'step_done' and e.payload ? 'warmed'
        and not exists (select 1 from make_event u where u.dairy_id = e.dairy_id and u.kind = 'undo' and u.amends = e.id)
        order by e.dairy_id, e.make_id, e.payload->>'step', e.happened
    """)
    op.drop_table('make_event')


def _makes() -> None:
    """A list of makes reads their figures without their sheets."""
    for column in ('expected_kg', 'milk_kg'):
        op.add_column('make', sa.Column(column, sa.Double(), nullable=True))
    op.execute("""
        update make set expected_kg = (frozen->'cheese'->>'value')::float,
            milk_kg = (frozen->'milk'->'mass'->>'value')::float
    """)
    for column in ('expected_kg', 'milk_kg'):
        op.alter_column('make', column, nullable=False)
    op.add_column('make', sa.Column('standing', postgresql.JSONB(), nullable=True))
    op.add_column('make', sa.Column('folded', sa.Uuid(), nullable=True))
    op.create_index('ix_make_dairy_id_started_at', 'make', ['dairy_id', 'started_at'])
    op.create_index('ix_make_milk_dairy_id_lot_id', 'make_milk', ['dairy_id', 'lot_id'])
    op.create_index('ix_make_milk_dairy_id_make_id', 'make_milk', ['dairy_id', 'make_id'])


def _milk() -> None:
    """Pours, mixes and cream: rows that name their lots."""
    op.create_table('lot_part',
    sa.Column('dairy_id', sa.Uuid(), nullable=False),
    sa.Column('id', sa.Uuid(), nullable=False),
    sa.Column('lot_id', sa.Uuid(), nullable=False),
    sa.Column('of_lot_id', sa.Uuid(), nullable=False),
    sa.Column('mass_kg', sa.Double(), nullable=False),
    sa.Column('at', sa.DateTime(timezone=True), nullable=False),
    sa.CheckConstraint('mass_kg > 0 and lot_id <> of_lot_id', name=op.f('ck_lot_part_parted')),
    sa.ForeignKeyConstraint(['dairy_id', 'lot_id'], ['milk_lot.dairy_id', 'milk_lot.id'], name=op.f('fk_lot_part_dairy_id_lot_id')),
    sa.ForeignKeyConstraint(['dairy_id', 'of_lot_id'], ['milk_lot.dairy_id', 'milk_lot.id'], name=op.f('fk_lot_part_dairy_id_of_lot_id')),
    sa.ForeignKeyConstraint(['dairy_id'], ['dairy.id'], name=op.f('fk_lot_part_dairy_id'), ondelete='CASCADE'),
    sa.PrimaryKeyConstraint('dairy_id', 'id', name=op.f('pk_lot_part'))
    )
    op.create_index('ix_lot_part_dairy_id_lot_id', 'lot_part', ['dairy_id', 'lot_id'], unique=False)
    op.create_index('ix_lot_part_dairy_id_of_lot_id', 'lot_part', ['dairy_id', 'of_lot_id'], unique=False)
    op.create_table('bench_pour',
    sa.Column('dairy_id', sa.Uuid(), nullable=False),
    sa.Column('id', sa.Uuid(), nullable=False),
    sa.Column('bench_id', sa.Uuid(), nullable=False),
    sa.Column('lot_id', sa.Uuid(), nullable=False),
    sa.Column('position', sa.Integer(), nullable=False),
    sa.Column('litres', sa.Double(), nullable=False),
    sa.Column('typed', sa.Text(), nullable=False),
    sa.Column('cream_pct', sa.Double(), nullable=True),
    sa.Column('meant', sa.Boolean(), nullable=False),
    sa.CheckConstraint('(cream_pct is null) = (litres > 0)', name=op.f('ck_bench_pour_litres')),
    sa.ForeignKeyConstraint(['dairy_id', 'bench_id'], ['bench.dairy_id', 'bench.id'], name=op.f('fk_bench_pour_dairy_id_bench_id')),
    sa.ForeignKeyConstraint(['dairy_id', 'lot_id'], ['milk_lot.dairy_id', 'milk_lot.id'], name=op.f('fk_bench_pour_dairy_id_lot_id')),
    sa.ForeignKeyConstraint(['dairy_id'], ['dairy.id'], name=op.f('fk_bench_pour_dairy_id'), ondelete='CASCADE'),
    sa.PrimaryKeyConstraint('dairy_id', 'id', name=op.f('pk_bench_pour')),
    sa.UniqueConstraint('dairy_id', 'bench_id', 'lot_id', 'meant', 'position', name=op.f('uq_bench_pour_dairy_id_bench_id_lot_id_meant_position'))
    )
    op.create_index('ix_bench_pour_dairy_id_lot_id', 'bench_pour', ['dairy_id', 'lot_id'], unique=False)
    op.create_table('mix_part',
    sa.Column('dairy_id', sa.Uuid(), nullable=False),
    sa.Column('id', sa.Uuid(), nullable=False),
    sa.Column('mix_id', sa.Uuid(), nullable=False),
    sa.Column('breed', sa.Text(), nullable=False),
    sa.Column('litres', sa.Double(), nullable=False),
    sa.CheckConstraint("breed in ('cow_lowland', 'cow_high_solids', 'goat', 'goat_dwarf', 'sheep', 'buffalo')", name=op.f('ck_mix_part_breed')),
    sa.CheckConstraint('litres > 0', name=op.f('ck_mix_part_litres')),
    sa.ForeignKeyConstraint(['dairy_id', 'mix_id'], ['mix.dairy_id', 'mix.id'], name=op.f('fk_mix_part_dairy_id_mix_id')),
    sa.ForeignKeyConstraint(['dairy_id'], ['dairy.id'], name=op.f('fk_mix_part_dairy_id'), ondelete='CASCADE'),
    sa.PrimaryKeyConstraint('dairy_id', 'id', name=op.f('pk_mix_part')),
    sa.UniqueConstraint('dairy_id', 'mix_id', 'breed', name=op.f('uq_mix_part_dairy_id_mix_id_breed'))
    )
    op.execute("""
        insert into lot_part (dairy_id, id, lot_id, of_lot_id, mass_kg, at)
        select distinct on (c.dairy_id, c.id) c.dairy_id, gen_random_uuid(), c.id, u.lot_id, c.mass_kg, u.at
        from milk_lot c join milk_use u on u.dairy_id = c.dairy_id and u.kind = 'skimmed'
            and u.at = c.created_at and abs(u.mass_kg - c.mass_kg) < 1e-9
        where c.kind = 'cream' order by c.dairy_id, c.id, u.id
    """)
    for column, meant in (('pours', 'false'), ('planned', 'true')):
        op.execute(f"""
            insert into bench_pour (dairy_id, id, bench_id, lot_id, position, litres, typed, cream_pct, meant)
            select b.dairy_id, gen_random_uuid(), b.id, (p->>'lot')::uuid, n, (p->>'litres')::float,
                coalesce(p->>'typed', ''), (p->>'cream_pct')::float, {meant}
            from bench b, jsonb_array_elements(b.{column}) with ordinality each(p, n)
            where exists (select 1 from milk_lot l where l.dairy_id = b.dairy_id and l.id = (p->>'lot')::uuid)
        """)
        op.drop_column('bench', column)
    op.execute("""
        insert into mix_part (dairy_id, id, mix_id, breed, litres)
        select m.dairy_id, gen_random_uuid(), m.id, p->>'breed', sum((p->>'litres')::float)
        from mix m, jsonb_array_elements(m.parts) p group by m.dairy_id, m.id, p->>'breed'
    """)
    op.drop_column('mix', 'parts')


def _plans() -> None:
    """A plan's lots and gear: rows; a press or mould is found by the name it was given by."""
    op.create_table('planned_lot',
    sa.Column('dairy_id', sa.Uuid(), nullable=False),
    sa.Column('id', sa.Uuid(), nullable=False),
    sa.Column('plan_id', sa.Uuid(), nullable=False),
    sa.Column('lot_id', sa.Uuid(), nullable=False),
    sa.Column('litres', sa.Double(), nullable=True),
    sa.CheckConstraint('litres > 0', name=op.f('ck_planned_lot_litres')),
    sa.ForeignKeyConstraint(['dairy_id', 'lot_id'], ['milk_lot.dairy_id', 'milk_lot.id'], name=op.f('fk_planned_lot_dairy_id_lot_id')),
    sa.ForeignKeyConstraint(['dairy_id', 'plan_id'], ['planned_make.dairy_id', 'planned_make.id'], name=op.f('fk_planned_lot_dairy_id_plan_id'), ondelete='CASCADE'),
    sa.ForeignKeyConstraint(['dairy_id'], ['dairy.id'], name=op.f('fk_planned_lot_dairy_id'), ondelete='CASCADE'),
    sa.PrimaryKeyConstraint('dairy_id', 'id', name=op.f('pk_planned_lot')),
    sa.UniqueConstraint('dairy_id', 'plan_id', 'lot_id', name=op.f('uq_planned_lot_dairy_id_plan_id_lot_id'))
    )
    op.create_index('ix_planned_lot_dairy_id_lot_id', 'planned_lot', ['dairy_id', 'lot_id'], unique=False)
    op.create_table('planned_gear',
    sa.Column('dairy_id', sa.Uuid(), nullable=False),
    sa.Column('id', sa.Uuid(), nullable=False),
    sa.Column('plan_id', sa.Uuid(), nullable=False),
    sa.Column('gear_id', sa.Uuid(), nullable=False),
    sa.Column('number', sa.Integer(), nullable=False),
    sa.CheckConstraint('number > 0', name=op.f('ck_planned_gear_number')),
    sa.ForeignKeyConstraint(['dairy_id', 'gear_id'], ['gear.dairy_id', 'gear.id'], name=op.f('fk_planned_gear_dairy_id_gear_id'), ondelete='CASCADE'),
    sa.ForeignKeyConstraint(['dairy_id', 'plan_id'], ['planned_make.dairy_id', 'planned_make.id'], name=op.f('fk_planned_gear_dairy_id_plan_id'), ondelete='CASCADE'),
    sa.ForeignKeyConstraint(['dairy_id'], ['dairy.id'], name=op.f('fk_planned_gear_dairy_id'), ondelete='CASCADE'),
    sa.PrimaryKeyConstraint('dairy_id', 'id', name=op.f('pk_planned_gear')),
    sa.UniqueConstraint('dairy_id', 'plan_id', 'gear_id', 'number', name=op.f('uq_planned_gear_dairy_id_plan_id_gear_id_number'))
    )
    op.execute("""
        insert into planned_lot (dairy_id, id, plan_id, lot_id, litres)
        select p.dairy_id, gen_random_uuid(), p.id, l.id, case when litres > 0 then litres end
        from planned_make p, jsonb_each(p.lots) each(key, value),
            lateral (select case when jsonb_typeof(value) = 'number' then value::float end as litres) of,
            lateral (select id from milk_lot m where m.dairy_id = p.dairy_id and m.id::text = key) l
    """)
    op.execute("""
        insert into planned_gear (dairy_id, id, plan_id, gear_id, number)
        select distinct on (p.dairy_id, p.id, g.id, number) p.dairy_id, gen_random_uuid(), p.id, g.id, number
        from planned_make p,
            lateral (select p.given->>'press' as name union
                select jsonb_array_elements_text(coalesce(p.given->'moulds', '[]'::jsonb))) told
            join gear g on true, lateral generate_series(1, g.count) number
        where g.dairy_id = p.dairy_id
        and told.name = case when g.count = 1 then g.name else g.name || ' ' || number end
    """)
    op.drop_column('planned_make', 'lots')
    op.drop_column('planned_make', 'given')


def _pieces() -> None:
    """Where a piece went: of those that are gone nobody wrote it."""
    op.create_table('piece_out',
    sa.Column('dairy_id', sa.Uuid(), nullable=False),
    sa.Column('id', sa.Uuid(), nullable=False),
    sa.Column('piece_id', sa.Uuid(), nullable=False),
    sa.Column('kind', sa.Text(), nullable=False),
    sa.Column('to', sa.Text(), nullable=False),
    sa.Column('mass_kg', sa.Double(), nullable=False),
    sa.Column('why', sa.Text(), nullable=False),
    sa.Column('at', sa.DateTime(timezone=True), nullable=False),
    sa.Column('person_id', sa.Uuid(), nullable=True),
    sa.CheckConstraint("kind in ('eaten', 'sold', 'given', 'thrown', '')", name=op.f('ck_piece_out_kind')),
    sa.CheckConstraint('mass_kg > 0', name=op.f('ck_piece_out_mass')),
    sa.ForeignKeyConstraint(['dairy_id', 'person_id'], ['membership.dairy_id', 'membership.person_id'], name=op.f('fk_piece_out_dairy_id_person_id')),
    sa.ForeignKeyConstraint(['dairy_id', 'piece_id'], ['piece.dairy_id', 'piece.id'], name=op.f('fk_piece_out_dairy_id_piece_id')),
    sa.ForeignKeyConstraint(['dairy_id'], ['dairy.id'], name=op.f('fk_piece_out_dairy_id'), ondelete='CASCADE'),
    sa.PrimaryKeyConstraint('dairy_id', 'id', name=op.f('pk_piece_out'))
    )
    op.create_index('ix_piece_out_dairy_id_piece_id', 'piece_out', ['dairy_id', 'piece_id'], unique=False)
    # what was still to be done to a piece that is gone is no plan any more
    op.execute("""
        delete from care c using piece p where p.dairy_id = c.dairy_id and p.id = c.piece_id
        and p.ended_at is not null and c.done_at is null
    """)
    op.drop_index('ix_care_dairy_id_due', 'care')
    op.create_index('ix_care_open', 'care', ['dairy_id', 'piece_id', 'due'], postgresql_where=sa.text('done_at is null'))
    op.execute("""
        insert into piece_out (dairy_id, id, piece_id, kind, "to", mass_kg, why, at)
        select dairy_id, gen_random_uuid(), id, '', '', mass_kg, '', ended_at
        from piece where ended_at is not null
    """)


def downgrade() -> None:
    op.drop_index('ix_milk_lot_waiting', 'milk_lot')
    op.create_index('ix_milk_lot_dairy_id_left', 'milk_lot', ['dairy_id', 'collected_at'])
    op.drop_index('ix_milk_test_dairy_id_herd_id', 'milk_test')
    op.create_index('ix_milk_test_dairy_id_herd_id', 'milk_test', ['dairy_id', 'herd_id'])
    op.drop_index('ix_house_override_dairy_id_until', 'house_override')
    for table, column in _CHECKS:
        op.drop_constraint(f'ck_{table}_{column}', table)
    op.drop_index('ix_care_open', 'care')
    op.create_index('ix_care_dairy_id_due', 'care', ['dairy_id', 'due'])
    op.drop_table('piece_out')
    op.add_column('planned_make', sa.Column('lots', postgresql.JSONB(), nullable=False, server_default='{}'))
    op.add_column('planned_make', sa.Column('given', postgresql.JSONB(), nullable=False, server_default='{}'))
    op.execute("""
        update planned_make p set lots = coalesce((select jsonb_object_agg(l.lot_id, l.litres)
            from planned_lot l where l.dairy_id = p.dairy_id and l.plan_id = p.id), '{}'::jsonb),
        given = jsonb_build_object('press', coalesce((select case when g.count = 1 then g.name
                else g.name || ' ' || pg.number end from planned_gear pg join gear g
                on g.dairy_id = pg.dairy_id and g.id = pg.gear_id where pg.dairy_id = p.dairy_id
                and pg.plan_id = p.id and g.kind = 'press' limit 1), ''),
            'moulds', coalesce((select jsonb_agg(case when g.count = 1 then g.name
                else g.name || ' ' || pg.number end order by pg.number) from planned_gear pg join gear g
                on g.dairy_id = pg.dairy_id and g.id = pg.gear_id where pg.dairy_id = p.dairy_id
                and pg.plan_id = p.id and g.kind = 'mould'), '[]'::jsonb))
    """)
    for column in ('lots', 'given'):
        op.alter_column('planned_make', column, server_default=None)
    op.drop_table('planned_gear')
    op.drop_table('planned_lot')
    op.add_column('mix', sa.Column('parts', postgresql.JSONB(), nullable=False, server_default='[]'))
    op.execute("""
        update mix m set parts = coalesce((select jsonb_agg(jsonb_build_object('breed', breed, 'litres', litres))
            from mix_part p where p.dairy_id = m.dairy_id and p.mix_id = m.id), '[]'::jsonb)
    """)
    op.alter_column('mix', 'parts', server_default=None)
    for column, meant in (('pours', 'not meant'), ('planned', 'meant')):
        op.add_column('bench', sa.Column(column, postgresql.JSONB(), nullable=False, server_default='[]'))
        op.execute(f"""
            update bench b set {column} = coalesce((select jsonb_agg(jsonb_build_object('lot', lot_id,
                'litres', litres, 'typed', typed, 'cream_pct', cream_pct) order by position)
                from bench_pour p where p.dairy_id = b.dairy_id and p.bench_id = b.id and {meant}), '[]'::jsonb)
        """)
        op.alter_column('bench', column, server_default=None)
    op.drop_table('mix_part')
    op.drop_table('bench_pour')
    op.drop_table('lot_part')
    op.drop_index('ix_make_milk_dairy_id_make_id', 'make_milk')
    op.drop_index('ix_make_milk_dairy_id_lot_id', 'make_milk')
    op.drop_index('ix_make_dairy_id_started_at', 'make')
    for column in ('folded', 'standing', 'milk_kg', 'expected_kg'):
        op.drop_column('make', column)
    op.drop_table('sample_span')
    op.drop_table('sample')
    op.create_table('make_event',
    sa.Column('dairy_id', sa.Uuid(), nullable=False),
    sa.Column('id', sa.Uuid(), nullable=False),
    sa.Column('make_id', sa.Uuid(), nullable=False),
    sa.Column('kind', sa.Text(), nullable=False),
    sa.Column('payload', postgresql.JSONB(), nullable=False),
    sa.Column('payload_version', sa.Integer(), nullable=False),
    sa.Column('happened', sa.DateTime(timezone=True), nullable=False),
    sa.Column('clock_offset_s', sa.Float(), nullable=False),
    sa.Column('arrived', sa.DateTime(timezone=True), nullable=False),
    sa.Column('person_id', sa.Uuid(), nullable=True),
    sa.Column('device', sa.Text(), nullable=False),
    sa.Column('device_counter', sa.Integer(), nullable=False),
    sa.Column('amends', sa.Uuid(), nullable=True),
    sa.CheckConstraint("kind in ('step_done', 'reading', 'flocks', 'note', 'weighed', 'amend', 'undo', 'finished')", name=op.f('ck_make_event_kind')),
    sa.ForeignKeyConstraint(['dairy_id', 'make_id'], ['make.dairy_id', 'make.id'], name=op.f('fk_make_event_dairy_id_make_id')),
    sa.ForeignKeyConstraint(['dairy_id'], ['dairy.id'], name=op.f('fk_make_event_dairy_id'), ondelete='CASCADE'),
    sa.PrimaryKeyConstraint('dairy_id', 'id', name=op.f('pk_make_event'))
    )
    op.create_index('ix_make_event_dairy_id_make_id', 'make_event', ['dairy_id', 'make_id', 'happened'])
    op.execute("""
        insert into make_event (dairy_id, id, make_id, kind, payload, payload_version, happened,
            clock_offset_s, arrived, person_id, device, device_counter, amends)
        select d.dairy_id, d.id, d.subject_id, d.deed,
            case d.deed
                when 'amend' then d.payload->'change'
                when 'weighed' then jsonb_build_object('kg', (select sum(kg::float)
                    from jsonb_array_elements_text(d.payload->'pieces_kg') kg))
                when 'flocks' then coalesce((select jsonb_build_object('bottle', f.bottle_id, 'animals',
                    f.animals, 'observed_min', f.observed_min, 'expected_min', f.expected_min)
                    from flocks_lesson f where f.dairy_id = d.dairy_id and f.make_id = d.subject_id), '{}')
                when 'step_done' then d.payload || coalesce((select jsonb_build_object('warmed',
                    jsonb_build_object('mass_kg', w.mass_kg, 'from_c', w.from_c, 'to_c', w.to_c,
                    'minutes', w.minutes)) from warming_lesson w where w.dairy_id = d.dairy_id
                    and w.make_id = d.subject_id and w.step = d.payload->>'step'), '{}')
                else d.payload end,
            1, d.happened, d.clock_offset_s, d.arrived, d.person_id, d.device, d.counter, d.amends
        from deed d where d.subject = 'make' and d.deed <> 'whey_kept'
    """)
    op.drop_table('warming_lesson')
    op.drop_table('flocks_lesson')
    op.add_column('stock_move', sa.Column('event_id', sa.Uuid(), nullable=True))
    op.execute('update stock_move set event_id = deed_id')
    op.drop_index('ix_stock_move_dairy_id_make_id', 'stock_move')
    op.drop_column('stock_move', 'deed_id')
    op.drop_column('stock_move', 'step')
    op.drop_table('deed')
    for table in _BY_PERSON:
        op.drop_constraint(f'fk_{table}_dairy_id_person_id', table)
