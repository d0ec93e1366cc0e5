"""A register on a server: four benches at once, the server killed in the middle, a network that drops, a bench's rights."""

import contextlib
import multiprocessing
import socket
import threading
import time

import pytest

from bathyx.core.build.trial import terms_for
from bathyx.core.evaluate import evaluate
from bathyx.demo import jobs
from bathyx.instruments.shop_gauges import SIMULATED_KIND
from bathyx.register import JobRecord, Register, RegisterAway, RegisterError, record_of
from bathyx.register.bench.served import ServedRegister
from bathyx.register.opening.roles import ROLES_SQL
from tests.conftest import kept_test

pytestmark = pytest.mark.usefixtures("postgres")
JOB = jobs.trolley()


def until(true, seconds=60.0):
    for _ in range(int(seconds / 0.05)):
        if true():
            return True
        time.sleep(0.05)
    return False


class Wire:
    """A network between bench and server that can be cut, and mended."""

    def __init__(self, port):
        self.to, self.cut, self.pairs = port, False, []
        self.door = socket.create_server(("127.0.0.1", 0))
        self.port = self.door.getsockname()[1]
        threading.Thread(target=self._serve, daemon=True).start()

    def _serve(self):
        while True:
            try:
                near, _ = self.door.accept()
            except OSError:
                return
            if self.cut:
                near.close()
                continue
            far = socket.create_connection(("127.0.0.1", self.to))
            self.pairs.append((near, far))
            for a, b in ((near, far), (far, near)):
                threading.Thread(target=self._carry, args=(a, b), daemon=True).start()

    def _carry(self, a, b):
        with contextlib.suppress(OSError):
            while data := a.recv(65536):
                while self.cut == "silent":
                    time.sleep(0.05)
                b.sendall(data)
        for end in (a, b):
            with contextlib.suppress(OSError):
                end.close()

    def drop(self, how="closed"):
        self.cut = how
        if how == "closed":
            for pair in self.pairs:
                for end in pair:
                    with contextlib.suppress(OSError):
                        end.shutdown(socket.SHUT_RDWR)

    def mend(self):
        self.cut = False


@pytest.fixture
def wire(postgres, postgres_database):
    made = Wire(postgres.port)
    made.url = postgres_database.replace(f":{postgres.port}/", f":{made.port}/")
    yield made
    made.door.close()


def _bench(url, home, name, count, failed):
    try:
        bench = ServedRegister(url, home, again_s=0.2)
        for k in range(count):
            bench.add(JOB, "weld", f"{name}-{k}", {"n": k}, name)
        if not until(lambda: not bench.away and not bench.waiting, 60):
            failed.put(f"{name}: {bench.waiting} still wait")
        bench.close()
    except Exception as error:
        failed.put(f"{name}: {type(error).__name__} {error}")


def run_benches(url, tmp_path, count, meanwhile=lambda: None):
    context = multiprocessing.get_context("fork")
    failed = context.Queue()
    benches = [context.Process(target=_bench, args=(url, tmp_path / f"b{k}", f"b{k}", count, failed)) for k in range(4)]
    for p in benches:
        p.start()
    meanwhile()
    for p in benches:
        p.join(300)
    assert failed.empty() or failed.get() == ""
    register = Register(url)
    made = [e.subject for e in register.entries(JOB.uid) if e.kind == "weld"]
    assert sorted(made) == sorted(f"b{b}-{k}" for b in range(4) for k in range(count))
    assert register.verify() == ()
    assert register.head().count == 2 + 4 * count
    for b in range(4):  # each bench's own records came in the order it made them
        assert [s for s in made if s.startswith(f"b{b}-")] == [f"b{b}-{k}" for k in range(count)]
    kept = sum("made_at" in e.payload for e in register.entries(JOB.uid))
    register.close()
    return kept


def test_four_benches_at_once_lose_nothing_and_double_nothing(postgres_database, tmp_path):
    run_benches(postgres_database, tmp_path, 80)


def test_a_server_killed_in_the_middle_and_come_back(postgres, postgres_database, tmp_path):
    def kill():
        watching = Register(postgres_database)
        assert until(lambda: watching.head().count > 40)  # in the middle of 202, however fast the machine is
        watching.close()
        postgres.kill()
        time.sleep(0.7)
        postgres.start()

    assert run_benches(postgres_database, tmp_path, 50, kill) > 0


