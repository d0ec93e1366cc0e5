"""The card as an index of drawers: names, figures, as many open as fit, what is sought or typed in among them."""

from types import SimpleNamespace

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QLineEdit

from tests.desk.test_window import find

BRIEF, SPACE, TANK, INSIDE, CUT, BUILD, PROVE, HAND = range(8)
STAGES = range(8)


def shown(window, index, size=(1280, 800)):
    window.resize(*size)
    window.show()
    window.choose(index)
    window.finish()
    window.stage.card.settle()
    return window.stage.card


def test_every_head_is_on_the_screen_unless_one_drawer_alone_is_taller(window, qtbot):
    for size in ((1024, 700), (1280, 800), (1920, 1080)):
        for index in (BRIEF, SPACE, CUT, PROVE, HAND):
            card = shown(window, index, size)
            qtbot.wait(10)
            open_ = [d for d in card.drawers if d.body.isVisibleTo(card) and not d.isHidden()]
            assert open_
            for drawer in card.drawers:
                assert drawer.isHidden() or drawer.head.isVisibleTo(card)
                assert drawer.head.accessibleName() == drawer.title
            scrolls = card.verticalScrollBar().maximum() > 0
            assert not scrolls or len(open_) == 1 or index == PROVE, (size, index)


def test_a_head_says_its_figure_and_it_follows_the_job(window):
    card = shown(window, BRIEF)
    head = next(d.head for d in card.drawers if d.title == "How much")
    before = head.figure
    window.bench.edit({"brief.demand": {"kind": "capacity", "litres": 61.0}}, "less")
    assert (before, head.figure) == (before, "61.0 L")
    assert before != head.figure
    assert head.accessibleDescription() == "61.0 L"
    window.bench.turn_units()
    assert head.figure.endswith("US gal")


def test_a_shut_drawer_is_opened_by_its_head_and_by_a_key(window, qtbot):
    card = shown(window, BRIEF, (1024, 700))
    shut = next(d for d in card.drawers if not d.body.isVisibleTo(card))
    shut.head.click()
    assert shut.body.isVisibleTo(card)
    qtbot.keyClick(shut.head, Qt.Key.Key_Return)
    assert not shut.body.isVisibleTo(card)
    qtbot.keyClick(shut.head, Qt.Key.Key_Return)
    assert shut.body.isVisibleTo(card)
    assert any(not d.body.isVisibleTo(card) for d in card.drawers)  # others made room


def test_where_is_opens_the_drawer(window, qtbot):
    card = shown(window, SPACE, (1024, 700))
    keep = next(d for d in card.drawers if d.title == "Room to keep")
    assert not keep.body.isVisibleTo(card)
    window.where.ask()
    window.where.edit.setText("Rear")
    names = [p.name for p in window.where._shown]
    assert "Rear" in names
    window.where.rows.setCurrentRow(names.index("Rear"))
    window.where.go()
    field = find(window, QLineEdit, "space.clearance.rear_mm")
    assert field.isVisibleTo(card)
    assert keep.body.isVisibleTo(card)


def test_what_is_typed_in_is_not_shut_by_a_smaller_window(window, qtbot, monkeypatch):
    card = shown(window, BRIEF)
    field = find(window, QLineEdit, "brief.fill_l_min")
    monkeypatch.setattr("bathyx.desk.views.card.QApplication", SimpleNamespace(focusWidget=lambda: field))
    window.resize(1024, 700)
    card.settle()
    assert field.isVisibleTo(card)


def test_a_wide_window_has_two_columns_and_a_larger_drawing(window, qtbot):
    card = shown(window, BRIEF, (1920, 1080))
    qtbot.wait(20)
    half = (len(card.drawers) + 1) // 2
    left, right = (
        {d.mapTo(card, d.rect().topLeft()).x() for d in group} for group in (card.drawers[:half], card.drawers[half:])
    )
    assert max(left) < min(right)
    assert window.board.width() > 0.6 * 1920
    narrow = shown(window, BRIEF)
    qtbot.wait(20)
    assert len({d.mapTo(narrow, d.rect().topLeft()).x() for d in narrow.drawers}) == 1


def test_what_there_is_only_of_a_hole_goes_with_it(window):
    card = shown(window, SPACE)
    window.bench.edit({"space": {"kind": "free"}}, "no hole")
    assert [d.title for d in card.drawers if not d.isHidden()] == ["The space, as measured"]
    assert card.drawers[0].head.figure == "no hole"
