"""The desk's parts, driven in a real window: canvas, fields, rail, undo, units, theme, shelf."""

import re

import pytest
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtWidgets import QLabel, QLineEdit, QPushButton

from bathyx.core.units import Family
from bathyx.demo import jobs
from bathyx.desk.views.fields import Choice, Explainer, Field, FigureLine
from bathyx.desk.views.grid import Door
from bathyx.desk.window import Window

TANK, SPACE, INSIDE, CUT, BUILD, HAND = 2, 1, 3, 4, 5, 7


def find(window, kind, name):
    """A visible-or-not child of the current card or the window by object name."""
    found = window.stage.card.findChild(kind, name) or window.findChild(kind, name)
    assert found is not None, f"no {name}"
    return found


def grid_of(window, name):
    """A table of the stage in hand by the name of its grid."""
    return next(d.table for d in window.stage.card.findChildren(Door) if d.table.grid.objectName() == name)


def press(window, name):
    find(window, QPushButton, name).click()


def fill(window, qtbot, path, text):
    edit = find(window, QLineEdit, path)
    edit.setFocus()
    edit.selectAll()
    qtbot.keyClicks(edit, text)
    qtbot.keyClick(edit, Qt.Key.Key_Return)


def drag(qtbot, canvas, start, end):
    """Press, move in steps and let go, as a hand does."""
    qtbot.mousePress(canvas, Qt.MouseButton.LeftButton, pos=start.toPoint())
    for k in range(1, 6):
        spot = start + (end - start) * (k / 5)
        qtbot.mouseMove(canvas, spot.toPoint())
        # offscreen Qt does not always deliver synthetic moves with buttons: send one that has them
        from PyQt6.QtGui import QMouseEvent

        canvas.mouseMoveEvent(
            QMouseEvent(
                QMouseEvent.Type.MouseMove,
                spot,
                canvas.mapToGlobal(spot),
                Qt.MouseButton.NoButton,
                Qt.MouseButton.LeftButton,
                Qt.KeyboardModifier.NoModifier,
            )
        )
    qtbot.mouseRelease(canvas, Qt.MouseButton.LeftButton, pos=end.toPoint())


def test_the_window_is_painted_before_the_core_is_loaded(tmp_path, qtbot):
    window = Window(tmp_path)
    qtbot.addWidget(window)
    window.show()
    qtbot.waitUntil(lambda: window.painted_once)
    assert window._bench is None


def test_every_stage_draws_to_scale_in_the_flat_and_in_the_round(window, qtbot):
    for index, stage in enumerate(window.stages):
        window.choose(index)
        qtbot.wait(20)
        if stage.flat_widget() is None:
            assert len(window.flat.picture.items) > 5, stage.title
        assert len(window.solid.picture.items) > 10, stage.title
        assert window.bench_line.tiles[index].data.figure, stage.title


def test_a_dimension_is_typed_where_it_stands(window, qtbot):
    window.choose(TANK)
    qtbot.wait(50)
    window.flat.grab()
    box = window.flat.dim_box("edit:tank.height_mm")
    qtbot.mouseClick(window.flat, Qt.MouseButton.LeftButton, pos=box.center().toPoint())
    assert window.flat.editor.isVisible()
    window.flat.editor.selectAll()
    qtbot.keyClicks(window.flat.editor, '11"')
    qtbot.keyClick(window.flat.editor, Qt.Key.Key_Return)
    assert window.bench.job.tank.height_mm == pytest.approx(279.4)
    assert not window.flat.editor.isVisible()


def test_a_wrong_dimension_is_refused_beside_the_figure_and_changes_nothing(window, qtbot):
    window.choose(TANK)
    window.flat.grab()
    before = window.bench.job
    window.flat.type_at("edit:tank.length_mm")
    window.flat.editor.setText("12 elbows")
    qtbot.keyClick(window.flat.editor, Qt.Key.Key_Return)
    assert window.flat.trouble.isVisible()
    assert "length" in window.flat.trouble.text()
    window.flat.editor.setText("60")
    qtbot.keyClick(window.flat.editor, Qt.Key.Key_Return)
    assert "make them smaller" in window.flat.trouble.text()
    qtbot.keyClick(window.flat.editor, Qt.Key.Key_Escape)
    assert not window.flat.editor.isVisible()
    assert window.bench.job is before


def test_live_dimensions_are_reached_by_keyboard(window, qtbot):
    window.choose(TANK)
    window.flat.setFocus()
    window.flat.grab()
    qtbot.keyClick(window.flat, Qt.Key.Key_Tab)
    window.flat.grab()
    qtbot.keyClick(window.flat, Qt.Key.Key_Return)
    assert window.flat.editor.isVisible()


