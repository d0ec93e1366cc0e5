"""What the hand reaches: fit it out, put right, where is…?, and what a wheel or a bare number does."""

import pytest
from PyQt6.QtCore import QEvent, QPoint, QPointF, Qt
from PyQt6.QtGui import QKeyEvent, QWheelEvent
from PyQt6.QtWidgets import QApplication, QComboBox, QLineEdit, QListWidget, QPushButton, QSlider, QToolButton

from bathyx.core.build.steps import steps
from bathyx.core.evaluate import evaluate
from bathyx.core.job import read_job
from bathyx.core.propose import propose
from bathyx.core.propose.begin import Asked, begun
from bathyx.core.propose.fit_out import fit_out, usual_kinds
from bathyx.core.propose.put_right import put_right
from bathyx.core.tank.rolled import RolledTank
from bathyx.core.tank.saddle import SaddleTank
from bathyx.core.units import Family, Reading, worded
from bathyx.desk.views.plain import Slider, TextLine
from bathyx.desk.views.where import Place, found
from bathyx.errors import Refusal
from bathyx.papers.export import export_all
from tests.conftest import box, job_with
from tests.desk.test_window import fill, find, press

BRIEF, SPACE, TANK, INSIDE, CUT = range(5)
SADDLE = SaddleTank(
    sheet="5083/3", length_mm=600, width_mm=700, height_mm=350, tunnel_width_mm=200, tunnel_height_mm=150
)


# -- fit it out, put right ------------------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("tank", "more"),
    [
        (box(600, 500, 400), {}),
        (box(240, 200, 160), {}),
        (SADDLE, {}),
        (RolledTank(sheet="5083/3", length_mm=700, diameter_mm=400), {"makeup__school": "rolled"}),
        (box(600, 500, 400, sheet="304/1.5"), {"brief__fluid": "fresh_water"}),
    ],
)
def test_a_tank_is_fitted_out_by_the_rules_that_judge_it(tank, more):
    job = job_with(tank, inside__fittings=[], **more)
    assert any(f.stage == "inside" for f in evaluate(job).stops)
    out = fit_out(job)
    e = evaluate(out.job)
    assert [f.code for f in e.stops if f.stage == "inside"] == []
    kinds = {f.kind for f in out.job.inside.fittings}
    assert {"filler", "vent", "pickup"} <= kinds
    assert len(kinds) + len(set(out.homeless)) == len(usual_kinds(job))
    assert kinds <= usual_kinds(job)
    again = fit_out(out.job)
    assert [n for n in again.added if n != "straps over rubber"] == []


def test_what_finds_no_place_is_said_and_what_is_needed_comes_first():
    out = fit_out(job_with(box(130, 110, 90), inside__fittings=[]))
    kinds = [f.kind for f in out.job.inside.fittings]
    assert "vent" in kinds or "No free place for" in out.words
    assert "inspection port" in out.homeless
    assert "No free place for" in out.words


def test_put_right_leaves_no_stop_that_has_a_remedy_and_tells_what_it_costs():
    job = job_with(box(330, 400, 280), inside__fittings=[])
    before = evaluate(job)
    assert len(before.stops) >= 3
    done = put_right(job)
    after = evaluate(done.job)
    assert {f.code for f in after.stops} == {f.code for f in after.stops if str(f.message) in done.left}
    assert len(after.stops) < len(before.stops) / 2
    assert done.litres == pytest.approx(
        after.results.capacity.usable.value - before.results.capacity.usable.value, abs=1e-9
    )
    assert done.weld_m == pytest.approx((after.results.weld.value - before.results.weld.value) / 1000)
    assert "m of weld" in done.words
    told = worded(done.words, Family.US)
    assert "US gal usable" in told
    assert " lb, " in told
    assert "ft of weld" in told  # all of it, or none
    assert put_right(done.job).done == ()
    assert put_right(job, go_on=lambda _share: False).done == ()


