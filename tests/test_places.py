"""What may stand in a register's place, and copies of it: recognised, refused in words, never taken for something else."""

import contextlib
import json
import multiprocessing
import os
import signal
import sqlite3
import subprocess
import sys
import time

import pytest

from bathyx.cli import main
from bathyx.demo import jobs
from bathyx.register import Register, RegisterError
from bathyx.register.ledger.keys import ShopKeyError, make_key, shop_key, signed_by
from bathyx.register.opening.copies import copies, copy_file, daily_copy, set_aside
from bathyx.register.opening.restore import restore


@pytest.mark.parametrize("name", ["what?", "100 %", "a#b", "ünï/ço dé", "file:x", "%20", "a'b"])
def test_a_home_may_have_any_name(tmp_path, name):
    home = tmp_path / name
    register = Register(home / "register.sqlite")
    register.add(jobs.trolley(), "weld", "S1", {}, "Marn")
    register.close()
    assert (home / "register.sqlite").is_file()
    again = Register(home / "register.sqlite", read_only=True)
    assert again.serial(jobs.trolley().uid) == "TT-2026-0001" or again.serial(jobs.trolley().uid)
    again.close()
    assert [p.name for p in home.iterdir() if ".part" in p.name] == []


def _foreign(path):
    with sqlite3.connect(path) as c:
        c.execute("CREATE TABLE recipes (id INTEGER)")


def _like_ours(path):
    with sqlite3.connect(path) as c:
        c.execute("CREATE TABLE job (uid TEXT)")
        c.execute("INSERT INTO job VALUES ('x')")


def _odd_version(path):
    Register(path).close()
    with sqlite3.connect(path) as c:
        c.execute("UPDATE alembic_version SET version_num = '0000-other'")


def _table_gone(path):
    Register(path).close()
    with contextlib.closing(sqlite3.connect(path)) as c:
        c.execute("DROP TABLE mark")
        c.commit()


@pytest.mark.parametrize(
    ("make", "kind", "says"),
    [
        (_foreign, "foreign", "some other database"),
        (_like_ours, "foreign", "some other database"),
        (_odd_version, "foreign", "unknown version"),
        (_table_gone, "damaged", "lacks its table mark"),
        (lambda p: p.mkdir(), "foreign", "is a folder"),
        (lambda p: p.write_text("not a database at all"), "damaged", "not a readable register"),
        (lambda p: p.write_bytes(b"SQLite format 3\0" + b"\xff" * 4000), "damaged", "no register|damaged"),
        (lambda p: p.symlink_to("nowhere"), "denied", "a link to what is not there"),
        (lambda p: os.mkfifo(p), "denied", "no register at"),
    ],
)
def test_what_is_no_register_is_refused_and_left_alone(tmp_path, make, kind, says):
    path = tmp_path / "register.sqlite"
    make(path)
    before = path.read_bytes() if path.is_file() else None
    with pytest.raises(RegisterError, match=says) as caught:
        Register(path)
    assert caught.value.kind == kind
    if before is not None:
        assert path.read_bytes() == before


@pytest.mark.parametrize("statements", [[], ["CREATE TABLE alembic_version (version_num VARCHAR(32))"], [
    "CREATE TABLE alembic_version (version_num VARCHAR(32))", "CREATE TABLE job (uid TEXT)", "CREATE TABLE revision (id INTEGER)",
]])  # fmt: skip
def test_one_that_was_half_made_by_an_earlier_bathyx_is_made_anew(tmp_path, statements):
    path = tmp_path / "register.sqlite"
    with sqlite3.connect(path) as c:
        for statement in statements:
            c.execute(statement)
    if not statements:
        path.write_bytes(b"")
    register = Register(path)
    assert register.add(jobs.trolley(), "weld", "S1", {}, "Marn").id == 3
    assert register.verify() == ()
    register.close()


def test_one_that_is_gone_though_records_were_known_is_not_begun_anew(tmp_path):
    path = tmp_path / "register.sqlite"
    register = Register(path)
    register.add(jobs.trolley(), "weld", "S1", {}, "Marn")
    register.close()
    for make in (path.unlink, lambda: path.write_bytes(b"")):
        make()
        with pytest.raises(RegisterError, match="3 records were known") as caught:
            Register(path)
        assert caught.value.kind == "emptied"


def _first_start(path, go, done):
    go.wait()
    try:
        register = Register(path)
        register.add(jobs.trolley(), "weld", "S1", {}, "Marn")
        register.close()
        done.put("")
    except Exception as error:
        done.put(f"{type(error).__name__}: {error}")


