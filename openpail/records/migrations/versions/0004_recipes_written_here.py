"""recipes written here: drafts, files kept for later, recipes put away; whey as a lot"""

from alembic import op
from sqlalchemy.dialects import postgresql
import sqlalchemy as sa

revision = '0004'
down_revision = '0003'

_OLD = "kind in ('milk', 'cream', 'skim', 'powder', 'evaporated')"
_NEW = "kind in ('milk', 'cream', 'skim', 'powder', 'evaporated', 'whey')"


def upgrade() -> None:
    op.add_column('recipe', sa.Column('put_away', sa.Boolean(), nullable=False, server_default=sa.text('false')))
    op.alter_column('recipe', 'put_away', server_default=None)
    op.create_table('recipe_draft',
    sa.Column('dairy_id', sa.Uuid(), nullable=False),
    sa.Column('id', sa.Uuid(), nullable=False),
    sa.Column('recipe_id', sa.Uuid(), nullable=True),
    sa.Column('over_number', sa.Integer(), nullable=False),
    sa.Column('fields', postgresql.JSONB(), nullable=False),
    sa.Column('before', postgresql.JSONB(), nullable=False),
    sa.Column('over', postgresql.JSONB(), nullable=True),
    sa.Column('parent', postgresql.JSONB(), nullable=True),
    sa.Column('lines', postgresql.JSONB(), nullable=False),
    sa.Column('changed_at', sa.DateTime(timezone=True), nullable=False),
    sa.ForeignKeyConstraint(['dairy_id', 'recipe_id'], ['recipe.dairy_id', 'recipe.id'], name=op.f('fk_recipe_draft_dairy_id_recipe_id')),
    sa.ForeignKeyConstraint(['dairy_id'], ['dairy.id'], name=op.f('fk_recipe_draft_dairy_id'), ondelete='CASCADE'),
    sa.PrimaryKeyConstraint('dairy_id', 'id', name=op.f('pk_recipe_draft'))
    )
    op.create_table('kept_file',
    sa.Column('dairy_id', sa.Uuid(), nullable=False),
    sa.Column('id', sa.Uuid(), nullable=False),
    sa.Column('name', sa.Text(), nullable=False),
    sa.Column('document', postgresql.JSONB(), nullable=False),
    sa.Column('checksum', sa.Text(), nullable=False),
    sa.Column('why', sa.Text(), nullable=False),
    sa.Column('came_at', sa.DateTime(timezone=True), nullable=False),
    sa.ForeignKeyConstraint(['dairy_id'], ['dairy.id'], name=op.f('fk_kept_file_dairy_id'), ondelete='CASCADE'),
    sa.PrimaryKeyConstraint('dairy_id', 'id', name=op.f('pk_kept_file')),
    sa.UniqueConstraint('dairy_id', 'checksum', name=op.f('uq_kept_file_dairy_id_checksum'))
    )
    op.add_column('milk_lot', sa.Column('make_id', sa.Uuid(), nullable=True))
    op.add_column('milk_lot', sa.Column('made_of', postgresql.JSONB(), nullable=True))
    op.create_foreign_key(op.f('fk_milk_lot_dairy_id_make_id'), 'milk_lot', 'make', ['dairy_id', 'make_id'], ['dairy_id', 'id'])
    op.drop_constraint(op.f('ck_milk_lot_kind'), 'milk_lot', type_='check')
    op.create_check_constraint(op.f('ck_milk_lot_kind'), 'milk_lot', _NEW)


def downgrade() -> None:
    op.execute("delete from milk_use using milk_lot where milk_use.dairy_id = milk_lot.dairy_id "
               "and milk_use.lot_id = milk_lot.id and milk_lot.kind = 'whey'")
    op.execute("delete from make_milk using milk_lot where make_milk.dairy_id = milk_lot.dairy_id "
               "and make_milk.lot_id = milk_lot.id and milk_lot.kind = 'whey'")
    op.execute("delete from milk_test using milk_lot where milk_test.dairy_id = milk_lot.dairy_id "
               "and milk_test.lot_id = milk_lot.id and milk_lot.kind = 'whey'")
    op.execute("delete from milk_lot where kind = 'whey'")
    op.drop_constraint(op.f('ck_milk_lot_kind'), 'milk_lot', type_='check')
    op.create_check_constraint(op.f('ck_milk_lot_kind'), 'milk_lot', _OLD)
    op.drop_constraint(op.f('fk_milk_lot_dairy_id_make_id'), 'milk_lot', type_='foreignkey')
    op.drop_column('milk_lot', 'made_of')
    op.drop_column('milk_lot', 'make_id')
    op.drop_table('kept_file')
    op.drop_table('recipe_draft')
    op.drop_column('recipe', 'put_away')