@pytest.mark.parametrize("how", ["closed", "silent"])
def test_a_network_that_drops_keeps_records_here_and_hands_them_in(wire, tmp_path, how):
    bench = ServedRegister(wire.url, tmp_path, again_s=0.2)
    changes = []
    bench.on_change = lambda: changes.append((bench.away, bench.waiting))
    bench.add(JOB, "weld", "S1", {}, "Marn")
    assert record_of(bench, evaluate(JOB)).seam_state("S1") == "welded"
    wire.drop(how)
    slowest = 0.0
    for k in range(2, 6):
        began = time.monotonic()
        entry = bench.add(JOB, "weld", f"S{k}", {}, "Marn")
        slowest = max(slowest, time.monotonic() - began)
        assert entry.kept_here
    assert slowest < 5  # 0.45 s of waiting for an answer; the rest is for a loaded machine
    leak = bench.add(JOB, "leak", "S1", {}, "Marn")
    bench.add(JOB, "leak", "S1", {"note": "on S2"}, "Marn", corrects=leak.id)
    record = JobRecord.of(bench.entries(JOB.uid))
    assert [record.seam_state(f"S{k}") for k in (1, 2, 5)] == ["leaks", "welded", "welded"]
    assert bench.away
    assert bench.waiting >= 5
    bench.close()
    # The machine at the bench goes down too; the journal is on its disk.
    again = ServedRegister(wire.url, tmp_path, again_s=0.2)
    assert again.waiting >= 5
    with pytest.raises(RegisterAway, match="begun only while"):
        again.add(JOB, "hold", "tank", {}, "Marn")
    wire.mend()
    assert until(lambda: not again.away and not again.waiting)
    entries = again.entries(JOB.uid)
    assert [e.subject for e in entries if e.kind == "weld"] == ["S1", "S2", "S3", "S4", "S5"]
    leaks = [e for e in entries if e.kind == "leak"]
    assert [leaks[0].corrects, leaks[1].corrects] == [None, leaks[0].id]
    assert leaks[0].payload["made_at"]
    assert again.verify() == ()
    assert any(away for away, _ in changes)
    assert list(tmp_path.glob("journal-*.handed-*.jsonl"))
    again.close()


def test_a_hold_goes_on_while_the_server_is_away(wire, tmp_path):
    bench = ServedRegister(wire.url, tmp_path, again_s=0.2)
    e = evaluate(JOB)
    terms = terms_for(e, JOB.proving.tests[0], gauge=SIMULATED_KIND, identity="SIM", simulated=True)
    hold = bench.add(JOB, "hold", "tank", terms.model_dump(mode="json"), "Marn")
    bench.add_readings(hold, [[0.0, 20.0, 18.0, 101.0]], "Marn")
    assert len(bench.readings(hold)) == 1
    wire.drop()
    bench.add_readings(hold, [[1.0, 20.0, 18.0, 101.0]], "Marn")
    assert len(bench.readings(hold)) == 2
    test = bench.add_test(JOB, hold, {"hold": hold.id, "verdict": "tight"}, "Marn")
    assert test.kept_here
    assert bench.entries(JOB.uid)[-1].kind == "test"
    # Meanwhile another bench, which still has the server, finishes the same hold.
    other = Register(wire.url.replace(str(wire.port), str(wire.to)))
    other.add_test(JOB, hold, {"hold": hold.id, "verdict": "leaks"}, "Pell")
    wire.mend()
    assert until(lambda: not bench.away and not bench.waiting)
    assert len(other.readings(hold)) == 2
    kinds = [(e.kind, e.who) for e in other.entries(JOB.uid) if e.kind in ("test", "note")]
    assert kinds == [("test", "Pell"), ("note", "Marn")]  # not lost: on record as what could not be handed in
    assert any("already" in said for said in bench.refused)
    other.close()
    bench.close()


def test_a_paper_printed_while_the_server_is_away_says_so(wire, tmp_path):
    """Another bench may have marked a leak meanwhile: "tight" is only as good as what was last read."""
    from pypdf import PdfReader

    from bathyx.core.units import Family
    from bathyx.papers.seal import sealed
    from bathyx.papers.test_record import write_test_record

    bench = ServedRegister(wire.url, tmp_path, again_s=0.2)
    kept_test(bench, JOB, method="decay", held_s=3600.0)
    assert "OFFLINE" not in sealed(record_of(bench, evaluate(JOB)), "x", JOB.uid)
    wire.drop()
    bench.add(JOB, "note", "note", {"text": "here"}, "Marn")
    record = record_of(bench, evaluate(JOB))
    assert ";NOT PROVEN OFFLINE;" in sealed(record, "x", JOB.uid)
    path = write_test_record(evaluate(JOB), record, "x", tmp_path / "t.pdf", Family.METRIC)
    assert "records as last read" in PdfReader(path).pages[0].extract_text()
    bench.close()


