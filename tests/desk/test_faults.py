"""The window never dies: faults are said and logged, bad files and homes get words and a way on, and two windows lose nothing."""

import json
import os
import sys
import threading

import pytest
from PyQt6.QtCore import QCoreApplication, QEvent, QTimer
from PyQt6.QtWidgets import QApplication, QLabel, QLineEdit, QPushButton, QToolButton

from bathyx.demo import jobs
from bathyx.desk.faults import FaultPost
from bathyx.desk.start import open_window
from bathyx.desk.theme import load_fonts
from bathyx.errors import Refusal
from bathyx.files import WriteError
from bathyx.files.hold import FileHold
from bathyx.papers.export import export_all
from bathyx.register import Register


@pytest.fixture(autouse=True)
def state(tmp_path, monkeypatch):
    folder = tmp_path / "state"
    monkeypatch.setenv("XDG_STATE_HOME", str(folder))
    return folder


@pytest.fixture
def opened(qtbot):
    """Open a window on a home; closed, whatever became of it."""
    windows = []

    def make(home, job=None, demo=False):
        load_fonts()
        window = open_window(home, job, demo)
        windows.append(window)
        qtbot.waitUntil(
            lambda: hasattr(window, "pages") or window.findChild(QLabel, "trouble text") is not None, timeout=20_000
        )
        return window

    yield make
    for window in windows:
        window.sure_to_close = True
        window.close()
        window.deleteLater()
    QCoreApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete.value)


def said(window):
    return window.findChild(QLabel, "trouble text").text()


def press(window, name):
    window.findChild(QPushButton, name).click()


@pytest.fixture
def faults(window):
    """The window's own hook in force, as `bathyx desk` has it; pytest-qt's is given back."""
    before = sys.excepthook, threading.excepthook
    window.faults.install()
    yield window
    window.faults.remove()
    sys.excepthook, threading.excepthook = before


def test_an_exception_in_a_slot_is_a_fault_said_logged_and_the_work_goes_on(faults, qtbot, state):
    def broken():
        raise IndexError("made up for this test")

    QTimer.singleShot(0, broken)
    qtbot.waitUntil(lambda: bool(faults.notices.text_of("fault")))
    text = faults.notices.text_of("fault")
    assert "A fault of Bathyx, not yours" in text
    assert "made up for this test" in text
    assert "What was saved is safe" in text
    assert "made up for this test" in (state / "bathyx" / "bathyx.log").read_text()
    press(faults, "copy fault")
    assert "Traceback" in QApplication.clipboard().text()
    assert faults.bench.edit({"tank.height_mm": 290.0}, "higher")
    press(faults, "put fault away")
    assert not faults.notices.text_of("fault")


def test_the_same_fault_again_is_counted_and_the_log_stays_small(faults, qtbot, state):
    def broken():
        raise ZeroDivisionError("again " + "x" * 3000)

    for _ in range(300):
        QTimer.singleShot(0, broken)
    qtbot.waitUntil(lambda: "300 times" in faults.notices.text_of("fault"))
    assert (state / "bathyx" / "bathyx.log").stat().st_size < 60_000


def test_a_fault_in_a_thread_and_a_refusal_nobody_awaited(faults, qtbot):
    threading.Thread(target=lambda: [][1]).start()
    qtbot.waitUntil(lambda: "IndexError" in faults.notices.text_of("fault"))

    def refuse():
        raise Refusal("the hatch is too small; make it 20 mm wider")

    QTimer.singleShot(0, refuse)
    qtbot.waitUntil(lambda: "too small" in faults.message.text())
    assert "too small" not in faults.notices.text_of("fault")


def test_a_fault_in_an_edit_leaves_the_job_as_it_was(faults, qtbot, monkeypatch):
    before = faults.bench.job
    monkeypatch.setattr("bathyx.desk.bench.evaluate", lambda _job: [][1])
    QTimer.singleShot(0, lambda: faults.bench.edit({"tank.height_mm": 251.0}, "lower"))
    qtbot.waitUntil(lambda: bool(faults.notices.text_of("fault")))
    assert faults.bench.job is before


def test_no_state_folder_is_no_trouble(tmp_path, qtbot):
    (tmp_path / "file").write_text("")
    post = FaultPost(tmp_path / "file" / "below")
    assert post.take(ValueError("x")).log == ""
    post.remove()


