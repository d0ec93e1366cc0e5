"""An edit is shown in pieces: the drawing first, then figures, then tiles and findings, pale while they are of another edit."""

import numpy as np
import pytest
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QPainter
from PyQt6.QtWidgets import QApplication

from bathyx.desk.views.canvas import Canvas
from tests.desk.test_window import HAND, INSIDE, SPACE, TANK

BRIEF, CUT, PROVE = 0, 4, 6


@pytest.fixture
def patient(window):
    window.choose(TANK)
    window.finish()
    window.at_once = False
    return window


def drawn(window):
    return {
        getattr(i, "tag", ""): i.text for i in window.flat.picture.items if getattr(i, "tag", "").startswith("edit:")
    }


def test_the_drawing_comes_first_and_what_is_not_true_yet_is_pale(patient, qtbot):
    w, b = patient, patient.bench
    tile = w.bench_line.tiles[TANK]
    before = tile.data
    b.edit({"tank.height_mm": 251.0}, "lower")
    assert drawn(w)["edit:tank.height_mm"] == "251 mm"
    assert not b.evaluation.judged
    assert tile.data is before
    assert all(t.pale for t in w.bench_line.tiles)
    assert w.rail.effect.isEnabled()
    w.grab()
    qtbot.waitUntil(lambda: not w._waiting)
    assert b.evaluation.judged
    assert tile.data != before
    assert not any(t.pale for t in w.bench_line.tiles)
    assert not w.rail.effect.isEnabled()
    assert w.rail._wanted[0] == b.evaluation.findings


def test_another_edit_before_the_first_is_told_takes_its_place(patient, qtbot):
    w, b = patient, patient.bench
    b.edit({"tank.height_mm": 240.0}, "lower")
    first = b.evaluation
    w._next()
    b.edit({"tank.height_mm": 292.0}, "higher")
    assert len(w._waiting) >= 3
    qtbot.waitUntil(lambda: not w._waiting)
    assert w.rail._wanted[0] == b.evaluation.findings
    assert b.evaluation is not first


def test_figures_do_not_wait_for_the_hand_to_rest(patient, monkeypatch):
    """A drag of many edits with nothing between: the card follows, every tenth of a second by the desk's own clock."""
    w, b = patient, patient.bench
    now = [0.0]
    monkeypatch.setattr("bathyx.desk.window.time.monotonic", lambda: now[0])
    shown = []
    monkeypatch.setattr(w, "_show_card", lambda: shown.append(now[0]))
    for k in range(20):
        now[0] = 0.03 * k
        b.edit({"tank.height_mm": 250.0 + k}, "drag", "drag")
    assert len(shown) >= 3
    assert max(np.diff(shown)) <= 0.15


def test_a_remedy_pressed_meanwhile_is_tried_on_the_tank_as_it_is(patient):
    w, b = patient, patient.bench
    b.edit({"inside.fittings": []}, "all out")
    w.finish()
    offered = next(f for f in b.evaluation.findings if f.remedy is not None and f.stage == "inside")
    b.edit({"tank.height_mm": 255.0}, "lower")
    w._apply(offered)
    assert b.job.tank.height_mm == 255.0
    assert b.job.inside.fittings
    b.undo()
    assert b.job.inside.fittings == ()


def test_what_is_on_record_is_judged_when_it_is_asked_for(patient, monkeypatch):
    w, b = patient, patient.bench
    asked = []
    monkeypatch.setattr("bathyx.desk.bench.asked_of", lambda *a: asked.append(a[0]) or None)
    b.edit({"tank.height_mm": 262.0}, "lower")
    assert asked == []
    w.finish()
    assert asked == [b.evaluation] or not b.record.all_entries


def test_a_selection_leaves_the_drawings_as_they_stand(patient):
    w, b = patient, patient.bench
    for stage in (BRIEF, SPACE, TANK):
        w.choose(stage)
        w.finish()
        flat, solid = w.flat.picture, w.solid.picture
        tag = next(i.tag for i in w.solid.picture.items if i.tag)
        b.light(tag)
        assert w.solid.picture is solid
        assert w.flat.picture is flat
        assert w.solid.lit == tag
        b.light("")
    w.choose(CUT)
    solid = w.solid.picture
    b.light(next(i.tag for i in solid.items if i.tag))
    assert w.solid.picture is not solid  # what is chosen there says more of itself