def test_what_the_server_cannot_take_now_waits_and_is_tried_again(wire, tmp_path, monkeypatch):
    """A full disk on the server is no reason to give a record up."""
    bench = ServedRegister(wire.url, tmp_path, again_s=0.1)
    bench.add(JOB, "weld", "S1", {}, "Marn")
    wire.drop()
    bench.add(JOB, "weld", "S2", {}, "Marn")
    real, tries = Register.add, []

    def full(*arguments, **more):
        tries.append(1)
        if len(tries) < 4:
            raise RegisterError("nothing was written: the disk is full", "full")
        return real(*arguments, **more)

    monkeypatch.setattr(Register, "add", full)
    wire.mend()
    assert until(lambda: not bench.away and not bench.waiting)
    assert len(tries) >= 4
    assert [e.subject for e in bench.entries(JOB.uid) if e.kind == "weld"] == ["S1", "S2"]
    assert bench.refused == []
    bench.close()


def test_a_server_that_goes_again_and_again_is_found_each_time(wire, tmp_path):
    bench = ServedRegister(wire.url, tmp_path, again_s=0.02)
    for k in range(12):
        wire.drop()
        bench.add(JOB, "weld", f"S{k}", {}, "Marn")
        wire.mend()
        assert until(lambda: not bench.away and not bench.waiting), k
        bench.add(JOB, "weld", f"T{k}", {}, "Marn")
    assert until(lambda: not bench.away and not bench.waiting)
    made = [e.subject for e in bench.entries(JOB.uid) if e.kind == "weld"]
    assert made == [f"{letter}{k}" for k in range(12) for letter in "ST"]
    bench.close()


def test_a_server_that_is_away_at_the_start(postgres_database, postgres, tmp_path):
    wire = Wire(postgres.port)
    wire.drop()
    url = postgres_database.replace(f":{postgres.port}/", f":{wire.port}/")
    bench = ServedRegister(url, tmp_path, again_s=0.2)
    assert bench.entries(JOB.uid) == ()
    assert bench.serial(JOB.uid) is None
    with pytest.raises(RegisterAway):
        bench.find("x")
    assert bench.add(JOB, "weld", "S1", {}, "Marn").kept_here
    wire.mend()
    assert until(lambda: not bench.away and not bench.waiting)
    assert bench.serial(JOB.uid) == "TT-2026-0001"
    bench.close()
    wire.door.close()


def test_a_bench_may_add_and_read_and_never_change(postgres, postgres_database):
    Register(postgres_database).close()
    database = postgres_database.rpartition("/")[2]
    with contextlib.suppress(Exception):
        postgres.sql("CREATE ROLE bathyx_bench NOLOGIN")
    for line in ROLES_SQL.splitlines():
        if line and not line.startswith(("--", "CREATE ROLE")):
            postgres.sql(line.rstrip(";"), database)
    with contextlib.suppress(Exception):
        postgres.sql("CREATE ROLE bench_1 LOGIN IN ROLE bathyx_bench")
    bench = Register(postgres.url(database, "bench_1"))
    bench.add(JOB, "weld", "S1", {}, "Marn")
    assert bench.verify() == ()
    assert bench.restored == ()
    bench.close()
    for statement in (
        "UPDATE entry SET who = 'x'",
        "DELETE FROM entry",
        "TRUNCATE entry",
        "DROP TABLE entry",
        "ALTER TABLE entry DISABLE TRIGGER ALL",
        "DROP TRIGGER follow_entry ON entry",
        "CREATE OR REPLACE FUNCTION bathyx_keep() RETURNS trigger AS $$ BEGIN RETURN NEW; END $$ LANGUAGE plpgsql",
        "UPDATE alembic_version SET version_num = 'x'",
    ):
        with pytest.raises(Exception, match=r"permission denied|must be owner"):
            postgres.sql(statement, database, "bench_1")
    for statement in (
        "UPDATE entry SET who = 'x'",
        "DELETE FROM job",
        "TRUNCATE entry CASCADE",
    ):  # the owner by mistake
        with pytest.raises(Exception, match="only ever added"):
            postgres.sql(statement, database)


@pytest.mark.parametrize(
    ("url", "says"),
    [
        ("mysql://a@b/c", "not on mysql"),
        ("postgresql://", "cannot be reached"),
        ("nonsense://x", "a file or on PostgreSQL"),
    ],
)
def test_a_url_that_is_none_is_refused_in_words(url, says):
    with pytest.raises(RegisterError, match=says):
        Register(url)