def test_both_are_one_press_and_one_undo(window, qtbot):
    window.choose(INSIDE)
    window.bench.edit({"inside.fittings": []}, "all out")
    before = window.bench.job
    press(window, "fit out")
    qtbot.waitUntil(lambda: window.bench.job.inside.fittings != ())
    assert len(window.bench.job.inside.fittings) >= 6
    assert "Put in: " in window.message.text()
    window.bench.undo()
    assert window.bench.job == before
    assert window.rail.all.isVisibleTo(window)
    press(window, "put right")
    qtbot.waitUntil(lambda: not window.righting.study.running)
    qtbot.waitUntil(lambda: "Ctrl+Z takes it back" in window.message.text())
    assert {f.code for f in window.bench.evaluation.stops} <= {
        "capacity.short"
    }  # the pickup draws less: the maker's own
    assert not window.rail.all.isVisibleTo(window)
    window.bench.undo()
    assert window.bench.job == before


def test_what_was_found_for_another_job_is_not_taken(window, qtbot):
    window.bench.edit({"inside.fittings": []}, "all out")
    window.righting.begin()
    window.bench.edit({"tank.length_mm": window.bench.job.tank.length_mm + 1}, "longer meanwhile")
    held = window.bench.job
    qtbot.waitUntil(lambda: not window.righting.study.running)
    qtbot.waitUntil(lambda: "changed meanwhile" in window.message.text())
    assert window.bench.job is held


def test_a_fitting_is_added_and_moved_to_a_free_place(window):
    """What stood before: in the middle, on a baffle; and on another face its old figures."""
    window.choose(INSIDE)
    window.tray.picked.emit("drain")
    window.flat.dropped.emit()
    added = window.bench.job.inside.fittings[-1]
    assert added.kind == "drain"

    def against(name):
        return [f.code for f in window.bench.evaluation.findings if f.where == f"fitting:{name}"]

    assert against(added.id) == []
    face = window.stage.face
    side = next(option for option, _ in face.options if option.startswith("left"))
    face.choose(side)
    moved = window.bench.job.inside.fittings[-1]
    assert moved.face == side
    assert "fitting.outside" not in against(added.id)


# -- a new tank by pictures ------------------------------------------------------------------------------------------------


@pytest.mark.parametrize("hole", ["free", "box", "stations"])
@pytest.mark.parametrize(("family", "fluid", "litres"), [("profile", "diesel", 60.0), ("saddle", "fresh_water", 90.0)])
def test_a_tank_begins_with_nothing_to_put_right(hole, family, fluid, litres):
    readings = tuple(Reading.of(text) for text in ("900", "800", "600")) if hole == "box" else None
    e = evaluate(begun(Asked(hole, family, fluid, litres, "A tank", readings)))
    assert [f.code for f in e.stops] == []
    assert e.results.capacity.usable.value >= litres
    if hole != "box":  # a box may be filled for its shape's sake
        assert e.results.capacity.usable.value < 1.35 * litres
    assert e.job.brief.name == "A tank"
    assert read_job(e.job.to_json()) == e.job


def test_a_tank_that_stands_free_has_no_hole_in_its_way(tmp_path):
    job = begun(Asked("free", "profile", "diesel", 60.0))
    e = evaluate(job)
    assert job.space.free
    assert any("on its feet or frame" in step.title for step in steps(e))
    assert not [f for f in e.findings if f.code.startswith(("fit.", "space."))]
    short = evaluate(job.edited("brief.demand.litres", 80.0))
    (finding,) = [f for f in short.findings if f.code == "capacity.short"]
    assert "capacity.short" not in {f.code for f in evaluate(finding.remedy.apply(short.job)).findings}
    with pytest.raises(Refusal, match="no hole to fill"):
        propose(job)
    assert len(export_all(e, tmp_path)) > 8


