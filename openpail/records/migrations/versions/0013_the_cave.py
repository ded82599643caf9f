"""a piece carries its course, its care comes out of it; parts of pieces; places as they are; climate"""

from datetime import date, timedelta

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = '0013'
down_revision = '0012'

_SUBJECTS = "subject in ('make', 'piece', 'heating', 'brine'{})"
_NEW = ('seen', 'weighed_again', 'moved', 'sealed', 'opened', 'cut_up', 'early_taste', 'amend')
_SORTS = "sort in ('cave', 'cool', 'fridge', 'warm', 'freezer', 'counter')"
_SOFT = ('bloomy', 'blue', 'washed_rind', 'lactic')


def _to(table: str, column: str, other: str, **more) -> sa.ForeignKeyConstraint:
    return sa.ForeignKeyConstraint(
        ['dairy_id', column], [f'{other}.dairy_id', f'{other}.id'], name=op.f(f'fk_{table}_dairy_id_{column}'), **more
    )


def _dairy(table: str) -> sa.ForeignKeyConstraint:
    return sa.ForeignKeyConstraint(['dairy_id'], ['dairy.id'], name=op.f(f'fk_{table}_dairy_id'), ondelete='CASCADE')


def _number(name: str, nullable: bool = True) -> sa.Column:
    return sa.Column(name, sa.Float(), nullable=nullable)


def upgrade() -> None:
    op.add_column('piece', sa.Column('parent_id', sa.Uuid(), nullable=True))
    op.add_column('piece', sa.Column('cut_by', sa.Uuid(), nullable=True))
    op.add_column('piece', sa.Column('laid_at', sa.DateTime(timezone=True), nullable=True))
    op.add_column('piece', sa.Column('left_kg', sa.Float(), nullable=True))
    for name in ('begins', 'course', 'facts'):
        op.add_column('piece', sa.Column(name, JSONB(), nullable=False, server_default='{}'))
        op.alter_column('piece', name, server_default=None)
    op.create_foreign_key(op.f('fk_piece_dairy_id_parent_id'), 'piece', 'piece', ['dairy_id', 'parent_id'], ['dairy_id', 'id'])
    op.create_index('ix_piece_dairy_id_parent_id', 'piece', ['dairy_id', 'parent_id'])
    _courses(op.get_bind())
    op.execute("update piece set laid_at = made_on::timestamptz, left_kg = mass_kg - coalesce("
               "(select sum(mass_kg) from piece_out o where o.dairy_id = piece.dairy_id and o.piece_id = piece.id), 0)")
    op.execute('update piece set left_kg = 0 where left_kg < 0.005 or ended_at is not null')
    op.alter_column('piece', 'laid_at', nullable=False)
    op.alter_column('piece', 'left_kg', nullable=False)
    op.create_check_constraint(op.f('ck_piece_left'), 'piece', 'left_kg >= 0')
    op.drop_constraint('uq_piece_dairy_id_make_id_number', 'piece', type_='unique')
    op.create_index('ix_piece_dairy_id_make_id', 'piece', ['dairy_id', 'make_id', 'number'])
    op.create_unique_constraint(op.f('uq_piece_dairy_id_label'), 'piece', ['dairy_id', 'label'])
    for name in ('ready_from', 'ready_until', 'eat_by'):
        op.drop_column('piece', name)
    _told_anew()
    op.drop_table('care')
    _rooms()
    _climate()
    op.add_column('dairy', sa.Column('house_day', sa.Integer(), nullable=False, server_default='0'))
    op.alter_column('dairy', 'house_day', server_default=None)
    op.add_column('dairy', sa.Column('label', JSONB(), nullable=False, server_default='{}'))
    op.alter_column('dairy', 'label', server_default=None)
    op.create_check_constraint(op.f('ck_dairy_house_day'), 'dairy', 'house_day between 0 and 7')
    op.add_column('dairy', sa.Column('logger', sa.Text(), nullable=False, server_default=''))
    op.alter_column('dairy', 'logger', server_default=None)
    _subjects(", 'room'")