# -- the home -------------------------------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("make", "says"),
    [
        (lambda p: (p.parent / "f").write_text("x") and p.symlink_to(p.parent / "f" / "below"), "cannot be used"),
        (lambda p: p.write_text(""), "is a file, where a folder is wanted"),
        (lambda p: p.symlink_to(p / "x"), "cannot be used"),
    ],
)
def test_a_home_that_cannot_be_used_is_said_and_another_can_be_named(tmp_path, opened, qtbot, make, says):
    home = tmp_path / "home"
    make(home)
    window = opened(home)
    assert says in said(window)
    window.findChild(QLineEdit, "other home").setText(str(tmp_path / "other"))
    press(window, "use other home")
    qtbot.waitUntil(lambda: hasattr(window, "pages"))
    assert window.bench.home == tmp_path / "other"


def full_disk(monkeypatch):
    real = os.fsync

    def fsync(_fd):
        raise OSError(28, "No space left on device")

    monkeypatch.setattr("os.fsync", fsync)
    return lambda: monkeypatch.setattr("os.fsync", real)


def test_a_full_disk_at_the_start_still_shows_what_is_there(tmp_path, opened, monkeypatch, qtbot):
    (tmp_path / "jobs").mkdir()
    path = tmp_path / "jobs" / "t.bathyx.json"
    path.write_text(jobs.trolley().to_json())
    Register(tmp_path / "register.sqlite").close()
    full_disk(monkeypatch)
    window = opened(tmp_path, path)
    assert "cannot be written: no space left on device" in window.notices.text_of("home")
    assert window.bench.job == jobs.trolley()
    press(window, "new tank")
    window.begin.findChild(QToolButton, "begin free").click()
    press(window, "begin")
    qtbot.waitUntil(lambda: "no space left" in window.begin.trouble.text())


@pytest.mark.parametrize(
    "junk", [b"\xff\xfe\x00junk", b"", b"/nowhere/at/all.json", b"a\nb", b"x" * 50_000, b"\0", b"/dev/zero"]
)
def test_last_job_may_hold_anything(tmp_path, opened, junk):
    (tmp_path / "last-job").write_bytes(junk)
    window = opened(tmp_path)
    assert window.pages.currentWidget() is window.shelf


def test_last_job_may_be_a_folder_and_the_jobs_folder_may_hold_anything(tmp_path, opened, qtbot):
    (tmp_path / "last-job").mkdir()
    folder = tmp_path / "jobs"
    folder.mkdir()
    (folder / "good.json").write_text(jobs.dairy().to_json())
    (folder / "link.json").symlink_to("nowhere")
    (folder / "loop.json").symlink_to("loop.json")
    (folder / "zero.json").symlink_to("/dev/zero")
    os.mkfifo(folder / "pipe.json")
    (folder / "dir.json").mkdir()
    (folder / "big.json").write_bytes(b"[" + b"1," * 25_000_000 + b"1]")
    (folder / "deep.json").write_text("[" * 100_000)
    (folder / "bytes.json").write_bytes(bytes(range(256)))
    (folder / "\udcff.json").write_text("{}")
    many = json.loads(jobs.dairy().to_json())
    many["inside"]["fittings"] = [many["inside"]["fittings"][0] | {"id": f"f{k}"} for k in range(20_000)]
    (folder / "many.json").write_text(json.dumps(many))
    window = opened(tmp_path)
    qtbot.waitUntil(lambda: not window.shelf.reading and not window.shelf._waiting)
    texts = {
        window.shelf.list.item(k).text().split("\n")[0]: window.shelf.list.item(k).text()
        for k in range(window.shelf.list.count())
    }
    assert len(texts) == 11
    refused = [t for t in texts.values() if "cannot be read" in t]
    assert len(refused) == 10
    assert all(len(t) < 400 for t in texts.values())
    assert "is a pipe" in texts["pipe.json"]
    k = next(k for k in range(window.shelf.list.count()) if window.shelf.list.item(k).text().startswith("bytes"))
    window.shelf.list.setCurrentRow(k)
    assert window.shelf.aside.isVisible()
    press(window, "set file aside")
    assert "is set aside" in window.shelf.trouble.text()
    assert [p.read_bytes() for p in (folder / "aside").iterdir()] == [bytes(range(256))]


