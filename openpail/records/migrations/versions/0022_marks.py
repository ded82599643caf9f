"""what stays said of milk is worked out of the facts: no copy of it on each piece"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = '0022'
down_revision = '0021'

_FLAGS = ('off_smell', 'colostrum_or_sick', 'withdrawal')
_SUBJECTS = "subject in ('make', 'piece', 'heating', 'brine', 'room'{})"


def upgrade() -> None:
    op.drop_constraint(op.f('ck_deed_subject'), 'deed')
    op.create_check_constraint(op.f('ck_deed_subject'), 'deed', _SUBJECTS.format(", 'milk'"))
    op.add_column('milk_test', sa.Column('taken_back_at', sa.DateTime(timezone=True)))
    op.add_column(
        'milk_test', sa.Column('taken_back_why', sa.Text(), nullable=False, server_default='')
    )
    op.alter_column('milk_test', 'taken_back_why', server_default=None)
    op.add_column('milk_test', sa.Column('told_at', sa.DateTime(timezone=True)))
    op.execute('update milk_test set told_at = taken_at')  # nobody kept when a slip came
    op.alter_column('milk_test', 'told_at', nullable=False)
    # worked out anew of its deeds and its sheet when it is next looked at
    op.add_column('make', sa.Column('marks', postgresql.JSONB()))
    op.drop_column('piece', 'marks')
    op.add_column(
        'dairy',
        sa.Column('allergens', postgresql.JSONB(), nullable=False, server_default=sa.text("'{}'")),
    )
    op.alter_column('dairy', 'allergens', server_default=None)
    op.add_column('milk_lot', sa.Column('frozen_at', sa.DateTime(timezone=True)))
    op.add_column('milk_lot', sa.Column('freezer_c', sa.Float()))
    # nobody was asked how cold: a freezer is meant, as it was judged till now
    op.execute('update milk_lot set frozen_at = collected_at, freezer_c = -18 where frozen')
    # what cream and whey have of the milk that they came of is read of that milk
    for flag in _FLAGS:
        op.execute(
            f"update milk_lot set {flag} = false from lot_part p join milk_lot m"
            f" on m.dairy_id = p.dairy_id and m.id = p.of_lot_id and m.{flag}"
            " where p.dairy_id = milk_lot.dairy_id and p.lot_id = milk_lot.id"
        )
        op.execute(
            f"update milk_lot set {flag} = false from make_milk p join milk_lot m"
            f" on m.dairy_id = p.dairy_id and m.id = p.lot_id and m.{flag}"
            " where p.dairy_id = milk_lot.dairy_id and p.make_id = milk_lot.make_id"
        )


def downgrade() -> None:
    op.drop_column('dairy', 'allergens')
    op.drop_column('milk_lot', 'freezer_c')
    op.drop_column('milk_lot', 'frozen_at')
    op.add_column(
        'piece',
        sa.Column('marks', postgresql.JSONB(), nullable=False, server_default=sa.text("'{}'")),
    )
    op.alter_column('piece', 'marks', server_default=None)
    op.execute(
        "update piece set marks = m.marks from (select k.dairy_id, k.id,"
        " jsonb_object_agg(e ->> 'key', concat_ws(' ', e ->> 'words', e ->> 'word')) marks"
        " from make k, jsonb_array_elements(k.marks) e where jsonb_array_length(k.marks) > 0"
        " group by k.dairy_id, k.id) m where m.dairy_id = piece.dairy_id and m.id = piece.make_id"
    )
    for flag in _FLAGS:
        op.execute(
            f"update milk_lot set {flag} = true from lot_part p join milk_lot m"
            f" on m.dairy_id = p.dairy_id and m.id = p.of_lot_id and m.{flag}"
            " where p.dairy_id = milk_lot.dairy_id and p.lot_id = milk_lot.id"
        )
        op.execute(
            f"update milk_lot set {flag} = true from make_milk p join milk_lot m"
            f" on m.dairy_id = p.dairy_id and m.id = p.lot_id and m.{flag}"
            " where p.dairy_id = milk_lot.dairy_id and p.make_id = milk_lot.make_id"
        )
    op.drop_column('make', 'marks')
    op.drop_column('milk_test', 'told_at')
    op.drop_column('milk_test', 'taken_back_why')
    op.drop_column('milk_test', 'taken_back_at')
    op.execute("delete from deed where subject = 'milk'")
    op.drop_constraint(op.f('ck_deed_subject'), 'deed')
    op.create_check_constraint(op.f('ck_deed_subject'), 'deed', _SUBJECTS.format(''))
