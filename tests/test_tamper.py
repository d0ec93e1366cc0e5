"""Ways to change the past of a register behind its triggers: each is found, or needs a head kept elsewhere."""

import itertools
import json
import sqlite3

import pytest

from bathyx.demo import jobs
from bathyx.register import Register, RegisterError
from bathyx.register.ledger.chain import FIRST_HASH, digest_of, sha256
from bathyx.register.ledger.guards import sqlite_guards
from bathyx.register.opening.copies import copy_file

DOC = jobs.trolley().to_json()


@pytest.fixture
def shop(tmp_path):
    """A register with two tanks, nine records and two revisions; closed. Also its head."""
    days = itertools.count(1)
    register = Register(tmp_path / "r.sqlite", now=lambda: f"2026-03-{next(days):02d}T10:00:00+00:00")
    job = jobs.trolley()
    for kind in ("weld", "leak", "repair"):
        register.add(job, kind, "S1", {"edge": "bottom/rear"}, "Marn")
    register.add(job.edited("tank.height_mm", 280.0), "weld", "S2", {}, "Pell")
    register.add(jobs.sawmill(), "tick", "measure", {}, "Marn")
    head = register.head()
    register.close()
    return tmp_path / "r.sqlite", head


def unguarded(connection):
    for (name,) in connection.execute("SELECT name FROM sqlite_master WHERE type = 'trigger'").fetchall():
        connection.execute(f"DROP TRIGGER {name}")


def guarded(connection):
    for statement in sqlite_guards().values():
        connection.execute(statement)


def rehash(connection, since=1):
    """Make the chain hold again from an entry on, as one would who knows how it is made."""
    previous = FIRST_HASH
    rows = connection.execute(
        "SELECT id, job_uid, revision, kind, subject, payload, who, at, corrects, hash FROM entry ORDER BY id"
    ).fetchall()
    for row in rows:
        if row[0] < since:
            previous = row[-1]
            continue
        made = digest_of(previous, *row[:-1])
        connection.execute("UPDATE entry SET previous_hash = ?, hash = ? WHERE id = ?", (previous, made, row[0]))
        previous = made


def renumbered(connection):
    ids = [i for (i,) in connection.execute("SELECT id FROM entry ORDER BY id").fetchall()]
    for new, old in enumerate(ids, 1):
        connection.execute("UPDATE entry SET id = ? WHERE id = ?", (new, old))


def swap(connection, first, second):
    columns = "kind, subject, payload, who, at"
    a, b = (connection.execute(f"SELECT {columns} FROM entry WHERE id = ?", (i,)).fetchone() for i in (first, second))
    for values, place in ((b, first), (a, second)):
        connection.execute(
            "UPDATE entry SET kind = ?, subject = ?, payload = ?, who = ?, at = ? WHERE id = ?", (*values, place)
        )


def forged_revision(connection, **columns):
    uid = jobs.trolley().uid
    row = {
        "name": "x", "customer": "", "fluid": "petrol", "at": "2026-04-01", "document": DOC, "sha256": sha256(DOC)
    } | columns  # fmt: skip
    connection.execute(
        "INSERT INTO revision (id, job_uid, number, name, customer, fluid, at, document, sha256) "
        "VALUES (99, ?, 3, :name, :customer, :fluid, :at, :document, :sha256)".replace("?", f"'{uid}'"),
        row,
    )


def entry_changed(connection, column, value, since=None):
    connection.execute(f"UPDATE entry SET {column} = ? WHERE id = 4", (value,))
    if since:
        rehash(connection, since)