# -- the register ---------------------------------------------------------------------------------------------------------


def test_a_damaged_register_is_brought_back_from_its_copy_in_the_window(tmp_path, opened, qtbot):
    from bathyx.register.opening.copies import daily_copy

    register = Register(tmp_path / "register.sqlite")
    register.add(jobs.trolley(), "weld", "S1", {}, "Marn")
    register.close()
    copy = daily_copy(tmp_path, tmp_path / "register.sqlite")
    (tmp_path / "register.sqlite").write_bytes(b"junk" * 9000)
    window = opened(tmp_path)
    assert "not a readable register" in said(window)
    press(window, f"bring back {copy.stem}")
    qtbot.waitUntil(lambda: hasattr(window, "pages"))
    assert window.bench.register.serial(jobs.trolley().uid)
    assert [p.read_bytes()[:4] for p in tmp_path.glob("register.sqlite.aside-*") if p.suffix != ".heads"] == [b"junk"]


@pytest.mark.parametrize("way", ["set register aside", "without records"])
def test_a_register_that_is_none_leaves_other_ways_on(tmp_path, opened, qtbot, way):
    (tmp_path / "register.sqlite").mkdir()
    window = opened(tmp_path)
    assert "is a folder" in said(window)
    press(window, way)
    qtbot.waitUntil(lambda: hasattr(window, "pages"))
    window.bench.start_new()
    window.bench.who = "Asta"
    recorded = window.bench.add_record("weld", "S1", {})
    assert recorded == (way == "set register aside")
    if not recorded:
        assert "Working without records" in window.notices.text_of("records")
        assert "no record was made" in window.message.text()


# -- two windows, and the file underneath -----------------------------------------------------------------------------------


def test_two_windows_on_one_job_keep_both_versions_and_show_them(tmp_path, opened, qtbot):
    first = opened(tmp_path, demo=True)
    path = first.bench.path
    first.bench.who = "Marn"
    first.bench.file.hold.name("Marn")
    second = opened(tmp_path, path)
    assert "in hand by Marn" in second.notices.text_of("versions")
    assert first.bench.edit({"tank.height_mm": 271.0}, "first")
    assert second.bench.edit({"tank.height_mm": 262.0}, "second")
    assert second.bench.edit({"tank.width_mm": 601.0}, "second")
    assert json.loads(path.read_text())["tank"]["height_mm"] == 271.0
    kept = second.bench.apart
    assert json.loads(kept.read_text())["tank"]["height_mm"] == 262.0
    assert json.loads(kept.read_text())["tank"]["width_mm"] == 601.0
    press(second, "look at both")
    listed = [second.versions.list.item(k).text() for k in range(second.versions.list.count())]
    assert any("tank, height mm" in line and "262" in line and "271" in line for line in listed)
    press(second, "version mine chosen")
    assert "let it go there first" in second.message.text()
    first.close()
    press(second, "version mine chosen")
    assert second.bench.apart is None
    assert json.loads(path.read_text())["tank"]["height_mm"] == 262.0
    theirs = [p for p in kept.parent.iterdir() if ".theirs-" in p.name]
    assert [json.loads(p.read_text())["tank"]["height_mm"] for p in theirs] == [271.0]
    assert not second.notices.text_of("versions")


def test_a_file_changed_by_another_program_is_never_overwritten(tmp_path, opened, qtbot):
    window = opened(tmp_path, demo=True)
    b = window.bench
    other = b.job.edited("tank.height_mm", 255.0).to_json()
    b.path.write_text(other)
    window.standing.look_round()
    assert "was changed by another" in window.notices.text_of("versions")
    assert b.edit({"tank.height_mm": 244.0}, "mine")
    assert b.path.read_text() == other
    assert "kept apart" in window.notices.text_of("versions")
    b.take_theirs()
    assert b.job.tank.height_mm == 255.0
    assert not window.notices.text_of("versions")
    assert any(json.loads(p.read_text())["tank"]["height_mm"] == 244.0 for p in (b.path.parent / "kept").iterdir())
    b.path.write_bytes(b"\xff\xfe not text at all")
    assert b.edit({"tank.height_mm": 242.0}, "mine")
    b.keep_mine()
    assert any(p.read_bytes() == b"\xff\xfe not text at all" for p in (b.path.parent / "kept").iterdir())
    b.path.write_text("{ cut off")
    assert b.edit({"tank.height_mm": 243.0}, "mine")
    window.show_versions()
    assert "no job that can be read" in window.versions.sides["theirs"][0].text()
    b.keep_mine()
    assert json.loads(b.path.read_text())["tank"]["height_mm"] == 243.0


