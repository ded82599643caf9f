"""the figures of what a make is found by beside its facts; what was set out to be tasted"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = '0020'
down_revision = '0019'


def upgrade() -> None:
    op.execute('delete from make_look')  # worked out anew when somebody looks
    op.add_column('make_look', sa.Column('figures', postgresql.JSONB(), nullable=False))
    op.add_column('make_look', sa.Column('culture', sa.Text(), nullable=False))
    op.create_index(
        'ix_deed_tasting_begun', 'deed', ['dairy_id', 'at'],
        postgresql_where=sa.text("deed = 'tasting_begun'"),
    )


def downgrade() -> None:
    op.drop_index('ix_deed_tasting_begun', 'deed')
    op.drop_column('make_look', 'culture')
    op.drop_column('make_look', 'figures')