def test_first_starts_at_once_make_one_register(tmp_path):
    context = multiprocessing.get_context("fork")
    for turn in range(3):
        path, go, done = tmp_path / f"r{turn}.sqlite", context.Event(), context.Queue()
        every = [context.Process(target=_first_start, args=(path, go, done)) for _ in range(4)]
        for p in every:
            p.start()
        go.set()
        assert [done.get(timeout=30) for _ in every] == [""] * 4
        for p in every:
            p.join()
        register = Register(path)
        assert register.verify() == ()
        assert register.head().count == 2 + 4
        register.close()


def test_a_kill_while_one_is_made_leaves_none_or_a_whole_one(tmp_path):
    code = "import sys; from bathyx.register import Register; print('go', flush=True); Register(sys.argv[1])"
    for k in range(0, 6, 2):
        path = tmp_path / f"r{k}.sqlite"
        child = subprocess.Popen([sys.executable, "-c", code, str(path)], stdout=subprocess.PIPE)
        child.stdout.readline()
        time.sleep(0.03 * k)
        child.send_signal(signal.SIGKILL)
        child.wait()
        register = Register(path)
        assert register.verify() == ()
        register.close()


def test_reading_waits_for_no_writer_and_a_locked_register_says_so(tmp_path):
    path = tmp_path / "register.sqlite"
    register = Register(path)
    register.add(jobs.trolley(), "weld", "S1", {}, "Marn")
    with sqlite3.connect(path, isolation_level=None) as other:
        other.execute("BEGIN IMMEDIATE")
        assert (
            len(register.entries(jobs.trolley().uid)) == 3
        )  # held to the end: one that waited for it would be refused
        with pytest.raises(
            RegisterError, match="nothing was written: another program holds the register locked"
        ) as caught:
            register.add(jobs.trolley(), "weld", "S2", {}, "Marn")
        assert caught.value.kind == "busy"
        other.execute("ROLLBACK")
    assert register.add(jobs.trolley(), "weld", "S2", {}, "Marn").id == 4
    register.close()


def test_a_register_of_the_first_version_is_brought_up_to_date_and_bound(tmp_path):
    """Made with the first migration alone, filled by hand as the first release did."""
    from bathyx.register.ledger.chain import FIRST_HASH, digest_of, sha256

    path, job = tmp_path / "register.sqlite", jobs.trolley()
    from tests.old_register import make_version_1

    make_version_1(path)
    document = job.to_json()
    with sqlite3.connect(path) as c:
        c.execute("INSERT INTO job VALUES (?, 'TT-2026-0001', '2026-02-01')", (job.uid,))
        c.execute(
            "INSERT INTO revision VALUES (1, ?, 1, 'Trolley', 'Lunnick', 'diesel', '2026-02-01', ?, ?)",
            (job.uid, document, sha256(document)),
        )
        payload = json.dumps({"sha256": sha256(document)})
        made = digest_of(FIRST_HASH, 1, job.uid, 1, "revision", "revision 1", payload, "Marn", "2026-02-01", None)
        c.execute(
            "INSERT INTO entry VALUES (1, ?, 1, 'revision', 'revision 1', ?, 'Marn', '2026-02-01', NULL, ?, ?)",
            (job.uid, payload, FIRST_HASH, made),
        )
    register = Register(path)
    assert register.verify() == ()
    assert [e.kind for e in register.entries(job.uid)] == ["revision", "bound"]
    assert [f.serial for f in register.find("lunnick")] == ["TT-2026-0001"]
    assert register.add(job, "weld", "S1", {}, "Marn").revision == 1
    register.close()
    assert path.with_name("register.sqlite.before-0003").is_file()
    with sqlite3.connect(path) as c:
        c.execute("DROP TRIGGER keep_revision_update")
        c.execute("UPDATE revision SET customer = 'Another'")
    register = Register(path)
    assert any("customer" in b.reason for b in register.verify())
    register.close()


# -- copies ---------------------------------------------------------------------------------------------------------------


def filled(home, records=3):
    register = Register(home / "register.sqlite")
    for k in range(records):
        register.add(jobs.trolley(), "weld", f"S{k}", {}, "Marn")
    head = register.head()
    register.close()
    return home / "register.sqlite", head


def test_a_copy_a_day_and_the_newest_thirty_are_kept(tmp_path):
    from datetime import date, timedelta

    path, head = filled(tmp_path)
    first = date(2026, 3, 1)
    for k in range(35):
        assert daily_copy(tmp_path, path, first + timedelta(days=k)) is not None
        assert daily_copy(tmp_path, path, first + timedelta(days=k)) is None
    kept = copies(tmp_path)
    assert len(kept) == 30
    assert kept[0].name == "register-2026-04-04.sqlite"
    copy = Register(kept[0], read_only=True)
    assert copy.head() == head
    copy.close()