def test_not_saved_stands_until_it_is_saved_and_closing_asks(tmp_path, opened, monkeypatch):
    window = opened(tmp_path, demo=True)
    b = window.bench
    before = b.path.read_text()
    room = full_disk(monkeypatch)
    assert b.edit({"tank.height_mm": 241.0}, "lower")
    assert "NOT SAVED" in window.notices.text_of("unsaved")
    b.said.emit("note", "something else")
    assert "NOT SAVED" in window.notices.text_of("unsaved")
    assert b.path.read_text() == before
    with pytest.raises(WriteError, match="NOT SAVED"):
        b.open(tmp_path / "jobs" / "dairy.bathyx.json")
    with pytest.raises(WriteError, match="NOT SAVED"):
        b.start_new()
    assert not window.close()
    assert "would lose" in window.notices.text_of("unsaved")
    room()
    window.standing.look_round()
    assert not window.notices.text_of("unsaved")
    assert json.loads(b.path.read_text())["tank"]["height_mm"] == 241.0
    assert window.close()


def test_a_lock_left_by_a_killed_process_holds_nothing(tmp_path):
    path = tmp_path / "job.json"
    path.write_text("{}")
    first = FileHold(path, "Marn")
    second = FileHold(path, "Pell")
    assert first.taken
    assert not second.taken
    assert second.holder.who == "Marn"
    os.close(first._handle)  # what the kernel does for one that is killed
    third = FileHold(path, "Pell")
    assert third.taken
    third.leave()
    assert list(tmp_path.iterdir()) == [path]


# -- text -----------------------------------------------------------------------------------------------------------------


def test_text_of_the_maker_is_shown_as_text(window, qtbot):
    from PyQt6.QtCore import Qt

    nasty = '<img src="x"><h1>A & B</h1>'
    window.bench.edit({"brief.name": nasty[:120], "brief.customer": "<b>bold</b>"}, "name")
    window.bench.edit({"inside.fittings.0.id": "<u>x</u>"}, "id")
    for k in range(8):
        window.choose(k)
        for label in window.findChildren(QLabel):
            if "<" in label.text():
                assert label.textFormat() == Qt.TextFormat.PlainText, label.text()
        for tile in window.bench_line.tiles:
            assert "<img" not in tile.toolTip()


def test_what_cannot_be_saved_may_be_given_up(tmp_path, opened, monkeypatch):
    window = opened(tmp_path, demo=True)
    b = window.bench
    before = b.job
    full_disk(monkeypatch)
    assert b.edit({"tank.height_mm": 241.0}, "lower")
    whole = b.path.read_text()
    b.path.write_text("{ cut off")
    b.give_up()
    assert b.unsaved  # what is on disk cannot be read: nothing is given up, and the mark stands
    assert b.job.tank.height_mm == 241.0
    b.path.write_text(whole)
    press(window, "give unsaved up")
    assert b.job == before
    assert not window.notices.text_of("unsaved")


def test_a_tank_that_cannot_be_cut_stands_on_every_stage_and_is_not_exported(window, qtbot, caplog, tmp_path):
    """Holes that take more than their panel: the edit stands, what is wrong is said everywhere, no part is written."""
    fitting = window.bench.job.inside.fittings[0]
    many = [fitting.model_copy(update={"id": f"f{k}", "hole_mm": 200.0}) for k in range(60)]
    assert window.bench.edit({"inside.fittings": many}, "many")
    assert "its holes take more" in " ".join(f.message for f in window.bench.evaluation.stops)
    for stage in range(8):
        window.choose(stage)
        window.finish()
        window.grab()
        for view in ("view flat", "view both", "view solid"):
            press(window, view)
            window.grab()
        if stage == 4:
            press(window, "run nest")
            assert "nothing to nest" in window.message.text()
    with pytest.raises(Refusal, match="cannot be cut"):
        export_all(window.bench.evaluation, tmp_path)
    assert not [r for r in caplog.records if r.levelname == "ERROR"]
    window.bench.undo()
    assert window.bench.evaluation.results.blanks
