"""milk in depth and the bench"""

from alembic import op
import sqlalchemy as sa
from sqlalchemy.dialects import postgresql

revision = '0002'
down_revision = '0001'


def _add_filled(table: str, name: str, kind, value: str) -> None:
    """Add a column that must have a value, with one for the rows that are there."""
    op.add_column(table, sa.Column(name, kind, nullable=False, server_default=sa.text(value)))
    op.alter_column(table, name, server_default=None)


def upgrade() -> None:
    op.create_table('csv_layout',
    sa.Column('dairy_id', sa.Uuid(), nullable=False),
    sa.Column('id', sa.Uuid(), nullable=False),
    sa.Column('header', sa.Text(), nullable=False),
    sa.Column('answers', postgresql.JSONB(astext_type=sa.Text()), nullable=False),
    sa.ForeignKeyConstraint(['dairy_id'], ['dairy.id'], name=op.f('fk_csv_layout_dairy_id'), ondelete='CASCADE'),
    sa.PrimaryKeyConstraint('dairy_id', 'id', name=op.f('pk_csv_layout')),
    sa.UniqueConstraint('dairy_id', 'header', name=op.f('uq_csv_layout_dairy_id_header'))
    )
    op.create_table('herd',
    sa.Column('dairy_id', sa.Uuid(), nullable=False),
    sa.Column('id', sa.Uuid(), nullable=False),
    sa.Column('name', sa.Text(), nullable=False),
    sa.Column('breed', sa.Text(), nullable=False),
    sa.Column('head', sa.Integer(), nullable=True),
    sa.Column('created_at', sa.DateTime(timezone=True), nullable=False),
    sa.ForeignKeyConstraint(['dairy_id'], ['dairy.id'], name=op.f('fk_herd_dairy_id'), ondelete='CASCADE'),
    sa.PrimaryKeyConstraint('dairy_id', 'id', name=op.f('pk_herd')),
    sa.UniqueConstraint('dairy_id', 'name', name=op.f('uq_herd_dairy_id_name'))
    )
    op.create_table('mix',
    sa.Column('dairy_id', sa.Uuid(), nullable=False),
    sa.Column('id', sa.Uuid(), nullable=False),
    sa.Column('name', sa.Text(), nullable=False),
    sa.Column('recipe_key', sa.Text(), nullable=False),
    sa.Column('parts', postgresql.JSONB(astext_type=sa.Text()), nullable=False),
    sa.Column('created_at', sa.DateTime(timezone=True), nullable=False),
    sa.ForeignKeyConstraint(['dairy_id'], ['dairy.id'], name=op.f('fk_mix_dairy_id'), ondelete='CASCADE'),
    sa.PrimaryKeyConstraint('dairy_id', 'id', name=op.f('pk_mix')),
    sa.UniqueConstraint('dairy_id', 'name', name=op.f('uq_mix_dairy_id_name'))
    )
    op.create_table('own_measure',
    sa.Column('dairy_id', sa.Uuid(), nullable=False),
    sa.Column('id', sa.Uuid(), nullable=False),
    sa.Column('name', sa.Text(), nullable=False),
    sa.Column('litres', sa.Double(), nullable=False),
    sa.CheckConstraint('litres > 0', name=op.f('ck_own_measure_litres')),
    sa.ForeignKeyConstraint(['dairy_id'], ['dairy.id'], name=op.f('fk_own_measure_dairy_id'), ondelete='CASCADE'),
    sa.PrimaryKeyConstraint('dairy_id', 'id', name=op.f('pk_own_measure')),
    sa.UniqueConstraint('dairy_id', 'name', name=op.f('uq_own_measure_dairy_id_name'))
    )
    op.create_table('bench',
    sa.Column('dairy_id', sa.Uuid(), nullable=False),
    sa.Column('id', sa.Uuid(), nullable=False),
    sa.Column('vat_id', sa.Uuid(), nullable=False),
    sa.Column('recipe_key', sa.Text(), nullable=False),
    sa.Column('state', sa.Text(), nullable=False),
    sa.Column('pours', postgresql.JSONB(astext_type=sa.Text()), nullable=False),
    sa.Column('planned', postgresql.JSONB(astext_type=sa.Text()), nullable=False),
    sa.Column('targets', postgresql.JSONB(astext_type=sa.Text()), nullable=False),
    sa.Column('accepted', sa.Text(), nullable=False),
    sa.Column('created_at', sa.DateTime(timezone=True), nullable=False),
    sa.Column('poured_at', sa.DateTime(timezone=True), nullable=True),
    sa.CheckConstraint("state in ('planned', 'poured', 'used', 'cleared')", name=op.f('ck_bench_state')),
    sa.ForeignKeyConstraint(['dairy_id', 'vat_id'], ['vat.dairy_id', 'vat.id'], name=op.f('fk_bench_dairy_id_vat_id')),
    sa.ForeignKeyConstraint(['dairy_id'], ['dairy.id'], name=op.f('fk_bench_dairy_id'), ondelete='CASCADE'),
    sa.PrimaryKeyConstraint('dairy_id', 'id', name=op.f('pk_bench'))
    )
    op.create_index('ix_bench_open', 'bench', ['dairy_id', 'vat_id'], unique=True, postgresql_where="state in ('planned', 'poured')")
    op.create_table('milk_use',
    sa.Column('dairy_id', sa.Uuid(), nullable=False),
    sa.Column('id', sa.Uuid(), nullable=False),
    sa.Column('lot_id', sa.Uuid(), nullable=False),
    sa.Column('kind', sa.Text(), nullable=False),
    sa.Column('mass_kg', sa.Double(), nullable=False),
    sa.Column('at', sa.DateTime(timezone=True), nullable=False),
    sa.Column('note', sa.Text(), nullable=False),
    sa.Column('person_id', sa.Uuid(), nullable=True),
    sa.CheckConstraint("kind in ('fed', 'given', 'kitchen', 'thrown', 'skimmed')", name=op.f('ck_milk_use_kind')),
    sa.CheckConstraint('mass_kg > 0', name=op.f('ck_milk_use_mass')),
    sa.ForeignKeyConstraint(['dairy_id', 'lot_id'], ['milk_lot.dairy_id', 'milk_lot.id'], name=op.f('fk_milk_use_dairy_id_lot_id')),
    sa.ForeignKeyConstraint(['dairy_id'], ['dairy.id'], name=op.f('fk_milk_use_dairy_id'), ondelete='CASCADE'),
    sa.PrimaryKeyConstraint('dairy_id', 'id', name=op.f('pk_milk_use'))
    )
    op.create_index('ix_milk_use_dairy_id_lot_id', 'milk_use', ['dairy_id', 'lot_id'], unique=False)
    op.create_table('task',
    sa.Column('dairy_id', sa.Uuid(), nullable=False),
    sa.Column('id', sa.Uuid(), nullable=False),
    sa.Column('words', sa.Text(), nullable=False),
    sa.Column('due', sa.Date(), nullable=False),
    sa.Column('lot_id', sa.Uuid(), nullable=False),
    sa.Column('done_at', sa.DateTime(timezone=True), nullable=True),
    sa.ForeignKeyConstraint(['dairy_id', 'lot_id'], ['milk_lot.dairy_id', 'milk_lot.id'], name=op.f('fk_task_dairy_id_lot_id')),
    sa.ForeignKeyConstraint(['dairy_id'], ['dairy.id'], name=op.f('fk_task_dairy_id'), ondelete='CASCADE'),
    sa.PrimaryKeyConstraint('dairy_id', 'id', name=op.f('pk_task'))
    )
    op.create_index('ix_task_dairy_id_due', 'task', ['dairy_id', 'due'], unique=False)
    _add_filled('dairy', 'analyser', sa.Text(), "''")
    _add_filled('milk_lot', 'kind', sa.Text(), "'milk'")
    op.add_column('milk_lot', sa.Column('herd_id', sa.Uuid(), nullable=True))
    op.add_column('milk_lot', sa.Column('thawed_at', sa.DateTime(timezone=True), nullable=True))
    op.add_column('milk_lot', sa.Column('price', sa.Numeric(precision=10, scale=2), nullable=True))
    _add_filled('milk_lot', 'stage', sa.Text(), "''")
    _add_filled('milk_lot', 'container', sa.Text(), "''")
    op.create_foreign_key(op.f('fk_milk_lot_dairy_id_herd_id'), 'milk_lot', 'herd', ['dairy_id', 'herd_id'], ['dairy_id', 'id'])
    op.add_column('milk_test', sa.Column('herd_id', sa.Uuid(), nullable=True))
    _add_filled('milk_test', 'source', sa.Text(), "'hand'")
    op.add_column('milk_test', sa.Column('lactose_pct', sa.Double(), nullable=True))
    op.add_column('milk_test', sa.Column('snf_pct', sa.Double(), nullable=True))
    op.add_column('milk_test', sa.Column('total_solids_pct', sa.Double(), nullable=True))
    op.add_column('milk_test', sa.Column('density_g_ml', sa.Double(), nullable=True))
    op.add_column('milk_test', sa.Column('density_c', sa.Double(), nullable=True))
    op.add_column('milk_test', sa.Column('lactometer', sa.Double(), nullable=True))
    op.add_column('milk_test', sa.Column('lactometer_c', sa.Double(), nullable=True))
    op.add_column('milk_test', sa.Column('freezing_point_c', sa.Double(), nullable=True))
    op.add_column('milk_test', sa.Column('acidity_pct', sa.Double(), nullable=True))
    op.add_column('milk_test', sa.Column('plates_per_ml', sa.Double(), nullable=True))
    op.alter_column('milk_test', 'lot_id',
               existing_type=sa.UUID(),
               nullable=True)
    op.create_index('ix_milk_test_dairy_id_herd_id', 'milk_test', ['dairy_id', 'herd_id'], unique=False)
    op.create_foreign_key(op.f('fk_milk_test_dairy_id_herd_id'), 'milk_test', 'herd', ['dairy_id', 'herd_id'], ['dairy_id', 'id'])
    _add_filled('vat', 'fills', postgresql.JSONB(astext_type=sa.Text()), "'[]'")
    op.create_check_constraint(
        op.f('ck_milk_lot_kind'), 'milk_lot',
        "kind in ('milk', 'cream', 'skim', 'powder', 'evaporated')",
    )
    op.create_check_constraint(
        op.f('ck_milk_lot_stage'), 'milk_lot', "stage in ('', 'early', 'mid', 'late')"
    )
    op.create_check_constraint(
        op.f('ck_milk_test_source'), 'milk_test', "source in ('hand', 'file', 'analyser')"
    )
    op.create_check_constraint(
        op.f('ck_milk_test_of_something'), 'milk_test', 'lot_id is not null or herd_id is not null'
    )
    # "frozen" meant frozen and thawed until now
    op.execute('update milk_lot set thawed_at = collected_at where frozen')
    # milk poured away left no trace until now; from here on every lot adds up
    op.execute("""
        insert into milk_use (dairy_id, id, lot_id, kind, mass_kg, at, note)
        select lot.dairy_id, gen_random_uuid(), lot.id, 'thrown', gone.kg, lot.created_at, ''
        from milk_lot lot
        cross join lateral (
            select lot.mass_kg - lot.left_kg - coalesce(sum(made.mass_kg), 0) as kg
            from make_milk made
            where made.dairy_id = lot.dairy_id and made.lot_id = lot.id
        ) gone
        where gone.kg > 0.000001
    """)


