"""Loads: the rows of a table as they were read, each with its time, source and counts; connections; schedules.

Rows that were kept by table become the first load of their table, and each table of a model names its load.
"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql as pg

revision = "0002"
down_revision = "0001"


def _owner(**more: object) -> sa.Column:  # type: ignore[type-arg]
    return sa.Column("model_id", sa.Integer, sa.ForeignKey("model.id", ondelete="CASCADE"), nullable=False, **more)  # type: ignore[arg-type]


def _now(name: str) -> sa.Column:  # type: ignore[type-arg]
    return sa.Column(name, sa.DateTime(timezone=True), nullable=False, server_default=sa.func.now())


def upgrade() -> None:
    """Makes the tables and moves the rows."""
    op.create_table(
        "load",
        sa.Column("id", sa.Integer, primary_key=True),
        _owner(index=True),
        sa.Column("table_name", sa.Text, nullable=False),
        sa.Column("size", sa.BigInteger, nullable=False),
        sa.Column("columns", pg.JSONB, nullable=False),
        sa.Column("source", pg.JSONB, nullable=False, server_default="{}"),
        sa.Column("report", pg.JSONB, nullable=False, server_default="{}"),
        sa.Column("seconds", sa.Float, nullable=False, server_default="0"),
        sa.Column("author", sa.Text, nullable=False, server_default=""),
        sa.Column("state", sa.Text, nullable=False, server_default="kept"),
        _now("loaded_at"),
    )
    op.create_table(
        "load_part",
        sa.Column("load_id", sa.Integer, sa.ForeignKey("load.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("column_name", sa.Text, primary_key=True),
        sa.Column("part", sa.Integer, primary_key=True),
        sa.Column("dtype", sa.Text, nullable=False),
        sa.Column("data", sa.LargeBinary, nullable=False),
    )
    op.execute("ALTER TABLE load_part ALTER COLUMN data SET STORAGE EXTERNAL")
    op.create_table(
        "connection",
        _owner(primary_key=True),
        sa.Column("name", sa.Text, primary_key=True),
        sa.Column("access", pg.JSONB, nullable=False),
        sa.Column("password", sa.LargeBinary),
    )
    op.create_table(
        "schedule",
        _owner(primary_key=True),
        sa.Column("table_name", sa.Text, primary_key=True),
        sa.Column("minutes", sa.Integer, nullable=False),
        sa.Column("next_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("last_at", sa.DateTime(timezone=True)),
        sa.Column("last_result", sa.Text, nullable=False, server_default=""),
    )
    op.execute("""
        INSERT INTO load (model_id, table_name, size, columns, author, loaded_at)
        SELECT r.model_id, r.table_name, r.size, '[]', 'the package', m.created_at
        FROM table_rows r JOIN model m ON m.id = r.model_id
    """)
    op.execute("""
        INSERT INTO load_part (load_id, column_name, part, dtype, data)
        SELECT l.id, p.column_name, p.part, p.dtype, p.data
        FROM column_part p JOIN load l ON l.model_id = p.model_id AND l.table_name = p.table_name
    """)
    op.execute("""
        UPDATE model SET document = jsonb_set(document, '{tables}', (
            SELECT COALESCE(jsonb_agg(CASE WHEN l.id IS NULL THEN x.item ELSE x.item || jsonb_build_object('load', l.id) END
                                      ORDER BY x.place), '[]')
            FROM jsonb_array_elements(document -> 'tables') WITH ORDINALITY AS x(item, place)
            LEFT JOIN load l ON l.model_id = model.id AND l.table_name = x.item ->> 'name'))
    """)
    op.execute("""
        UPDATE load SET columns = COALESCE((
            SELECT jsonb_agg(jsonb_build_object('name', c.item ->> 'name', 'dtype', c.item ->> 'dtype') ORDER BY c.place)
            FROM model m, jsonb_array_elements(m.document -> 'tables') AS t(item),
                 jsonb_array_elements(t.item -> 'columns') WITH ORDINALITY AS c(item, place)
            WHERE m.id = load.model_id AND t.item ->> 'name' = load.table_name AND COALESCE(c.item ->> 'formula', '') = ''), '[]')
    """)
    op.drop_table("column_part")
    op.drop_table("table_rows")


def downgrade() -> None:
    """Goes back: the load that a table names becomes its rows. Steps, other loads, connections and schedules are lost."""
    op.create_table(
        "table_rows",
        _owner(primary_key=True),
        sa.Column("table_name", sa.Text, primary_key=True),
        sa.Column("size", sa.BigInteger, nullable=False),
    )
    op.create_table(
        "column_part",
        _owner(primary_key=True),
        sa.Column("table_name", sa.Text, primary_key=True),
        sa.Column("column_name", sa.Text, primary_key=True),
        sa.Column("part", sa.Integer, primary_key=True),
        sa.Column("dtype", sa.Text, nullable=False),
        sa.Column("last", sa.Boolean, nullable=False, server_default="true"),
        sa.Column("data", sa.LargeBinary, nullable=False),
    )
    op.execute("ALTER TABLE column_part ALTER COLUMN data SET STORAGE EXTERNAL")
    live = """load l JOIN model m ON m.id = l.model_id
              JOIN jsonb_array_elements(m.document -> 'tables') AS x(item)
                ON x.item ->> 'name' = l.table_name AND (x.item ->> 'load')::int = l.id"""
    op.execute(f"INSERT INTO table_rows SELECT l.model_id, l.table_name, l.size FROM {live}")  # noqa: S608 - a constant of this file
    op.execute(f"""
        INSERT INTO column_part (model_id, table_name, column_name, part, dtype, data)
        SELECT l.model_id, l.table_name, p.column_name, p.part, p.dtype, p.data FROM load_part p JOIN {live} ON p.load_id = l.id
    """)  # noqa: S608
    op.execute("""
        UPDATE model SET document = jsonb_set(document, '{tables}', (
            SELECT COALESCE(jsonb_agg(x.item - 'load' - 'steps' - 'origin' ORDER BY x.place), '[]')
            FROM jsonb_array_elements(document -> 'tables') WITH ORDINALITY AS x(item, place)))
    """)
    for name in ("schedule", "connection", "load_part", "load"):
        op.drop_table(name)
