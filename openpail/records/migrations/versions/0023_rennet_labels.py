"""a rennet's strength as labels say it; what flocks taught, against the model as it is now"""

from alembic import op

revision = '0023'
down_revision = '0022'

_SCALES = "scale in ('imcu', 'soxhlet'{})"
_OWN = (
    "exists (select 1 from house_override o where o.dairy_id = l.dairy_id"
    " and o.key = '{}' and o.until is null)"
)
# The minutes of the model, and the strength of a 1 : 10 000, before and since.
_LATER, _STRONGER = 19 / 13, 135 / 100


def upgrade() -> None:
    op.drop_constraint(op.f('ck_bottle_scale'), 'bottle')
    more = ", 'mg', 'dose', 'unknown'"
    op.create_check_constraint(op.f('ck_bottle_scale'), 'bottle', _SCALES.format(more))
    _expected('*')


def downgrade() -> None:
    _expected('/')
    op.execute("update bottle set scale = 'imcu', strength = coalesce(strength, 135)"
               " where scale in ('mg', 'dose', 'unknown')")
    op.drop_constraint(op.f('ck_bottle_scale'), 'bottle')
    op.create_check_constraint(op.f('ck_bottle_scale'), 'bottle', _SCALES.format(''))


def _expected(way: str) -> None:
    """What a flocks lesson expected, where the dairy had no value of its own."""
    op.execute(
        f"update flocks_lesson l set expected_min = l.expected_min {way}"
        f" ((case when {_OWN.format('rennet.minutes')} then 1 else {_LATER} end)"
        f" / (case when b.scale = 'soxhlet' and not {_OWN.format('rennet.imcu_per_soxhlet')}"
        f" then {_STRONGER} else 1 end))"
        " from bottle b where b.dairy_id = l.dairy_id and b.id = l.bottle_id"
    )