def _courses(bind) -> None:
    """Each piece lies where its calendar had it by today, and every care that was done stays done."""
    rooms: dict = {}
    for dairy, name in bind.execute(sa.text('select dairy_id, name from room')):
        rooms.setdefault(dairy, []).append(name)
    done: dict = {}
    cares = "select dairy_id, piece_id, stage, key, max(done_at)::date from care where done_at is not null group by 1, 2, 3, 4"
    for dairy, piece, stage, key, day in bind.execute(sa.text(cares)):
        done.setdefault((dairy, piece), {})[f'{stage}/{key}'] = [day.isoformat(), 1]
    pieces = (
        "select p.dairy_id, p.id, p.made_on, p.raw, p.family, v.document->'recipe'->'stages' from piece p "
        'join make m on m.dairy_id = p.dairy_id and m.id = p.make_id '
        'join recipe_version v on v.dairy_id = m.dairy_id and v.id = m.recipe_version_id'
    )
    kept = sa.text('update piece set begins = :course, course = :course where dairy_id = :dairy and id = :piece').bindparams(
        sa.bindparam('course', type_=JSONB())
    )
    for dairy, piece, made_on, raw, family, stages in bind.execute(sa.text(pieces)).all():
        lain, begins = [], made_on
        for number, stage in enumerate(stages or ()):
            if begins > date.today() and number:
                break
            named = [name for name in rooms.get(dairy, ()) if name.casefold() in stage['place'].casefold()]
            lain.append([max(named, key=len, default=stage['place']), 0, begins.isoformat(), number])
            begins += timedelta(days=max(1, round(stage['days'] * (0.75 if raw and family in _SOFT else 1))))
        course = {'lain': lain or [['shelf', 0, made_on.isoformat(), 0]]}
        if (dairy, piece) in done:
            course['done'] = done[dairy, piece]
        bind.execute(kept, {'course': course, 'dairy': dairy, 'piece': piece})


def _told_anew() -> None:
    """Deeds name a care by its stage and key; what was taken back points at what it takes back; all
    that left is a deed."""
    op.execute(
        'insert into deed (dairy_id, id, subject, subject_id, deed, payload, payload_version, happened, clock_offset_s, at, arrived, '
        "person_id, device, counter) select dairy_id, id, 'piece', piece_id, 'out', jsonb_build_object('where', kind, 'to', \"to\", "
        "'kg', mass_kg, 'why', why), 1, at, 0, at, at, person_id, '', 0 from piece_out o where not exists "
        '(select 1 from deed d where d.dairy_id = o.dairy_id and d.id = o.id)'
    )
    care = "deed.deed in ('cared', 'uncared') and c.dairy_id = deed.dairy_id and c.id::text = deed.payload->>'care'"
    op.execute(f"update deed set payload = jsonb_build_object('stage', c.stage, 'key', c.key) from care c where {care}")
    op.execute("update deed set deed = 'undo', amends = (payload->>'out')::uuid, "
               "payload = jsonb_build_object('why', coalesce(payload->>'why', '')) where deed = 'back'")
    op.execute("update deed u set deed = 'undo', payload = '{}', amends = (select d.id from deed d where d.dairy_id = u.dairy_id "
               "and d.subject_id = u.subject_id and d.deed = 'cared' and d.payload = u.payload and d.at <= u.at "
               "order by d.at desc limit 1) where u.deed = 'uncared'")


def _rooms() -> None:
    op.add_column('room', sa.Column('sort', sa.Text(), nullable=False, server_default='cave'))
    op.add_column('room', sa.Column('shelves', sa.Integer(), nullable=False, server_default='1'))
    op.add_column('room', sa.Column('width_cm', sa.Float(), nullable=False, server_default='0'))
    op.add_column('room', sa.Column('depth_cm', sa.Float(), nullable=False, server_default='0'))
    op.add_column('room', sa.Column('channel', sa.Text(), nullable=False, server_default=''))
    for name in ('sort', 'shelves', 'width_cm', 'depth_cm', 'channel'):
        op.alter_column('room', name, server_default=None)
    for sort, like in (('freezer', 'freezer'), ('fridge', 'fridge'), ('warm', 'warm'), ('cool', 'cool')):
        op.execute(f"update room set sort = '{sort}' where sort = 'cave' and name ilike '%{like}%'")
    op.create_check_constraint(op.f('ck_room_sort'), 'room', _SORTS)
    op.create_check_constraint(op.f('ck_room_shelves'), 'room', 'shelves > 0 and width_cm >= 0 and depth_cm >= 0')


def _climate() -> None:
    op.create_table(
        'climate',
        sa.Column('dairy_id', sa.Uuid(), nullable=False),
        sa.Column('room_id', sa.Uuid(), nullable=False),
        sa.Column('at', sa.DateTime(timezone=True), nullable=False),
        _number('celsius'),
        _number('humidity'),
        sa.Column('source', sa.Text(), nullable=False),
        _dairy('climate'),
        _to('climate', 'room_id', 'room', ondelete='CASCADE'),
        sa.PrimaryKeyConstraint('dairy_id', 'room_id', 'at', name=op.f('pk_climate')),
        sa.CheckConstraint('celsius is not null or humidity is not null', name=op.f('ck_climate_read')),
    )
    for table, column, kind in (('climate_hour', 'begins', sa.DateTime(timezone=True)), ('climate_day', 'day', sa.Date())):
        op.create_table(
            table,
            sa.Column('dairy_id', sa.Uuid(), nullable=False),
            sa.Column('room_id', sa.Uuid(), nullable=False),
            sa.Column(column, kind, nullable=False),
            sa.Column('count_c', sa.Integer(), nullable=False),
            _number('sum_c', False),
            _number('low_c'),
            _number('high_c'),
            sa.Column('count_h', sa.Integer(), nullable=False),
            _number('sum_h', False),
            _number('low_h'),
            _number('high_h'),
            _dairy(table),
            _to(table, 'room_id', 'room', ondelete='CASCADE'),
            sa.PrimaryKeyConstraint('dairy_id', 'room_id', column, name=op.f(f'pk_{table}')),
        )


