"""A copy of the shop on another disk: whole, read back, on a schedule, not where it is of no use; said when it is not made."""

import shutil
import sqlite3
import zipfile
from datetime import date, timedelta

import pytest
from PyQt6.QtWidgets import QLineEdit, QPushButton

from bathyx.core.job import read_job
from bathyx.demo import jobs
from bathyx.register.errors import RegisterError
from bathyx.register.opening import elsewhere
from bathyx.register.opening.elsewhere import copy_elsewhere, due, last_copy
from tests.desk.test_parts import find

DAY = date(2026, 3, 9)


@pytest.fixture
def home(tmp_path, demo_home):
    made = tmp_path / "home"
    shutil.copytree(demo_home, made)
    return made


@pytest.fixture
def disk(tmp_path_factory):
    return tmp_path_factory.mktemp("disk")  # not under the home of a window


def test_what_is_copied_reads_back_whole(home, disk):
    folder = copy_elsewhere(home, home / "register.sqlite", str(disk), DAY)
    assert folder.name == "2026-03-09"
    with sqlite3.connect(folder / "register.sqlite") as there, sqlite3.connect(home / "register.sqlite") as here:
        names = "select name from sqlite_master where type = 'table' order by name"
        assert there.execute(names).fetchall() == here.execute(names).fetchall()
        assert list(there.iterdump()) == list(here.iterdump())
    with zipfile.ZipFile(folder / "jobs.zip") as pack:
        text = pack.read("jobs/trolley.bathyx.json").decode()
        assert "shop.key" not in " ".join(pack.namelist())
        assert "register.sqlite.heads" in pack.namelist()
    assert read_job(text).brief == jobs.trolley().brief
    assert last_copy(home, str(disk)) == DAY


def test_where_a_server_has_the_register_the_jobs_are_copied_all_the_same(home, disk):
    folder = copy_elsewhere(home, None, str(disk), DAY)
    assert {path.name for path in folder.iterdir()} == {"jobs.zip", "whole"}


def test_of_one_day_one_copy_and_a_broken_one_is_made_anew(home, disk):
    folder = copy_elsewhere(home, home / "register.sqlite", str(disk), DAY)
    stamp = (folder / "jobs.zip").stat().st_mtime_ns
    copy_elsewhere(home, home / "register.sqlite", str(disk), DAY)
    assert (folder / "jobs.zip").stat().st_mtime_ns == stamp
    (folder / "whole").unlink()
    (folder / "jobs.zip").write_bytes(b"half")
    assert last_copy(home, str(disk)) is None
    copy_elsewhere(home, home / "register.sqlite", str(disk), DAY)
    assert zipfile.ZipFile(folder / "jobs.zip").testzip() is None


@pytest.mark.parametrize(
    ("place", "said"),
    [("stick", "no whole path"), ("/no/such/disk", "is the disk plugged in"), ("{home}", "in the home itself")],
)
def test_a_place_that_is_none_is_said_and_nothing_is_made_there(home, place, said):
    with pytest.raises(RegisterError, match=said):
        copy_elsewhere(home, home / "register.sqlite", place.format(home=home / "jobs"), DAY)
    assert not list(home.rglob(elsewhere.FOLDER))


def test_a_disk_that_is_full_leaves_no_copy_that_counts(home, disk, monkeypatch):
    def full(*_args, **_more):
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(elsewhere.zipfile.ZipFile, "write", full)
    with pytest.raises(RegisterError, match="No space left"):
        copy_elsewhere(home, home / "register.sqlite", str(disk), DAY)
    assert last_copy(home, str(disk)) is None


def test_it_is_due_by_days_and_a_clock_that_was_wrong_does_not_stop_it():
    assert due(None, 7, DAY)
    assert not due(DAY - timedelta(days=6), 7, DAY)
    assert due(DAY - timedelta(days=7), 7, DAY)
    assert due(DAY + timedelta(days=400), 7, DAY)


def test_old_ones_go_only_beyond_a_year_of_them(home, disk, monkeypatch):
    monkeypatch.setattr(elsewhere, "MOST_DAYS", 2)
    for k in range(4):
        copy_elsewhere(home, home / "register.sqlite", str(disk), DAY + timedelta(days=k))
    theirs = disk / elsewhere.FOLDER
    assert sorted(p.name for p in theirs.iterdir()) == ["2026-03-11", "2026-03-12"]


def test_the_desk_copies_when_it_is_told_where_and_says_when_it_cannot(window, disk, qtbot):
    window.hands.show_settings()
    line = find(window, QLineEdit, "copies_to")
    line.setText(str(disk / "away"))
    line.editingFinished.emit()
    qtbot.waitUntil(lambda: "plugged in" in window.notices.text_of("elsewhere"), timeout=60_000)
    (disk / "away").mkdir()
    find(window, QPushButton, "copy elsewhere again").click()
    qtbot.waitUntil(lambda: not window.notices.text_of("elsewhere"), timeout=60_000)
    assert last_copy(window.home, str(disk / "away")) == date.today()
    assert "Copied to" in window.hands._settings.copies_said.text()
