"""makes that are planned"""

from alembic import op
from sqlalchemy.dialects import postgresql
import sqlalchemy as sa

revision = '0005'
down_revision = '0004'


def upgrade() -> None:
    op.create_table('planned_make',
    sa.Column('dairy_id', sa.Uuid(), nullable=False),
    sa.Column('id', sa.Uuid(), nullable=False),
    sa.Column('recipe_id', sa.Uuid(), nullable=False),
    sa.Column('vat_id', sa.Uuid(), nullable=False),
    sa.Column('lots', postgresql.JSONB(), nullable=False),
    sa.Column('day', sa.Date(), nullable=False),
    sa.Column('at', sa.Time(), nullable=False),
    sa.Column('created_at', sa.DateTime(timezone=True), nullable=False),
    sa.ForeignKeyConstraint(['dairy_id', 'recipe_id'], ['recipe.dairy_id', 'recipe.id'], name=op.f('fk_planned_make_dairy_id_recipe_id')),
    sa.ForeignKeyConstraint(['dairy_id', 'vat_id'], ['vat.dairy_id', 'vat.id'], name=op.f('fk_planned_make_dairy_id_vat_id')),
    sa.ForeignKeyConstraint(['dairy_id'], ['dairy.id'], name=op.f('fk_planned_make_dairy_id'), ondelete='CASCADE'),
    sa.PrimaryKeyConstraint('dairy_id', 'id', name=op.f('pk_planned_make'))
    )
    op.create_index('ix_planned_make_dairy_id_day', 'planned_make', ['dairy_id', 'day'])


def downgrade() -> None:
    op.drop_table('planned_make')
