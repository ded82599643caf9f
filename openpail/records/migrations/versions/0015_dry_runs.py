"""dry runs"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = '0015'
down_revision = '0014'


def upgrade() -> None:
    op.create_table(
        'dry_run',
        sa.Column('dairy_id', sa.Uuid(), nullable=False),
        sa.Column('id', sa.Uuid(), nullable=False),
        sa.Column('scenario', sa.Uuid(), nullable=False),
        sa.Column('name', sa.Text(), nullable=False),
        sa.Column('milk', sa.Text(), nullable=False),
        sa.Column('begun_at', sa.DateTime(timezone=True), nullable=False),
        sa.Column('starts', sa.DateTime(timezone=True), nullable=False),
        sa.Column('ended_at', sa.DateTime(timezone=True), nullable=True),
        sa.Column('frozen', JSONB(), nullable=False),
        sa.Column('litres', sa.Float(), nullable=False),
        sa.Column('celsius', sa.Float(), nullable=False),
        sa.Column('power_kw', sa.Float(), nullable=False),
        sa.Column('mishaps', JSONB(), nullable=False),
        sa.Column('told', sa.Boolean(), nullable=False),
        sa.Column('seed', sa.Integer(), nullable=False),
        sa.Column('vigour', sa.Float(), nullable=False),
        sa.Column('run', JSONB(), nullable=False),
        sa.Column('faults', sa.Integer(), nullable=True),
        sa.Column('person_id', sa.Uuid(), nullable=True),
        sa.CheckConstraint('litres > 0 and power_kw > 0', name=op.f('ck_dry_run_vat')),
        sa.ForeignKeyConstraint(['dairy_id'], ['dairy.id'], name=op.f('fk_dry_run_dairy_id'), ondelete='CASCADE'),
        sa.ForeignKeyConstraint(
            ['dairy_id', 'person_id'],
            ['membership.dairy_id', 'membership.person_id'],
            name=op.f('fk_dry_run_dairy_id_person_id'),
        ),
        sa.PrimaryKeyConstraint('dairy_id', 'id', name=op.f('pk_dry_run')),
    )
    op.create_index('ix_dry_run_dairy_id_begun_at', 'dry_run', ['dairy_id', 'begun_at'])


def downgrade() -> None:
    op.drop_table('dry_run')
