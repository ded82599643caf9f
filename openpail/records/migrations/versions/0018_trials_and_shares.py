"""trials, kept looks, and what makes teach of yield, cultures and rooms"""

import sqlalchemy as sa
from alembic import op

revision = '0018'
down_revision = '0017'


def _of_dairy(table: str, *columns: sa.schema.SchemaItem) -> None:
    op.create_table(
        table,
        sa.Column('dairy_id', sa.Uuid(), nullable=False),
        sa.Column('id', sa.Uuid(), nullable=False),
        *columns,
        sa.ForeignKeyConstraint(['dairy_id'], ['dairy.id'], name=op.f(f'fk_{table}_dairy_id'), ondelete='CASCADE'),
        sa.PrimaryKeyConstraint('dairy_id', 'id', name=op.f(f'pk_{table}')),
    )


def _within(table: str, column: str, other: str, **more: str) -> sa.ForeignKeyConstraint:
    name = op.f(f'fk_{table}_dairy_id_{column}')
    return sa.ForeignKeyConstraint(['dairy_id', column], [f'{other}.dairy_id', f'{other}.id'], name=name, **more)


def upgrade() -> None:
    _of_dairy(
        'kept_look',
        sa.Column('name', sa.Text(), nullable=False),
        sa.Column('query', sa.Text(), nullable=False),
        sa.Column('created_at', sa.DateTime(timezone=True), nullable=False),
        sa.UniqueConstraint('dairy_id', 'name', name=op.f('uq_kept_look_dairy_id_name')),
    )
    _of_dairy(
        'trial',
        sa.Column('recipe_id', sa.Uuid(), nullable=False),
        sa.Column('words', sa.Text(), nullable=False),
        sa.Column('fact', sa.Text(), nullable=False),
        sa.Column('each', sa.Integer(), nullable=False),
        sa.Column('begun_at', sa.DateTime(timezone=True), nullable=False),
        sa.Column('ended_at', sa.DateTime(timezone=True), nullable=True),
        sa.Column('person_id', sa.Uuid(), nullable=True),
        sa.CheckConstraint('each between 2 and 40', name=op.f('ck_trial_each')),
        _within('trial', 'recipe_id', 'recipe'),
        sa.ForeignKeyConstraint(
            ['dairy_id', 'person_id'],
            ['membership.dairy_id', 'membership.person_id'],
            name=op.f('fk_trial_dairy_id_person_id'),
        ),
    )
    op.create_index('ix_trial_dairy_id_begun_at', 'trial', ['dairy_id', 'begun_at'])
    _of_dairy(
        'trial_make',
        sa.Column('trial_id', sa.Uuid(), nullable=False),
        sa.Column('make_id', sa.Uuid(), nullable=False),
        sa.Column('is_new_way', sa.Boolean(), nullable=False),
        _within('trial_make', 'trial_id', 'trial', ondelete='CASCADE'),
        _within('trial_make', 'make_id', 'make'),
        sa.UniqueConstraint('dairy_id', 'trial_id', 'make_id', name=op.f('uq_trial_make_dairy_id_trial_id_make_id')),
    )
    _of_dairy(
        'share_lesson',
        sa.Column('sort', sa.Text(), nullable=False),
        sa.Column('of', sa.Text(), nullable=False),
        sa.Column('make_id', sa.Uuid(), nullable=False),
        sa.Column('subject_id', sa.Uuid(), nullable=False),
        sa.Column('seen', sa.Float(), nullable=False),
        sa.Column('expected', sa.Float(), nullable=False),
        sa.Column('at', sa.DateTime(timezone=True), nullable=False),
        _within('share_lesson', 'make_id', 'make'),
        sa.CheckConstraint("sort in ('yield', 'vigour', 'drying')", name=op.f('ck_share_lesson_sort')),
        sa.CheckConstraint('seen > 0 and expected > 0', name=op.f('ck_share_lesson_amounts')),
        sa.UniqueConstraint('dairy_id', 'sort', 'subject_id', name=op.f('uq_share_lesson_dairy_id_sort_subject_id')),
    )
    op.create_index('ix_share_lesson_dairy_id_sort', 'share_lesson', ['dairy_id', 'sort', 'of', 'at'])


    where = sa.text("standing ->> 'flocks_count' = 'false'")
    op.create_index('ix_make_left_out', 'make', ['dairy_id'], postgresql_where=where)


def downgrade() -> None:
    op.drop_index('ix_make_left_out', 'make')
    for table in ('share_lesson', 'trial_make', 'trial', 'kept_look'):
        op.drop_table(table)
