"""Grids: cells as the tape says them, blocks pasted, tables taken when they are whole, nothing lost meanwhile."""

import numpy as np
import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QApplication, QLineEdit, QPushButton

from bathyx.core.space import StationSpace
from bathyx.core.units import Family
from bathyx.desk.views.grid import YES_NO, Column, cells_of, read_cell, show_cell
from bathyx.errors import Refusal
from tests.desk.test_window import find, grid_of, press

SPACE, TANK, INSIDE, CUT = 1, 2, 3, 4
LENGTH = Column("height")


@pytest.mark.parametrize(
    ("text", "units", "mm"),
    [
        ("387", Family.METRIC, 387.0),
        ("387", Family.US, 387 * 25.4),
        ('15 1/4"', Family.METRIC, 387.35),
        ("-12.5", Family.METRIC, -12.5),
        ("−3", Family.US, -76.2),
        ("0", Family.METRIC, 0.0),
        ("0.38 m", Family.US, 380.0),
        ("", Family.METRIC, None),
    ],
)
def test_a_cell_takes_what_the_tape_says(text, units, mm):
    found = read_cell(text, LENGTH, units)
    assert found == (mm if mm is None else pytest.approx(mm))


@pytest.mark.parametrize(
    ("text", "column", "says"),
    [
        ("wide", LENGTH, "is not a length"),
        ("3.5", Column("how many", "count"), "no whole number"),
        ("nan", Column("turn", "number"), "no number"),
        ("lid", Column("panel", "text", ("bottom", "top")), "none of bottom, top"),
        ("e", Column("half", "text", ("east", "end")), "none of"),
    ],
)
def test_a_cell_that_is_none_is_refused(text, column, says):
    with pytest.raises(Refusal, match=says):
        read_cell(text, column, Family.METRIC)


def test_choices_are_told_by_their_first_letters():
    assert read_cell("bo", Column("panel", "text", ("bottom", "top")), Family.METRIC) == "bottom"
    assert read_cell("top", Column("panel", "text", ("top", "top front")), Family.METRIC) == "top"


@pytest.mark.parametrize("units", list(Family))
@pytest.mark.parametrize("mm", [0.0, 12.0, -31.75, 1480.0])
def test_what_is_shown_is_read_back(units, mm):
    assert read_cell(show_cell(mm, LENGTH, units), LENGTH, units) == pytest.approx(
        mm, abs={Family.US: 0.4, Family.US_DECIMAL: 0.013}.get(units, 1e-9)
    )


def test_blocks_are_parted_as_they_come():
    assert cells_of("1\t2\n3\t4\n") == cells_of("1;2\n3;4") == cells_of("1, 2\n3, 4") == [["1", "2"], ["3", "4"]]
    assert cells_of('"a, b",2') == [["a, b", "2"]]
    assert cells_of("") == []


def strips(window, qtbot):
    window.choose(CUT)
    press(window, "fold bends")
    press(window, "open test strips")
    return grid_of(window, "test strips")


def type_on(qtbot, grid, text):
    """Into the cell in hand, as keys; Enter goes on."""
    qtbot.keyClicks(grid, text[0])
    editor = grid.findChildren(QLineEdit)[-1]
    qtbot.keyClicks(editor, text[1:])
    qtbot.keyClick(editor, Qt.Key.Key_Return)
    qtbot.wait(5)


def test_a_row_typed_by_keys_alone_is_taken_when_it_is_whole(window, qtbot):
    table = strips(window, qtbot)
    assert window.board.sheet.holds is table
    grid = table.grid
    grid.setCurrentCell(0, 0)
    grid.setFocus()
    for text in ("100", "52.6"):
        type_on(qtbot, grid, text)
    assert grid.currentColumn() == 2  # Enter goes on
    assert window.bench.job.makeup.strips == ()
    assert "row 1 is not whole yet: other flange is missing" in table.trouble.text()
    type_on(qtbot, grid, "52.6")
    (strip,) = window.bench.job.makeup.strips
    assert (strip.before_mm, strip.first_mm, strip.second_mm, strip.turn_deg) == (100.0, 52.6, 52.6, 90.0)
    assert not table.trouble.text()
    assert grid.rowCount() == 2
    window.bench.undo()
    assert window.bench.job.makeup.strips == ()
    assert grid.rowCount() == 1
    press(window, "close table")
    assert window.board.sheet.holds is None


def test_a_cell_keeps_what_was_typed_and_follows_the_units(window, qtbot):
    grid = strips(window, qtbot).grid
    grid.paste('3 15/16"\t52.6\t52.6')
    assert window.bench.job.makeup.strips[0].before_mm == pytest.approx(100.0125)
    assert grid.text_at(0, 0) == '3 15/16"'
    window.bench.turn_units()
    assert grid.text_at(0, 1) == '2 1/16"'
    assert grid.horizontalHeaderItem(0).text() == "before, in"
    before = window.bench.job
    grid.item(0, 0).setText("3.94")
    assert window.bench.job.makeup.strips[0].before_mm == pytest.approx(100.076)
    assert window.bench.job.makeup.strips[0].first_mm == 52.6  # what was not touched is not rounded to what is shown
    assert window.bench.job != before


