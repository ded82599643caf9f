"""more heats of milk and more streams, genes of a herd, cultures that stand salt, lasting marks"""

from alembic import op
from sqlalchemy.dialects import postgresql
import sqlalchemy as sa

revision = '0008'
down_revision = '0007'

_OLD = {
    'treatment': "('raw', 'thermised', 'batch', 'flash', 'high_heat', 'ultra_heated', 'high_pressure')",
    'kind': "('milk', 'cream', 'skim', 'powder', 'evaporated', 'whey')",
}
_NEW = {
    'treatment': "('raw', 'thermised', 'batch', 'flash', 'high_heat', 'scalded', 'boiled', 'ultra_heated', 'tinned', 'high_pressure')",
    'kind': "('milk', 'cream', 'skim', 'powder', 'concentrate', 'casein', 'retentate', 'evaporated', 'whey')",
}
# What the older tables have no word for becomes the nearest that they have, on the safe side.
_NEAREST = {
    'treatment': {'scalded': 'high_heat', 'boiled': 'ultra_heated', 'tinned': 'ultra_heated'},
    'kind': {'concentrate': 'powder', 'casein': 'powder', 'retentate': 'skim'},
}


def upgrade() -> None:
    _checks(_NEW)
    # tinned milk was told as if a pot had heated it
    op.execute("update milk_lot set treatment = 'tinned' where kind = 'evaporated'")
    for table in ('herd', 'milk_lot'):
        op.add_column(table, sa.Column('kappa', sa.Text(), nullable=False, server_default=''))
        op.alter_column(table, 'kappa', server_default=None)
        op.create_check_constraint(op.f(f'ck_{table}_kappa'), table, "kappa in ('', 'AA', 'AB', 'BB')")
    op.add_column('bottle', sa.Column('stands_salt', sa.Boolean(), nullable=False, server_default=sa.false()))
    op.alter_column('bottle', 'stands_salt', server_default=None)
    op.add_column('piece', sa.Column('marks', postgresql.JSONB(), nullable=False, server_default='{}'))
    op.alter_column('piece', 'marks', server_default=None)
    # what was said of a make when it began stays said of its pieces
    op.execute("""
        update piece p set marks = jsonb_build_object('raw-soft', each->>'title')
        from make m, jsonb_array_elements(m.frozen->'cautions') each
        where m.dairy_id = p.dairy_id and m.id = p.make_id and each->>'key' = 'raw-soft'
    """)


def downgrade() -> None:
    op.drop_column('piece', 'marks')
    op.drop_column('bottle', 'stands_salt')
    for table in ('herd', 'milk_lot'):
        op.drop_constraint(op.f(f'ck_{table}_kappa'), table)
        op.drop_column(table, 'kappa')
    for column, words in _NEAREST.items():
        for word, nearest in words.items():
            op.execute(f"update milk_lot set {column} = '{nearest}' where {column} = '{word}'")
    _checks(_OLD)


def _checks(words: dict[str, str]) -> None:
    for column, each in words.items():
        op.drop_constraint(op.f(f'ck_milk_lot_{column}'), 'milk_lot')
        op.create_check_constraint(op.f(f'ck_milk_lot_{column}'), 'milk_lot', f'{column} in {each}')
