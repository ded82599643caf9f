"""vats and herds that were put away; a vat whose width nobody measured"""

from alembic import op
import sqlalchemy as sa

revision = '0010'
down_revision = '0009'

_USUAL_CM = 36.0


def upgrade() -> None:
    op.alter_column('vat', 'diameter_cm', nullable=True)
    for table in ('vat', 'herd'):
        op.add_column(table, sa.Column('put_away_at', sa.DateTime(timezone=True), nullable=True))


def downgrade() -> None:
    for table in ('vat', 'herd'):
        op.drop_column(table, 'put_away_at')
    op.execute(f'update vat set diameter_cm = {_USUAL_CM} where diameter_cm is null')
    op.alter_column('vat', 'diameter_cm', nullable=False)
