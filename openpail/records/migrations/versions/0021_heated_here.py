"""when a lot was heated here: what happened to it before is not washed off"""

import sqlalchemy as sa
from alembic import op

revision = '0021'
down_revision = '0020'


def upgrade() -> None:
    op.add_column('milk_lot', sa.Column('heated_at', sa.DateTime(timezone=True), nullable=True))
    # the record of its heat says when; a lot that came out as raw as it was has none
    op.execute(
        "update milk_lot set heated_at = h.started_at from heating h"
        " where h.dairy_id = milk_lot.dairy_id and h.id = milk_lot.heating_id"
        " and h.ended_at is not null and milk_lot.treatment in ('batch', 'high_heat', 'thermised')"
    )


def downgrade() -> None:
    op.drop_column('milk_lot', 'heated_at')
