"""At 1280 x 800 nothing is cut off or lies on something else, and everything has a name and a key."""

import itertools

import pytest
from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtWidgets import QAbstractButton, QComboBox, QLineEdit

from bathyx.desk.stages.registry import STAGES
from bathyx.desk.views.fields import FigureLine
from bathyx.desk.window import _two_lines


@pytest.mark.parametrize("us", [False, True], ids=["metric", "us"])
@pytest.mark.parametrize("job", ["trolley", "sawmill", "orchard", "dairy", "frost-fan"])
def test_live_dimensions_stand_inside_the_drawing_and_clear_of_each_other(window, qtbot, job, us):
    window.bench.open(window.home / "jobs" / f"{job}.bathyx.json")
    if us:
        window.bench.turn_units()
    for index in (1, 2, 3):
        window.choose(index)
        qtbot.wait(20)
        window.flat.grab()
        canvas = QRectF(window.flat.rect())
        live = [(dim.tag, box) for dim, box in window.flat._dims if dim.tag.startswith("edit:")]
        assert live or index == 3, STAGES[index].title
        for tag, box in live:
            assert canvas.contains(box), f"{tag} of {job} is cut off"
        for (a, first), (b, second) in itertools.combinations(live, 2):
            assert not first.adjusted(4, 4, -4, -4).intersects(second.adjusted(4, 4, -4, -4)), (
                f"{a} lies on {b} ({job})"
            )


def test_no_card_is_wider_than_its_place(window, qtbot):
    for us in (False, True):
        if us:
            window.bench.turn_units()
        for index, title in enumerate(entry.title for entry in STAGES):
            window.choose(index)
            qtbot.wait(20)
            card = window.stage.card
            assert card.body.minimumSizeHint().width() <= card.viewport().width(), title


def test_every_control_has_a_name_for_eyes_and_readers(window, qtbot):
    for index, title in enumerate(entry.title for entry in STAGES):
        window.choose(index)
        for widget in window.stage.card.findChildren((QAbstractButton, QLineEdit, QComboBox)):
            if isinstance(widget, QLineEdit) and isinstance(widget.parent(), QComboBox):
                continue
            assert widget.objectName(), (title, widget)
            if isinstance(widget, QAbstractButton):
                assert widget.text().strip(), (title, widget.objectName())


def test_every_control_that_shows_is_reached_by_tab(window, qtbot):
    for index, title in enumerate(entry.title for entry in STAGES):
        window.choose(index)
        for widget in window.stage.card.findChildren((QAbstractButton, QLineEdit, QComboBox, FigureLine)):
            if widget.isVisibleTo(window) and not isinstance(widget.parent(), QComboBox):
                assert widget.focusPolicy() & Qt.FocusPolicy.TabFocus, (title, widget.objectName())


def test_tiles_hold_their_words_in_both_families(window, qtbot):
    for us in (False, True):
        if us:
            window.bench.turn_units()
        for tile in window.bench_line.tiles:
            assert tile.data.figure
            assert len(tile.data.words) < 60
            assert not tile.grab().isNull()


def test_views_are_shown_flat_round_or_both(window, qtbot):
    window.choose(2)
    for name, flat, solid in (("view flat", True, False), ("view solid", False, True), ("view both", True, True)):
        window.view_buttons[name].click()
        assert (window.flat_stack.isVisible(), window.solid.isVisible()) == (flat, solid)


def test_a_smaller_window_still_shows_the_figures_that_matter(window, qtbot):
    window.resize(1024, 700)
    qtbot.wait(50)
    window.choose(2)
    assert window.flat.width() > 220
    assert window.bench_line.tiles[2].width() > 80
    assert window.cards.width() == 344


@pytest.mark.parametrize(
    "name", ["Ox", "Travelling sawmill reservoir", "Supercalifragilistic tank", "A b c d e f g h i j k l m n o p"]
)
def test_a_name_fits_its_button(name):
    lines = _two_lines(name).split("\n")
    assert len(lines) <= 2
    assert all(len(line) <= 14 for line in lines)
    assert lines[0][:2] == name[:2]