def downgrade() -> None:
    op.execute('delete from milk_test where lot_id is null')
    for table, name in (
        ('milk_test', 'of_something'), ('milk_test', 'source'),
        ('milk_lot', 'stage'), ('milk_lot', 'kind'),
    ):
        op.drop_constraint(op.f(f'ck_{table}_{name}'), table, type_='check')
    op.drop_column('vat', 'fills')
    op.drop_constraint(op.f('fk_milk_test_dairy_id_herd_id'), 'milk_test', type_='foreignkey')
    op.drop_index('ix_milk_test_dairy_id_herd_id', table_name='milk_test')
    op.alter_column('milk_test', 'lot_id',
               existing_type=sa.UUID(),
               nullable=False)
    op.drop_column('milk_test', 'plates_per_ml')
    op.drop_column('milk_test', 'acidity_pct')
    op.drop_column('milk_test', 'freezing_point_c')
    op.drop_column('milk_test', 'lactometer_c')
    op.drop_column('milk_test', 'lactometer')
    op.drop_column('milk_test', 'density_c')
    op.drop_column('milk_test', 'density_g_ml')
    op.drop_column('milk_test', 'total_solids_pct')
    op.drop_column('milk_test', 'snf_pct')
    op.drop_column('milk_test', 'lactose_pct')
    op.drop_column('milk_test', 'source')
    op.drop_column('milk_test', 'herd_id')
    op.drop_constraint(op.f('fk_milk_lot_dairy_id_herd_id'), 'milk_lot', type_='foreignkey')
    op.drop_column('milk_lot', 'container')
    op.drop_column('milk_lot', 'stage')
    op.drop_column('milk_lot', 'price')
    op.drop_column('milk_lot', 'thawed_at')
    op.drop_column('milk_lot', 'herd_id')
    op.drop_column('milk_lot', 'kind')
    op.drop_column('dairy', 'analyser')
    op.drop_index('ix_task_dairy_id_due', table_name='task')
    op.drop_table('task')
    op.drop_index('ix_milk_use_dairy_id_lot_id', table_name='milk_use')
    op.drop_table('milk_use')
    op.drop_index('ix_bench_open', table_name='bench', postgresql_where="state in ('planned', 'poured')")
    op.drop_table('bench')
    op.drop_table('own_measure')
    op.drop_table('mix')
    op.drop_table('herd')
    op.drop_table('csv_layout')
