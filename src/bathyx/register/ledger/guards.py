"""Triggers that refuse to change, replace or delete a record; made by the migrations, looked for by `verify`."""

from __future__ import annotations

from collections.abc import Iterator

from sqlalchemy import Connection, text

from bathyx.register.ledger.chain import TABLES, Broken

_KEY = {"job": "uid", "revision": "id", "mark": "id", "entry": "id"}
_SAYS = "records are only ever added"


def sqlite_guards() -> dict[str, str]:
    """The statement that makes each trigger, by its name.

    `INSERT OR REPLACE` deletes without a DELETE trigger, so a guard of its own refuses a key that is there; and an entry
    that does not follow the last one is refused at once.
    """
    made = {}
    for table in TABLES:
        for action in ("UPDATE", "DELETE"):
            made[f"keep_{table}_{action.lower()}"] = (
                f"CREATE TRIGGER keep_{table}_{action.lower()} BEFORE {action} ON {table} "
                f"BEGIN SELECT RAISE(ABORT, '{_SAYS}'); END"
            )
        key = _KEY[table]
        made[f"keep_{table}_key"] = (
            f"CREATE TRIGGER keep_{table}_key BEFORE INSERT ON {table} "
            f"WHEN EXISTS (SELECT 1 FROM {table} WHERE {key} = NEW.{key}) "
            f"BEGIN SELECT RAISE(ABORT, '{_SAYS}'); END"
        )
    made["follow_entry"] = (
        "CREATE TRIGGER follow_entry BEFORE INSERT ON entry "
        "WHEN NEW.id != (SELECT coalesce(max(id), 0) + 1 FROM entry) OR NEW.previous_hash != "
        "coalesce((SELECT hash FROM entry ORDER BY id DESC LIMIT 1), '" + "0" * 64 + "') "
        "BEGIN SELECT RAISE(ABORT, 'a record follows the last one'); END"
    )
    return made


# The content of an entry as `chain.digest_of` writes it: JSON with ", " between, letters as they are.
_CONTENT = " || ', ' || ".join(
    f"coalesce(to_json(NEW.{column})::text, 'null')"
    for column in ("previous_hash", "id", "job_uid", "revision", "kind", "subject", "payload", "who", "at", "corrects")
)
POSTGRES_FUNCTIONS = {
    "bathyx_keep": "BEGIN RAISE EXCEPTION 'records are only ever added'; END",
    "bathyx_follow": (
        "BEGIN IF NEW.id <> (SELECT coalesce(max(id), 0) + 1 FROM entry) OR NEW.previous_hash <> "
        "coalesce((SELECT hash FROM entry ORDER BY id DESC LIMIT 1), repeat('0', 64)) "
        "THEN RAISE EXCEPTION 'a record follows the last one'; END IF; "
        f"IF NEW.hash <> encode(sha256(convert_to('[' || {_CONTENT} || ']', 'UTF8')), 'hex') "
        "THEN RAISE EXCEPTION 'a record carries the hash of what it says'; END IF; RETURN NEW; END"
    ),
}


def postgres_guards() -> dict[str, str]:
    """The statement that makes each trigger, by its name."""
    made = {}
    for table in TABLES:
        for action in ("UPDATE", "DELETE"):
            made[f"keep_{table}_{action.lower()}"] = (
                f"CREATE TRIGGER keep_{table}_{action.lower()} BEFORE {action} ON {table} "
                "FOR EACH ROW EXECUTE FUNCTION bathyx_keep()"
            )
        made[f"keep_{table}_truncate"] = (
            f"CREATE TRIGGER keep_{table}_truncate BEFORE TRUNCATE ON {table} "
            "FOR EACH STATEMENT EXECUTE FUNCTION bathyx_keep()"
        )
    made["follow_entry"] = (
        "CREATE TRIGGER follow_entry BEFORE INSERT ON entry FOR EACH ROW EXECUTE FUNCTION bathyx_follow()"
    )
    return made


def broken_guards(connection: Connection) -> Iterator[Broken]:
    """Triggers that are missing, changed, switched off or strange."""
    if connection.dialect.name == "sqlite":
        wanted = sqlite_guards()
        rows = connection.execute(text("SELECT name, sql FROM sqlite_master WHERE type = 'trigger'"))
        there = {name: sql for name, sql in rows}
    else:
        wanted = postgres_guards()
        rows = connection.execute(
            text(
                "SELECT tgname, tgenabled, prosrc FROM pg_trigger JOIN pg_proc ON pg_proc.oid = tgfoid "
                "WHERE NOT tgisinternal AND tgrelid IN "
                "('job'::regclass, 'revision'::regclass, 'mark'::regclass, 'entry'::regclass)"
            )
        )
        there = {}
        for name, enabled, source in rows:
            function = "bathyx_follow" if name == "follow_entry" else "bathyx_keep"
            whole = enabled in ("O", b"O") and " ".join(source.split()) == " ".join(
                POSTGRES_FUNCTIONS[function].split()
            )
            there[name] = wanted.get(name, "strange") if whole else "switched off or changed"
    for name, statement in wanted.items():
        if there.get(name) != statement:
            yield Broken(0, f"the guard {name} against changing records is {'changed' if name in there else 'missing'}")
    for name in there.keys() - wanted.keys():
        yield Broken(0, f"a trigger that is none of Bathyx's stands in the register: {name}")