def test_the_page_begins_a_tank_and_says_what_is_missing(window, qtbot):
    qtbot.keyClick(window, Qt.Key.Key_N, Qt.KeyboardModifier.ControlModifier)
    page = window.begin
    assert page.isVisible()
    qtbot.waitUntil(lambda: not page.drawing.isActive())
    for tile in page.findChildren(QToolButton):
        assert not tile.icon().isNull(), tile.objectName()
    press(window, "begin")
    assert "say the width of the hole" in page.trouble.text()
    for name, typed in (("width", "600"), ("depth", "17 ft"), ("height", "x")):
        find(window, QLineEdit, f"begin {name}").setText(typed)
    press(window, "begin")
    assert "'x'" in page.trouble.text()
    find(window, QLineEdit, "begin height").setText("500")
    find(window, QLineEdit, "begin depth").setText("700")
    find(window, QLineEdit, "begin name").setText("Hop press feed")
    press(window, "begin")
    qtbot.waitUntil(lambda: window.pages.currentIndex() == 0)
    job = window.bench.job
    assert (job.brief.name, job.space.depth.mm) == ("Hop press feed", 700)
    assert window.bench.evaluation.stops == ()
    window.choose(SPACE)
    choice = window.stage.parts.kind
    choice.choose("free")
    assert window.bench.job.space.free
    assert window.stage.tile().figure == "no hole"
    window.grab()
    choice.choose("box")
    assert window.bench.job.space.width.mm > window.bench.evaluation.results.outside.width_mm
    assert not [f for f in window.bench.evaluation.stops if f.code == "fit.space"]
    choice.choose("free")
    choice.choose("stations")
    assert len(window.bench.job.space.stations) == 2


# -- where is…? ------------------------------------------------------------------------------------------------------------


def test_a_few_letters_lead_to_a_field_a_stage_and_a_job(window, qtbot):
    window.choose(BRIEF)
    qtbot.keyClick(window, Qt.Key.Key_F, Qt.KeyboardModifier.ControlModifier)
    where = window.where
    assert where.isVisible()
    qtbot.keyClicks(where.edit, "longest bay")
    assert where.rows.item(0).text().startswith("Longest bay")
    qtbot.keyClick(where.edit, Qt.Key.Key_Return)
    assert window.current == INSIDE
    assert not where.isVisible()
    assert window.focusWidget() is find(window, QLineEdit, "inside.baffles.max_bay_mm")
    where.ask()
    qtbot.keyClicks(where.edit, "cut")
    names = [where.rows.item(k).text() for k in range(where.rows.count())]
    assert any(name.startswith("Cut ") and "a stage" in name for name in names)
    where.edit.setText("dairy")
    assert "a job" in where.rows.item(0).text()
    qtbot.keyClick(where.edit, Qt.Key.Key_Return)
    assert "dairy" in str(window.bench.path)
    where.ask()
    where.edit.setText("no such thing at all")
    assert where.rows.isHidden()
    assert "Nothing on the desk" in where.none.text()
    qtbot.keyClick(where.edit, Qt.Key.Key_Escape)
    assert not where.isVisible()


def test_names_that_begin_so_come_first():
    places = [Place(n, "", print) for n in ("Save the event", "Vent rear", "Inventory", "Big vent")]
    assert [p.name for p in found(places, "vent")] == ["Vent rear", "Big vent", "Inventory", "Save the event"]
    assert found(places, "  ") == []


# -- wheel, keys, numbers, lists -------------------------------------------------------------------------------------------


def wheel(widget):
    at = QPointF(widget.width() / 2, widget.height() / 2)
    event = QWheelEvent(
        at, widget.mapToGlobal(at), QPoint(0, 0), QPoint(0, -120), Qt.MouseButton.NoButton,
        Qt.KeyboardModifier.NoModifier, Qt.ScrollPhase.NoScrollPhase, False,
    )  # fmt: skip
    QApplication.sendEvent(widget, event)
    return event.isAccepted()  # what is not goes on to what holds it


def test_a_wheel_over_a_choice_or_a_slide_edits_nothing_and_scrolls_the_card(window, qtbot):
    window.choose(CUT)
    qtbot.wait(20)
    before = window.bench.job
    box_ = find(window, QComboBox, "makeup.school")
    shown = box_.currentIndex()
    for _ in range(3):
        assert not wheel(box_)
    assert box_.currentIndex() == shown
    assert window.bench.job is before
    slide = Slider(window)
    slide.setRange(0, 10)
    slide.setValue(5)
    slide.show()
    assert not wheel(slide)
    assert slide.value() == 5
    slide.deleteLater()
    for stage in window.stages:  # no choice and no slide of the desk is one that a wheel turns
        for part in stage.card.findChildren((QComboBox, QSlider)):
            assert type(part).__module__ == "bathyx.desk.views.plain", part.objectName()


