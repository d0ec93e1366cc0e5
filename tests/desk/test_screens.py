"""What the screens show, in three sizes and three sizes of type, and what they remember."""

import json

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QAbstractSpinBox, QComboBox, QFrame, QLineEdit, QPushButton, QToolButton, QWidget

from bathyx.core.units import worded
from bathyx.desk.settings import DeskSettings
from bathyx.desk.theme import set_text_size, text_size
from bathyx.desk.views.names import is_nameless
from bathyx.desk.views.plain import TextLine
from tests.desk.test_window import find, press

BRIEF, SPACE, TANK, INSIDE, CUT, BUILD, PROVE, HAND = range(8)
SIZES = [(1024, 700), (1280, 800), (1920, 1080)]


@pytest.fixture(autouse=True)
def usual_type():
    yield
    set_text_size(1.0)


@pytest.mark.parametrize("size", SIZES)
def test_the_rail_is_one_line_and_opens_over_the_drawing(window, qtbot, size):
    window.resize(*size)
    window.bench.edit({"inside.fittings": [], "tank.length_mm": 500.0}, "much to say")
    window.choose(TANK)
    rail = window.rail
    count = len(window.bench.evaluation.findings)
    assert count > 4
    drawn = window.flat.size()
    assert rail.height() == 44
    assert rail.more.text() == f"{count - 1} more ▴"
    assert rail.worst.whole.startswith(worded(window.bench.evaluation.findings[0].message, window.bench.units)[:40])
    press(window, "rail more")
    assert len(rail.rows) == count
    assert 44 < rail.height() <= 0.7 * window.board.height() + 1
    assert window.flat.size() == drawn  # over it, and nothing moves
    assert rail.worst.whole.startswith("Bathyx says: ")
    row = rail.rows[0]
    assert row.rule.isHidden()
    row.why.click()
    assert "Rule: " in row.rule.text()
    assert not row.rule.isHidden()
    press(window, "rail more")
    assert rail.height() == 44
    assert rail.rows == []


def test_a_remedy_leaves_the_focus_where_it_was(window, qtbot):
    """What stood before: the button was gone, and the focus stood on the jobs."""
    window.activateWindow()
    window.bench.edit(
        {"inside.fittings": [f for f in window.bench.job.inside.fittings if f.kind != "vent"]}, "no vents"
    )
    window.rail.fix.setFocus()
    asked = window.rail.fix.objectName()
    assert asked.startswith("remedy ")
    qtbot.keyClick(window.rail.fix, Qt.Key.Key_Space)
    assert window.rail.fix.objectName() != asked or window.rail.fix.isHidden()
    focus = window.focusWidget()
    assert focus is window.rail or window.rail.isAncestorOf(focus)
    window.rail.turn()
    window.bench.edit(
        {"inside.fittings": [f for f in window.bench.job.inside.fittings if f.kind != "vent"]}, "no vents"
    )
    inner = window.rail.area.widget().findChild(QPushButton, asked)
    inner.setFocus()
    qtbot.keyClick(inner, Qt.Key.Key_Space)
    focus = window.focusWidget()
    assert focus is window.rail or window.rail.isAncestorOf(focus)


def test_what_was_said_of_one_stage_is_gone_at_the_next(window):
    window.choose(TANK)
    window.bench.said.emit("note", "Said of the tank")
    assert window.message.isVisible()
    window.choose(TANK)
    assert window.message.text() == "Said of the tank"
    window.choose(INSIDE)
    assert window.message.text() == ""
    assert not window.message.isVisible()


@pytest.mark.parametrize("size", SIZES)
@pytest.mark.parametrize("scale", [1.0, 1.3])
def test_no_card_and_no_message_is_wider_than_its_place(window, qtbot, size, scale):
    while text_size() != scale:
        press(window, "text size")
    window.resize(*size)
    for index in range(8):
        window.choose(index)
        qtbot.wait(10)
        card = window.stage.card
        assert card.body.minimumSizeHint().width() <= card.viewport().width(), (index, scale)
    lines = window.shelf_button.text().count("\n") + 1
    assert window.shelf_button.height() >= lines * window.shelf_button.fontMetrics().height()
    assert all(tile.height() == window.shelf_button.height() for tile in window.bench_line.tiles)


def test_what_is_picked_stands_first_on_the_card(window, qtbot):
    window.choose(INSIDE)
    window.bench.light("fitting:feed")
    qtbot.wait(20)
    card = window.stage.card
    assert window.stage.chosen_head.text() == "Pickup feed"
    field = find(window, QLineEdit, "fitting hole_mm")
    assert field.mapTo(card.body, field.rect().topLeft()).y() < 140
    window.bench.light("")
    assert window.stage.chosen_head.isHidden()


