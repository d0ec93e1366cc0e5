"""The register: added to, never changed; found again; a changed past is found out."""

import itertools
import re
import sqlite3
import threading
import time

import pytest
from sqlalchemy.exc import DatabaseError

from bathyx.demo import jobs
from bathyx.register import JobRecord, Register, RegisterError
from tests.conftest import kept_test


@pytest.fixture(params=["sqlite", "postgres"])
def register(tmp_path, request):
    days = itertools.count(1)
    where = tmp_path / "register.sqlite"
    if request.param == "postgres":
        where = request.getfixturevalue("postgres_database")
    opened = Register(where, now=lambda: f"2026-03-{next(days):02d}T10:00:00+00:00")
    yield opened
    opened.close()


def logged(register):
    job = jobs.trolley()
    register.add(job, "weld", "S1", {"amps": "160", "visual": "good"}, "Marn")
    register.add(job, "leak", "S1", {"share": 0.5}, "Pell")
    register.add(job, "repair", "S1", {"note": "ground out"}, "Marn")
    return job


def raw(register, *statements):
    """Go past Bathyx, as one would who has the file or the owner's name."""
    with register.place.engine.connect() as connection:
        for statement in statements:
            connection.exec_driver_sql(statement)
        connection.commit()


def unguarded(register):
    if register.path is None:
        return [f"ALTER TABLE {t} DISABLE TRIGGER USER" for t in ("job", "revision", "mark", "entry")]
    with sqlite3.connect(register.path) as connection:
        names = connection.execute("SELECT name FROM sqlite_master WHERE type = 'trigger'").fetchall()
    return [f"DROP TRIGGER {name}" for (name,) in names]


def test_the_first_record_freezes_revision_1_and_gives_a_serial(register):
    job = logged(register)
    assert register.serial(job.uid) == "TT-2026-0001"
    assert [e.kind for e in register.entries(job.uid)] == ["opening", "revision", "weld", "leak", "repair"]
    assert register.document(job.uid, 1) == job.to_json()


def test_a_changed_design_is_a_new_revision_and_records_keep_theirs(register):
    job = logged(register)
    later = job.edited("tank.height_mm", 280.0)
    entry = register.add(later, "weld", "S2", {}, "Marn")
    assert entry.revision == 2
    assert {e.revision for e in register.entries(job.uid) if e.subject == "S1"} == {1}
    assert register.freeze(later, "Marn") == 2


@pytest.mark.parametrize(
    "statement",
    ["UPDATE entry SET who = 'x'", "DELETE FROM entry", "UPDATE revision SET document = ''", "DELETE FROM job"],
)
def test_the_database_itself_refuses_to_change_or_delete(register, statement):
    logged(register)
    with pytest.raises(DatabaseError, match="only ever added"):
        raw(register, statement)
    assert register.verify() == ()


@pytest.mark.parametrize(
    ("tamper", "reason"),
    [
        ("UPDATE entry SET payload = '{}' WHERE id = 2", "was changed"),
        ("DELETE FROM entry WHERE id = 3", "missing|follow"),
        ("UPDATE revision SET document = '{}'", "document of revision 1"),
    ],
)
def test_a_past_changed_behind_the_triggers_is_found(register, tamper, reason):
    logged(register)
    raw(register, *unguarded(register), tamper)
    found = register.verify()
    assert found
    assert any(re.search(reason, b.reason) for b in found)


def test_a_record_needs_a_name_and_a_known_kind(register):
    with pytest.raises(RegisterError, match="name of who"):
        register.add(jobs.trolley(), "weld", "S1", {}, "  ")
    with pytest.raises(RegisterError, match="no record kind"):
        register.add(jobs.trolley(), "gossip", "S1", {}, "Marn")
    assert register.entries(jobs.trolley().uid) == ()


def test_a_correction_points_back_and_takes_the_old_entrys_place(register):
    job = logged(register)
    old = next(e for e in register.entries(job.uid) if e.kind == "weld")
    register.add(job, "weld", "S1", {"amps": "140", "visual": "good"}, "Marn", corrects=old.id)
    record = JobRecord.of(register.entries(job.uid))
    assert old.id not in {e.id for e in record.standing}
    assert len(record.all_entries) == 6
    with pytest.raises(RegisterError, match="not a record of this tank"):
        register.add(jobs.sawmill(), "weld", "S1", {}, "Marn", corrects=old.id)


