"""what makes are found by"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = '0016'
down_revision = '0015'


def upgrade() -> None:
    op.create_table(
        'make_look',
        sa.Column('dairy_id', sa.Uuid(), nullable=False),
        sa.Column('id', sa.Uuid(), nullable=False),
        sa.Column('version', sa.Integer(), nullable=False),
        sa.Column('words', sa.Text(), nullable=False),
        sa.Column('animals', JSONB(), nullable=False),
        sa.Column('bottles', JSONB(), nullable=False),
        sa.Column('outcome', sa.Text(), nullable=False),
        sa.Column('faults', JSONB(), nullable=False),
        sa.Column('real_kg', sa.Float(), nullable=True),
        sa.Column('facts', JSONB(), nullable=False),
        sa.CheckConstraint("outcome in ('', 'good', 'mixed', 'poor')", name=op.f('ck_make_look_outcome')),
        sa.ForeignKeyConstraint(['dairy_id'], ['dairy.id'], name=op.f('fk_make_look_dairy_id'), ondelete='CASCADE'),
        sa.ForeignKeyConstraint(
            ['dairy_id', 'id'], ['make.dairy_id', 'make.id'], name=op.f('fk_make_look_dairy_id_id'), ondelete='CASCADE'
        ),
        sa.PrimaryKeyConstraint('dairy_id', 'id', name=op.f('pk_make_look')),
    )


def downgrade() -> None:
    op.drop_table('make_look')
