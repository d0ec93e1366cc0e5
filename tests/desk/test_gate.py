"""A used tank on the real desk: one that is mended behind its gate and proven, one that is refused."""

from datetime import date

from PyQt6.QtWidgets import QCheckBox, QLineEdit, QPushButton

from bathyx.core.build.steps import steps
from bathyx.core.repair import Hurt, Intake
from bathyx.desk.stages.build.gate import GatePanel
from bathyx.files import write_text
from tests.conftest import box, job_with
from tests.desk.test_parts import find

CRANE = Intake(
    what="diesel tank of a quarry crane", owner="Kettle Quarry", held="diesel", found_by=("magnet",),
    hurts=(Hurt(where="rear mount", mm=40, cause="vibration"), Hurt(where="drain socket", what="fitting", mm=50, way="socket")),
    traps=("baffles", "sender"),
)  # fmt: skip


def opened(window, **changes):
    water = {"method": "water_fill", "test_kpa": 0, "hold_min": 1440}
    job = job_with(box(600, 400, 300, sheet="s235/3"), **{"proving.tests": [water]})
    job = job.edited("repair", CRANE.model_copy(update=changes).model_dump())
    write_text(window.home / "jobs/crane.bathyx.json", job.to_json())
    window.bench.open(window.home / "jobs/crane.bathyx.json")
    window.finish()
    window.bench.who = "Marn Ostley"
    window.choose(5)
    window.finish()
    return window.stage


def fill(window, part, text):
    line = find(window, QLineEdit, f"gate {part}")
    line.setText(text)


def press(window, name):
    find(window, QPushButton, name).click()
    window.finish()


def test_nothing_hot_is_ticked_or_logged_until_all_of_it_is_recorded(window):
    stage = opened(window)
    panel = stage.card.findChild(GatePanel)
    assert not panel.isHidden()
    ids = [s.id for s in steps(window.bench.evaluation)]
    for step in ids[: ids.index("gate")]:
        assert stage.tick(step)
    assert not stage.tick("gate")
    assert "No heat" in window.message.text()
    stage.log_weld()
    assert window.bench.record.of_kind("weld") == ()
    assert "No heat" in window.message.text()
    press(window, "record aired")
    assert "how many hours" in window.message.text()
    fill(window, "flushed", "steam")
    press(window, "record aired")
    for part in ("drained", "rinsed", "inert", "traps"):
        fill(window, part, "done as it should be")
        press(window, f"record {part}")
    fill(window, "permit", "Pell Drury")
    press(window, "record permit")
    fill(window, "watch", "Pell Drury")
    press(window, "record watch")
    press(window, "record gas")
    assert "Not recorded" in window.message.text()
    for key, text in (
        ("lel_pct", "3"),
        ("o2_pct", "20,9"),
        ("instrument", "GX 12"),
        ("checked", date.today().isoformat()),
    ):
        fill(window, key, text)
    press(window, "record gas")
    assert not stage.tick("gate")
    for key, text in (
        ("lel_pct", "0"),
        ("o2_pct", "20.9"),
        ("instrument", "GX 12"),
        ("checked", date.today().isoformat()),
    ):
        fill(window, key, text)
    find(window, QCheckBox, "gate bumped").setChecked(True)
    press(window, "record gas")
    assert "two people" in panel.state.text()
    fill(window, "watch", "Marn Ostley")
    press(window, "record watch")
    assert "Everything is on record" in panel.state.text()
    for step in ids[ids.index("gate") : ids.index("test")]:
        assert stage.tick(step), (step, window.message.text())
    stage.log_weld()
    assert len(window.bench.record.of_kind("weld")) == 1
    assert not stage.tick("test")  # it is not proven yet


def test_what_is_refused_offers_no_gate_and_no_heat(window):
    stage = opened(window, kind="pressure vessel")
    panel = stage.card.findChild(GatePanel)
    assert "refused here, always" in panel.state.text()
    assert all(row.isHidden() for row in panel.rows.values())
    stage.log_weld()
    assert window.bench.record.of_kind("weld") == ()
    assert [s.id for s in steps(window.bench.evaluation)] == ["intake", "refuse"]


def test_a_new_tank_has_no_gate(window):
    window.choose(5)
    window.finish()
    assert window.stage.card.findChild(GatePanel).isHidden()


def test_a_used_tank_is_taken_in_on_the_desk(window):
    window.choose(0)
    window.finish()
    find(window, QCheckBox, "used tank").click()
    window.finish()
    repair = window.bench.job.repair
    assert repair.held == "unknown"
    assert repair.burns
    find(window, QCheckBox, "repair traps foam").click()
    find(window, QCheckBox, "repair found_by magnet").click()
    window.finish()
    assert window.bench.job.repair.traps == ("foam",)
    assert window.bench.job.repair.found_by == ("magnet",)
    line = find(window, QLineEdit, "repair.last_held")
    line.setText("soon")
    line.editingFinished.emit()
    assert window.bench.job.repair.last_held == ""
    assert window.bench.edit({"repair.hurts": [{"where": "mount", "what": "crack", "mm": 30, "cause": "no_doubler"}]})
    window.finish()
    assert "repair.next" in {f.code for f in window.bench.evaluation.findings}
    find(window, QCheckBox, "used tank").click()
    window.finish()
    assert window.bench.job.repair is None


def test_our_own_tank_that_was_filled_has_the_gate_before_it_is_welded_again(window):
    water = window.bench.job
    assert water.brief.fluid == "diesel" or window.bench.edit({"brief.fluid": "diesel"})
    window.bench.who = "Marn Ostley"
    window.choose(5)
    window.finish()
    assert window.stage.card.findChild(GatePanel).isHidden()
    assert window.bench.add_record("tick", "first_fill", {"title": "First fill"})
    window.finish()
    panel = window.stage.card.findChild(GatePanel)
    panel.refresh()
    assert not panel.isHidden()
    before = len(window.bench.record.of_kind("weld"))
    window.stage.log_weld()
    assert "No heat" in window.message.text()
    window.stage.repair_note.setText("ground out, welded")
    window.stage.log_repair()
    assert len(window.bench.record.of_kind("weld")) == before
    assert window.bench.record.of_kind("repair") == ()