@pytest.mark.parametrize(
    ("words", "fluid", "since", "until", "found"),
    [
        ("tt-2026-0002", "", "", "", ["Travelling sawmill reservoir"]),
        ("lunnick", "", "", "", ["Peat-railway trolley"]),
        ("", "hydraulic", "", "", ["Travelling sawmill reservoir"]),
        ("", "", "2026-03-05", "", ["Travelling sawmill reservoir"]),
        ("", "", "", "2026-03-02", ["Peat-railway trolley"]),
        ("nobody", "", "", "", []),
        ("", "", "", "", ["Travelling sawmill reservoir", "Peat-railway trolley"]),
    ],
)
def test_a_tank_is_found_by_serial_customer_fluid_or_date(register, words, fluid, since, until, found):
    logged(register)
    for _ in range(3):
        register._now()
    register.freeze(jobs.sawmill(), "Pell")
    assert [f.name for f in register.find(words, fluid, since, until)] == found


def test_seam_states_follow_the_log(register):
    job = logged(register)
    record = JobRecord.of(register.entries(job.uid))
    assert record.seam_state("S1") == "repaired"
    assert record.seam_state("S2") == "open"
    assert record.repairs("S1") == 1
    register.add(job, "weld", "S2", {"visual": "reject"}, "Marn")
    assert JobRecord.of(register.entries(job.uid)).seam_state("S2") == "leaks"


def test_a_weld_after_a_tight_test_unproves_the_tank(register):
    job = logged(register)
    kept_test(register, job)
    assert JobRecord.of(register.entries(job.uid)).proven is not None
    register.add(job, "weld", "S3", {}, "Marn")
    assert JobRecord.of(register.entries(job.uid)).proven is None


def test_a_tick_can_be_taken_back_by_another_entry(register):
    job = jobs.trolley()
    register.add(job, "tick", "cut", {}, "Marn")
    assert "cut" in JobRecord.of(register.entries(job.uid)).ticks
    register.add(job, "tick", "cut", {"done": False}, "Marn")
    assert "cut" not in JobRecord.of(register.entries(job.uid)).ticks


def test_a_register_that_is_no_database_is_refused_and_left_alone(tmp_path):
    path = tmp_path / "register.sqlite"
    path.write_bytes(b"this is not a database at all, it is a letter" * 30)
    with pytest.raises(RegisterError, match="not a readable register"):
        Register(path)
    assert path.read_bytes().startswith(b"this is not")


def test_a_newer_register_is_refused(tmp_path):
    register = Register(tmp_path / "r.sqlite")
    raw(register, "UPDATE alembic_version SET version_num = '0999'")
    register.close()
    with pytest.raises(RegisterError, match="newer Bathyx"):
        Register(tmp_path / "r.sqlite")


def test_two_benches_on_one_register_keep_one_chain(tmp_path):
    first, second = Register(tmp_path / "r.sqlite"), Register(tmp_path / "r.sqlite")
    for k in range(5):
        (first if k % 2 else second).add(jobs.trolley(), "weld", f"S{k}", {}, "Marn")
    assert first.verify() == ()
    assert len(second.entries(jobs.trolley().uid)) == 7


def test_a_weld_stays_with_its_edge_when_seams_are_numbered_anew(register):
    job = jobs.trolley()
    register.add(job, "weld", "S9", {"edge": "bottom/left end", "visual": "good"}, "Marn")
    record = JobRecord.of(register.entries(job.uid))
    assert record.seam_state("bottom/left end") == "welded"
    assert record.seam_state("S9") == "open"


def test_a_tight_test_proves_the_design_it_was_run_on_and_no_other(register):
    job = jobs.trolley()
    kept_test(register, job)
    assert register.revision_of(job) == (1, True)
    assert JobRecord.of(register.entries(job.uid), register.same_build(job)).proven is not None
    changed, renamed = job.edited("tank.height_mm", 250.0), job.edited("brief.customer", "The next owner")
    assert register.revision_of(changed) == register.revision_of(renamed) == (1, False)
    assert JobRecord.of(register.entries(job.uid), register.same_build(changed)).proven is None
    assert JobRecord.of(register.entries(job.uid), register.same_build(renamed)).proven is not None
    assert register.revision_of(jobs.dairy()) == (0, False)


def test_the_records_are_checked_while_others_write(register, tmp_path):
    """What is read by and by must be of one moment: a tank opened in the middle of a check is no forged one."""
    stop, failed = threading.Event(), []
    job = jobs.trolley()

    def write():
        k = 0
        while not stop.is_set():
            k += 1
            try:
                register.add(job.model_copy(update={"uid": f"tank-number-{k}"}), "weld", "S1", {}, "Marn")
            except Exception as error:
                failed.append(error)
                return

    writer = threading.Thread(target=write)
    writer.start()
    try:
        until = time.monotonic() + 180
        checks = 0
        while not failed and time.monotonic() < until and (checks < 12 or register.head().count <= 10):
            assert register.verify() == ()
            checks += 1
    finally:
        stop.set()
        writer.join()
    assert failed == []
    assert checks >= 12
    assert register.head().count > 10