WAYS = {
    # with the triggers dropped and put back
    "payload": lambda c: entry_changed(c, "payload", "{}"),
    "payload that is no JSON": lambda c: entry_changed(c, "payload", "{", 4),
    "who": lambda c: entry_changed(c, "who", "Pell"),
    "time": lambda c: entry_changed(c, "at", "2025-01-01"),
    "kind": lambda c: entry_changed(c, "kind", "note"),
    "subject": lambda c: entry_changed(c, "subject", "S9"),
    "revision": lambda c: entry_changed(c, "revision", 2),
    "tank of a record": lambda c: entry_changed(c, "job_uid", jobs.sawmill().uid),
    "correction": lambda c: entry_changed(c, "corrects", 3),
    "hash": lambda c: entry_changed(c, "hash", "f" * 64),
    "previous hash": lambda c: entry_changed(c, "previous_hash", "f" * 64),
    "one cut out": lambda c: c.execute("DELETE FROM entry WHERE id = 4"),
    "the first cut out": lambda c: c.execute("DELETE FROM entry WHERE id = 1"),
    "one cut out, renumbered": lambda c: (c.execute("DELETE FROM entry WHERE id = 4"), renumbered(c)),
    "one cut out, renumbered, rehashed": lambda c: (
        c.execute("DELETE FROM entry WHERE id = 4"),
        renumbered(c),
        rehash(c),
    ),
    "one changed, all rehashed": lambda c: (entry_changed(c, "who", "Pell"), rehash(c)),
    "two swapped": lambda c: swap(c, 4, 5),
    "two swapped, rehashed": lambda c: (swap(c, 4, 5), rehash(c)),
    "the last cut off": lambda c: c.execute("DELETE FROM entry WHERE id = (SELECT max(id) FROM entry)"),
    "five cut off": lambda c: c.execute("DELETE FROM entry WHERE id > 5"),
    "a job deleted whole": lambda c: [
        c.execute(f"DELETE FROM {t} WHERE {k} = ?", (jobs.sawmill().uid,))
        for t, k in (("entry", "job_uid"), ("mark", "job_uid"), ("revision", "job_uid"), ("job", "uid"))
    ],
    "a job deleted whole, rehashed": lambda c: (
        [c.execute(f"DELETE FROM {t} WHERE job_uid = ?", (jobs.trolley().uid,)) for t in ("entry", "mark", "revision")],
        c.execute("DELETE FROM job WHERE uid = ?", (jobs.trolley().uid,)),
        renumbered(c),
        rehash(c),
    ),
    "a job deleted from the list": lambda c: c.execute("DELETE FROM job WHERE uid = ?", (jobs.sawmill().uid,)),
    "serial": lambda c: c.execute("UPDATE job SET serial = 'TT-2026-0777' WHERE serial = 'TT-2026-0001'"),
    "opening": lambda c: c.execute("UPDATE job SET opened_at = '2020-01-01' WHERE serial = 'TT-2026-0001'"),
    "customer": lambda c: c.execute("UPDATE revision SET customer = 'Another'"),
    "name": lambda c: c.execute("UPDATE revision SET name = 'Another' WHERE id = 1"),
    "fluid": lambda c: c.execute("UPDATE revision SET fluid = 'water' WHERE id = 1"),
    "time of a revision": lambda c: c.execute("UPDATE revision SET at = '2020-01-01' WHERE id = 1"),
    "document": lambda c: c.execute("UPDATE revision SET document = '{}' WHERE id = 1"),
    "document with its sum": lambda c: c.execute(
        "UPDATE revision SET document = '{}', sha256 = ? WHERE id = 1", (sha256("{}"),)
    ),
    "sum of a document": lambda c: c.execute("UPDATE revision SET sha256 = ? WHERE id = 1", ("0" * 64,)),
    "a revision deleted": lambda c: c.execute("DELETE FROM revision WHERE id = 2"),
    "a mark changed": lambda c: c.execute("UPDATE mark SET customer = 'Another' WHERE id = 1"),
    "a mark's words": lambda c: c.execute("UPDATE mark SET words = '' WHERE id = 1"),
    "a mark deleted": lambda c: c.execute("DELETE FROM mark WHERE id = 1"),
    "a forged newest revision": forged_revision,
    "a tank put in": lambda c: c.execute("INSERT INTO job VALUES ('forged-uid', 'TT-2026-0099', '2026-03-01')"),
    "a record twice": lambda c: c.execute(
        "INSERT INTO entry SELECT 100, job_uid, revision, kind, subject, payload, who, at, corrects, previous_hash, 'x' "
        "FROM entry WHERE id = 4"
    ),
    "bytes in place of text": lambda c: c.execute("UPDATE entry SET payload = x'00ff' WHERE id = 4"),
    "bytes in a mark": lambda c: c.execute("UPDATE mark SET name = x'00ff', words = x'00' WHERE id = 1"),
    "bytes for a document": lambda c: c.execute("UPDATE revision SET document = x'00ff' WHERE id = 1"),
    "everything emptied but one": lambda c: c.execute("DELETE FROM entry WHERE id > 1"),
}


@pytest.mark.parametrize("way", WAYS)
def test_a_changed_past_is_found(shop, way):
    path, _ = shop
    with sqlite3.connect(path) as connection:
        connection.execute("PRAGMA foreign_keys = OFF")
        unguarded(connection)
        WAYS[way](connection)
        guarded(connection)
    register = Register(path)
    found = register.verify()
    register.close()
    assert found, way
    assert all(len(b.reason) < 200 for b in found)