def test_no_hint_is_cut_off(window, qtbot):
    for index in range(8):
        window.choose(index)
        qtbot.wait(10)
        for edit in window.stage.card.findChildren(QLineEdit):
            if edit.isVisibleTo(window) and edit.placeholderText() and len(edit.placeholderText()) < 20:
                words = edit.fontMetrics().horizontalAdvance(edit.placeholderText())
                assert words <= edit.width() - 12, (index, edit.objectName(), edit.placeholderText())


def test_the_desk_remembers_name_units_light_and_type(window, qtbot):
    from bathyx.desk.start import open_window

    window.choose(BUILD)
    name = find(window, QLineEdit, "who")
    name.clear()
    qtbot.keyClicks(name, "Asta Brann")
    window.bench.turn_units()
    window.turn_theme()
    window.turn_text()
    window.close()
    again = open_window(window.home)
    qtbot.waitUntil(lambda: hasattr(again, "pages"))
    assert (again.bench.who, str(again.bench.units), again.theme.dark) == ("Asta Brann", "us", True)
    assert text_size() == 1.15
    again.close()


@pytest.mark.parametrize("text", ["", "[1]", "{", '{"who": 7, "text": "large", "dark": 1}'])
def test_broken_settings_count_as_the_usual(tmp_path, text):
    (tmp_path / "desk.json").write_text(text)
    kept = DeskSettings(tmp_path)
    assert kept["text"] == 1.0
    kept.keep("who", "Pell")
    assert json.loads((tmp_path / "desk.json").read_text())["who"] == "Pell"


def test_a_new_tank_opens_at_its_brief(window, qtbot):
    window.choose(CUT)
    window.show_shelf()
    window.shelf.findChild(QPushButton, "new tank").click()
    find(window, QToolButton, "begin free").click()
    press(window, "begin")
    qtbot.waitUntil(lambda: not window.begin.study.running)
    qtbot.waitUntil(lambda: window.pages.currentIndex() == 0)
    assert window.current == BRIEF


def test_the_shelf_says_where_each_job_stands_and_is_searched(window, qtbot):
    window.show_shelf()
    shelf = window.shelf
    qtbot.waitUntil(lambda: not shelf.reading and not shelf._waiting)
    texts = [shelf.list.item(k).text() for k in range(shelf.list.count())]
    assert any("proven; next: coat, mount and earth, since" in t for t in texts)
    assert any("design: ready to cut" in t for t in texts)
    shelf.search.setText("oddmar hydraulic")
    shown = [shelf.list.item(k).text() for k in range(shelf.list.count()) if not shelf.list.item(k).isHidden()]
    assert len(shown) == 1
    assert "Travelling sawmill" in shown[0]


def test_every_tile_explains_itself(window, qtbot):
    for tile in window.bench_line.tiles:
        assert len(tile.data.explain) > 40, tile.title
    assert "Hold points still open" in window.bench_line.tiles[BUILD].data.explain
    assert "not proven" in window.bench_line.tiles[HAND].data.explain


def test_a_remedy_that_would_make_a_stop_is_not_done(window, qtbot):
    from dataclasses import replace

    from bathyx.core.findings import Remedy

    finding = next(f for f in window.bench.evaluation.findings)
    bad = replace(finding, remedy=Remedy("Make it huge", (("tank.width_mm", 5000.0),)))
    before = window.bench.job
    window._apply(bad)
    assert window.bench.job == before
    assert "another stop" in window.message.text()


def test_every_control_has_a_name_that_a_screen_reader_says(window, qtbot):
    """Walked over every stage, its folded drawers, the jobs, a new tank, two versions of a file and the open findings."""
    seen = set()

    def walk(root, where):
        for widget in root.findChildren(QWidget):
            popup = isinstance(widget.parent(), QFrame) and widget.parent().inherits("QComboBoxPrivateContainer")
            if not popup:
                assert not is_nameless(widget), (where, type(widget).__name__, widget.objectName())
                seen.add(widget.accessibleName())

    for index in range(8):
        window.choose(index)
        walk(window, index)
    press(window, "rail more")
    walk(window.rail, "findings")
    window.show_shelf()
    walk(window.shelf, "jobs")
    window.begin_tank()
    walk(window.begin, "new tank")
    walk(window.versions, "versions")
    assert {"flat", "solid", "note", "find", "Amps"} <= seen


def test_no_line_of_any_card_takes_the_desks_keys(window, qtbot):
    """Every line that is typed in leaves Ctrl and the desk's letters to the desk; only those inside of a list are the list's."""
    seen = 0
    for stage in range(8):
        window.choose(stage)
        window.finish()
        for line in window.stage.card.findChildren(QLineEdit):
            if not isinstance(line.parent(), (QComboBox, QAbstractSpinBox)):
                assert isinstance(line, TextLine), (stage, line.objectName())
                seen += 1
    assert seen > 30
