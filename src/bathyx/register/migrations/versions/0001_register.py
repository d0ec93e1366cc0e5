"""The register's three tables, and triggers that refuse to change or delete a record."""

import sqlalchemy as sa
from alembic import op

revision = "0001"
down_revision = None

TABLES = ("job", "revision", "entry")


def upgrade() -> None:
    """Make tables and triggers."""
    op.create_table(
        "job",
        sa.Column("uid", sa.String(64), primary_key=True),
        sa.Column("serial", sa.String(40), nullable=False, unique=True),
        sa.Column("opened_at", sa.String(40), nullable=False),
    )
    op.create_table(
        "revision",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("job_uid", sa.String(64), sa.ForeignKey("job.uid"), nullable=False, index=True),
        sa.Column("number", sa.Integer, nullable=False),
        sa.Column("name", sa.String(120), nullable=False),
        sa.Column("customer", sa.String(120), nullable=False),
        sa.Column("fluid", sa.String(40), nullable=False),
        sa.Column("at", sa.String(40), nullable=False),
        sa.Column("document", sa.Text, nullable=False),
        sa.Column("sha256", sa.String(64), nullable=False),
        sa.UniqueConstraint("job_uid", "number"),
    )
    op.create_table(
        "entry",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("job_uid", sa.String(64), sa.ForeignKey("job.uid"), nullable=False, index=True),
        sa.Column("revision", sa.Integer, nullable=False),
        sa.Column("kind", sa.String(20), nullable=False),
        sa.Column("subject", sa.String(80), nullable=False),
        sa.Column("payload", sa.Text, nullable=False),
        sa.Column("who", sa.String(80), nullable=False),
        sa.Column("at", sa.String(40), nullable=False),
        sa.Column("corrects", sa.Integer, sa.ForeignKey("entry.id")),
        sa.Column("previous_hash", sa.String(64), nullable=False),
        sa.Column("hash", sa.String(64), nullable=False, unique=True),
    )
    dialect = op.get_bind().dialect.name
    if dialect == "postgresql":
        op.execute(
            "CREATE FUNCTION bathyx_keep() RETURNS trigger AS $$ BEGIN "
            "RAISE EXCEPTION 'records are only ever added'; END $$ LANGUAGE plpgsql"
        )
    for table in TABLES:
        for action in ("UPDATE", "DELETE"):
            if dialect == "sqlite":
                op.execute(
                    f"CREATE TRIGGER keep_{table}_{action.lower()} BEFORE {action} ON {table} "
                    "BEGIN SELECT RAISE(ABORT, 'records are only ever added'); END"
                )
            elif dialect == "postgresql":
                op.execute(
                    f"CREATE TRIGGER keep_{table}_{action.lower()} BEFORE {action} ON {table} "
                    "FOR EACH ROW EXECUTE FUNCTION bathyx_keep()"
                )


def downgrade() -> None:
    """Records are never dropped."""
    raise RuntimeError("a register is never taken back to before it had records")
