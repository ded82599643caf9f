"""the stock: lots with amounts, moves, feedings"""

from alembic import op
import sqlalchemy as sa

revision = '0003'
down_revision = '0002'

_OLD = "kind in ('calcium', 'culture', 'rennet', 'acid', 'salt')"
_NEW = (
    "kind in ('rennet', 'calcium', 'culture', 'mould', 'propionic', 'protective', 'lipase', "
    "'colour', 'acid', 'salt', 'herb', 'ware', 'other')"
)


def upgrade() -> None:
    for name, kind, value in (
        ('sort', sa.Text(), "''"), ('form', sa.Text(), "''"), ('scale', sa.Text(), "'imcu'"),
        ('raw', sa.Boolean(), 'false'), ('place', sa.Text(), "''"), ('supplier_lot', sa.Text(), "''"),
    ):
        op.add_column('bottle', sa.Column(name, kind, nullable=False, server_default=sa.text(value)))
        op.alter_column('bottle', name, server_default=None)
    for name, kind in (
        ('serves_l', sa.Double()), ('size_ml', sa.Double()), ('price', sa.Numeric(10, 2)),
        ('bought', sa.Double()), ('left', sa.Double()),
        ('usual', sa.Double()), ('bought_on', sa.Date()),
    ):
        op.add_column('bottle', sa.Column(name, kind, nullable=True))
    op.execute("update bottle set sort = 'acetic' where kind = 'acid'")
    op.drop_constraint(op.f('ck_bottle_kind'), 'bottle', type_='check')
    op.create_check_constraint(op.f('ck_bottle_kind'), 'bottle', _NEW)
    op.create_table('stock_move',
    sa.Column('dairy_id', sa.Uuid(), nullable=False),
    sa.Column('id', sa.Uuid(), nullable=False),
    sa.Column('bottle_id', sa.Uuid(), nullable=False),
    sa.Column('make_id', sa.Uuid(), nullable=True),
    sa.Column('event_id', sa.Uuid(), nullable=True),
    sa.Column('kind', sa.Text(), nullable=False),
    sa.Column('amount', sa.Double(), nullable=False),
    sa.Column('at', sa.DateTime(timezone=True), nullable=False),
    sa.CheckConstraint("kind in ('used', 'given back', 'weighed')", name=op.f('ck_stock_move_kind')),
    sa.ForeignKeyConstraint(['dairy_id', 'bottle_id'], ['bottle.dairy_id', 'bottle.id'], name=op.f('fk_stock_move_dairy_id_bottle_id')),
    sa.ForeignKeyConstraint(['dairy_id', 'make_id'], ['make.dairy_id', 'make.id'], name=op.f('fk_stock_move_dairy_id_make_id')),
    sa.ForeignKeyConstraint(['dairy_id'], ['dairy.id'], name=op.f('fk_stock_move_dairy_id'), ondelete='CASCADE'),
    sa.PrimaryKeyConstraint('dairy_id', 'id', name=op.f('pk_stock_move'))
    )
    op.create_index('ix_stock_move_dairy_id_bottle_id', 'stock_move', ['dairy_id', 'bottle_id', 'at'])
    op.create_table('jar_feeding',
    sa.Column('dairy_id', sa.Uuid(), nullable=False),
    sa.Column('id', sa.Uuid(), nullable=False),
    sa.Column('bottle_id', sa.Uuid(), nullable=False),
    sa.Column('at', sa.DateTime(timezone=True), nullable=False),
    sa.Column('set_hours', sa.Double(), nullable=True),
    sa.Column('smell', sa.Text(), nullable=False),
    sa.Column('ph', sa.Double(), nullable=True),
    sa.Column('note', sa.Text(), nullable=False),
    sa.CheckConstraint("smell in ('clean', 'sharp', 'yeasty', 'off')", name=op.f('ck_jar_feeding_smell')),
    sa.ForeignKeyConstraint(['dairy_id', 'bottle_id'], ['bottle.dairy_id', 'bottle.id'], name=op.f('fk_jar_feeding_dairy_id_bottle_id')),
    sa.ForeignKeyConstraint(['dairy_id'], ['dairy.id'], name=op.f('fk_jar_feeding_dairy_id'), ondelete='CASCADE'),
    sa.PrimaryKeyConstraint('dairy_id', 'id', name=op.f('pk_jar_feeding'))
    )
    op.create_index('ix_jar_feeding_dairy_id_bottle_id', 'jar_feeding', ['dairy_id', 'bottle_id', 'at'])


def downgrade() -> None:
    op.drop_table('jar_feeding')
    op.drop_table('stock_move')
    op.execute(f"delete from bottle where not ({_OLD})")
    op.drop_constraint(op.f('ck_bottle_kind'), 'bottle', type_='check')
    op.create_check_constraint(op.f('ck_bottle_kind'), 'bottle', _OLD)
    for name in ('bought_on', 'usual', 'left', 'bought', 'price', 'size_ml', 'serves_l', 'supplier_lot',
                 'place', 'raw', 'scale', 'form', 'sort'):
        op.drop_column('bottle', name)
