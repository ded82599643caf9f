"""moulds and presses by their measures; weights of the house; tubs of brine and what lies in them"""

from alembic import op
import sqlalchemy as sa
from sqlalchemy.dialects.postgresql import JSONB

revision = '0012'
down_revision = '0011'

_NEW = ('moulded', 'loaded', 'turned', 'tightened', 'out_of_mould', 'in_brine', 'trimmed', 'whey_ran', 'whey_went')
_SUBJECTS = "subject in ('make', 'piece', 'heating'{})"


def _of_dairy(table: str, *parts) -> None:
    op.create_table(
        table,
        sa.Column('dairy_id', sa.Uuid(), nullable=False),
        sa.Column('id', sa.Uuid(), nullable=False),
        *parts,
        sa.ForeignKeyConstraint(['dairy_id'], ['dairy.id'], name=op.f(f'fk_{table}_dairy_id'), ondelete='CASCADE'),
        sa.PrimaryKeyConstraint('dairy_id', 'id', name=op.f(f'pk_{table}')),
    )


def _to(table: str, column: str, other: str) -> sa.ForeignKeyConstraint:
    return sa.ForeignKeyConstraint(
        ['dairy_id', column], [f'{other}.dairy_id', f'{other}.id'], name=op.f(f'fk_{table}_dairy_id_{column}')
    )


def _must(table: str, name: str, rule: str) -> sa.CheckConstraint:
    return sa.CheckConstraint(rule, name=op.f(f'ck_{table}_{name}'))


def _number(name: str, nullable: bool = False) -> sa.Column:
    return sa.Column(name, sa.Float(), nullable=nullable)


def _at(name: str, nullable: bool = False) -> sa.Column:
    return sa.Column(name, sa.DateTime(timezone=True), nullable=nullable)


def upgrade() -> None:
    op.add_column('gear', sa.Column('measures', JSONB(), nullable=False, server_default='{}'))
    op.alter_column('gear', 'measures', server_default=None)
    _of_dairy(
        'weight',
        sa.Column('name', sa.Text(), nullable=False),
        _number('kg'),
        sa.Column('count', sa.Integer(), nullable=False),
        _number('holds_l'),
        _number('height_cm'),
        sa.UniqueConstraint('dairy_id', 'name', name=op.f('uq_weight_dairy_id_name')),
        _must('weight', 'amounts', 'count > 0 and kg >= 0 and holds_l >= 0 and kg + holds_l > 0'),
    )
    _of_dairy(
        'tub',
        sa.Column('name', sa.Text(), nullable=False),
        _number('across_cm'),
        _number('side_cm', nullable=True),
        _number('height_cm'),
        _number('goal_pct'),
        _number('celsius'),
        sa.Column('soft', sa.Boolean(), nullable=False),
        sa.Column('standing', JSONB(), nullable=False),
        _at('put_away_at', nullable=True),
        sa.UniqueConstraint('dairy_id', 'name', name=op.f('uq_tub_dairy_id_name')),
        _must('tub', 'sizes', 'across_cm > 0 and height_cm > 0 and goal_pct between 1 and 26.4'),
    )
    _of_dairy(
        'brining',
        sa.Column('make_id', sa.Uuid(), nullable=False),
        sa.Column('tub_id', sa.Uuid(), nullable=False),
        sa.Column('step', sa.Text(), nullable=False),
        sa.Column('pieces', sa.Integer(), nullable=False),
        _number('kg'),
        _number('floor_cm2', nullable=True),
        _number('pct_in'),
        _number('salt_kg'),
        sa.Column('keeps', sa.Boolean(), nullable=False),
        _at('in_at'),
        _at('until', nullable=True),
        _at('out_at', nullable=True),
        _to('brining', 'make_id', 'make'),
        _to('brining', 'tub_id', 'tub'),
        _must('brining', 'amounts', 'pieces > 0 and kg > 0 and salt_kg >= 0'),
    )
    op.create_index('ix_brining_dairy_id_tub_id', 'brining', ['dairy_id', 'tub_id', 'out_at'])
    op.create_index('ix_brining_dairy_id_make_id', 'brining', ['dairy_id', 'make_id'])
    op.add_column('piece', sa.Column('salt', JSONB(), nullable=True))
    op.add_column('piece', sa.Column('about', sa.Boolean(), nullable=False, server_default='false'))
    op.alter_column('piece', 'about', server_default=None)
    op.add_column('make', sa.Column('station', sa.Text(), nullable=False, server_default='vat'))
    op.alter_column('make', 'station', server_default=None)
    op.create_check_constraint(op.f('ck_make_station'), 'make', "station in ('vat', 'press')")
    _subjects(", 'brine'")


def _subjects(more: str) -> None:
    op.drop_constraint(op.f('ck_deed_subject'), 'deed', type_='check')
    op.create_check_constraint(op.f('ck_deed_subject'), 'deed', _SUBJECTS.format(more))


def downgrade() -> None:
    op.execute("delete from deed where subject = 'brine'")
    new = f"select id from deed where deed in ({', '.join(map(repr, _NEW))})"
    op.execute(f'update stock_move set deed_id = null where deed_id in ({new})')
    op.execute(f'delete from deed where amends in ({new})')
    op.execute(f'delete from deed where id in ({new})')
    op.execute('update make set standing = null, folded = null')
    _subjects('')
    op.drop_column('make', 'station')
    op.drop_column('piece', 'about')
    op.drop_column('piece', 'salt')
    for table in ('brining', 'tub', 'weight'):
        op.drop_table(table)
    op.drop_column('gear', 'measures')
