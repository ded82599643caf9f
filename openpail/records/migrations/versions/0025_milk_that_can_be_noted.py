"""milk skimmed by hand; a herd's animal told anew; whose pint and which money"""

import sqlalchemy as sa
from alembic import op

revision = '0025'
down_revision = '0024'


def upgrade() -> None:
    op.add_column('bottle', sa.Column('drops_per_ml', sa.Float()))
    op.add_column('milk_lot', sa.Column('skimmed_at', sa.DateTime(timezone=True)))
    share = sa.Column('skimmed_share', sa.Float(), server_default='0', nullable=False)
    op.add_column('milk_lot', share)
    op.alter_column('milk_lot', 'skimmed_share', server_default=None)
    for table, column in (('herd', 'breed_why'), ('dairy', 'pints'), ('dairy', 'currency')):
        op.add_column(table, sa.Column(column, sa.Text(), server_default='', nullable=False))
        op.alter_column(table, column, server_default=None)
    op.create_check_constraint(op.f('ck_dairy_pints'), 'dairy', "pints in ('', 'us', 'imperial')")
    op.create_check_constraint(
        op.f('ck_milk_lot_skimmed_share'), 'milk_lot', 'skimmed_share >= 0 and skimmed_share < 0.5'
    )


def downgrade() -> None:
    op.drop_column('bottle', 'drops_per_ml')
    op.drop_constraint(op.f('ck_dairy_pints'), 'dairy')
    op.drop_column('dairy', 'currency')
    op.drop_column('dairy', 'pints')
    op.drop_column('herd', 'breed_why')
    op.drop_constraint(op.f('ck_milk_lot_skimmed_share'), 'milk_lot')
    op.drop_column('milk_lot', 'skimmed_share')
    op.drop_column('milk_lot', 'skimmed_at')
