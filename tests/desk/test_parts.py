"""The desk's own machinery: bench, study, tiles, fields."""

import threading
import time

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QCheckBox, QLineEdit

from bathyx.core.job import JobError
from bathyx.desk.bench import Bench, new_job
from bathyx.desk.stages.registry import STAGES
from bathyx.desk.study import Study
from bathyx.desk.theme import Theme
from bathyx.desk.views.bench_line import BenchLine
from bathyx.desk.views.fields import Choice, Field
from bathyx.desk.views.tile_data import TileData
from bathyx.errors import Refusal, Stopped
from tests.desk.test_window import fill, find

BRIEF, SPACE, TANK = 0, 1, 2


@pytest.fixture
def bench(tmp_path, qtbot):
    made = Bench(tmp_path)
    yield made
    made.register.close()


def test_new_jobs_get_files_of_their_own(bench, tmp_path):
    bench.start_new()
    bench.start_new()
    assert sorted(p.name for p in (tmp_path / "jobs").glob("[!.]*")) == ["tank-1.bathyx.json", "tank-2.bathyx.json"]
    assert (tmp_path / "last-job").read_text().strip() == str(bench.path)


def test_a_job_that_cannot_be_read_leaves_the_one_in_hand(bench, tmp_path):
    bench.start_new()
    held = bench.job
    (tmp_path / "bad.json").write_text("{}")
    with pytest.raises(JobError):
        bench.open(tmp_path / "bad.json")
    with pytest.raises(OSError, match="no such file"):
        bench.open(tmp_path / "none.json")
    assert bench.job is held


def test_a_refused_edit_says_why_and_changes_neither_job_nor_undo(bench):
    said = []
    bench.said.connect(lambda kind, words: said.append((kind, words)))
    held = bench.job
    assert not bench.edit({"tank.length_mm": -1.0})
    shell = bench.evaluation.results.panelled
    ring = [e.id for e in shell.edges if not any("end" in name for name in (e.a, e.b))]
    assert not bench.edit({"makeup.edges": [{"edge": edge, "role": "bend"} for edge in ring]})
    assert [kind for kind, _ in said] == ["trouble", "trouble"]
    assert "closes the piece on itself" in said[1][1]
    bench.undo()
    assert bench.job is held


def test_edits_of_one_drag_are_one_undo(bench):
    held = bench.job
    for k in range(5):
        bench.edit({"tank.length_mm": 400.0 + k}, "drag", merge="drag x")
    bench.edit({"tank.width_mm": 555.0}, "width")
    bench.undo()
    assert bench.job.tank.length_mm == 404
    bench.undo()
    assert bench.job == held
    bench.redo()
    bench.redo()
    assert bench.job.tank.width_mm == 555


def test_a_new_edit_forgets_what_was_undone(bench):
    bench.edit({"tank.length_mm": 400.0})
    bench.undo()
    bench.edit({"tank.length_mm": 410.0})
    bench.redo()
    assert bench.job.tank.length_mm == 410


def test_every_edit_is_on_disk_at_once(bench):
    bench.start_new(new_job("Tolmere Tankworks"))
    bench.edit({"tank.length_mm": 401.5})
    assert '"length_mm": 401.5' in bench.path.read_text()


def test_a_study_gives_its_result_and_knows_when_it_is_stale(qtbot):
    study = Study(lambda a, b, progress: [progress(0.5), a + b][1])
    shares = []
    study.progressed.connect(shares.append)
    with qtbot.waitSignal(study.done, timeout=20_000):
        study.run("key 1", 2, 3)
    assert study.result == 5
    assert shares == [0.5]
    assert not study.stale("key 1")
    assert study.stale("key 2")


def test_a_stopped_study_keeps_quiet_and_the_last_run_wins(qtbot):
    gate = threading.Event()

    def work(name, progress):
        if name == "slow":
            gate.wait(3)
            if not progress(1.0):
                raise Stopped
        return name

    study = Study(work)
    study.run(1, "slow")
    with qtbot.waitSignal(study.done, timeout=20_000):
        study.run(2, "quick")
    gate.set()
    qtbot.wait(100)
    assert (study.result, study.key, study.trouble) == ("quick", 2, "")


def test_a_study_that_fails_says_so_in_words(qtbot):
    def work(progress):
        raise Refusal("no sheet takes it")

    study = Study(work)
    with qtbot.waitSignal(study.done, timeout=20_000):
        study.run(1)
    assert study.trouble == "no sheet takes it"
    assert not study.running


def test_a_fault_in_a_study_is_a_fault_and_no_mistake_of_the_maker(qtbot, monkeypatch):
    caught = []
    monkeypatch.setattr("sys.excepthook", lambda kind, error, trace: caught.append(kind))
    study = Study(lambda progress: [][1])
    with qtbot.waitSignal(study.done, timeout=20_000):
        study.run(1)
    assert caught == [IndexError]
    assert study.trouble.startswith("a fault of Bathyx")


