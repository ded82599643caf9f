"""the step at which a trial is done"""

import sqlalchemy as sa
from alembic import op

revision = '0024'
down_revision = '0023'


def upgrade() -> None:
    op.add_column('trial', sa.Column('step', sa.Text(), server_default='', nullable=False))
    op.alter_column('trial', 'step', server_default=None)


def downgrade() -> None:
    op.drop_column('trial', 'step')