def test_the_bench_says_what_is_kept_here_until_the_server_is_back(wire, tmp_path, monkeypatch, qtbot):
    from bathyx.desk.start import open_window
    from bathyx.desk.theme import load_fonts
    from bathyx.register.bench import served

    monkeypatch.setenv("BATHYX_REGISTER", wire.url)
    monkeypatch.setattr(served, "TRY_AGAIN_S", 0.2)
    load_fonts()
    home = tmp_path / "home"
    window = open_window(home)
    qtbot.waitUntil(lambda: hasattr(window, "pages"))
    bench = window.bench
    bench.start_new()
    bench.who = "Asta"
    assert bench.add_record("weld", "S1", {"edge": "bottom/rear"})
    assert bench.serial == "BX-2026-0001" or bench.serial.startswith("BX-")
    wire.drop()
    assert bench.add_record("weld", "S2", {"edge": "top/rear"})
    qtbot.waitUntil(lambda: "Kept here until the server is back: 1 of your records" in window.notices.text_of("server"))
    assert bench.edit({"tank.height_mm": 260.0}, "lower")
    for k in range(8):
        window.choose(k)
    assert [e.subject for e in bench.record.all_entries if e.kind == "weld"] == ["S1", "S2"]
    wire.mend()
    qtbot.waitUntil(lambda: not window.notices.text_of("server"))
    assert not any(e.kept_here for e in bench.record.all_entries)
    assert list(home.glob("heads-*.jsonl"))
    window.close()


def test_what_was_booked_is_read_from_the_server_and_as_last_read_while_it_is_away(wire, tmp_path):
    bench = ServedRegister(wire.url, tmp_path, answer_s=30.0, again_s=0.2)
    row = {"title": 'Weld, "minutes" and 100 %', "work": "weld", "estimated": 90.0, "minutes": 120.0}
    wrong = bench.add(JOB, "tick", "weld", row | {"minutes": 1.0}, "Marn")
    bench.add(JOB, "tick", "weld", row, "Marn", wrong.id)
    bench.add(JOB, "tick", "cut", {"title": "Cut"}, "Marn")
    assert [r["minutes"] for r in bench.booked()] == [120.0]
    wire.drop()
    assert [r["minutes"] for r in bench.booked()] == [120.0]
    bench.close()


def test_a_server_refuses_an_entry_with_a_false_hash_and_takes_every_letter(postgres_database):
    """A bench's role may insert: what it puts in follows the chain, and would break it for ever."""
    from sqlalchemy import text

    from bathyx.register.ledger.chain import digest_of

    register = Register(postgres_database)
    letters = "".join(chr(k) for k in range(1, 0x300)) + '\u2028\u2029\u3042\U0001f6e2"\\'
    for note in (letters, "", "\\u0041", '{"a": 1}'):
        register.add(JOB, "note", note[:40].strip() or "n", {"text": note}, "Ma\u2028rn")
    head = register.head()
    told = {"id": head.count + 1, "uid": JOB.uid, "revision": 1, "kind": "test", "subject": "tank", "payload": "{}", "who": "Marn",
            "at": "2026-01-01T00:00:00+00:00", "corrects": None, "previous": head.hash}  # fmt: skip
    right = digest_of(
        head.hash, *[told[k] for k in ("id", "uid", "revision", "kind", "subject", "payload", "who", "at", "corrects")]
    )
    put = text(
        "INSERT INTO entry (id, job_uid, revision, kind, subject, payload, who, at, corrects, previous_hash, hash) "
        "VALUES (:id, :uid, :revision, :kind, :subject, :payload, :who, :at, :corrects, :previous, :hash)"
    )
    for false in ("0" * 64, right.upper(), right[:-1] + ("0" if right[-1] != "0" else "1")):
        with pytest.raises(RegisterError, match="carry the hash"), register.place.writing() as connection:
            connection.execute(put, told | {"hash": false})
    assert register.head() == head
    assert register.verify() == ()
    with register.place.writing() as connection:
        connection.execute(put, told | {"hash": right})
    assert register.verify() == ()
    register.close()


def test_a_server_of_an_earlier_bathyx_gets_the_new_guard(postgres_database):
    from sqlalchemy import text

    register = Register(postgres_database)
    register.add(JOB, "weld", "S1", {}, "Marn")
    with register.place.writing() as connection:
        connection.execute(text("UPDATE alembic_version SET version_num = '0002'"))
        connection.execute(
            text(
                "CREATE OR REPLACE FUNCTION bathyx_follow() RETURNS trigger AS $$ BEGIN RETURN NEW; END $$ LANGUAGE plpgsql"
            )
        )
    register.close()
    again = Register(postgres_database)
    assert again.verify() == ()
    again.add(JOB, "weld", "S2", {}, "Marn")
    again.close()