def test_a_reading_in_the_card_keeps_what_was_typed_and_refuses_inline(window, qtbot):
    window.choose(SPACE)
    fill(window, qtbot, "space.width", "4'-3 1/2\"")
    assert (window.bench.job.space.width.typed, round(window.bench.job.space.width.mm, 1)) == ("4'-3 1/2\"", 1308.1)
    fill(window, qtbot, "space.width", "wide")
    field = next(f for f in window.stage.card.findChildren(Field) if f.path == "space.width")
    assert "387" in field.trouble.text()
    assert not field.trouble.isHidden()
    assert window.bench.job.space.width.mm == pytest.approx(1308.1)


def test_undo_and_redo_restore_exactly(window, qtbot):
    start = window.bench.job
    for value in (400.0, 390.0, 380.0):
        window.bench.edit({"tank.length_mm": value}, "length")
    end = window.bench.job
    for _ in range(3):
        press(window, "undo")
    assert window.bench.job == start
    for _ in range(3):
        press(window, "redo")
    assert window.bench.job == end


def test_a_baffle_is_dragged_snaps_to_the_middle_and_is_one_undo(window, qtbot):
    window.choose(INSIDE)
    qtbot.wait(30)
    window.flat.grab()
    before = window.bench.job
    at = before.tank.width_mm / 2
    start = window.flat.to_screen([100.0, at])
    drag(qtbot, window.flat, start, window.flat.to_screen([100.0, 250.0]))
    assert window.bench.evaluation.results.baffles[0].at_mm == pytest.approx(250, abs=3)
    assert not window.bench.job.inside.baffles.by_rule
    window.flat.grab()
    drag(qtbot, window.flat, window.flat.to_screen([100.0, 250.0]), window.flat.to_screen([100.0, at + 2]))
    assert window.bench.evaluation.results.baffles[0].at_mm == at
    window.bench.undo()
    assert window.bench.evaluation.results.baffles[0].at_mm == pytest.approx(250, abs=3)
    window.bench.undo()
    assert window.bench.job == before


def test_a_bay_typed_moves_its_baffle(window, qtbot):
    window.choose(INSIDE)
    window.flat.grab()
    window.flat.type_at("edit:baffle.y.0")
    window.flat.editor.setText("300")
    qtbot.keyClick(window.flat.editor, Qt.Key.Key_Return)
    assert window.bench.evaluation.results.baffles[0].at_mm == 300


def test_a_fitting_is_dragged_and_typed(window, qtbot):
    window.choose(INSIDE)
    window.flat.grab()
    top = window.bench.evaluation.results.shell.by_id["top"]
    feed = next(f for f in window.bench.job.inside.fittings if f.id == "feed")
    spot = top.place(feed.u_mm, feed.v_mm)
    drag(qtbot, window.flat, window.flat.to_screen(spot[:2]), window.flat.to_screen(spot[:2] + [31.0, -47.0]))
    moved = next(f for f in window.bench.job.inside.fittings if f.id == "feed")
    assert (moved.u_mm, moved.v_mm) == pytest.approx((feed.u_mm + 31, feed.v_mm - 47), abs=5)
    fill(window, qtbot, "fitting hole_mm", "20")
    assert next(f for f in window.bench.job.inside.fittings if f.id == "feed").hole_mm == 20


def test_a_remedy_is_one_click_and_undone(window, qtbot):
    window.bench.edit({"inside.fittings": [f for f in window.bench.job.inside.fittings if f.id != "vent rear"]}, "x")
    before = window.bench.job
    press(window, "remedy inside.vent")
    assert sum(f.kind == "vent" for f in window.bench.job.inside.fittings) == 2
    window.rail.turn()
    assert window.rail.area.widget().findChild(QPushButton, "remedy inside.vent") is None
    window.bench.undo()
    assert window.bench.job == before


def test_a_finding_picked_goes_to_its_stage_and_lights_its_place(window, qtbot):
    window.bench.edit({"makeup.school": "wrap"}, "x")
    finding = next(f for f in window.bench.evaluation.findings if f.code == "sheet.closed")
    window.choose(TANK)
    window.rail.pick.emit(finding)
    assert window.current == CUT
    assert window.bench.lit == finding.where