def test_what_cannot_be_taken_stays_and_can_be_put_back(window, qtbot):
    table = strips(window, qtbot)
    grid = table.grid
    grid.paste("100\t52.6\t52.6")
    grid.item(0, 1).setText("fifty")
    assert "row 1, one flange: 'fifty' is not a length" in table.trouble.text()
    window.bench.edit({"tank.length_mm": window.bench.job.tank.length_mm + 1}, "longer meanwhile")
    assert grid.text_at(0, 1) == "fifty"
    press(window, "revert test strips")
    assert (grid.text_at(0, 1), table.trouble.text()) == ("52.6", "")


def test_rows_are_copied_and_taken_out(window, qtbot):
    table = strips(window, qtbot)
    grid = table.grid
    grid.paste("100\t52.6\t52.6\t90\n200\t102.6\t102.6\t90")
    grid.setCurrentCell(0, 0)
    grid.copy()
    assert QApplication.clipboard().text() == "100\t52.6\t52.6\t90\n200\t102.6\t102.6\t90"
    press(window, "drop row test strips")
    assert [s.before_mm for s in window.bench.job.makeup.strips] == [200.0]
    grid.selectAll()
    grid.clear_cells()
    assert window.bench.job.makeup.strips == ()


def test_a_doubler_inside_stays_inside_when_another_cell_is_typed(window, qtbot):
    window.choose(CUT)
    plate = {
        "face": "bottom",
        "u_mm": 150,
        "v_mm": 300,
        "width_mm": 60,
        "height_mm": 40,
        "thickness_mm": 3,
        "inside": True,
    }
    window.bench.edit({"makeup.doublers": [plate]}, "a doubler")
    press(window, "fold panels") if find(window, QPushButton, "fold panels").text().startswith("+") else None
    grid = grid_of(window, "doublers").grid
    assert grid.text_at(0, 6) == YES_NO[1]
    grid.item(0, 3).setText("70")
    (made,) = window.bench.job.makeup.doublers
    assert (made.width_mm, made.inside, made.thickness_mm) == (70.0, True, 3.0)


# -- stations ----------------------------------------------------------------------------------------------------------------


def hull(window):
    window.choose(SPACE)
    window.stage.parts.kind.choose("stations")
    press(window, "open offsets")
    return window.board.sheet.holds.grid


def test_a_hull_is_filled_in_cell_by_cell(window, qtbot):
    """Three stations by five heights, never leaving the keys; a new height in the empty column, a new station in the empty row."""
    grid = hull(window)
    assert isinstance(window.bench.job.space, StationSpace)
    grid.item(0, 3).setText("150")
    assert "150" in grid.text_at(0, 3)
    grid.item(1, 3).setText("200")
    grid.item(2, 3).setText("210")
    heights = [row.z_mm for row in window.bench.job.space.stations[0].rows]
    assert 150.0 in heights
    assert window.bench.job.space.stations[0].rows[heights.index(150.0)].left_mm == 200.0
    rows = len(window.bench.job.space.stations)
    grid.item(grid.rowCount() - 1, 0).setText("2000")
    for c, text in enumerate(("100", "120", "180"), start=1):
        grid.item(rows + 1, c).setText(text)
    assert len(window.bench.job.space.stations) == rows + 1
    assert window.bench.job.space.stations[-1].x_mm == 2000.0


def test_the_place_of_a_cell_is_ringed_on_the_drawing(window, qtbot):
    grid = hull(window)
    grid.setCurrentCell(1, 2)
    spots = grid.place_of(1, 2)
    assert spots.shape == (2, 3)
    assert spots[0][1] == -spots[1][1]
    rings = window.stage.over.items
    assert len(rings) == 6  # both walls in three views
    assert window.flat.over.items == rings
    window.flat.grab()


def test_sides_apart_are_cells_of_their_own(window, qtbot):
    grid = hull(window)
    grid.paste("x_mm\t0 L\t0 R\t300 L\t300 R\n0\t100\t110\t200\t210\n900\t120\t130\t220\t230")
    first = window.bench.job.space.stations[0].rows
    assert (first[0].left_mm, first[0].right_mm) == (100.0, 110.0)
    grid.item(1, 2).setText("115")
    assert window.bench.job.space.stations[0].rows[0].right_mm == 115.0
    assert window.bench.job.space.stations[0].rows[0].left_mm == 100.0
    window.bench.turn_units()
    assert "R" in grid.text_at(0, 2)
    grid.item(1, 2).setText('4 3/4"')
    assert window.bench.job.space.stations[0].rows[0].right_mm == pytest.approx(120.65)
    assert window.bench.job.space.stations[1].rows[1].right_mm == 230.0