def test_the_desks_keys_are_the_desks_in_a_field_too(window, qtbot):
    line = TextLine()
    qtbot.addWidget(line)
    for key, own in ((Qt.Key.Key_U, False), (Qt.Key.Key_C, True)):
        event = QKeyEvent(QEvent.Type.ShortcutOverride, key, Qt.KeyboardModifier.ControlModifier)
        QApplication.sendEvent(line, event)
        assert event.isAccepted() is own
    window.choose(TANK)
    field = find(window, QLineEdit, "tank.length_mm")
    field.setFocus()
    units = window.bench.units
    qtbot.keyClick(field, Qt.Key.Key_U, Qt.KeyboardModifier.ControlModifier)
    assert window.bench.units is not units
    assert field.text() != ""


def test_a_bare_number_means_the_familys_own_unit_in_space_too(window, qtbot):
    window.choose(SPACE)
    fill(window, qtbot, "space.width", "800")
    assert window.bench.job.space.width.mm == pytest.approx(800)
    window.bench.turn_units()
    fill(window, qtbot, "space.width", "38")
    assert window.bench.job.space.width.mm == pytest.approx(38 * 25.4)
    assert window.bench.job.space.width.typed == '38"'
    fill(window, qtbot, "space.width", "950 mm")
    assert window.bench.job.space.width.mm == pytest.approx(950)
    fill(window, qtbot, "space.width", "37 1/2")
    assert window.bench.job.space.width.mm == pytest.approx(37.5 * 25.4)


def test_a_list_shows_whole_rows(window, qtbot):
    window.choose(INSIDE)
    rows = find(window, QListWidget, "fittings")
    for count in (2, 4, 7):
        window.bench.edit({"inside.fittings": window.bench.job.inside.fittings[:count]}, "fewer")
        tall = rows.sizeHintForRow(0)
        assert (rows.height() - 2 * rows.frameWidth() - 2) % tall == 0
        assert rows.height() >= min(rows.count(), 6) * tall
        window.bench.undo()


def test_papers_with_stops_open_say_so(window, qtbot):
    window.bench.edit({"inside.fittings": []}, "all out")
    stops = len(window.bench.evaluation.stops)
    assert stops
    said = []
    window.bench.said.connect(lambda kind, text: said.append(text))

    def write(folder):
        (folder / "a.txt").write_text("a")
        return [folder / "a.txt"]

    window.bench.write_papers(write)
    qtbot.waitUntil(lambda: any("papers written" in text for text in said))
    assert f"with {stops} stop" in said[-1]
    assert "not to cut from yet" in said[-1]


def test_a_sheet_of_one_and_a_half_is_not_called_two():
    from bathyx.draft.joint_view import joint_view

    e = evaluate(job_with(box(sheet="304/1.5"), inside__fittings=[]))
    words = [item.text for item in joint_view(e, e.results.roles[0], Family.METRIC).items if hasattr(item, "text")]
    assert any("1.5 mm" in text for text in words)
    assert not any(", 2 mm" in text for text in words)
    words = [item.text for item in joint_view(e, e.results.roles[0], Family.US).items if hasattr(item, "text")]
    assert any('0.059"' in text for text in words)


def test_the_first_buttons_are_named(window):
    assert find(window, QPushButton, "where is").accessibleName() == "Where is…?"


def test_a_bare_number_shows_what_it_counts_in_while_it_is_typed(window, qtbot):
    """A pale unit in the field; a reading that was typed in millimetres says so while the desk is in inches."""
    window.choose(SPACE)
    field = find(window, QLineEdit, "space.width").parent()
    for units, sign in ((Family.METRIC, "mm"), (Family.US, "in")):
        if window.bench.units is not units:
            window.bench.turn_units()
        field.edit.selectAll()
        qtbot.keyClicks(field.edit, "38")
        assert (field.unit.text(), field.unit.isHidden()) == (sign, False)
        qtbot.keyClicks(field.edit, " cm")
        assert field.unit.isHidden()  # what says its unit needs none
        field.refresh()
    window.bench.edit({"space.width": {"typed": "900", "mm": 900.0}}, "width")
    assert field.edit.text() == "900 mm"
    window.bench.turn_units()
    assert field.edit.text() == "900"
