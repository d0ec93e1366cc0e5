"""Everything bound into the chain: marks to search by, guards against replacing, and an entry for what stood unbound."""

import json
from datetime import datetime
from typing import Any

import sqlalchemy as sa
from alembic import op

from bathyx.register.ledger.chain import FIRST_HASH, digest_of
from bathyx.register.ledger.guards import POSTGRES_FUNCTIONS, postgres_guards, sqlite_guards
from bathyx.register.ledger.models import search_words

revision = "0002"
down_revision = "0001"


def upgrade() -> None:
    """Make the table of marks, bind what is there, replace the triggers."""
    op.create_table(
        "mark",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("job_uid", sa.String(64), sa.ForeignKey("job.uid"), nullable=False),
        sa.Column("number", sa.Integer, nullable=False),
        sa.Column("serial", sa.String(40), nullable=False),
        sa.Column("name", sa.String(120), nullable=False),
        sa.Column("customer", sa.String(120), nullable=False),
        sa.Column("fluid", sa.String(40), nullable=False),
        sa.Column("opened_at", sa.String(40), nullable=False),
        sa.Column("words", sa.String(400), nullable=False),
    )
    op.create_index("ix_mark_newest", "mark", ["job_uid", "number"])
    op.create_index("ix_mark_fluid", "mark", ["fluid", "id"])
    op.create_index("ix_mark_opened", "mark", ["opened_at", "id"])
    op.create_index("ix_entry_of_job", "entry", ["job_uid", "kind", "subject", "id"])
    _bind(op.get_bind())
    _guard(op.get_bind())


def _bind(connection: sa.Connection) -> None:
    """A `bound` entry for each tank opened before, and marks for its revisions."""
    last = connection.execute(sa.text("SELECT id, hash FROM entry ORDER BY id DESC LIMIT 1")).first()
    count, previous = (0, FIRST_HASH) if last is None else last
    at = datetime.now().astimezone().isoformat(timespec="seconds")
    columns = "id, job_uid, number, name, customer, fluid, at, sha256"
    by_job: dict[str, list[sa.Row[Any]]] = {}
    for row in connection.execute(sa.text(f"SELECT {columns} FROM revision ORDER BY id")):
        by_job.setdefault(row.job_uid, []).append(row)
    for uid, serial, opened_at in connection.execute(sa.text("SELECT uid, serial, opened_at FROM job")).fetchall():
        revisions = by_job.get(uid, [])
        said = {
            "serial": serial,
            "opened_at": opened_at,
            "revisions": [
                {
                    "number": r.number,
                    "name": r.name,
                    "customer": r.customer,
                    "fluid": r.fluid,
                    "at": r.at,
                    "sha256": r.sha256,
                }
                for r in revisions
            ],
        }
        payload, count = json.dumps(said, sort_keys=True, ensure_ascii=False), count + 1
        hash_ = digest_of(previous, count, uid, 0, "bound", serial, payload, "Bathyx", at, None)
        connection.execute(
            sa.text(
                "INSERT INTO entry (id, job_uid, revision, kind, subject, payload, who, at, corrects, previous_hash, hash) "
                "VALUES (:id, :uid, 0, 'bound', :subject, :payload, 'Bathyx', :at, NULL, :previous, :hash)"
            ),
            {
                "id": count,
                "uid": uid,
                "subject": serial,
                "payload": payload,
                "at": at,
                "previous": previous,
                "hash": hash_,
            },
        )
        previous = hash_
        for r in revisions:
            connection.execute(
                sa.text(
                    "INSERT INTO mark (id, job_uid, number, serial, name, customer, fluid, opened_at, words) "
                    "VALUES (:id, :uid, :number, :serial, :name, :customer, :fluid, :opened, :words)"
                ),
                {
                    "id": r.id,
                    "uid": uid,
                    "number": r.number,
                    "serial": serial,
                    "name": r.name,
                    "customer": r.customer,
                    "fluid": r.fluid,
                    "opened": opened_at,
                    "words": search_words(serial, r.name, r.customer, r.fluid),
                },
            )


def _guard(connection: sa.Connection) -> None:
    old = [f"keep_{table}_{action}" for table in ("job", "revision", "entry") for action in ("update", "delete")]
    if connection.dialect.name == "sqlite":
        for name in old:
            op.execute(f"DROP TRIGGER IF EXISTS {name}")
        for statement in sqlite_guards().values():
            op.execute(statement)
    else:
        for name in old:
            op.execute(f"DROP TRIGGER IF EXISTS {name} ON {name.split('_')[1]}")
        for name, body in POSTGRES_FUNCTIONS.items():
            op.execute(f"CREATE OR REPLACE FUNCTION {name}() RETURNS trigger AS $$ {body} $$ LANGUAGE plpgsql")
        for statement in postgres_guards().values():
            op.execute(statement)


def downgrade() -> None:
    """Records are never dropped."""
    raise RuntimeError("a register is never taken back to before it had records")