@pytest.mark.parametrize(
    "statement",
    [
        "UPDATE job SET serial = 'x'",
        "DELETE FROM mark",
        "INSERT OR REPLACE INTO job SELECT uid, 'TT-2026-0777', opened_at FROM job LIMIT 1",
        "REPLACE INTO entry SELECT id, job_uid, revision, kind, subject, '{}', who, at, corrects, previous_hash, hash "
        "FROM entry WHERE id = 2",
        "INSERT INTO entry SELECT 100, job_uid, revision, kind, subject, payload, who, at, corrects, previous_hash, 'y' "
        "FROM entry WHERE id = 2",
        "INSERT INTO job (uid, serial, opened_at) SELECT uid, 'z', opened_at FROM job WHERE true "
        "ON CONFLICT (uid) DO UPDATE SET serial = 'z'",
    ],
)
def test_the_database_itself_refuses(shop, statement):
    path, _ = shop
    with (
        sqlite3.connect(path) as connection,
        pytest.raises(sqlite3.DatabaseError, match=r"only ever added|follows the last"),
    ):
        connection.execute(statement)
    register = Register(path)
    assert register.verify() == ()
    register.close()


def test_a_revision_forged_with_the_triggers_in_place_is_found(shop):
    path, _ = shop
    with sqlite3.connect(path) as connection:
        forged_revision(connection)
    register = Register(path)
    assert any("never frozen by a record" in b.reason for b in register.verify())
    register.close()


@pytest.mark.parametrize(
    "meddle",
    [
        lambda c: c.execute("DROP TRIGGER keep_entry_update"),
        lambda c: (
            c.execute("DROP TRIGGER keep_entry_update"),
            c.execute("CREATE TRIGGER keep_entry_update BEFORE UPDATE ON entry BEGIN SELECT 1; END"),
        ),
        lambda c: c.execute("CREATE TRIGGER sly AFTER INSERT ON entry BEGIN SELECT 1; END"),
    ],
)
def test_meddled_triggers_are_found(shop, meddle):
    path, _ = shop
    with sqlite3.connect(path) as connection:
        meddle(connection)
    register = Register(path)
    assert len(register.verify()) == 1
    register.close()


def test_what_verify_alone_cannot_find_a_head_kept_elsewhere_does(shop):
    """The past rebuilt, and the file of heads taken away: only a paper, an export or a copy still knows."""
    path, head = shop
    with sqlite3.connect(path) as connection:
        unguarded(connection)
        entry_changed(connection, "who", "Pell")
        rehash(connection)
        guarded(connection)
    path.with_name("r.sqlite.heads").unlink()
    register = Register(path)
    assert register.verify() == ()  # documented: nothing in the register knows better
    assert any("rebuilt" in b.reason for b in register.verify(head))
    register.close()
    with sqlite3.connect(path) as connection:
        unguarded(connection)
        connection.execute("DELETE FROM entry WHERE id > 3")
        guarded(connection)
    register = Register(path)
    assert any("cut off" in b.reason for b in register.verify(head))
    register.close()


def test_an_older_copy_in_the_registers_place_is_found(shop, tmp_path):
    path, _ = shop
    old = copy_file(path, tmp_path / "old.sqlite")
    register = Register(path)
    register.add(jobs.trolley(), "weld", "S3", {}, "Marn")
    register.close()
    old.replace(path)
    register = Register(path)
    assert any("cut off" in b.reason for b in register.verify())
    register.close()


def test_an_emptied_register_is_not_opened_as_a_new_one(shop):
    path, _ = shop
    with sqlite3.connect(path) as connection:
        unguarded(connection)
        for table in ("entry", "mark", "revision", "job"):
            connection.execute(f"DELETE FROM {table}")
    with pytest.raises(RegisterError, match="records were known on file") as caught:
        Register(path)
    assert caught.value.kind == "emptied"


def test_a_damaged_page_is_found_and_said(shop):
    path, _ = shop
    data = bytearray(path.read_bytes())
    for page in range(3, len(data) // 4096):
        data[page * 4096 + 100 : page * 4096 + 3000] = b"\xa5" * 2900
    path.write_bytes(data)
    said = ""
    try:
        register = Register(path)
        said = register.verify()[0].reason
    except RegisterError as error:
        said = str(error)
    assert "damaged" in said or "lacks" in said


def test_a_record_of_each_entry_is_bound(shop):
    """Every column of every table is in some entry: what is not would be free to change."""
    path, _ = shop
    with sqlite3.connect(path) as connection:
        said = [json.loads(p) for (p,) in connection.execute("SELECT payload FROM entry WHERE kind = 'revision'")]
        assert {"name", "customer", "fluid", "at", "sha256", "number"} <= said[0].keys()
