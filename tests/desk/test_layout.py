"""At 1280 x 800 nothing is cut off or lies on something else, and everything has a name and a key."""

import itertools
import shutil

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, QRectF, Qt
from PyQt6.QtWidgets import QAbstractButton, QComboBox, QLineEdit

from bathyx.desk.stages.registry import STAGES
from bathyx.desk.start import open_window
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


def test_one_drawing_is_large_and_the_other_an_inset_that_changes_places(window, qtbot):
    window.choose(2)
    for name, flat, solid in (("view flat", False, True), ("view solid", True, False), ("view both", False, False)):
        window.view_buttons[name].click()
        assert (window.flat.quiet, window.solid.quiet) == (flat, solid)
        assert window.flat_stack.isVisible()
        assert window.solid.isVisible()
        assert window.view_buttons[name].isChecked()
    window.view_buttons["view flat"].click()
    assert window.flat.width() > 2.5 * window.solid.width()
    qtbot.mouseClick(window.solid, Qt.MouseButton.LeftButton, pos=QPoint(40, 60))
    assert window.flat.quiet
    assert window.view_buttons["view solid"].isChecked()
    window.flat.setFocus()
    qtbot.keyClick(window.flat, Qt.Key.Key_Return)
    assert window.solid.quiet


def test_a_drawing_that_keeps_clear_of_its_inset_does_so_again_after_both_stood_side_by_side(window, qtbot):
    window.bench.open(window.home / "jobs" / "dairy.bathyx.json")
    window.choose(4)
    qtbot.wait(20)
    window.board._placed = None
    window.flat.covered = lambda _place: 1.0  # no corner is free
    window.board.arrange()
    assert window.flat.right_room > window.solid.width()
    for name in ("view both", "view flat"):
        window.view_buttons[name].click()
    assert window.flat.right_room > window.solid.width()


@pytest.mark.parametrize("size", [(1024, 700), (1280, 800), (1920, 1080)])
def test_the_drawing_has_most_of_the_window_and_its_inset_hides_no_word(window, qtbot, size):
    window.resize(*size)
    qtbot.wait(20)
    assert (window.width(), window.height()) == size
    for stage in (0, 1, 2, 3, 4, 5, 7):
        window.choose(stage)
        qtbot.wait(20)
        board = window.board
        if size[0] >= 1280:
            assert board.width() * (board.height() - 44) > 0.59 * size[0] * size[1]
        inset = QRectF(window.solid.geometry())
        assert window.flat.covered(inset.adjusted(6, 6, -6, -6)) < 0.02, stage
        assert board.rect().contains(window.solid.geometry())
        assert not window.solid.geometry().intersects(board.strip.geometry())


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


@pytest.mark.parametrize("size", [(1024, 700), (1280, 800), (1920, 1080)])
def test_the_first_picture_is_whole_before_anything_is_chosen(qtbot, tmp_path, demo_home, size):
    """The drawing lies in its place in the first frame that shows it, not only once a stage is chosen."""
    shutil.copytree(demo_home, tmp_path, dirs_exist_ok=True)
    window = open_window(tmp_path, None, demo=True)
    window.resize(*size)
    frames = []

    def first():
        window.grab()
        left, bottom, right, top = window.flat.picture.bounds
        corners = [window.flat.to_screen(np.array(spot)) for spot in ((left, bottom), (right, top))]
        frames.append((window.flat.rect(), corners, window.board.geometry(), window.pages.geometry()))

    window.furnished.connect(first)
    qtbot.waitUntil(lambda: bool(frames))
    rect, (low, high), _, _ = frames[0]
    assert rect.contains(low.toPoint())
    assert rect.contains(high.toPoint())
    assert rect.width() > 0.5 * size[0]
    window.finish()
    window.close()
