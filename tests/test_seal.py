"""The seal of a paper: read back from the PDF, checked against the register and the shop's key, and refused when changed."""

import json
from datetime import date

import pytest
from pypdf import PdfReader

from bathyx.cli import main
from bathyx.core.evaluate import evaluate
from bathyx.core.units import Family
from bathyx.demo import jobs
from bathyx.demo.seed import build_and_prove
from bathyx.papers.export import export_all
from bathyx.papers.folder import write_all
from bathyx.papers.seal import SealError, read_seal, sealed
from bathyx.papers.test_record import write_test_record
from bathyx.register import Register, record_of
from bathyx.register.ledger.keys import make_key


@pytest.fixture
def shop(tmp_path, monkeypatch):
    monkeypatch.setenv("BATHYX_HOME", str(tmp_path))
    key = make_key(tmp_path)
    register = Register(tmp_path / "register.sqlite", key=key)
    build_and_prove(register, jobs.sawmill(), "S2")
    yield tmp_path, register, key
    register.close()


def test_a_paper_carries_the_head_it_was_printed_under(shop):
    home, register, key = shop
    job = jobs.sawmill()
    record = record_of(register, evaluate(job))
    path = write_test_record(evaluate(job), record, "TT-2026-0001", home / "t.pdf", Family.METRIC)
    text = "".join(p.extract_text() for p in PdfReader(path).pages)
    assert register.head().short in text
    assert key.public in text
    for name in ("traveller.pdf", "cut-list.pdf", "dip-table.pdf", "test-record.pdf"):
        folder = home / "out"
        if not folder.exists():
            write_all(folder, lambda f: export_all(evaluate(job), f, Family.METRIC, record, "TT-2026-0001"))
        for page in PdfReader(folder / name).pages:
            assert f"records up to {record.head.short}" in page.extract_text()
    assert json.loads((home / "out" / "figures.json").read_text())["records"] == str(record.head)
    assert any(image.name for page in PdfReader(path).pages for image in page.images)


def test_a_seal_is_checked_by_its_reader(shop, capsys):
    _, register, key = shop
    job = jobs.sawmill()
    serial = register.serial(job.uid)
    said = sealed(record_of(register, evaluate(job)), serial, job.uid)
    seal = read_seal(said)
    assert seal.state == "TIGHT SIMULATED"
    assert seal.good(key.public)
    assert len(said) < 250  # a QR code that a phone reads from a plate
    where = str(register.path)
    assert main(["check-paper", said, "--public", key.public, "--register", where]) == 0
    assert "holds all that was on record" in capsys.readouterr().out
    register.add(job, "note", "note", {"text": "later"}, "Marn")
    assert main(["check-paper", said, "--register", where]) == 0
    for changed in (
        said.replace(serial, "TT-2026-0009"),
        said.replace("TIGHT SIMULATED", "TIGHT"),
        said.replace(seal.head.short, f"{seal.head.count}:" + "0" * 16),
    ):
        assert main(["check-paper", changed, "--public", key.public, "--register", where]) == 1
    unsigned = said.rpartition(";")[0]
    assert main(["check-paper", unsigned]) == 1
    assert "not signed: anybody could have made this text" in capsys.readouterr().out
    assert main(["check-paper", said]) == 0
    assert "not looked at: whether serial, state" in capsys.readouterr().out


def test_forged_papers_are_found_or_said_to_be_beyond_finding(shop, capsys, monkeypatch):
    """Each is a text that somebody made; with the register alone, since a forger without the key cannot sign."""
    home, register, key = shop
    day = date.today().isoformat()
    where = str(register.path)
    done = jobs.sawmill()
    register.add(jobs.dairy(), "note", "note", {"text": "begun"}, "Marn")  # on record, and never tested
    head = register.head().short
    never, serial = register.serial(jobs.dairy().uid), register.serial(done.uid)
    early = f"1:{register.hash_of(1)[:16]}"
    forged = [
        f"BATHYX2;{never};{jobs.dairy().uid};TIGHT;{head};{day}",
        f"BATHYX2;{serial};{done.uid};TIGHT;{head};{day}",  # it was the simulated gauge
        f"BATHYX2;{serial};{done.uid};TIGHT SIMULATED;{early};{day}",  # before there was a test
        f"BATHYX2;{serial};{done.uid};TIGHT SIMULATED;{head};2099-12-31",
        f"BATHYX2;{serial};{done.uid};TIGHT SIMULATED;{head};1999-12-31",
        f"BATHYX2;{serial};{done.uid};TIGHT SIMULATED;0:{'0' * 64};{day}",
        f"BATHYX2;TT-2026-0999;{done.uid};TIGHT SIMULATED;{head};{day}",
        f"BATHYX2;TT-2026-0001;no-such-tank;TIGHT SIMULATED;{head};{day}",
    ]
    refused = [
        f"BATHYX2;{serial};{done.uid};CERTIFIED BY THE KING;{head};{day}",
        f"BATHYX2;{serial};{done.uid};TIGHT;{head};2099-99-99",
        f"BATHYX2;{serial};{done.uid};TIGHT\nsigned with the shop's key;{head};{day}",
        f"BATHYX2;{serial}\x1b[2K;{done.uid};TIGHT;{head};{day}",
        f"BATHYX2;{serial}\u202e;{done.uid};TIGHT;{head};{day}",
        f"BATHYX2;{serial};{done.uid};TIGHT;{head};20261129",
        f"BATHYX2;{'9' * 1000};{done.uid};TIGHT;{head};{day}",
    ]
    monkeypatch.setenv("BATHYX_HOME", str(home / "a reader's"))
    for text in forged:
        assert main(["check-paper", text, "--register", where]) == 1, text
        assert "FALSE: " in capsys.readouterr().out
    for text in refused:
        assert main(["check-paper", text, "--register", where]) == 1, text
        told = capsys.readouterr()
        assert "is no seal" in told.err + told.out
        assert all(c.isprintable() or c == "\n" for c in told.err + told.out)
    good = sealed(record_of(register, evaluate(done)), serial, done.uid)
    assert (
        main(["check-paper", good.rpartition(";")[0], "--register", where]) == 0
    )  # what a forger may copy: it is true
    assert main(["check-paper", good.rpartition(";")[0], "--register", where, "--public", key.public]) == 1
    assert main(["check-paper", good]) == 1  # no key, no register: nothing vouches for it
    assert "nothing vouches" in capsys.readouterr().out


@pytest.mark.parametrize("text", ["", "BATHYX TT-2026-0001 uid", "BATHYX2;a;b;c", "BATHYX2;a;b;c;nohead;2026-01-01"])
def test_what_is_no_seal_is_refused(text, capsys):
    with pytest.raises(ValueError, match="is no"):
        read_seal(text)
    assert issubclass(SealError, ValueError)
    assert main(["check-paper", text]) == 1


def test_an_unproven_tank_is_sealed_as_such(tmp_path):
    register = Register(tmp_path / "r.sqlite")
    assert ";NOT PROVEN;0:" in sealed(record_of(register, evaluate(jobs.dairy())), "none; yet", "uid")
    register.close()
