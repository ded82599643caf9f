"""devices that are signed in, and backups that were made by themselves"""

import sqlalchemy as sa
from alembic import op

revision = '0019'
down_revision = '0018'


def upgrade() -> None:
    op.create_table(
        'signed_in',
        sa.Column('id', sa.Uuid(), nullable=False),
        sa.Column('person_id', sa.Uuid(), nullable=False),
        sa.Column('begun_at', sa.DateTime(timezone=True), nullable=False),
        sa.Column('seen_at', sa.DateTime(timezone=True), nullable=False),
        sa.Column('agent', sa.Text(), nullable=False),
        sa.ForeignKeyConstraint(['person_id'], ['person.id'], name=op.f('fk_signed_in_person_id'), ondelete='CASCADE'),
        sa.PrimaryKeyConstraint('id', name=op.f('pk_signed_in')),
    )
    op.create_index('ix_signed_in_person_id', 'signed_in', ['person_id'])
    op.create_table(
        'backup_made',
        sa.Column('id', sa.Uuid(), nullable=False),
        sa.Column('at', sa.DateTime(timezone=True), nullable=False),
        sa.Column('file', sa.Text(), nullable=False),
        sa.Column('rows', sa.Integer(), nullable=False),
        sa.Column('words', sa.Text(), nullable=False),
        sa.PrimaryKeyConstraint('id', name=op.f('pk_backup_made')),
    )
    op.create_index('ix_backup_made_at', 'backup_made', ['at'])


def downgrade() -> None:
    op.drop_table('backup_made')
    op.drop_table('signed_in')
