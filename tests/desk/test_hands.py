"""What hands expect of any program: files dropped, one window, drawings copied and saved, help, settings, a first tank."""

import json
import re
import subprocess
import sys
from pathlib import Path

import pytest
from PyQt6.QtCore import QMimeData, QPoint, QPointF, Qt, QUrl
from PyQt6.QtGui import QDragEnterEvent, QDropEvent, QGuiApplication, QImage, QKeySequence
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QFileDialog, QLabel, QLineEdit, QListWidget, QPushButton, QTextBrowser

from bathyx.core.formula import ledger
from bathyx.core.job import read_job
from bathyx.core.tank.outline import OutlineTank
from bathyx.demo import jobs
from bathyx.desk.one_window import handed_over
from bathyx.desk.picture_out import save
from bathyx.desk.views.fields import FigureLine
from bathyx.help import ORDER, about, page, pages, picture, search
from tests.desk.test_shapes import choose

SPACE, TANK, CUT, PROVE = 1, 2, 4, 6


def drop(window, qtbot, path):
    """As the desktop drops a file."""
    mime = QMimeData()
    mime.setUrls([QUrl.fromLocalFile(str(path))])
    held = (Qt.DropAction.CopyAction, mime, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier)
    entered = QDragEnterEvent(QPoint(300, 300), *held)
    QApplication.sendEvent(window, entered)
    assert entered.isAccepted()
    QApplication.sendEvent(window, QDropEvent(QPointF(300, 300), *held))
    qtbot.wait(30)


def test_a_job_is_dropped_opened_and_stands_on_the_shelf(window, qtbot, tmp_path):
    far = tmp_path / "elsewhere" / "saw.json"
    far.parent.mkdir()
    far.write_text(jobs.sawmill().to_json(), "utf-8")
    drop(window, qtbot, far)
    assert window.bench.path == far
    window.show_shelf()
    rows = [window.shelf.list.item(k).data(Qt.ItemDataRole.UserRole) for k in range(window.shelf.list.count())]
    assert str(far) in rows
    broken = tmp_path / "broken.json"
    broken.write_text("{", "utf-8")
    before = window.bench.job
    drop(window, qtbot, broken)
    assert window.bench.job == before
    assert "broken.json" in window.message.text()


def test_a_file_goes_where_it_belongs_or_it_is_said_where(window, qtbot, tmp_path):
    profile = tmp_path / "p.csv"
    profile.write_text("x, z\n0, 0\n300, 0\n300, 200\n0, 200\n", "utf-8")
    window.choose(CUT)
    assert "on Tank" in window.hands.take(profile)
    window.choose(TANK)
    assert "choose the family Outline" in window.hands.take(profile)
    choose(window, "tank.family", "outline")
    assert isinstance(window.bench.job.tank, OutlineTank)
    assert window.hands.take(profile) == ""
    assert max(c.x_mm for c in window.bench.job.tank.corners) == 300
    trace = tmp_path / "log.csv"
    trace.write_text("t,p\n0,21\n", "utf-8")
    window.choose(PROVE)
    assert window.hands.take(trace) == ""
    assert window.stage.card.findChild(QLineEdit, "trace file").text() == str(trace)
    window.choose(SPACE)
    assert "From stations" in window.hands.take(trace)
    assert "no file" in window.hands.take(tmp_path / "nothing.json")


def test_a_job_double_clicked_opens_in_the_window_that_is_there(window, qtbot, tmp_path):
    path = window.home / "jobs" / "dairy.bathyx.json"
    asked = subprocess.Popen(
        [sys.executable, "-c", f"from pathlib import Path; from bathyx.desk.one_window import handed_over; "
         f"print(handed_over(Path({str(window.home)!r}), Path({str(path)!r})))"],
        stdout=subprocess.PIPE, text=True,
    )  # fmt: skip
    qtbot.waitUntil(lambda: asked.poll() is not None)
    assert asked.stdout.read().strip() == "True"
    assert window.bench.path == path
    assert not handed_over(tmp_path / "another home", path)


def test_no_job_takes_the_place_of_a_hold_that_runs(window, qtbot, monkeypatch):
    before = window.bench.path
    monkeypatch.setattr(type(window.stages[PROVE]), "running", property(lambda _self: True))
    assert not window.hands._handed(window.home / "jobs" / "dairy.bathyx.json")
    assert "hold is running" in window.hands.take(window.home / "jobs" / "dairy.bathyx.json")
    assert window.bench.path == before


