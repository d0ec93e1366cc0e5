"""A hold in progress survives a crash, up to the last whole line."""

import pytest

from bathyx.core.proving.decay import Sample
from bathyx.register import HoldJournal

READ = [Sample(float(k), 20.0 - 0.01 * k, 18.0) for k in range(6)]


@pytest.fixture
def journal(tmp_path):
    made = HoldJournal(tmp_path, "uid-1")
    made.begin({"who": "Marn", "volume_l": 60.0})
    made.add(READ[:3])
    made.add([])
    made.add(READ[3:])
    return made


def test_what_was_read_is_there_again(journal):
    left = journal.read()
    assert left.head == {"who": "Marn", "volume_l": 60.0}
    assert list(left.samples) == READ
    assert left.held_s == 5.0


def test_a_last_line_that_was_cut_off_is_left_out(journal):
    text = journal.path.read_text()
    journal.path.write_text(text[: len(text) - 9])
    assert list(journal.read().samples) == READ[:3]


@pytest.mark.parametrize("text", ["", "not json\n", '{"who": "Marn"'])
def test_a_journal_without_a_whole_head_is_none(journal, text):
    journal.path.write_text(text)
    assert journal.read() is None


def test_beginning_anew_forgets_and_clearing_removes(journal):
    journal.begin({"who": "Pell"})
    assert journal.read().samples == ()
    assert journal.read().held_s == 0.0
    journal.clear()
    journal.clear()
    assert journal.read() is None


def test_journals_of_two_jobs_keep_apart(journal, tmp_path):
    assert HoldJournal(tmp_path, "uid-2").read() is None