def test_a_picture_is_drawn_once_and_what_is_lit_is_painted_over_it(patient, monkeypatch):
    w = patient
    w.grab()
    count = []
    sound = Canvas._paint_base
    monkeypatch.setattr(Canvas, "_paint_base", lambda self, p: count.append(self.objectName()) or sound(self, p))
    w.flat.repaint()
    tag = next(i.tag for i in w.flat.picture.items if getattr(i, "tag", ""))
    w.flat.show_picture(w.flat.picture, tag)
    plain = w.flat.grab().toImage()
    assert count == []
    w.flat.show_picture(w.flat.picture, "")
    assert w.flat.grab().toImage() != plain  # its border is there, and goes again
    w.flat.zoom(1.1)
    w.flat.grab()
    assert count
    assert set(count) == {"flat"}
    assert QPainter is not None


def test_what_is_under_the_pointer_is_found_in_a_drawing_that_was_not_drawn_anew(patient):
    w = patient
    w.choose(INSIDE)
    w.finish()
    w.grab()
    w.flat.repaint()
    shell = w.bench.evaluation.results.shell
    feed = next(f for f in w.bench.job.inside.fittings if f.id == "feed")
    spot = w.flat.to_screen(shell.by_id[feed.face].place(feed.u_mm, feed.v_mm)[:2])
    assert w.flat.tag_at(QPointF(spot)) == "fitting:feed"
    QApplication.processEvents()
    w.choose(HAND)
    assert w.stage is w.stages[HAND]


def test_words_are_pushed_apart_and_stay_in_the_drawing(patient):
    w = patient
    for name in ("trolley", "barge", "vineyard"):
        w.open_job(w.home / "jobs" / f"{name}.bathyx.json")
        for stage in (SPACE, TANK, INSIDE):
            w.choose(stage)
            w.finish()
            w.grab()
            boxes = [b.adjusted(3, 3, -3, -3) for b in w.flat._boxes]
            over = [(a, b) for k, a in enumerate(boxes) for b in boxes[k + 1 :] if a.intersects(b)]
            assert len(over) == 0, (name, stage, over)


# -- flags -----------------------------------------------------------------------------------------------------------------


def test_a_finding_is_a_flag_at_its_place_and_either_lights_the_other(window, qtbot):
    window.choose(INSIDE)
    index = next(k for k, f in enumerate(window.bench.job.inside.fittings) if f.id == "filler")
    window.bench.edit({f"inside.fittings.{index}.u_mm": 30.0}, "over the bend")
    findings = window.bench.evaluation.findings
    number = next(k for k, f in enumerate(findings) if f.where == "fitting:filler" and f.severity != "note")
    window.grab()
    tag, place = next((t, r) for t, r in window.flat._spots if t == f"finding:{number}")
    assert window.flat.tag_at(place.center()) == tag
    assert window.flat._words_on(tag)
    qtbot.mouseClick(window.flat, Qt.MouseButton.LeftButton, pos=place.center().toPoint())
    assert window.rail.open
    assert window.rail.rows[number].property("pointed") == "true"
    window._mark("")
    assert window.rail.rows[number].property("pointed") == "false"
    window.rail.pointed.emit(findings[number])
    assert window.flat.pointed == "fitting:filler"
    window.grab()
    window.rail.pointed.emit(None)
    assert window.flat.pointed == ""


def test_notes_have_no_flag_and_an_edit_takes_flags_down_until_they_are_true(patient):
    w = patient
    w.choose(INSIDE)
    w.bench.edit({"inside.fittings.0.u_mm": 30.0}, "over the bend")
    assert w.flat.flags == ()
    w.finish()
    assert w.flat.flags
    findings = w.bench.evaluation.findings
    assert all(findings[f.number].severity != "note" for f in w.flat.flags)
    assert all(findings[f.number].where == f.where for f in w.flat.flags)