def test_a_drawing_is_copied_and_saved_as_it_is(window, qtbot, tmp_path):
    window.choose(CUT)
    qtbot.wait(30)
    menu = window.hands.made_menu(window.flat)
    assert [a.text().split("\t")[0] for a in menu.actions()] == [
        "Copy the drawing",
        "Save the drawing…",
        "Fit it again",
    ]
    menu.actions()[0].trigger()
    mime = QGuiApplication.clipboard().mimeData()
    assert mime.hasImage()
    assert b"<svg" in bytes(mime.data("image/svg+xml").data())
    save(window.flat, "x", tmp_path / "d.svg")
    text = (tmp_path / "d.svg").read_text("utf-8")
    shown = {item.text for item in window.flat.picture.items if hasattr(item, "text")}
    assert any(word in text for word in shown)  # its words are words
    save(window.flat, "x", tmp_path / "d.png")
    assert QImage(str(tmp_path / "d.png")).width() == 2 * window.flat.width()
    window.flat.grab()
    asked = []
    window.flat.menu_wanted.connect(asked.append)
    window.hands.menu_of = lambda *_a: None
    spot = QPoint(40, 40)
    window.flat.menu_wanted.disconnect()
    window.flat.menu_wanted.connect(asked.append)
    qtbot.mouseClick(window.flat, Qt.MouseButton.RightButton, pos=spot)
    assert len(asked) == 1
    qtbot.mousePress(window.flat, Qt.MouseButton.RightButton, pos=spot)
    qtbot.mouseMove(window.flat, spot + QPoint(60, 0))
    qtbot.mouseRelease(window.flat, Qt.MouseButton.RightButton, pos=spot + QPoint(60, 0))
    assert len(asked) == 1  # that was a pan


def test_a_copy_is_saved_elsewhere_and_saving_is_said(window, qtbot, tmp_path, monkeypatch):
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a, **k: (str(tmp_path / "copy"), ""))
    before = window.bench.path
    window.hands.save_copy()
    assert read_job((tmp_path / "copy.bathyx.json").read_text("utf-8")) == window.bench.job
    assert window.bench.path == before
    window.hands.save_now()
    assert window.message.text().startswith("Saved: ")
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a, **k: (str(tmp_path / "no" / "such" / "d.svg"), ""))
    window.hands.save_drawing(window.flat)
    assert window.message.property("look") == "trouble"


def test_every_page_of_the_help_reads_links_and_is_found():
    keys = {f.key for f in ledger()}
    for one in pages():
        assert one.text.startswith("# ")
        for kind, key in re.findall(r"\]\((page|formula):([\w.-]+)\)", one.text):
            assert key in (ORDER if kind == "page" else keys), (one.key, key)
        assert not re.search(r"\]\(https?:", one.text)  # it is read without a net
        for key in re.findall(r"\]\(picture:([\w-]+)\)", one.text):
            shown = QImage.fromData(picture(key))
            assert shown.width() == 720, key
    assert picture("../first-tank") == picture("none") == b""
    assert search("syringe")[0].key == "prove"
    assert search("punch press")[0].key == "cut"
    assert search("no such word at all") == ()
    assert search("") == pages()
    assert about("cut", "Its V-die opens, 0: 8 sheets")[0] == "cut"
    assert about("space", "Way in")[0] == "space"
    assert page("formula:sheet.allowance").text.count("**") >= 8
    assert page("formula:none").key == ORDER[0]


def test_help_is_asked_for_with_a_key_and_left_again(window, qtbot):
    window.choose(PROVE)
    window.hands.help_here()
    view = window.pages.currentWidget()
    assert view.objectName() == "help page"
    assert view.now == "prove"
    view.findChild(QLineEdit, "search help").setText("limber")
    listed = view.findChild(QListWidget, "help pages")
    assert listed.count() >= 1
    assert view.now == "inside"
    view._followed(QUrl("formula:inside.vent"))
    assert "Source" in view.findChild(QTextBrowser, "help text").toPlainText()
    view.findChild(QPushButton, "help back").click()
    assert view.now == "inside"
    view.findChild(QPushButton, "leave help").click()
    assert window.pages.currentIndex() == 0
    assert window.stage.key == "prove"


def test_settings_are_kept_and_say_what_they_do(window, qtbot):
    window.hands.show_settings()
    view = window.pages.currentWidget()
    assert "671 mm holds 75.0 L" in view.units_example.text()
    view._take_units("us")
    assert window.bench.units.us
    assert '26 13/32" holds 19.81 US gal' in view.units_example.text()
    line = view.findChild(QLineEdit, "who")
    line.setText("Pell Drury")
    line.editingFinished.emit()
    assert window.bench.who == "Pell Drury"
    rates = view.findChild(QLineEdit, "rates")
    rates.setText("hour=90")
    rates.editingFinished.emit()
    assert "270" in view.money_example.text()  # 10 m at 18 min a metre: 3 h
    rates.setText("hour=tea")
    rates.editingFinished.emit()
    assert "tea" in view.money_example.text()
    kept = json.loads((window.home / "desk.json").read_text("utf-8"))
    assert (kept["who"], kept["units"]) == ("Pell Drury", "us")
    assert str(window.home) in view.where.text()


