"""what makes teach of overshoot and acid; photos and sounds; instruments checked; milk pasteurised"""

from alembic import op
import sqlalchemy as sa

revision = '0011'
down_revision = '0010'

# what could not be told before
_NEW = (
    'step_begun', 'step_skipped', 'step_again', 'portion', 'heat_off', 'set_looked', 'felt', 'whey_off', 'water',
    'acid_given', 'curd_weighed', 'timer', 'timer_stopped', 'away', 'back', 'ticked', 'help',
)
_SUBJECTS = "subject in ('make', 'piece'{})"


def _of_dairy(table: str, *parts, person: bool = False) -> None:
    rest = [
        sa.ForeignKeyConstraint(['dairy_id'], ['dairy.id'], name=op.f(f'fk_{table}_dairy_id'), ondelete='CASCADE'),
        sa.PrimaryKeyConstraint('dairy_id', 'id', name=op.f(f'pk_{table}')),
    ]
    if person:
        rest.append(sa.ForeignKeyConstraint(
            ['dairy_id', 'person_id'], ['membership.dairy_id', 'membership.person_id'],
            name=op.f(f'fk_{table}_dairy_id_person_id'),
        ))
        parts = (*parts, sa.Column('person_id', sa.Uuid(), nullable=True))
    op.create_table(
        table,
        sa.Column('dairy_id', sa.Uuid(), nullable=False),
        sa.Column('id', sa.Uuid(), nullable=False),
        *parts,
        *rest,
    )


def _to(table: str, column: str, other: str) -> sa.ForeignKeyConstraint:
    return sa.ForeignKeyConstraint(
        ['dairy_id', column], [f'{other}.dairy_id', f'{other}.id'], name=op.f(f'fk_{table}_dairy_id_{column}')
    )


def _must(table: str, name: str, rule: str) -> sa.CheckConstraint:
    return sa.CheckConstraint(rule, name=op.f(f'ck_{table}_{name}'))


def _at(name: str = 'at', nullable: bool = False) -> sa.Column:
    return sa.Column(name, sa.DateTime(timezone=True), nullable=nullable)


def _number(name: str, nullable: bool = False) -> sa.Column:
    return sa.Column(name, sa.Float(), nullable=nullable)


def upgrade() -> None:
    _of_dairy(
        'overshoot_lesson',
        sa.Column('make_id', sa.Uuid(), nullable=False),
        sa.Column('vat_id', sa.Uuid(), nullable=False),
        _number('over_c'),
        _at(),
        _to('overshoot_lesson', 'make_id', 'make'),
        _to('overshoot_lesson', 'vat_id', 'vat'),
        _must('overshoot_lesson', 'over_c', 'over_c >= 0'),
    )
    op.create_index('ix_overshoot_lesson_dairy_id_vat_id', 'overshoot_lesson', ['dairy_id', 'vat_id', 'at'])
    op.create_index('ix_overshoot_lesson_dairy_id_make_id', 'overshoot_lesson', ['dairy_id', 'make_id'])
    _of_dairy(
        'acid_lesson',
        sa.Column('make_id', sa.Uuid(), nullable=False),
        sa.Column('acid', sa.Text(), nullable=False),
        sa.Column('animals', sa.Text(), nullable=False),
        _number('used'),
        _number('expected'),
        _at(),
        _to('acid_lesson', 'make_id', 'make'),
        _must('acid_lesson', 'animals', "animals in ('cow_lowland', 'cow_high_solids', 'goat', 'goat_dwarf', 'sheep', 'buffalo')"),
        _must('acid_lesson', 'amounts', 'used > 0 and expected > 0'),
        sa.UniqueConstraint('dairy_id', 'make_id', name=op.f('uq_acid_lesson_dairy_id_make_id')),
    )
    op.create_index('ix_acid_lesson_dairy_id_acid', 'acid_lesson', ['dairy_id', 'acid', 'animals', 'at'])
    _of_dairy(
        'make_file',
        sa.Column('make_id', sa.Uuid(), nullable=False),
        sa.Column('sort', sa.Text(), nullable=False),
        sa.Column('media_type', sa.Text(), nullable=False),
        sa.Column('data', sa.LargeBinary(), nullable=False),
        _at(),
        _to('make_file', 'make_id', 'make'),
        _must('make_file', 'sort', "sort in ('photo', 'sound')"),
        _must('make_file', 'size', 'octet_length(data) <= 5242880'),
        person=True,
    )
    op.create_index('ix_make_file_dairy_id_make_id', 'make_file', ['dairy_id', 'make_id'])
    _of_dairy(
        'instrument_check',
        sa.Column('kind', sa.Text(), nullable=False),
        _at(),
        *(_number(name, nullable=True) for name in ('slope_pct', 'ice_c', 'boiling_c', 'altitude_m')),
        sa.Column('is_true', sa.Boolean(), nullable=False),
        _must('instrument_check', 'kind', "kind in ('ph', 'thermometer')"),
        person=True,
    )
    op.create_index('ix_instrument_check_dairy_id_kind', 'instrument_check', ['dairy_id', 'kind', 'at'])
    _of_dairy(
        'heating',
        sa.Column('vat_id', sa.Uuid(), nullable=False),
        sa.Column('unit', sa.Text(), nullable=False),
        _number('fat_pct'),
        _number('solids_pct'),
        sa.Column('solids_measured', sa.Boolean(), nullable=False),
        sa.Column('thermometer_checked', sa.Boolean(), nullable=False),
        _at('started_at'),
        _at('ended_at', nullable=True),
        sa.Column('meets', sa.Boolean(), nullable=True),
        _to('heating', 'vat_id', 'vat'),
        _must('heating', 'unit', "unit in ('C', 'F')"),
        person=True,
    )
    op.create_index('ix_heating_dairy_id_ended_at', 'heating', ['dairy_id', 'ended_at'])
    op.add_column('milk_lot', sa.Column('heating_id', sa.Uuid(), nullable=True))
    op.add_column('milk_lot', sa.Column('heat_record', sa.Text(), nullable=False, server_default=''))
    op.alter_column('milk_lot', 'heat_record', server_default=None)
    op.create_foreign_key(
        op.f('fk_milk_lot_dairy_id_heating_id'), 'milk_lot', 'heating', ['dairy_id', 'heating_id'], ['dairy_id', 'id']
    )
    _subjects(", 'heating'")


def _subjects(more: str) -> None:
    op.drop_constraint(op.f('ck_deed_subject'), 'deed', type_='check')
    op.create_check_constraint(op.f('ck_deed_subject'), 'deed', _SUBJECTS.format(more))


def downgrade() -> None:
    op.execute("delete from deed where subject = 'heating'")
    new = f"select id from deed where deed in ({', '.join(map(repr, _NEW))})"
    op.execute(f'update stock_move set deed_id = null where deed_id in ({new})')
    op.execute(f'delete from deed where amends in ({new})')
    op.execute(f'delete from deed where id in ({new})')
    op.execute('update make set standing = null, folded = null')
    _subjects('')
    op.drop_constraint(op.f('fk_milk_lot_dairy_id_heating_id'), 'milk_lot', type_='foreignkey')
    op.drop_column('milk_lot', 'heat_record')
    op.drop_column('milk_lot', 'heating_id')
    for table in ('heating', 'instrument_check', 'make_file', 'acid_lesson', 'overshoot_lesson'):
        op.drop_table(table)