def test_units_turn_everywhere_at_once(window, qtbot):
    window.choose(TANK)
    assert window.bench_line.tiles[TANK].data.figure.endswith(" L")
    press(window, "units")
    assert window.bench.units == Family.US
    assert "US gal" in window.bench_line.tiles[TANK].data.figure
    window.flat.grab()
    assert any('"' in d.text for d, _ in window.flat._dims)
    said = [label.text() for label in window.rail.findChildren(QLabel)]
    skew = window.bench.job.space.squareness.skew_mm
    assert any(f'{skew / 25.4:.3f}" out of square' in text for text in said)
    assert not any(re.search(r"\d mm", text) for text in said if not text.startswith("Rule:"))
    fill(window, qtbot, "tank.width_mm", "28")
    assert window.bench.job.tank.width_mm == pytest.approx(28 * 25.4)


def test_a_figure_explains_itself_by_key_and_by_pointing(window, qtbot):
    window.choose(TANK)
    figure = window.stage.card.findChildren(FigureLine)[0]
    figure.setFocus()
    qtbot.keyClicks(figure, "?")
    panel = window.findChild(Explainer)
    assert panel.isVisible()
    for word in ("Usable volume", "Here:", "Source:", "Trust:"):
        assert word in panel.label.text()
    qtbot.keyClick(figure, Qt.Key.Key_Escape)
    assert not panel.isVisible()


def test_light_and_dark_differ_and_come_back(window, qtbot):
    light = window.flat.grab().toImage().pixelColor(3, 3)
    press(window, "theme")
    qtbot.wait(20)
    dark = window.flat.grab().toImage().pixelColor(3, 3)
    assert dark.lightness() < 80 < light.lightness()
    press(window, "theme")


def test_fill_the_space_makes_the_largest_tank_that_fits(window, qtbot):
    window.choose(TANK)
    window.bench.edit({"space.width": {"typed": "800"}, "space.floor_diagonals": None}, "wider")
    press(window, "fill the space")
    r = window.bench.evaluation.results
    assert r.room.width_mm - r.outside.width_mm < 1
    assert "fit.space" not in {f.code for f in r_codes(window)}


def r_codes(window):
    return window.bench.evaluation.findings


def test_schools_and_single_edges_are_chosen_on_the_cut_card(window, qtbot):
    window.choose(CUT)
    school = next(c for c in window.stage.card.findChildren(Choice) if c.path == "makeup.school")
    school.choose("plates")
    assert window.bench.job.makeup.school == "plates"
    window.stage.edges.edge.choose("bottom/front")
    window.stage.edges.role.choose("bend")
    assert window.bench.job.makeup.edges[0].edge == "bottom/front"
    assert any("bottom/front" in bend.edge for b in window.bench.evaluation.results.blanks for bend in b.bends)


def test_the_nest_runs_off_the_thread_and_says_when_it_is_out_of_date(window, qtbot, settle):
    window.choose(CUT)
    press(window, "run nest")
    assert window.stage.nesting.quick.running
    settle(lambda: not window.stage.nesting.quick.running)
    assert "% used" in window.stage.nesting.words.text()
    assert any(getattr(i, "tag", "") == "blank:left end" for i in window.flat.picture.items)
    window.bench.edit({"tank.height_mm": 280.0}, "lower")
    assert "Out of date" in window.stage.nesting.words.text()


def test_the_solid_turns_by_dragging_and_by_arrows(window, qtbot):
    window.choose(TANK)
    before = window.solid.eye
    centre = QPointF(window.solid.width() / 2, window.solid.height() / 2)
    drag(qtbot, window.solid, centre, centre + QPointF(80, 20))
    assert window.solid.eye != before
    tilted = window.solid.eye.tilt_deg
    qtbot.keyClick(window.solid, Qt.Key.Key_Up)
    assert window.solid.eye.tilt_deg > tilted


def test_zoom_keeps_the_pointer_where_it_is(window, qtbot):
    window.choose(TANK)
    spot = QPointF(120, 140)
    before = window.flat.to_picture(spot)
    window.flat.zoom(2.0, spot)
    assert window.flat.to_picture(spot) == pytest.approx(before)
    qtbot.keyClick(window.flat, Qt.Key.Key_0)
    assert window.flat._zoom == 1.0