def _subjects(more: str) -> None:
    op.drop_constraint(op.f('ck_deed_subject'), 'deed', type_='check')
    op.create_check_constraint(op.f('ck_deed_subject'), 'deed', _SUBJECTS.format(more))


def downgrade() -> None:
    """The cares are worked out no more: the tables of before come back without them."""
    op.execute("delete from deed where subject = 'room'")
    new = f"select id from deed where subject = 'piece' and deed in ({', '.join(map(repr, _NEW))})"
    op.execute(f'delete from deed where amends in ({new})')
    op.execute(f'delete from deed where id in ({new})')
    op.execute("update deed set deed = 'back', amends = null, payload = jsonb_build_object('out', amends, 'why', payload->>'why') "
               "where subject = 'piece' and deed = 'undo'")
    _subjects('')
    op.execute('delete from deed where subject_id in (select id from piece where parent_id is not null)')
    op.execute('delete from piece_out where piece_id in (select id from piece where parent_id is not null)')
    op.execute('delete from piece where parent_id is not null')
    op.drop_column('dairy', 'label')
    op.drop_column('dairy', 'logger')
    op.drop_constraint(op.f('ck_dairy_house_day'), 'dairy', type_='check')
    op.drop_column('dairy', 'house_day')
    for table in ('climate_day', 'climate_hour', 'climate'):
        op.drop_table(table)
    op.drop_constraint(op.f('ck_room_shelves'), 'room', type_='check')
    op.drop_constraint(op.f('ck_room_sort'), 'room', type_='check')
    for name in ('channel', 'depth_cm', 'width_cm', 'shelves', 'sort'):
        op.drop_column('room', name)
    op.create_table(
        'care',
        sa.Column('dairy_id', sa.Uuid(), nullable=False),
        sa.Column('id', sa.Uuid(), nullable=False),
        sa.Column('piece_id', sa.Uuid(), nullable=False),
        sa.Column('stage', sa.Text(), nullable=False),
        sa.Column('key', sa.Text(), nullable=False),
        sa.Column('words', sa.Text(), nullable=False),
        sa.Column('place', sa.Text(), nullable=False),
        sa.Column('due', sa.Date(), nullable=False),
        sa.Column('matters', sa.Text(), nullable=False),
        sa.Column('done_at', sa.DateTime(timezone=True), nullable=True),
        sa.Column('person_id', sa.Uuid(), nullable=True),
        _dairy('care'),
        _to('care', 'piece_id', 'piece'),
        sa.ForeignKeyConstraint(['dairy_id', 'person_id'], ['membership.dairy_id', 'membership.person_id'],
                                name=op.f('fk_care_dairy_id_person_id')),
        sa.PrimaryKeyConstraint('dairy_id', 'id', name=op.f('pk_care')),
    )
    op.create_index('ix_care_dairy_id_piece_id', 'care', ['dairy_id', 'piece_id'])
    op.create_index('ix_care_open', 'care', ['dairy_id', 'piece_id', 'due'], postgresql_where=sa.text('done_at is null'))
    for name, days in (('ready_from', 60), ('ready_until', 90), ('eat_by', 120)):
        op.add_column('piece', sa.Column(name, sa.Date(), nullable=True))
        op.execute(f'update piece set {name} = made_on + {days}')
        op.alter_column('piece', name, nullable=False)
    op.drop_constraint(op.f('uq_piece_dairy_id_label'), 'piece', type_='unique')
    op.drop_index('ix_piece_dairy_id_make_id', table_name='piece')
    op.create_unique_constraint('uq_piece_dairy_id_make_id_number', 'piece', ['dairy_id', 'make_id', 'number'])
    op.drop_constraint(op.f('ck_piece_left'), 'piece', type_='check')
    op.drop_index('ix_piece_dairy_id_parent_id', table_name='piece')
    op.drop_constraint(op.f('fk_piece_dairy_id_parent_id'), 'piece', type_='foreignkey')
    for name in ('facts', 'course', 'begins', 'left_kg', 'laid_at', 'cut_by', 'parent_id'):
        op.drop_column('piece', name)
