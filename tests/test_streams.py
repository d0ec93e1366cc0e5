"""Standard output in place of a file, and how far a command is, on a terminal only."""

import io
import sys
from pathlib import Path

import pytest

from bathyx.cli import main
from bathyx.cli.streams import place_for, progress
from bathyx.demo import jobs

NEW = [
    "new",
    "--family",
    "profile",
    "--length-mm",
    "300",
    "--width-mm",
    "200",
    "--height-mm",
    "100",
    "--sheet",
    "304/2",
    "-",
]
SKIN = ["transition", "300x200", "120", "--height", "150", "--thickness", "2"]


@pytest.fixture
def ran(capfdbinary, monkeypatch):
    """A command in this process: (exit code, what it put on standard output)."""

    def run(*words, said=b""):
        monkeypatch.setattr(sys, "stdin", io.TextIOWrapper(io.BytesIO(said), "utf-8"))
        code = main(list(words))
        return code, capfdbinary.readouterr().out

    return run


@pytest.mark.parametrize(
    ("words", "begins"),
    [
        (["labels", "-", "--out", "-"], b"%PDF-"),
        (["dipstick", "-", "--out", "-"], b"%PDF-"),
        (["solid", "-", "--out", "-"], b""),
        ([*SKIN, "--out", "-"], b"  0\n"),
        (
            [
                "new",
                "--family",
                "profile",
                "--length-mm",
                "300",
                "--width-mm",
                "200",
                "--height-mm",
                "100",
                "--sheet",
                "304/2",
                "-",
            ],
            b"{",
        ),
    ],
    ids=["labels", "dipstick", "solid", "transition", "new"],
)
def test_a_minus_is_standard_output_with_nothing_else_on_it(ran, words, begins):
    code, out = ran(*words, said=jobs.frost_fan().to_json().encode())
    assert code == 0
    assert out.startswith(begins)
    assert len(out) > 500
    assert not Path("-").exists()
    if begins == b"%PDF-":
        assert out.rstrip().endswith(b"%%EOF")


def test_what_is_written_aloud_is_what_is_written_in_a_file(ran, tmp_path):
    job = tmp_path / "j.json"
    job.write_text(jobs.frost_fan().to_json(), "utf-8")
    assert ran("solid", str(job), "--out", str(tmp_path / "t.stl"))[0] == 0
    assert ran("solid", str(job), "--out", "-") == (0, (tmp_path / "t.stl").read_bytes())


def test_progress_is_for_a_terminal_only(monkeypatch):
    class Terminal(io.StringIO):
        def isatty(self):
            return True

    for stream, says in ((Terminal(), True), (io.StringIO(), False)):
        monkeypatch.setattr(sys, "stderr", stream)
        heard = progress("looking")
        assert heard(0.1)
        assert heard(1.0, "more")
        assert ("100%" in stream.getvalue()) is says


def test_a_fault_on_the_way_writes_nothing_aloud(capfdbinary):
    def half():
        with place_for(Path("-"), ".txt") as (path, _words):
            path.write_text("half")
            raise ValueError("oh")

    with pytest.raises(ValueError, match="oh"):
        half()
    assert capfdbinary.readouterr().out == b""
