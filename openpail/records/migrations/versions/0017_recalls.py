"""recalls, tried and real"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = '0017'
down_revision = '0016'


def upgrade() -> None:
    op.create_table(
        'drill',
        sa.Column('dairy_id', sa.Uuid(), nullable=False),
        sa.Column('id', sa.Uuid(), nullable=False),
        sa.Column('sort', sa.Text(), nullable=False),
        sa.Column('subject_id', sa.Uuid(), nullable=False),
        sa.Column('words', sa.Text(), nullable=False),
        sa.Column('real', sa.Boolean(), nullable=False),
        sa.Column('begun_at', sa.DateTime(timezone=True), nullable=False),
        sa.Column('ended_at', sa.DateTime(timezone=True), nullable=True),
        sa.Column('reached', JSONB(), nullable=False),
        sa.Column('person_id', sa.Uuid(), nullable=True),
        sa.CheckConstraint("sort in ('lot', 'bottle', 'tub', 'make', 'piece')", name=op.f('ck_drill_sort')),
        sa.CheckConstraint('ended_at >= begun_at', name=op.f('ck_drill_ends')),
        sa.ForeignKeyConstraint(['dairy_id'], ['dairy.id'], name=op.f('fk_drill_dairy_id'), ondelete='CASCADE'),
        sa.ForeignKeyConstraint(
            ['dairy_id', 'person_id'],
            ['membership.dairy_id', 'membership.person_id'],
            name=op.f('fk_drill_dairy_id_person_id'),
        ),
        sa.PrimaryKeyConstraint('dairy_id', 'id', name=op.f('pk_drill')),
    )
    op.create_index('ix_drill_dairy_id_begun_at', 'drill', ['dairy_id', 'begun_at'])
    op.create_index('ix_milk_lot_dairy_id_make_id', 'milk_lot', ['dairy_id', 'make_id'])


def downgrade() -> None:
    op.drop_index('ix_milk_lot_dairy_id_make_id', 'milk_lot')
    op.drop_table('drill')