def test_the_shelf_lists_jobs_and_refuses_a_broken_one_in_place(window, qtbot, tmp_path):
    broken = tmp_path / "jobs" / "broken.bathyx.json"
    broken.write_text('{"schema_version": 1, "tank":')
    window.show_shelf()
    qtbot.waitUntil(lambda: not window.shelf.reading and not window.shelf._waiting)
    texts = [window.shelf.list.item(k).text() for k in range(window.shelf.list.count())]
    assert len(texts) == len(jobs.ALL) + 1
    assert any("cut off" in t for t in texts)
    held = window.bench.job
    window.shelf.path.setText(str(broken))
    qtbot.keyClick(window.shelf.path, Qt.Key.Key_Return)
    assert "cut off" in window.shelf.trouble.text()
    assert window.bench.job is held
    window.shelf.path.setText(str(tmp_path / "jobs" / "dairy.bathyx.json"))
    qtbot.keyClick(window.shelf.path, Qt.Key.Key_Return)
    assert window.bench.job.brief.name == "Mobile dairy grey water"
    assert window.pages.currentIndex() == 0


def test_a_hold_point_blocks_the_weld(window, qtbot):
    window.choose(BUILD)
    window.bench.who = "Marn"
    assert not window.stage.tick("weld")
    assert "Fit check" in window.message.text()
    assert "weld" not in window.bench.record.ticks


def test_a_record_without_a_name_is_refused(window, qtbot):
    window.choose(BUILD)
    window.bench.who = ""
    press(window, "tick fit")
    assert "name" in window.message.text()


def test_a_full_disk_is_said_and_the_saved_job_stays(window, qtbot, monkeypatch):
    saved = window.bench.path.read_text("utf-8")
    monkeypatch.setattr("os.fsync", lambda _fd: (_ for _ in ()).throw(OSError(28, "No space left on device")))
    window.bench.edit({"tank.height_mm": 250.0}, "lower")
    assert "no space left" in window.message.text()
    assert window.bench.path.read_text("utf-8") == saved


def test_a_tile_explains_its_figure_by_key(window, qtbot):
    for index in (0, SPACE, TANK, INSIDE, CUT):
        tile = window.bench_line.tiles[index]
        tile.setFocus()
        qtbot.keyClicks(tile, "?")
        panel = window.findChild(Explainer)
        assert panel.isVisible()
        assert "Source:" in panel.label.text()
        panel.hide()


def test_the_pointer_is_told_what_it_is_on(window, qtbot):
    e, stage = window.bench.evaluation, window.stages[BUILD]
    assert "Worth 0.301 L/mm" in window.stages[TANK].describe("edit:tank.height_mm")
    assert "open" in stage.describe("seam:S1")
    assert "bears" in stage.describe("face:top")
    assert "% open" in stage.describe("baffle:B1")
    assert "ø50" in stage.describe("fitting:filler")
    assert "bends" in stage.describe(f"blank:{e.results.blanks[0].name}")
    assert stage.describe("blank:none") == stage.describe("") == ""


def test_a_leak_is_marked_where_the_seam_was_picked(window, qtbot):
    window.choose(6)
    window.bench.who = "Marn"
    qtbot.wait(50)
    window.solid.grab()
    line = next(
        i
        for i in window.solid.picture.items
        if getattr(i, "tag", "") == "seam:S14" and len(getattr(i, "points", [])) == 2
    )
    spot = window.solid.to_screen(line.points[0] + 0.25 * (line.points[1] - line.points[0]))
    qtbot.mouseClick(window.solid, Qt.MouseButton.LeftButton, pos=spot.toPoint())
    assert window.bench.lit == "seam:S14"
    assert window.stage.share.value() == pytest.approx(25, abs=3)
    press(window, "mark leak")
    assert window.bench.record.of_kind("leak")[0].payload["share"] == pytest.approx(0.25, abs=0.03)


def test_a_design_changed_after_building_began_says_which_revision_comes_next(window, qtbot):
    window.choose(BUILD)
    assert "revision 1 is frozen" in window.stage.revision.text()
    window.bench.edit({"tank.height_mm": 280.0}, "lower")
    assert "begins revision 2" in window.stage.revision.text()


def test_a_tick_is_taken_back_by_another_record_and_a_note_is_kept(window, qtbot):
    window.choose(BUILD)
    window.bench.who = "Marn"
    before = len(window.bench.record.all_entries)
    press(window, "show done")
    press(window, "untick tack")
    assert "tack" not in window.bench.record.ticks
    press(window, "tick tack")
    assert "tack" in window.bench.record.ticks
    find(window, QLineEdit, "note").setText("Bend the chamfer first")
    press(window, "write note")
    assert "Marn: Bend the chamfer first" in window.stage.notes.text()
    assert len(window.bench.record.all_entries) == before + 3
    assert window.bench.register.verify() == ()
