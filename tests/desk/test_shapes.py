"""The shape's card in the real window: another family, its choices, a sump, corners dragged, typed and read from a file."""

import numpy as np
import pytest
from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtWidgets import QApplication, QComboBox, QListWidget, QPushButton

from bathyx.core.tank.families import FAMILIES
from bathyx.demo import jobs
from bathyx.desk.stages.tank.shape import Corners
from bathyx.desk.views.fields import Choice, Field
from tests.desk.test_window import drag, fill, find, grid_of

TANK, INSIDE = 2, 3


@pytest.fixture
def tank(window, qtbot):
    window.choose(TANK)
    qtbot.wait(20)
    return window


def choose(window, path, value):
    """As a person chooses: the box's own signal."""
    box = next(b for b in window.stage.card.findChildren(QComboBox, path) if not b.isHidden())
    choice = box.parentWidget()
    assert isinstance(choice, Choice)
    k = next(k for k, (key, _) in enumerate(choice.options) if key == value)
    box.setCurrentIndex(k)
    box.activated.emit(k)


@pytest.mark.parametrize("family", FAMILIES)
def test_every_family_is_chosen_drawn_in_every_stage_and_undone(tank, qtbot, family):
    if family == "integral":  # its walls are a hull that was measured; none is invented
        choose(tank, "tank.family", family)
        assert tank.bench.job.tank.family == "profile"
        hull = jobs.barge().space.model_copy(update={"obstacles": (), "seat": None, "way_in": None})
        assert tank.bench.edit({"space": hull.model_dump(mode="json")}, "a hull")
    before = tank.bench.job
    choose(tank, "tank.family", family)
    assert tank.bench.job.tank.family == family
    if family == "integral":
        assert tank.bench.job.tank.stations == before.space.stations
    assert tank.bench.job.makeup.school in tank.bench.job.tank.schools() or tank.bench.job == before
    for k in range(len(tank.stages)):
        tank.choose(k)
        qtbot.wait(10)
        tank.grab()
        assert tank.stage.flat_widget() is not None or tank.stage.flat().items
    tank.choose(TANK)
    if family != before.tank.family:
        tank.bench.undo()
    assert tank.bench.job == before


def test_a_rolled_tank_gets_dished_ends_and_another_section(tank, qtbot):
    choose(tank, "tank.family", "rolled")
    gross = tank.bench.evaluation.results.capacity.gross.value
    choose(tank, "tank.front.kind", "dished")
    assert tank.bench.evaluation.results.capacity.gross.value > gross
    fill(tank, qtbot, "tank.front.knuckle_mm", "500")
    field = next(
        f for f in tank.stage.card.findChildren(Field) if f.path == "tank.front.knuckle_mm" and not f.isHidden()
    )
    assert "knuckle of 500 mm is larger" in field.trouble.text()
    assert tank.bench.job.tank.front.knuckle_mm is None
    fill(tank, qtbot, "tank.front.knuckle_mm", "40")
    assert tank.bench.job.tank.front.knuckle_mm == 40
    choose(tank, "tank.section", "radiused")
    assert tank.bench.job.tank.front.kind == "flat_on"  # a dished end needs a round body
    assert {s.path for s in tank.bench.job.tank.main_sizes()} == {"length_mm", "width_mm", "height_mm"}
    width = tank.bench.job.tank.width_mm
    find(tank, QPushButton, "width_mm +5").click()
    assert tank.bench.job.tank.width_mm == width + 5


def test_a_sump_comes_and_goes(tank, qtbot):
    choose(tank, "tank.sump", "box")
    deep = tank.bench.evaluation.results
    assert float(deep.shell.bounds[0][2]) == -50
    fill(tank, qtbot, "tank.sump.depth_mm", "70")
    assert tank.bench.job.tank.sump.depth_mm == 70
    choose(tank, "tank.sump", "round")
    assert any(f.id == "sump wall" for f in tank.bench.evaluation.results.shell.faces)
    fill(tank, qtbot, "tank.sump.x_mm", "5")
    assert tank.bench.job.tank.sump.x_mm != 5  # off the floor: refused in place
    choose(tank, "tank.sump", None)
    assert tank.bench.job.tank.sump is None


def test_a_corner_is_dragged_and_a_new_one_drawn_out_of_a_side(tank, qtbot):
    choose(tank, "tank.family", "outline")
    qtbot.wait(20)
    tank.flat.grab()
    count = len(tank.bench.job.tank.corners)

    def spot(tag):
        return next(i.centre for i in tank.flat.picture.items if getattr(i, "tag", "") == tag)

    grabbed = spot("corner:2")
    drag(qtbot, tank.flat, tank.flat.to_screen(grabbed), tank.flat.to_screen(grabbed - [60.0, 40.0]))
    moved = tank.bench.job.tank
    assert len(moved.corners) == count
    assert moved.corners[2].x_mm == pytest.approx(max(c.x_mm for c in moved.corners) - 60, abs=6)
    tank.flat.grab()
    between = spot("between:0")
    drag(qtbot, tank.flat, tank.flat.to_screen(between), tank.flat.to_screen(between - [0.0, 50.0]))
    assert len(tank.bench.job.tank.corners) == count + 1
    tank.bench.undo()
    tank.bench.undo()
    assert len(tank.bench.job.tank.corners) == count


