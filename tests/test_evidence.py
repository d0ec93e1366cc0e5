"""Records that go through every store letter by letter, and evidence of the past that does not wear off."""

import itertools
import json
import os
import shutil
import sqlite3
import subprocess
import sys
from types import SimpleNamespace

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from sqlalchemy.exc import OperationalError

from bathyx.cli import main
from bathyx.core.job import read_job
from bathyx.demo import jobs
from bathyx.papers.seal import read_seal, sealed
from bathyx.register import JobRecord, Register
from bathyx.register.bench.journal import Journal
from bathyx.register.errors import RegisterError
from bathyx.register.ledger.chain import Head
from bathyx.register.ledger.heads import HeadsFile, thinned
from bathyx.register.ledger.keys import make_key
from bathyx.register.opening.copies import copy_file
from bathyx.register.opening.restore import restore
from bathyx.studies import KINDS, Running

JOB = jobs.trolley()
TEXT = st.text(st.characters(exclude_categories=("Cs",)), max_size=40)
ENDS_OF_LINES = "\u2028\u2029\u0085\x0b\x0c\x1c\x1d\x1e\r\n"


def record(token, note):
    return {"token": token, "kind": "note", "subject": "note", "payload": {"text": note}, "stand_in": 1}


@given(st.lists(TEXT, min_size=1, max_size=5), st.sampled_from(["", *ENDS_OF_LINES]))
@settings(max_examples=80, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
def test_any_note_is_read_again_from_a_bench_journal(tmp_path, notes, end):
    path = tmp_path / "journal.jsonl"
    path.unlink(missing_ok=True)
    journal = Journal(path)
    for k, note in enumerate(notes):
        journal.put(record(str(k), note + end + note))
    assert [r["payload"]["text"] for r in Journal(path).pending] == [note + end + note for note in notes]


def test_a_journal_of_an_earlier_bathyx_with_such_letters_is_read(tmp_path):
    path = tmp_path / "journal.jsonl"
    lines = [json.dumps(record(str(k), f"a{c}b"), ensure_ascii=False) for k, c in enumerate("\u2028\u2029\u0085")]
    path.write_text("\n".join(lines) + "\n", "utf-8")
    assert len(Journal(path)) == 3


@pytest.mark.parametrize("bad", [b"[" * 100_000, b'{"done": []}', b'["token"]', b"\xff\xfe", b'{"token": {}}', b"NaN"])
def test_a_line_that_is_none_of_ours_costs_no_other(tmp_path, bad):
    path = tmp_path / "journal.jsonl"
    good = json.dumps(record("1", "kept")).encode()
    path.write_bytes(bad + b"\n" + good + b"\n")
    assert [r["token"] for r in Journal(path).pending if isinstance(r["token"], str)] == ["1"]


@given(TEXT, TEXT, TEXT)
@settings(max_examples=40, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
def test_any_text_goes_through_register_job_file_and_code(tmp_path, note, customer, name):
    register = Register(tmp_path / "r.sqlite")
    try:
        entry = register.add(JOB, "note", "note", {"text": note}, "Marn")
        assert next(e for e in register.entries(JOB.uid) if e.id == entry.id).payload["text"] == note
        assert register.verify() == ()
    finally:
        register.close()
    try:
        job = JOB.edited_many({"brief.customer": customer, "brief.name": name or "x"})
    except ValueError:
        return  # what a job refuses, it refuses in words
    assert read_job(job.to_json()) == job
    assert read_seal(sealed(JobRecord.of(()), customer or "none", name or "none")).state == "NOT PROVEN"


# -- heads ---------------------------------------------------------------------------------------------------------------


def test_heads_thin_out_and_are_never_all_gone(tmp_path):
    """Two thousand records later an older copy in the register's place is still found, whatever its age."""
    heads = HeadsFile(tmp_path / "r.heads")
    for k in range(1, 4001):
        heads.note(Head(k, f"{k:064x}"), "2026-01-01T00:00:00+00:00", **({"restored_from": "a copy"} if k == 3 else {}))
    known = [h.count for h in heads.known()]
    assert len(known) < 1000
    assert heads.path.stat().st_size < 80_000
    assert known == sorted(known)
    assert known[0] == 1
    assert len(heads.restored) == 1
    for age in (1, 50, 99, 200, 500, 1000, 2000, 3900):
        older = [c for c in known if c > 4000 - age]
        assert older, "an older copy of this age would not be found"
        assert min(abs(4000 - c - age) for c in known) <= max(1, age * 0.12)


def test_junk_before_the_newest_head_hides_none(tmp_path):
    heads = HeadsFile(tmp_path / "r.heads")
    heads.note(Head(1, "1" * 64), "2026-01-01T00:00:00+00:00")
    with heads.path.open("ab") as file:
        file.write(b"x" * 700_000 + b"\n")
    with heads.path.open("ab") as file:
        file.write(json.dumps({"count": 9, "hash": "9" * 64}).encode() + b"\n")
    assert heads.last == Head(9, "9" * 64)
    heads.note(Head(10, "a" * 64), "2026-01-01T00:00:00+00:00")
    assert [h.count for h in heads.known()] == [1, 9, 10]
    assert heads.path.stat().st_size < 1000


def test_thinning_again_and_again_keeps_the_oldest():
    lines = [json.dumps({"count": k, "hash": f"{k:064x}"}).encode() for k in range(1, 301)]
    text = b"\n".join(lines)
    for k in range(301, 1500):
        text = thinned(text + b"\n" + json.dumps({"count": k, "hash": f"{k:064x}"}).encode())
    counts = [json.loads(line)["count"] for line in text.split(b"\n") if line]
    assert counts[0] == 1
    assert len(counts) < 250
    assert max(b - a for a, b in itertools.pairwise(counts)) < 400


BAD_LINES = (
    b'{"count": Infinity, "hash": "aa"}',
    b"[" * 50_000,
    b'{"count": 1e400, "hash": "x"}',
    b"null",
    b"\xff",
    b'{"count": true}',
    b'{"count": -1, "hash": "' + b"0" * 64 + b'"}',
)


@pytest.mark.parametrize("bad", BAD_LINES)
def test_a_bad_line_among_the_heads_locks_nobody_out_and_is_said(tmp_path, bad):
    path = tmp_path / "r.sqlite"
    register = Register(path)
    register.add(JOB, "weld", "S1", {}, "Marn")
    register.close()
    with path.with_name("r.sqlite.heads").open("ab") as file:
        file.write(bad + b"\n")
    register = Register(path)
    assert [b.reason for b in register.verify()] == ["1 lines of the file of heads r.sqlite.heads are none of Bathyx's"]
    register.add(JOB, "weld", "S2", {}, "Marn")
    register.close()
    copy = copy_file(path, tmp_path / "copy.sqlite")
    assert restore(copy, path).head.count == 4


def test_with_a_key_heads_that_are_unsigned_missing_or_emptied_are_said(tmp_path):
    key, path = make_key(tmp_path), tmp_path / "r.sqlite"
    heads = path.with_name("r.sqlite.heads")
    register = Register(path)
    register.add(JOB, "weld", "S1", {}, "Marn")  # before the shop had a key
    assert any("no head" in b.reason for b in register.verify(public=key.public))
    register.key = key
    register.add(JOB, "weld", "S2", {}, "Marn")
    assert register.verify(public=key.public) == ()
    register.key = None
    register.add(JOB, "weld", "S3", {}, "Marn")
    assert [b.entry_id for b in register.verify(public=key.public)] == [5]
    heads.write_bytes(b"")
    assert any("missing or empty" in b.reason for b in register.verify(public=key.public))
    heads.unlink()
    assert any("missing or empty" in b.reason for b in register.verify(public=key.public))
    register.close()


def test_a_copy_that_was_brought_back_stays_visible_and_its_own_past_is_still_known(tmp_path, capsys):
    path = tmp_path / "r.sqlite"
    register = Register(path)
    register.add(JOB, "weld", "S1", {}, "Marn")
    early = copy_file(path, tmp_path / "early.sqlite")
    for k in range(2, 6):
        register.add(JOB, "weld", f"S{k}", {}, "Marn")
    later = copy_file(path, tmp_path / "later.sqlite")
    for k in range(6, 9):
        register.add(JOB, "weld", f"S{k}", {}, "Marn")
    register.close()
    assert restore(later, path).head.count == 7
    assert restore(early, path).head.count == 3
    register = Register(path)
    for k in range(400):
        register.add(JOB, "note", "note", {"text": str(k)}, "Marn")
    assert register.verify() == ()
    assert [("later.sqlite" in w, "early.sqlite" in w) for w in register.restored] == [(True, False), (False, True)]
    register.close()
    assert main(["verify", str(path)]) == 0
    assert "'early.sqlite', up to record 3, in place of what stood at '7:" in capsys.readouterr().out
    assert HeadsFile(path.with_name("r.sqlite.heads")).known()[0].count == 3


@pytest.mark.parametrize(("free", "kind"), [(0, "full"), (10**9, "damaged")])
def test_a_disk_without_room_is_not_called_a_damaged_register(tmp_path, monkeypatch, free, kind):
    register = Register(tmp_path / "r.sqlite")
    monkeypatch.setattr(shutil, "disk_usage", lambda path: SimpleNamespace(free=free))
    with pytest.raises(RegisterError) as caught, register.place.reading():
        raise OperationalError("SELECT 1", {}, sqlite3.OperationalError("disk I/O error"))
    assert caught.value.kind == kind
    register.close()


# -- children ------------------------------------------------------------------------------------------------------------


def test_a_study_imports_nothing_from_the_folder_it_happens_to_be_in(tmp_path, monkeypatch):
    """A folder of downloads with a `random.py`: a study that runs it would do whatever its maker wants."""
    from tests.test_studies import nest_inputs

    for name in ("random", "json", "numpy", "bathyx", "typing", "secrets", "sitecustomize"):
        (tmp_path / f"{name}.py").write_text(f"open({str(tmp_path / 'ran')!r}, 'a').write('{name} ')\n")
    monkeypatch.chdir(tmp_path)
    monkeypatch.setenv("PYTHONPATH", f"{os.environ.get('PYTHONPATH', '')}{os.pathsep}")  # an empty part means here, too
    ended = []
    running = Running(KINDS["nest"], nest_inputs(), lambda word, value: ended.append(word))
    running._process.wait(120)
    assert not (tmp_path / "ran").exists()
    code = (
        "import sys; from bathyx.studies.running import child_env; print(sorted(child_env()['PYTHONPATH'].split(':')))"
    )
    shown = subprocess.run(
        [sys.executable, "-P", "-c", code], capture_output=True, text=True, env=dict(os.environ)
    ).stdout
    assert str(tmp_path) not in shown
