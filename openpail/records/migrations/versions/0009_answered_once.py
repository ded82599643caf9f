"""forms that were answered; people who left; one house value in force of a key; no day that nobody means"""

from alembic import op
import sqlalchemy as sa

revision = '0009'
down_revision = '0008'

_DAYS = {'milk_lot': ('best_before',), 'bottle': ('best_before', 'bought_on', 'opened_on')}


def upgrade() -> None:
    op.create_table(
        'answered',
        sa.Column('dairy_id', sa.Uuid(), nullable=False),
        sa.Column('id', sa.Uuid(), nullable=False),
        sa.Column('at', sa.DateTime(timezone=True), nullable=False),
        sa.Column('location', sa.Text(), nullable=True),
        sa.ForeignKeyConstraint(['dairy_id'], ['dairy.id'], name=op.f('fk_answered_dairy_id'), ondelete='CASCADE'),
        sa.PrimaryKeyConstraint('dairy_id', 'id', name=op.f('pk_answered')),
    )
    op.create_index('ix_answered_at', 'answered', ['at'])
    op.add_column('membership', sa.Column('ended_at', sa.DateTime(timezone=True), nullable=True))
    # two people at one time left two in force: the newer one stands
    op.execute("""
        update house_override o set until = now() where until is null and exists (
            select from house_override n where n.dairy_id = o.dairy_id and n.key = o.key
            and n.until is null and (n.at, n.id) > (o.at, o.id))
    """)
    op.create_index(
        'ix_house_override_dairy_id_key', 'house_override', ['dairy_id', 'key'],
        unique=True, postgresql_where=sa.text('until is null'),
    )
    # what "keeps for ever" was written as a day that no page can reckon with
    for table, columns in _DAYS.items():
        for column in columns:
            op.execute(f'update {table} set {column} = null where {_unmeant(column)}')
    op.execute(f"delete from planned_make where {_unmeant('day')}")


def _unmeant(column: str) -> str:
    return f'extract(year from {column}) not between 1990 and extract(year from now()) + 20'


def downgrade() -> None:
    op.drop_column('membership', 'ended_at')
    op.drop_index('ix_house_override_dairy_id_key', 'house_override')
    op.drop_table('answered')