def test_tiles_show_figure_words_and_level_and_are_reached_by_key(qtbot):
    line = BenchLine(Theme())
    qtbot.addWidget(line)
    line.resize(1200, 80)
    line.show()
    chosen = []
    line.chosen.connect(chosen.append)
    line.tiles[2].show_data(TileData("1 234 567.8 US gal", "far too many", 0.4, "stop"))
    assert not line.grab().isNull()
    assert "1 234 567.8 US gal" in line.tiles[2].accessibleDescription()
    line.tiles[4].setFocus()
    qtbot.keyClick(line.tiles[4], Qt.Key.Key_Space)
    assert chosen == [4]
    assert [t.text() for t in line.tiles] == [entry.title for entry in STAGES]


@pytest.mark.parametrize(
    ("path", "typed", "value"),
    [
        ("brief.customer", "Ebb & Daughters", "Ebb & Daughters"),
        ("brief.slope_deg", "12", 12.0),
        ("brief.air_space_share", "8 %", 0.08),
        ("brief.demand.hours", "90 min", 1.5),
        ("brief.demand.litres_per_hour", "1 gal/h", 3.785411784),
        ("brief.warm_up_k", "35", 35.0),
    ],
)
def test_brief_fields_read_what_is_typed(window, qtbot, path, typed, value):
    window.choose(BRIEF)
    fill(window, qtbot, path, typed)
    got = window.bench.job.value_at(path)
    assert got == (pytest.approx(value) if isinstance(value, float) else value)


@pytest.mark.parametrize(
    ("path", "typed", "says"),
    [
        ("brief.slope_deg", "steep", "not a number"),
        ("brief.slope_deg", "95", "60 at most"),
        ("brief.demand.hours", "3 weeks", "use one of"),
        ("brief.warm_up_k", "hot", "not a number"),
    ],
)
def test_brief_fields_refuse_in_place(window, qtbot, path, typed, says):
    window.choose(BRIEF)
    before = window.bench.job
    fill(window, qtbot, path, typed)
    field = next(f for f in window.stage.card.findChildren(Field) if f.path == path)
    assert says in field.trouble.text()
    assert field.edit.property("wrong") == "true"
    assert window.bench.job is before


def test_the_way_of_asking_changes_the_fields_that_show(window, qtbot):
    window.choose(BRIEF)
    asked = next(c for c in window.stage.card.findChildren(Choice) if c.path == "brief.demand")
    for kind in ("share", "capacity", "running"):
        asked.choose(kind)
        assert window.bench.job.brief.demand.kind == kind
        for name, group in window.stage.fields.items():
            assert all(f.isHidden() == (name != kind) for f in group)


def test_a_pressurised_tank_shows_its_pressure_and_a_still_one_hides_its_braking(window, qtbot):
    window.choose(BRIEF)
    assert window.stage.working.isHidden()
    next(c for c in window.stage.card.findChildren(Choice) if c.path == "brief.pressure").choose("pressurised")
    assert not window.stage.working.isHidden()
    find(window, QCheckBox, "brief.moving").click()
    assert window.stage.braking.isHidden()
    assert not window.bench.job.brief.moving


def test_diagonals_come_and_go(window, qtbot):
    from PyQt6.QtWidgets import QLineEdit, QPushButton

    window.choose(SPACE)
    find(window, QPushButton, "drop diagonals").click()
    assert window.bench.job.space.floor_diagonals is None
    qtbot.wait(20)
    assert window.stage.card.findChild(QLineEdit, "space.floor_diagonals.0") is None
    find(window, QPushButton, "add diagonals").click()
    assert window.bench.job.space.squareness.skew_mm == 0
    fill(window, qtbot, "space.floor_diagonals.0", '34 3/8"')
    assert window.bench.job.space.floor_diagonals[0].typed == '34 3/8"'


def test_jog_chamfer_material_and_thickness_are_chosen_on_the_card(window, qtbot):
    window.choose(TANK)
    choices = {c.path: c for c in window.stage.card.findChildren(Choice)}
    choices["tank.jog"].choose(None)
    assert window.bench.job.tank.jog is None
    choices["tank.jog"].choose("front")
    assert window.bench.job.tank.jog.end == "front"
    choices["material"].choose("316")
    assert window.bench.job.tank.sheet == "316/3"
    choices["tank.sheet"].choose("316/2")
    assert window.bench.evaluation.results.sheet.thickness_mm == 2
    find(window, QCheckBox, "chamfer rear_bottom").click()
    assert {c.corner for c in window.bench.job.tank.chamfers} == {"front_top", "rear_bottom"}
    find(window, QCheckBox, "chamfer rear_bottom").click()
    assert {c.corner for c in window.bench.job.tank.chamfers} == {"front_top"}