def test_a_scan_with_many_heights_has_a_row_an_offset(window, qtbot):
    rows = [(x, z, 200.0 + z / 10, 210.0 + z / 10) for x in (0.0, 700.0) for z in np.arange(30) * 11.0]
    text = "\n".join(["x_mm\tz_mm\tleft_mm\tright_mm", *("\t".join(f"{v:g}" for v in row) for row in rows)])
    grid = hull(window)
    grid.paste(text)
    assert len(window.bench.job.space.stations[0].rows) == 30
    assert (grid.rowCount(), grid.columnCount()) == (61, 4)
    grid.item(3, 2).setText("190")
    assert window.bench.job.space.stations[0].rows[3].left_mm == 190.0
    assert grid.place_of(3, 2).tolist() == [[0.0, -190.0, 33.0], [0.0, 213.3, 33.0]]
    window.bench.turn_units()
    assert grid.horizontalHeaderItem(0).text() == "along, in"
    grid.paste("x_mm\t0\t300\n0\t100\t200\n900\t120\t220")
    assert grid.columnCount() == 4  # two heights, where they stand, and an empty one
    assert len(window.bench.job.space.stations[0].rows) == 2


# -- things in the space -------------------------------------------------------------------------------------------------------


THINGS = ("box", "tube", "plane", "ledge", "chamfer", "hatch", "round hatch", "any hatch", "reach", "layer")


def test_what_stands_in_a_space_is_put_down_and_its_figures_typed(window, qtbot):
    window.choose(SPACE)
    before = window.bench.job
    for key in THINGS:
        window.tray.buttons[key].click()
        assert window.stage.holding == key
        view = window.stage.held.views[0]
        window.flat.hung.emit((view.reach[0] + 3 * view.reach[2]) / 4, (view.reach[1] + view.reach[3]) / 2)
        qtbot.keyClick(window.flat, Qt.Key.Key_Return)
        assert window.stage.holding == ""
        _, _, thing = window.stage.parts.things.chosen
        window.flat.grab()
        fields = [w for w in window.stage.parts.things.findChildren(QLineEdit) if w.objectName().startswith("space.")]
        assert len(fields) >= 2, key
        name = next(f for f in fields if f.objectName().endswith(".name"))
        name.setText("stern gear")
        name.editingFinished.emit()
        assert window.stage.parts.things.chosen[2].name == "stern gear"
        size = [f for f in fields if not f.objectName().endswith(".name")][-1]
        size.setText("23")
        size.editingFinished.emit()
        assert window.stage.parts.things.chosen[2] != thing.model_copy(update={"name": "stern gear"}), key
        for _ in range(3):
            window.bench.undo()
        assert window.bench.job == before, key


def test_a_hatch_is_a_rectangle_with_four_figures_and_things_stand_before_it(window, qtbot):
    window.choose(SPACE)
    window.tray.buttons["hatch"].click()
    qtbot.keyClick(window.flat, Qt.Key.Key_Return)
    hatch = window.bench.job.space.way_in.openings[0]
    things = window.stage.parts.things
    assert things._set_span("space.way_in.openings.0", 0, 1, 350.0) == ""
    xs = [c[0] for c in window.bench.job.space.way_in.openings[0].corners]
    assert max(xs) - min(xs) == 350.0
    assert min(xs) == min(c[0] for c in hatch.corners)
    window.tray.buttons["box"].click()
    qtbot.keyClick(window.flat, Qt.Key.Key_Return)
    assert len(window.bench.job.space.obstacles) == 1
    things._stand("outside")
    assert window.bench.job.space.obstacles == ()
    assert window.bench.job.space.way_in.outside[0].name == "box"
    things._stand("later")
    assert window.bench.job.space.way_in.later == ("box",)
    assert window.bench.job.space.obstacles[0].name == "box"
    things.copy()
    assert [t.name for t in window.bench.job.space.obstacles] == ["box", "box 2"]
    things.drop()
    window.bench.light("opening:0")
    things.drop()
    assert window.bench.job.space.way_in is None


def test_lines_of_the_command_line_are_copied_and_pasted(window, qtbot):
    window.choose(SPACE)
    things = window.stage.parts.things
    assert things.paste("hose: tube from 100, 0, 50 to 100, 600, 50, dia 40, keep 5\nfoam: layer below 10") == ""
    things.setFocus()
    qtbot.keyClick(things, Qt.Key.Key_C, Qt.KeyboardModifier.ControlModifier)
    assert "hose: tube from 100, 0, 50 to 100, 600, 50, dia 40, keep 5" in QApplication.clipboard().text()
    assert "is not understood" in things.paste("pipe: string")


def test_no_hole_has_nothing_to_put_into_it(window):
    window.choose(SPACE)
    window.bench.edit({"space": {"kind": "free"}}, "no hole")
    assert window.tray.parts == ()
    assert window.flat.left_room == 0
