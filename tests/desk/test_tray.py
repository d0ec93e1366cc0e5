"""The tray and the hand: parts are picked up, hang at the pointer, are put down, typed, nudged, copied, mirrored, taken out."""

import numpy as np
import pytest
from PyQt6.QtCore import QEvent, QPointF, Qt
from PyQt6.QtGui import QMouseEvent
from PyQt6.QtWidgets import QLineEdit, QPushButton

from bathyx.core.inside.kinds import kinds
from bathyx.draft.face_view import distances
from tests.desk.test_window import find, press

BRIEF, SPACE, TANK, INSIDE, CUT, BUILD, PROVE = range(7)


def over(window, x, y):
    """The pointer, with nothing pressed, over (x, y) mm of the flat drawing."""
    at = window.flat.to_screen(np.array([x, y]))
    none = Qt.MouseButton.NoButton
    window.flat.mouseMoveEvent(
        QMouseEvent(QEvent.Type.MouseMove, at, window.flat.mapToGlobal(at), none, none, Qt.KeyboardModifier.NoModifier)
    )
    return at


def put_down(window, qtbot, x, y):
    at = over(window, x, y)
    qtbot.mouseClick(window.flat, Qt.MouseButton.LeftButton, pos=at.toPoint())


def fittings(window):
    return window.bench.job.inside.fittings


def test_a_part_is_picked_up_hangs_and_is_put_down_as_one_edit(window, qtbot):
    window.choose(INSIDE)
    before = window.bench.job
    window.tray.buttons["coupler"].click()
    assert window.stage.holding == "coupler"
    assert window.tray.buttons["coupler"].isChecked()
    over(window, 118, 300)
    hung = window.stage.held.fitting.fitting
    assert window.flat.over.items
    assert window.bench.job is before
    put_down(window, qtbot, 118, 300)
    made = fittings(window)[-1]
    assert (made.kind, made.face) == ("coupler", hung.face)
    assert window.bench.lit == f"fitting:{made.id}"
    assert window.stage.holding == ""
    assert window.flat.over.items == ()
    assert made.id in str([f.id for f in fittings(window)])
    window.bench.undo()
    assert window.bench.job == before


def test_escape_and_the_same_part_again_put_it_back(window, qtbot):
    window.choose(INSIDE)
    before = window.bench.job
    window.tray.buttons["vent"].click()
    qtbot.keyClick(window.flat, Qt.Key.Key_Escape)
    assert window.stage.holding == ""
    window.tray.buttons["vent"].click()
    window.tray.buttons["vent"].click()
    assert window.stage.holding == ""
    window.tray.buttons["vent"].click()
    window.choose(TANK)
    assert window.stages[INSIDE].holding == ""
    assert not window.flat.hanging
    assert window.bench.job is before


def test_every_part_can_be_put_down_by_enter_alone(window, qtbot):
    """Two actions, at a place that no finding has anything against."""
    window.choose(INSIDE)
    shell = window.bench.evaluation.results.shell
    for key, kind in kinds().items():
        window.bench.edit({"inside.fittings": []}, "all out")
        window.tray.buttons[key].click()
        assert window.stage.held.clear, key
        qtbot.keyClick(window.flat, Qt.Key.Key_Return)
        (made,) = fittings(window)
        assert made.kind == key
        found = window.bench.evaluation.findings
        against = {f.code for f in found if f.where == f"fitting:{made.id}" and f.severity == "stop"}
        assert against <= {"opening.level", "fitting.metal"}, key
        if kind.home == "wall":
            assert abs(shell.by_id[made.face].normal[2]) < 0.3, key
            assert window.stage.sight.face == made.face
        window.flat.grab()
        window.solid.grab()


def test_distances_are_typed_while_it_hangs_and_after(window, qtbot):
    window.choose(INSIDE)
    window.tray.buttons["nut"].click()
    face = window.stage.sight.face
    border = window.stage.sight.border(window.bench.evaluation.results.shell, face)
    window.flat.grab()
    for side, text in (("left", "61"), ("below", "83")):
        window.flat.type_at(f"edit:hang.{side}")
        window.flat.editor.setText(text)
        qtbot.keyClick(window.flat.editor, Qt.Key.Key_Return)
        window.flat.grab()
    at = window.stage.held.at
    edges = distances(border, np.array(at))
    assert (at[0] - edges["left"], at[1] - edges["below"]) == pytest.approx((61, 83), abs=0.02)
    window.flat.setFocus()
    qtbot.keyClick(window.flat, Qt.Key.Key_Return)
    made = fittings(window)[-1]
    window.flat.grab()
    window.flat.type_at(f"edit:place.{made.id}.right")
    window.flat.editor.setText("100")
    qtbot.keyClick(window.flat.editor, Qt.Key.Key_Return)
    spot = window.stage.sight.spot(window.bench.evaluation.results.shell, fittings(window)[-1])
    assert distances(border, spot)["right"] - spot[0] == pytest.approx(100, abs=0.02)
    window.flat.grab()
    window.flat.type_at(f"edit:place.{made.id}.right")
    window.flat.editor.setText("a hand")
    qtbot.keyClick(window.flat.editor, Qt.Key.Key_Return)
    assert "a hand" in window.flat.trouble.text()


