"""a probe in a vat, a scale, and the pH of a stream"""

import sqlalchemy as sa
from alembic import op

revision = '0014'
down_revision = '0013'


def upgrade() -> None:
    op.add_column('vat', sa.Column('probe', sa.Text(), nullable=False, server_default=''))
    op.alter_column('vat', 'probe', server_default=None)
    op.add_column('dairy', sa.Column('scale', sa.Text(), nullable=False, server_default=''))
    op.alter_column('dairy', 'scale', server_default=None)
    op.add_column('sample', sa.Column('ph', sa.Float(), nullable=True))
    op.add_column('sample_span', sa.Column('last_ph', sa.Float(), nullable=True))


def downgrade() -> None:
    op.drop_column('sample_span', 'last_ph')
    op.drop_column('sample', 'ph')
    op.drop_column('dairy', 'scale')
    op.drop_column('vat', 'probe')
