"""a form that was answered is answered the same when it is sent again"""

from alembic import op
import sqlalchemy as sa

revision = '0009'
down_revision = '0008'


def upgrade() -> None:
    op.create_table(
        'answered',
        sa.Column('dairy_id', sa.Uuid(), nullable=False),
        sa.Column('id', sa.Uuid(), nullable=False),
        sa.Column('at', sa.DateTime(timezone=True), nullable=False),
        sa.Column('location', sa.Text(), nullable=True),
        sa.ForeignKeyConstraint(['dairy_id'], ['dairy.id'], name=op.f('fk_answered_dairy_id'), ondelete='CASCADE'),
        sa.PrimaryKeyConstraint('dairy_id', 'id', name=op.f('pk_answered')),
    )
    op.create_index('ix_answered_at', 'answered', ['at'])


def downgrade() -> None:
    op.drop_table('answered')