def test_arrows_move_by_one_five_and_twenty_five(window, qtbot):
    window.choose(INSIDE)
    window.stage.picked("fitting:return")
    window.flat.setFocus()
    start = next(f for f in fittings(window) if f.id == "return")
    undo = window.bench.job
    for modifier, key, way in (
        (Qt.KeyboardModifier.NoModifier, Qt.Key.Key_Left, (-1, 0)),
        (Qt.KeyboardModifier.ShiftModifier, Qt.Key.Key_Down, (-1, -5)),
        (Qt.KeyboardModifier.ControlModifier, Qt.Key.Key_Left, (-26, -5)),
    ):
        qtbot.keyClick(window.flat, key, modifier)
        now = next(f for f in fittings(window) if f.id == "return")
        assert (now.u_mm - start.u_mm, now.v_mm - start.v_mm) == pytest.approx(way)
    window.bench.undo()
    assert window.bench.job == undo  # one gesture, one undo


def test_copy_mirror_and_take_out(window, qtbot):
    window.choose(INSIDE)
    window.stage.picked("fitting:return")
    window.flat.setFocus()
    first = next(f for f in fittings(window) if f.id == "return")
    count = len(fittings(window))
    qtbot.keyClick(window.flat, Qt.Key.Key_M)
    twin = fittings(window)[-1]
    face = window.bench.evaluation.results.shell.by_id[first.face]
    low, high = face.outline.min(axis=0), face.outline.max(axis=0)
    assert twin.v_mm + first.v_mm == pytest.approx(low[1] + high[1])
    assert twin.u_mm == first.u_mm
    qtbot.keyClick(window.flat, Qt.Key.Key_Insert)
    assert window.stage.holding == "return"
    qtbot.keyClick(window.flat, Qt.Key.Key_Return)
    copied = fittings(window)[-1]
    assert (copied.hole_mm, copied.ring_od_mm) == (first.hole_mm, first.ring_od_mm)
    qtbot.keyClick(window.flat, Qt.Key.Key_Delete)
    assert len(fittings(window)) == count + 1
    press(window, "copy fitting")
    assert window.bench.lit == "" or window.stage.holding in ("", "return")


def test_a_face_picked_in_the_round_is_looked_at(window, qtbot):
    window.choose(INSIDE)
    wall = next(f.id for f in window.bench.evaluation.results.shell.faces if f.role == "end")
    window.solid.picked.emit(f"face:{wall}", 0.5)
    assert window.stage.sight.face == wall
    assert any(getattr(item, "text", "") == f"{wall}, seen from outside" for item in window.flat.picture.items)
    window.tray.buttons["coupler"].click()
    put_down(
        window,
        qtbot,
        *np.array(window.stage.sight.border(window.bench.evaluation.results.shell, wall).centroid.coords[0]),
    )
    assert fittings(window)[-1].face == wall
    window.solid.picked.emit("fitting:filler", 0.5)
    assert window.stage.sight.face == ""


def test_a_wall_is_seen_from_outside_and_not_as_its_mirror(window):
    """Two fittings on a wall: which is further to the right for who stands before it."""
    from bathyx.draft.face_view import Sight

    shell = window.bench.evaluation.results.shell
    for face in shell.faces:
        sight = Sight(face.id)
        middle = face.place(*np.mean([face.outline.min(axis=0), face.outline.max(axis=0)], axis=0))
        n = face.normal_at(middle)
        if abs(n[2]) > 0.3:
            continue
        right = np.cross([0.0, 0.0, 1.0], n)  # right hand of who looks along -n with z up
        u, _ = face.tangents(middle)
        assert sight.way(face) == pytest.approx(np.sign(u @ right)), face.id


def test_baffles_are_put_down_from_the_tray(window, qtbot):
    window.choose(INSIDE)
    before = len(window.bench.evaluation.results.baffles)
    window.tray.buttons["baffle across"].click()
    window.flat.grab()
    window.flat.type_at("edit:hang.left")
    window.flat.editor.setText("111")
    qtbot.keyClick(window.flat.editor, Qt.Key.Key_Return)
    window.flat.setFocus()
    qtbot.keyClick(window.flat, Qt.Key.Key_Return)
    across = [b for b in window.bench.evaluation.results.baffles if b.axis == "x"]
    assert len(window.bench.evaluation.results.baffles) == before + 1
    assert across[-1].at_mm == pytest.approx(window.bench.evaluation.results.shell.bounds[0][0] + 111)


