"""A face dragged in its space: where it stops, by hand; and the desk's drag."""

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest

from bathyx.core.evaluate import evaluate
from bathyx.core.propose.pull import pulled
from bathyx.core.space import MeasuredBox, Seat
from bathyx.core.space.said import parts_of
from bathyx.core.units import Reading
from bathyx.demo import jobs
from bathyx.draft.picture import Circle, Label
from tests.conftest import box, job_with
from tests.desk.test_parts import SPACE


def placed(text="", size=(300, 300, 200), **more):
    """A tank of 3 mm sheet 20 mm off the corner of a hole 500 wide, 400 deep, 300 high."""
    space = MeasuredBox(
        width=Reading.of(500), depth=Reading.of(400), height=Reading.of(300), seat=Seat(x_mm=20, y_mm=20, z_mm=20)
    )
    space = MeasuredBox.model_validate(space.model_dump(mode="json") | parts_of(text, box=True))
    return evaluate(job_with(box(*size), space=space, **more))


@pytest.mark.parametrize(
    ("name", "room"),
    # Outside 306 × 306 × 206 from 20, 20, 20; 6 mm kept, above 25.
    [("front", 14), ("left", 14), ("bottom", 14), ("rear", 400 - 6 - 326), ("right", 500 - 6 - 326), ("top", 300 - 25 - 226)],
)  # fmt: skip
def test_it_stops_at_the_wall_at_its_clearance(name, room):
    e = placed()
    far = pulled(e, name, 300.0)
    assert far.by_mm == room
    after = evaluate(e.job.edited_many(far.changes)).results
    assert after.spare.value == pytest.approx(min(e.results.spare.value, 0.0) if room > 14 else 0, abs=15)
    assert after.spare.value >= -1e-6
    area = {"front": 300 * 200, "rear": 300 * 200, "left": 300 * 200, "right": 300 * 200, "bottom": 9e4, "top": 9e4}[
        name
    ]
    assert far.litres == pytest.approx(area * room / 1e6, rel=1e-9)
    assert far.stopped_by
    near = pulled(e, name, 5.0)
    assert (near.by_mm, near.stopped_by) == (5.0, "")
    moved = evaluate(e.job.edited_many(near.changes)).job.space.seated() - e.job.space.seated()
    expected = {"front": (-5, 0, 0), "left": (0, -5, 0), "bottom": (0, 0, -5)}.get(name, (0, 0, 0))
    assert moved == pytest.approx(expected, abs=1e-9)  # the faces that are not dragged stay


def test_it_stops_at_a_thing_and_names_it():
    e = placed("hose: tube from 360, -10, 100 to 360, 510, 100, dia 20, keep 7")
    far = pulled(e, "rear", 60.0)
    # The tube's near side stands at 350 (its polygon a hair before); 7 kept; the outside ends at 326.
    assert far.by_mm == 350 - 7 - 326 - 1
    assert far.stopped_by.startswith("hose")


def test_pushed_in_nothing_stops_it_but_its_own_size():
    e = placed()
    assert pulled(e, "top", -150.0).by_mm == -150
    least = pulled(e, "top", -190.0)
    assert least.by_mm > -180
    assert "longer than" in least.stopped_by


def test_a_face_that_is_let_back_stands_where_it_stood():
    e = placed()
    out = pulled(e, "left", 9.0)
    moved = e.job.edited_many(out.changes)
    back = pulled(e, "left", 0.0, out)
    assert back.by_mm == 0
    assert moved.edited_many(back.changes) == e.job


def test_a_tank_that_stands_too_near_already_may_only_get_no_worse():
    e = placed(size=(300, 300, 260))  # 266 over 20: 14 mm of air above, 25 wanted
    assert e.results.spare.value == pytest.approx(-11)
    assert pulled(e, "top", 10.0).by_mm == 0
    assert pulled(e, "rear", 10.0).by_mm == 10


def test_every_face_of_a_lofted_tank_in_a_hull_goes_out_until_something_is_met():
    """Sides keep their direction, neighbours their planes, and nothing comes nearer than its clearance."""
    e = evaluate(jobs.barge())
    for grip in e.job.tank.grips(e.results.shell):
        if grip.name not in ("front", "right bilge", "bottom"):
            continue
        inward = pulled(e, grip.name, -20.0)
        assert inward.by_mm == -20
        assert inward.litres < 0
        small = evaluate(e.job.edited_many(inward.changes))
        back = pulled(small, grip.name, 90.0)
        assert 19 <= back.by_mm < 90
        assert back.stopped_by
        again = evaluate(small.job.edited_many(back.changes)).results
        assert again.spare.value >= -1e-3
        if grip.name == "front":
            continue  # an end that moves along turns the sides of a tank that tapers
        old = {f.id: f.normal for f in e.results.shell.faces}
        assert all(np.allclose(old[f.id], f.normal, atol=1e-5) for f in again.shell.faces if f.kind == "plane")


def test_the_pointer_drags_a_face_and_reads_what_it_is_worth(window, qtbot):
    window.choose(SPACE)
    seat = {"x_mm": 8.0, "y_mm": 12.0, "z_mm": 14.0}
    window.bench.edit({"space.seat": seat, "tank.length_mm": 400.0, "tank.height_mm": 270.0}, "seat")
    window.resize(1280, 800)
    qtbot.wait(50)
    before = window.bench.job
    canvas, tag = window.flat, "grip:above:rear"
    ring = next(i for i in window.stage.flat().items if isinstance(i, Circle) and i.tag == tag)
    start = canvas.to_screen(ring.centre).toPoint()
    QTest.mousePress(canvas, Qt.MouseButton.LeftButton, pos=start)
    QTest.mouseMove(canvas, start + QPoint(6, 0))
    QTest.mouseMove(canvas, start + QPoint(60, 0))
    texts = [i.text for i in window.stage.flat().items if isinstance(i, Label)]
    assert any(t.startswith("stops at ") for t in texts), texts
    assert any(t.startswith("+") and t.endswith(" L") for t in texts)
    QTest.mouseRelease(canvas, Qt.MouseButton.LeftButton, pos=start + QPoint(60, 0))
    after = window.bench.job
    assert after.tank.length_mm > 400
    assert window.bench.evaluation.results.spare.value > -0.05
    assert not any("stops at" in getattr(i, "text", "") for i in window.stage.flat().items)
    window.bench.undo()
    assert window.bench.job == before