@pytest.mark.parametrize(
    "harm",
    [
        lambda p: p.unlink(),
        lambda p: p.write_bytes(b""),
        lambda p: p.write_bytes(b"junk" * 5000),
        lambda p: p.write_bytes(p.read_bytes()[:9000]),
        lambda p: p.write_bytes(p.read_bytes()[:4096] + b"\0" * (p.stat().st_size - 4096)),
        lambda p: (p.unlink(), p.mkdir()),
        lambda p: (p.unlink(), _foreign(p)),
    ],
)
def test_a_copy_is_brought_back_after_each_kind_of_damage_and_what_was_there_is_set_aside(tmp_path, harm):
    path, head = filled(tmp_path)
    copy = daily_copy(tmp_path, path)
    there = path.exists()
    harm(path)
    done = restore(copy, path)
    assert done.head == head
    assert done.was == head
    register = Register(path)
    assert register.verify(head) == ()
    assert register.add(jobs.trolley(), "weld", "S9", {}, "Marn").id == head.count + 1
    assert register.verify() == ()
    register.close()
    assert there
    assert done.aside is not None
    assert done.aside.exists() or done.aside.name.endswith(".heads")


def test_a_copy_that_does_not_hold_is_not_brought_back(tmp_path):
    path, head = filled(tmp_path)
    bad = copy_file(path, tmp_path / "bad.sqlite")
    with sqlite3.connect(bad) as c:
        c.execute("DROP TRIGGER keep_entry_update")
        c.execute("UPDATE entry SET who = 'x' WHERE id = 3")
    with pytest.raises(RegisterError, match="nothing was changed"):
        restore(bad, path)
    register = Register(path)
    assert register.head() == head
    register.close()
    assert set_aside(path) is not None
    assert not path.exists()


def test_the_commands_copy_bring_back_and_check(tmp_path, monkeypatch, capsys):
    monkeypatch.setenv("BATHYX_HOME", str(tmp_path))
    path, head = filled(tmp_path)
    assert main(["backup"]) == 0
    copy = capsys.readouterr().out.strip()
    assert main(["backup", copy]) == 1
    path.unlink()
    assert main(["verify"]) == 1
    assert main(["restore", copy]) == 0
    capsys.readouterr()
    assert main(["verify", "--expect", head.short]) == 0
    assert head.short in capsys.readouterr().out
    assert main(["verify", "--expect", "99:" + "0" * 16]) == 1
    assert main(["verify", "--expect", "3:" + "0" * 16]) == 1
    assert main(["verify", "--expect", "three"]) == 1
    assert "looks like" in capsys.readouterr().err


# -- the shop's key -------------------------------------------------------------------------------------------------------


def test_the_key_is_made_once_kept_close_and_signs(tmp_path):
    key = make_key(tmp_path)
    assert (tmp_path / "shop.key").stat().st_mode & 0o077 == 0
    with pytest.raises(ShopKeyError, match="there already"):
        make_key(tmp_path)
    again = shop_key(tmp_path)
    assert again.public == key.public
    mark = again.sign("words")
    assert signed_by(key.public, "words", mark)
    assert not signed_by(key.public, "wordz", mark)
    assert not signed_by(make_key(tmp_path / "other").public, "words", mark)
    assert not signed_by(key.public, "words", "short")
    (tmp_path / "shop.key").write_text("junk")
    with pytest.raises(ShopKeyError, match="is no key"):
        shop_key(tmp_path)


def test_ed25519_as_published():
    """RFC 8032, section 7.1, test 2: from memory; held here against the signature the library makes."""
    from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PrivateKey

    secret = bytes.fromhex("4ccd089b28ff96da9db6c346ec114e0f5b8a319f35aba624da8cf6ed4fb8a6fb")
    made = Ed25519PrivateKey.from_private_bytes(secret).sign(b"\x72").hex()
    assert made.startswith("92a009a9f0d4cab8720e820b5f642540a2b27b5416503f8fb3762223ebdb69da")


def test_heads_signed_by_another_are_found(tmp_path):
    key, other = make_key(tmp_path), make_key(tmp_path / "other")
    register = Register(tmp_path / "r.sqlite", key=key)
    register.add(jobs.trolley(), "weld", "S1", {}, "Marn")
    assert register.verify(public=key.public) == ()
    register.key = other
    register.add(jobs.trolley(), "weld", "S2", {}, "Marn")
    assert [b.entry_id for b in register.verify(public=key.public)] == [4]
    register.close()
