"""presses, moulds, rooms, what heats a vat, and plans that know what they want ready"""

from alembic import op
from sqlalchemy.dialects import postgresql
import sqlalchemy as sa

revision = '0006'
down_revision = '0005'


def upgrade() -> None:
    op.create_table('gear',
    sa.Column('dairy_id', sa.Uuid(), nullable=False),
    sa.Column('id', sa.Uuid(), nullable=False),
    sa.Column('kind', sa.Text(), nullable=False),
    sa.Column('name', sa.Text(), nullable=False),
    sa.Column('count', sa.Integer(), nullable=False),
    sa.Column('holds_kg', sa.Float(), nullable=False),
    sa.Column('follower', sa.Boolean(), nullable=False),
    sa.CheckConstraint("kind in ('press', 'mould')", name=op.f('ck_gear_kind')),
    sa.CheckConstraint("count > 0 and (kind = 'press' or holds_kg > 0)", name=op.f('ck_gear_amounts')),
    sa.ForeignKeyConstraint(['dairy_id'], ['dairy.id'], name=op.f('fk_gear_dairy_id'), ondelete='CASCADE'),
    sa.PrimaryKeyConstraint('dairy_id', 'id', name=op.f('pk_gear')),
    sa.UniqueConstraint('dairy_id', 'name', name=op.f('uq_gear_dairy_id_name'))
    )
    op.create_table('room',
    sa.Column('dairy_id', sa.Uuid(), nullable=False),
    sa.Column('id', sa.Uuid(), nullable=False),
    sa.Column('name', sa.Text(), nullable=False),
    sa.Column('holds', sa.Integer(), nullable=False),
    sa.CheckConstraint('holds > 0', name=op.f('ck_room_holds')),
    sa.ForeignKeyConstraint(['dairy_id'], ['dairy.id'], name=op.f('fk_room_dairy_id'), ondelete='CASCADE'),
    sa.PrimaryKeyConstraint('dairy_id', 'id', name=op.f('pk_room')),
    sa.UniqueConstraint('dairy_id', 'name', name=op.f('uq_room_dairy_id_name'))
    )
    op.add_column('dairy', sa.Column('calendar_key', sa.Text(), nullable=False, server_default=''))
    op.alter_column('dairy', 'calendar_key', server_default=None)
    op.add_column('vat', sa.Column('heater', sa.Text(), nullable=False, server_default=''))
    op.alter_column('vat', 'heater', server_default=None)
    op.add_column('vat', sa.Column('power_kw', sa.Float(), nullable=True))
    op.create_check_constraint(op.f('ck_vat_heater'), 'vat', "heater in ('', 'plate', 'gas', 'immersed')")
    for column in ('given', 'ready'):
        op.add_column('planned_make', sa.Column(column, postgresql.JSONB(), nullable=False, server_default='{}'))
        op.alter_column('planned_make', column, server_default=None)
    op.add_column('planned_make', sa.Column('moved_from', sa.DateTime(timezone=True), nullable=True))
    op.add_column('planned_make', sa.Column('make_id', sa.Uuid(), nullable=True))
    op.create_foreign_key(op.f('fk_planned_make_dairy_id_make_id'), 'planned_make', 'make', ['dairy_id', 'make_id'], ['dairy_id', 'id'])
    # a list of lots, each whole, becomes litres by lot
    op.execute("""
        update planned_make set lots = coalesce(
            (select jsonb_object_agg(each, 'null'::jsonb) from jsonb_array_elements_text(lots) each),
            '{}'::jsonb)
    """)
    # a plan was over once its recipe was made after it was written; now it names that make
    op.execute("""
        update planned_make p set make_id = (
            select m.id from make m
            join recipe_version v on v.dairy_id = m.dairy_id and v.id = m.recipe_version_id
            where m.dairy_id = p.dairy_id and v.recipe_id = p.recipe_id
            and m.started_at >= p.created_at order by m.started_at limit 1)
    """)


def downgrade() -> None:
    op.execute("""
        update planned_make set lots = coalesce(
            (select jsonb_agg(each) from jsonb_object_keys(lots) each), '[]'::jsonb)
    """)
    for column in ('make_id', 'moved_from', 'ready', 'given'):
        op.drop_column('planned_make', column)
    op.drop_constraint('ck_vat_heater', 'vat')
    op.drop_column('vat', 'power_kw')
    op.drop_column('vat', 'heater')
    op.drop_column('dairy', 'calendar_key')
    op.drop_table('room')
    op.drop_table('gear')