def test_the_light_of_the_desktop_is_followed_where_that_is_wanted(window, qtbot, monkeypatch):
    class Hints:
        def colorScheme(self):
            return Qt.ColorScheme.Dark

    monkeypatch.setattr(QGuiApplication, "styleHints", staticmethod(Hints))
    window.hands.follow_light()
    assert not window.theme.dark  # nobody said so
    window.bench.settings.keep("light", "desktop")
    window.hands.follow_light()
    assert window.theme.dark


def test_a_first_tank_is_walked_through_on_the_desk(window, qtbot):
    window.hands.begin_first_job()
    line = window.hands.first_job
    step = line.findChild(QLabel, "first job step")
    assert step.text().startswith("1 of 7")
    assert window.pages.currentWidget().objectName() != "spread"
    fresh = window.home / "jobs" / "fresh.bathyx.json"
    fresh.write_text(jobs.orchard().model_copy(update={"uid": "another-one"}).to_json(), "utf-8")
    window.open_job(fresh)
    window.bench.changed.emit()
    assert step.text().startswith("2 of 7")
    assert window.stage.key == "space"
    line.findChild(QPushButton, "first job done").click()
    assert int(step.text()[0]) >= 6 or not window.bench.evaluation.stops  # what is done already is not asked for
    line.findChild(QPushButton, "leave first job").click()
    qtbot.wait(30)
    assert window.hands.first_job is None


@pytest.mark.parametrize("key", ["Ctrl+S", "F1", "Ctrl+,", "Ctrl+Shift+O", "Ctrl+Q", "Ctrl+N", "Ctrl+F"])
def test_the_keys_of_everywhere_are_there_once(window, key):
    from PyQt6.QtGui import QKeySequence, QShortcut

    assert sum(s.key() == QKeySequence(key) for s in window.findChildren(QShortcut)) == 1


def test_help_says_every_key_that_there_is(window):
    from PyQt6.QtGui import QShortcut

    text = Path(__file__).parents[2].joinpath("src/bathyx/help/keys.md").read_text("utf-8")
    for shortcut in window.findChildren(QShortcut):
        key = shortcut.key().toString()
        assert key in text or key.startswith("Alt+"), key


def test_the_window_stands_where_it_stood_on_its_screen(window, qtbot, tmp_path):
    from PyQt6.QtWidgets import QWidget

    from bathyx.desk.place import keep, places, put_back
    from bathyx.desk.settings import DeskSettings

    made = QWidget()
    qtbot.addWidget(made)
    made.setGeometry(60, 50, 700, 500)
    made.show()
    qtbot.wait(20)
    keep(made, window.bench.settings)
    other = QWidget()
    qtbot.addWidget(other)
    assert put_back(other, window.home)
    assert (other.width(), other.height()) == (700, 500)
    assert not put_back(other, tmp_path / "no home")
    kept = DeskSettings(window.home)
    kept.keep("place", "[1, 2")
    assert places(kept["place"]) == {}
    assert not put_back(other, window.home)


def test_of_two_windows_on_a_home_one_answers_and_the_other_when_it_is_gone(window, qtbot, tmp_path):
    from PyQt6.QtCore import QEvent, QObject

    from bathyx.desk.one_window import Doorbell

    holder, taken = QObject(), []
    second = Doorbell(window.home, lambda path: bool(taken.append(path)) or True, holder)
    assert window.hands.bell.server.isListening()
    assert not second.listen()  # the first answers: its place is not taken from it
    second.stop()
    assert window.hands.bell.server.isListening()

    def asked():
        line = "import sys; from pathlib import Path; from bathyx.desk.one_window import handed_over; "
        line += "print(handed_over(Path(sys.argv[1]), Path('/x.json')))"
        return subprocess.Popen([sys.executable, "-c", line, str(window.home)], stdout=subprocess.PIPE, text=True)

    window.hands.stop()
    assert second.listen()
    first = asked()
    qtbot.waitUntil(lambda: first.poll() is not None)
    assert (first.stdout.read().strip(), taken) == ("True", [Path("/x.json")])
    second.stop()
    QApplication.sendEvent(window, QEvent(QEvent.Type.WindowActivate))
    assert window.hands.bell.server.isListening()


def test_a_figure_is_copied_from_its_menu_and_f1_opens_the_formula_behind_it(window):
    window.choose(2)
    window.finish()
    line = next(x for x in window.stage.card.findChildren(FigureLine) if x.isVisible() and x.caption.text() == "Usable")
    copy, whole = line.menu().actions()
    board = QGuiApplication.clipboard()
    copy.trigger()
    assert board.text() == f"Usable: {line.value.text()}"
    whole.trigger()
    assert "Source:" in board.text()
    line.setFocus()
    QTest.keySequence(line, QKeySequence("Ctrl+C"))
    assert board.text() == f"Usable: {line.value.text()}"
    assert window.hands._figure_at(line.value) == line.figure.formula.key
    window.hands.help_here()
    assert window.hands._help.now in (f"formula:{line.figure.formula.key}", "tank")
    window.hands.show_help("formula:capacity.usable")
    assert "Holds for" in window.hands._help.text.toPlainText()