def test_corners_typed_are_taken_or_refused_in_place(tank, qtbot):
    choose(tank, "tank.family", "outline")
    part = grid_of(tank, "corners")
    part.grid.setRowCount(0)
    part.grid.paste("0\t0\tsharp\t0\n400\t0\tradius\t30\n400\t250\tsharp\t0\n0\t250\tsharp\t0")
    assert tank.bench.job.tank.corners[1].size_mm == 30
    assert len(tank.bench.job.tank.corners) == 4
    part.grid.paste("0\t0\n400\t250\n400\t0\n0\t250")
    assert "crosses or touches itself" in part.trouble.text()
    assert tank.bench.job.tank.corners[1].size_mm == 30


def asked(tank, path, act):
    """Read a drawing on the card, with `act` done on the question that it asks."""
    wrong = []

    def go():
        dialog = QApplication.activeModalWidget()
        try:
            act(dialog)
        except BaseException as error:  # said where the test is, not in the dialog's own loop
            wrong.append(error)
        finally:
            if dialog.isVisible():
                dialog.reject()

    QTimer.singleShot(0, go)
    tank.stage.card.findChild(Corners).read(path)
    if wrong:
        raise wrong[0]
    assert tank.stage.card.findChild(Corners).trouble.text() == ""


def rows(dialog, name):
    found = dialog.findChild(QListWidget, name)
    return [found.item(k).text() for k in range(found.count())]


def taken(dialog):
    dialog.findChild(QPushButton, "take outline").click()


def test_a_profile_file_without_a_unit_asks_for_it_by_the_size(tank, qtbot, tmp_path):
    import ezdxf

    document = ezdxf.new("R2010", units=0)
    document.modelspace().add_lwpolyline([(0, 0), (30, 0), (30, 20)], close=True)
    document.saveas(tmp_path / "p.dxf")
    choose(tank, "tank.family", "outline")
    before = tank.bench.job

    def act(dialog):
        assert "does not say its unit" in dialog.ask.text()
        assert rows(dialog, "which unit")[1] == 'cm: 300 mm × 200 mm, 11 13/16" × 7 7/8"'
        assert dialog.loops.isHidden()  # there is one
        taken(dialog)
        assert dialog.isVisible()  # nothing is guessed
        dialog.findChild(QListWidget, "which unit").setCurrentRow(1)
        taken(dialog)

    asked(tank, tmp_path / "p.dxf", act)
    assert max(c.x_mm for c in tank.bench.job.tank.corners) == 300
    tank.bench.undo()
    asked(tank, tmp_path / "p.dxf", lambda dialog: dialog.reject())
    assert tank.bench.job.tank == before.tank


def test_a_file_with_several_outlines_is_chosen_from_by_a_click(tank, qtbot, tmp_path):
    import ezdxf

    document = ezdxf.new("R2010", units=4)
    for k, wide in enumerate((300, 500, 260)):
        x = 600.0 * k
        document.modelspace().add_lwpolyline([(x, 0), (x + wide, 0), (x + wide, 200), (x, 200)], close=True)
    document.saveas(tmp_path / "p.dxf")
    choose(tank, "tank.family", "outline")

    def click(dialog):
        assert rows(dialog, "which loop") == ["1: 500 mm × 200 mm", "2: 300 mm × 200 mm", "3: 260 mm × 200 mm"]
        assert dialog.unit_rows.isHidden()
        canvas = dialog.drawing
        canvas.grab()
        spot = canvas.to_screen(np.array([1260.0, 100.0])).toPoint()  # in the third that was drawn, the least
        qtbot.mouseClick(canvas, Qt.MouseButton.LeftButton, pos=spot)
        assert dialog.pick == 2
        assert dialog.loops.currentRow() == 2
        taken(dialog)

    asked(tank, tmp_path / "p.dxf", click)
    assert max(c.x_mm for c in tank.bench.job.tank.corners) == 260

    def keys(dialog):
        dialog.loops.setFocus()
        qtbot.keyClick(dialog.loops, Qt.Key.Key_Down)
        assert dialog.pick == 1
        taken(dialog)

    asked(tank, tmp_path / "p.dxf", keys)
    assert max(c.x_mm for c in tank.bench.job.tank.corners) == 300
    before = tank.bench.job
    asked(tank, tmp_path / "p.dxf", lambda dialog: dialog.reject())
    assert tank.bench.job == before


def test_a_drain_under_a_rolled_wall_is_dragged_along_its_underside(window, qtbot):
    window.bench.open(window.home / "jobs" / "sawmill.bathyx.json")
    window.choose(INSIDE)
    qtbot.wait(20)
    window.flat.grab()

    def at(name):
        fitting = next(f for f in window.bench.job.inside.fittings if f.id == name)
        return window.bench.evaluation.results.shell.by_id["wall"].place(fitting.u_mm, fitting.v_mm)

    for name, low in (("drain", True), ("return", False)):
        spot = at(name)
        drag(qtbot, window.flat, window.flat.to_screen(spot[:2]), window.flat.to_screen(spot[:2] + [60.0, 0.0]))
        moved = at(name)
        assert moved[0] == pytest.approx(spot[0] + 60, abs=8)
        assert (moved[2] < 20) == low