def test_steps_of_five_millimetres_are_worth_what_they_say(window, qtbot):
    from PyQt6.QtWidgets import QPushButton

    window.choose(TANK)
    gross = window.bench.evaluation.results.capacity.gross.value
    worth = window.bench.evaluation.results.litres_per_mm["width_mm"]
    find(window, QPushButton, "width_mm +5").click()
    assert window.bench.evaluation.results.capacity.gross.value == pytest.approx(gross + 5 * worth)


def test_fittings_are_added_moved_to_another_face_and_taken_out(window, qtbot):
    from PyQt6.QtWidgets import QPushButton

    window.choose(3)
    stage = window.stage
    window.tray.buttons["return"].click()
    assert stage.holding == "return"
    stage.card.refresh()
    assert stage.holding == "return"  # what is in the hand stays there, whatever is drawn anew
    qtbot.keyClick(window.flat, Qt.Key.Key_Return)
    assert window.bench.lit == "fitting:return 2"
    stage.face.choose("rear")
    assert next(f for f in window.bench.job.inside.fittings if f.id == "return 2").face == "rear"
    find(window, QPushButton, "drop fitting").click()
    assert "return 2" not in {f.id for f in window.bench.job.inside.fittings}


def test_baffles_are_added_and_taken_out_by_hand(window, qtbot):
    from PyQt6.QtWidgets import QPushButton

    window.choose(3)
    find(window, QPushButton, "add baffle x").click()
    assert {b.axis for b in window.bench.evaluation.results.baffles} == {"x", "y"}
    window.bench.light("baffle:B2")
    find(window, QPushButton, "drop baffle").click()
    assert {b.axis for b in window.bench.evaluation.results.baffles} == {"x"}
    window.bench.light("")
    find(window, QPushButton, "drop baffle").click()
    assert "Pick a baffle" in window.message.text()


def test_the_longest_bay_can_be_set_and_left_to_the_rule_again(window, qtbot):
    window.choose(3)
    fill(window, qtbot, "inside.baffles.max_bay_mm", "200")
    assert len(window.bench.evaluation.results.baffles) == 5
    edit = find(window, QLineEdit, "inside.baffles.max_bay_mm")
    edit.setFocus()
    edit.clear()
    qtbot.keyClick(edit, Qt.Key.Key_Return)
    assert window.bench.job.inside.baffles.max_bay_mm is None


def test_a_long_trace_is_drawn_by_its_extremes_and_no_peak_is_lost():
    import numpy as np

    from bathyx.desk.views.trace import COLUMNS, envelope

    t = np.arange(28_800.0)
    y = np.sin(t / 500)
    y[17_003], y[9_001] = 5.0, -7.0
    shown_t, shown_y = envelope(t, y)
    assert len(shown_t) <= 2 * COLUMNS + 2
    assert (shown_t[0], shown_t[-1]) == (0.0, 28_799.0)
    assert (np.diff(shown_t) > 0).all()
    assert (shown_y.max(), shown_y.min()) == (5.0, -7.0)
    assert envelope(t[:10], y[:10])[0] is not None


def test_heavy_work_takes_turns_and_the_long_gives_way(qtbot):
    from bathyx.desk.turns import TURNS

    at_once, most, said = [0], [0], []
    begun, heard = threading.Event(), threading.Event()

    def step(name):
        at_once[0] += 1
        most[0] = max(most[0], at_once[0])
        said.append(name)
        time.sleep(0.0005)
        at_once[0] -= 1

    def long(progress):
        while len(said) < 5_000 and not heard.is_set():  # as long as it takes the short one to be let in
            step("long")
            begun.set()
            progress(0.5)
        step("long")

    def short(progress):
        heard.set()
        step("short")

    first, second = Study(long), Study(short)
    with qtbot.waitSignals([first.done, second.done], timeout=60_000):
        first.run(1)
        assert begun.wait(30)
        second.run(1)
    assert most[0] == 1
    assert said.count("short") == 1
    assert said[-1] == "long"
    TURNS.give_way()  # by a thread that has no turn: nothing
    assert TURNS._lock.acquire(blocking=False)
    TURNS._lock.release()


def test_papers_are_written_once_at_a_time(bench, tmp_path, qtbot):
    bench.start_new()
    gate, heard = threading.Event(), []
    bench.said.connect(lambda kind, text: heard.append(text))

    def write(folder):
        gate.wait(5)
        (folder / "a.txt").write_text("a")
        return [folder / "a.txt"]

    bench.write_papers(write)
    bench.write_papers(write)
    assert any("being written already" in text for text in heard)
    gate.set()
    qtbot.waitUntil(lambda: any("1 papers written" in text for text in heard))
    assert len(list(bench.papers_folder.iterdir())) == 1