def test_a_leak_at_a_fitting_is_marked_stands_and_is_mended_there(window, qtbot):
    b = window.bench
    b.who = "Marn Ostley"
    window.choose(PROVE)
    window.stage.picked("fitting:drain")
    window.stage.leak_note.setText("bubbles round the boss")
    press(window, "mark leak")
    entry = b.record.of_kind("leak")[-1]
    assert entry.payload["edge"] == "fitting:drain"
    assert entry.subject.startswith("R")
    assert b.record.proof.state == "leak known"
    assert any(getattr(item, "text", "") == "leak" for item in window.solid.picture.items)
    window.choose(BUILD)
    window.stage.picked("fitting:drain")
    assert window.stage.seam.edge == "fitting:drain"
    assert b.record.seam_state("fitting:drain") == "leaks"


def test_the_tray_is_there_where_something_can_be_put_in(window):
    window.choose(INSIDE)
    assert window.tray.isVisibleTo(window)
    assert window.flat.left_room == window.tray.wide_px > 0
    for made in window.tray.buttons.values():
        assert made.accessibleName().startswith("Pick up: ")
    window.choose(BRIEF)
    assert not window.tray.isVisibleTo(window)
    assert window.flat.left_room == 0


def test_another_size_of_a_thread_changes_hole_and_ring(window, qtbot):
    window.choose(INSIDE)
    window.tray.buttons["coupler"].click()
    qtbot.keyClick(window.flat, Qt.Key.Key_Return)
    window.stage.size.choose("G 1 1/4")
    made = fittings(window)[-1]
    assert (made.thread, made.hole_mm, made.ring_od_mm) == ("G 1 1/4", 39.0, 49.0)
    window.stage.duty.choose("drain")
    assert fittings(window)[-1].does == "drain"
    assert find(window, QPushButton, "mirror fitting").isVisibleTo(window)
    assert QPointF is not None


def test_a_strap_hangs_over_the_tank_is_typed_put_down_mirrored_moved_and_taken_off(window, qtbot):
    window.choose(INSIDE)
    before = window.bench.job
    window.tray.buttons["strap"].click()
    assert window.stage.typed("edit:hang.left", "70") == ""
    qtbot.keyClick(window.flat, Qt.Key.Key_Return)
    (strap,) = window.bench.job.inside.straps
    low, high = (float(b[0]) for b in window.bench.evaluation.results.shell.bounds)
    assert strap.at_mm == pytest.approx(low + 70)
    assert window.bench.job.brief.held_by == "straps"
    assert window.bench.lit == "strap:0"
    assert find(window, QLineEdit, "strap width_mm").isVisible()
    window.stage.asked("mirror")
    assert window.bench.job.inside.straps[1].at_mm == pytest.approx(high - 70)
    qtbot.keyClick(window.flat, Qt.Key.Key_Left)
    assert window.bench.job.inside.straps[1].at_mm == pytest.approx(high - 71)
    window.stage.dragged("strap:1", 120.0, 10.0, True)
    assert window.bench.job.inside.straps[1].at_mm == pytest.approx(120.0, abs=1)
    window.stage.asked("out")
    assert len(window.bench.job.inside.straps) == 1
    for _ in range(5):
        window.bench.undo()
    assert window.bench.job == before


def test_a_doubler_is_laid_on_a_face_moved_there_and_taken_off(window, qtbot):
    window.choose(INSIDE)
    window.tray.buttons["doubler"].click()
    side = next(
        f.id for f in window.bench.evaluation.results.shell.faces if f.role == "wall" and abs(f.normal[2]) < 0.1
    )
    window.stage.picked_round(f"face:{side}")
    assert window.stage.held.patch[0] == side
    assert window.stage.typed("edit:hang.below", "90") == ""
    qtbot.keyClick(window.flat, Qt.Key.Key_Return)
    (doubler,) = window.bench.job.makeup.doublers
    assert doubler.face == side
    assert window.bench.lit == "doubler:0"
    assert any(i.tag == "doubler:0" for i in window.flat.picture.items)
    was = window.stage.sight.face, doubler.v_mm
    qtbot.keyClick(window.flat, Qt.Key.Key_Up)
    assert (window.stage.sight.face, window.bench.job.makeup.doublers[0].v_mm) == (was[0], pytest.approx(was[1] + 1))
    window.stage.asked("out")
    assert window.bench.job.makeup.doublers == ()


def test_a_sump_is_hung_under_the_floor_and_put_elsewhere(window, qtbot):
    window.choose(INSIDE)
    window.bench.edit({"inside.fittings": []}, "all out")
    window.tray.buttons["sump"].click()
    qtbot.keyClick(window.flat, Qt.Key.Key_Return)
    first = window.bench.job.tank.sump
    assert first is not None
    window.tray.buttons["sump"].click()
    assert window.stage.typed("edit:hang.left", "90") == ""
    qtbot.keyClick(window.flat, Qt.Key.Key_Return)
    second = window.bench.job.tank.sump
    assert second.x_mm != first.x_mm
    assert (second.length_mm, second.depth_mm) == (first.length_mm, first.depth_mm)
