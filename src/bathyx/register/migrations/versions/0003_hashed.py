"""A server holds the hash of each new entry against what it says: a false one could be found, and never be put right."""

from alembic import op

from bathyx.register.ledger.guards import POSTGRES_FUNCTIONS

revision = "0003"
down_revision = "0002"


def upgrade() -> None:
    """Make the server's function anew; SQLite has no hash to hold it against."""
    if op.get_bind().dialect.name == "postgresql":
        body = POSTGRES_FUNCTIONS["bathyx_follow"]
        op.execute(f"CREATE OR REPLACE FUNCTION bathyx_follow() RETURNS trigger AS $$ {body} $$ LANGUAGE plpgsql")


def downgrade() -> None:
    """Records are never dropped."""
    raise RuntimeError("a register is never taken back to before it had records")
