"""What the desk makes of a judgement: who may hand over, what falls, what a reason belongs to, and questions put to the tank."""

import json

from PyQt6.QtWidgets import QComboBox, QLineEdit, QPushButton

from bathyx.core.proving.gauges import GaugeKind
from bathyx.core.proving.judgement import LESS
from bathyx.core.tank.families import FAMILIES
from bathyx.demo import jobs
from bathyx.errors import Refusal
from bathyx.instruments.shop_gauges import keep_gauge
from tests.desk.test_whole_job import BUILD, HAND, PROVE, TANK, begin_hold, pump_up
from tests.desk.test_window import find, press


def sawmill(window):
    window.bench.open(window.home / "jobs" / "sawmill.bathyx.json")
    window.bench.who = "Asta"
    return window.bench


def certificates(b):
    return [e for e in b.record.all_entries if e.kind == "certificate"]


def test_a_brief_that_asks_for_more_takes_plate_stage_and_certificate_with_it(window, qtbot, settle):
    b = sawmill(window)
    assert b.record.proof.whole
    b.edit({"brief.fluid": "petrol"}, "petrol")
    assert b.record.proof.state == LESS
    window.choose(HAND)
    assert "NOT PROVEN for today's brief" in find(window, type(window.stage.ready), "ready").text()
    press(window, "write all papers")
    assert not certificates(b)
    window.choose(BUILD)
    assert "test" in b.record.proof.fallen
    window.stage.tick("first_fill")
    assert "hold point" in window.message.text()
    settle(lambda: b._writing is None or not b._writing.is_alive())
    window.choose(HAND)
    find(window, QLineEdit, "despite").setText("a test piece, never filled")
    press(window, "write all papers")
    kept = certificates(b)[-1].payload
    assert kept["reason"] == "a test piece, never filled"
    assert kept["state"] == LESS
    b.undo()
    assert b.record.proof.whole
    settle(lambda: b._writing is None or not b._writing.is_alive())


def test_a_leak_is_never_handed_over_by_a_reason(window, qtbot, settle):
    b = sawmill(window)
    seam = b.evaluation.results.seams[0]
    b.add_record("leak", seam.id, {"edge": seam.edge, "share": 0.5})
    window.choose(HAND)
    assert find(window, QLineEdit, "despite").isHidden()
    window.stage.despite.setText("only a drop")
    press(window, "write all papers")
    assert not certificates(b)
    settle(lambda: b._writing is None or not b._writing.is_alive())


def test_a_copy_of_another_customer_is_said_and_made_a_job_of_its_own(window, qtbot):
    b = sawmill(window)
    uid, serial = b.job.uid, b.serial
    b.edit({"brief.customer": "Somebody Else"}, "copied")
    window.choose(HAND)
    assert "on record is" in window.stage.ready.text()
    press(window, "make own")
    assert b.job.uid != uid
    assert b.serial is None
    assert not b.record.all_entries
    assert json.loads(b.path.read_text())["uid"] == b.job.uid
    assert b.register.serial(uid) == serial
    b.add_record("note", "note", {"text": "begun"})
    assert b.serial not in (None, serial)


def test_a_reason_to_go_past_the_limit_belongs_to_one_job_test_pressure_and_person(window, qtbot, settle):
    b = window.bench
    b.who = "Asta"
    window.choose(PROVE)
    stage = window.stage
    b.edit({"proving.tests.0.test_kpa": 60.0}, "much")
    reason = find(window, QLineEdit, "override reason")

    def write():
        reason.setText("behind the shield")
        return stage.override_now()

    assert write() == ("behind the shield", "Asta", 60.0)
    b.edit({"proving.tests.0.test_kpa": 177.0}, "more")
    assert stage.override_now()[0] == ""
    assert reason.text() == ""
    write()
    b.who = "Pell"
    assert stage.override_now()[0] == ""
    b.who = "Asta"
    write()
    b.open(window.home / "jobs" / "frost-fan.bathyx.json")
    window.choose(PROVE)
    assert stage.override_now()[0] == ""
    assert window.stage.override.text() == ""


def test_going_past_the_limit_by_a_reason_mutes_nothing(window, qtbot, settle):
    b = window.bench
    b.who = "Asta"
    window.choose(PROVE)
    b.edit({"proving.tests.0.test_kpa": 60.0}, "much")
    find(window, QLineEdit, "override reason").setText("behind the shield")
    press(window, "connect gauge")
    settle(lambda: window.stage.now is not None)
    pump_up(window, settle)
    settle(lambda: "LET AIR OUT" in window.message.text())
    press(window, "start hold")
    window.message.setText("")
    settle(lambda: "past it by Asta: behind the shield" in window.message.text())
    press(window, "connect gauge")


def test_a_tank_that_is_asked_answers_and_its_answers_are_on_record(window, qtbot, settle):
    b = window.bench
    b.who = "Asta"
    window.choose(PROVE)
    stage = window.stage
    stage._choose_test(1)
    stage.sim_speed = 60.0
    b.edit({"proving.tests.1.hold_min": 10.0}, "short")
    begin_hold(window, settle)
    ask = find(window, QPushButton, "ask next")
    assert not ask.isEnabled()
    rig = stage.simulated.rig
    settle(lambda: ask.isEnabled())
    assert "Pull the plunger" in stage.question_words.text()
    before = rig.read()[0]
    press(window, "ask next")
    assert rig.read()[0] < before
    press(window, "finish test")
    kept = b.record.tests[-1].payload
    assert [m["what"] for m in kept["asked"]] == ["draw"]
    assert [e.subject for e in b.record.of_kind("question")] == [str(kept["hold"])]
    press(window, "connect gauge")


def test_air_let_out_is_said_by_name(window, qtbot, settle):
    b = sawmill(window)
    window.choose(PROVE)
    find(window, QComboBox, "port").setCurrentText("gauge read by eye")
    find(window, QLineEdit, "typed gauge").setText("14.5 kPa")
    press(window, "start hold")
    assert window.stage.running, window.message.text()
    find(window, QLineEdit, "typed gauge").setText("0 kPa")
    press(window, "finish test")
    assert b.record.proof.state == "leak known"
    assert not window.stage.let_out_button.isHidden()
    press(window, "say let out")
    assert b.record.proof.whole
    assert window.stage.let_out_button.isHidden()


def test_a_trace_of_another_logger_is_brought_in(window, qtbot, tmp_path):
    b = sawmill(window)
    b.edit({"proving.tests": [{"method": "decay", "test_kpa": 14.0, "hold_min": 30.0}]}, "decay")
    window.choose(PROVE)
    path = tmp_path / "log.csv"
    path.write_text(
        "t;P;T\n" + "".join(f"{5 * k};{14.4 + 0.002 * (k % 3):.3f};{18 + 0.01 * (k % 4):.2f}\n" for k in range(500))
    )
    find(window, QLineEdit, "trace file").setText(str(path))
    find(window, QLineEdit, "trace columns").setText("time=t s; pressure=P; temperature=T C")
    press(window, "bring in")
    assert "Choose the gauge" in window.message.text()
    window.stage._choose_kind("fine digital with barometer")
    press(window, "bring in")
    assert "which unit the pressure" in window.message.text()
    find(window, QLineEdit, "trace columns").setText("time=t s; pressure=P kPa; temperature=T C")
    press(window, "bring in")
    kept = b.record.tests[-1].payload
    assert kept["brought_in"]["name"] == "log.csv"
    assert len(b.record.trace(b.record.tests[-1])) == 500


def test_the_register_says_where_a_found_tank_stands(window, qtbot, settle):
    window.choose(HAND)
    window.stage.find_words.setText("sawmill")
    assert window.stage.found[0].uid == jobs.sawmill().uid
    settle(lambda: "proven" in window.stage.found_state.text())
    assert window.stage.found_state.text().startswith(window.stage.found[0].serial)


def test_a_used_fuel_tank_is_not_repaired_without_a_word(window, qtbot):
    b = window.bench
    b.who = "Asta"
    window.choose(BUILD)
    b.light("seam:S1")
    press(window, "leaf weld log")
    assert "killed people" not in window.stage.warning.text()
    b.add_record("tick", "first_fill", {})
    assert "killed people" in window.stage.warning.text()
    assert not window.stage.warning.isHidden()


def test_a_repair_taken_back_leaves_the_leak(window, qtbot):
    b = window.bench
    b.who = "Asta"
    window.choose(BUILD)
    b.light("seam:S1")
    press(window, "leaf weld log")
    edge = window.stage.seam.edge
    b.add_record("leak", "S1", {"edge": edge})
    find(window, QLineEdit, "repair note").setText("ground out")
    press(window, "log repair")
    entry = b.record.of_kind("repair")[-1]
    assert b.record.seam_state(edge) == "repaired"
    press(window, f"take back {entry.id}")
    assert b.record.seam_state(edge) == "leaks"
    assert b.record.proof.state == "leak known"


def test_a_gauge_whose_check_is_past_its_day_is_said_where_the_test_begins(window, qtbot):
    due = GaugeKind(name="old one", range_kpa=60, accuracy_kpa=0.2, last_check="2020-01-01", check_due="2021-01-01")
    keep_gauge(window.bench.home, due)
    window.choose(PROVE)
    stage = window.stage
    assert "its check was due" not in stage.state.text()
    stage.port.setCurrentText("/dev/ttyS99")
    stage._choose_kind("old one")
    assert "old one: its check was due 2021-01-01" in stage.state.text()


def test_the_check_of_the_records_says_that_a_copy_was_brought_back(window, qtbot, settle):
    register = window.bench.register
    window.choose(HAND)
    press(window, "verify")
    settle(lambda: "unchanged" in window.stage.checked.text())
    assert "brought back" not in window.stage.checked.text()
    register.place.heads.note(register.head(), "2026-11-29T00:00:00+00:00", restored_from="old.sqlite", was="7:ab")
    press(window, "verify")
    settle(lambda: "A copy was brought back: '2026-11-29': 'old.sqlite'" in window.stage.checked.text())


def test_a_choice_that_was_refused_is_not_shown_as_chosen(window, qtbot, monkeypatch):
    window.choose(TANK)
    box = find(window, QComboBox, "tank.family")
    stood, other = box.currentIndex(), (box.currentIndex() + 1) % box.count()
    chosen = window.bench.job.tank.family

    def refuse(*args):
        raise Refusal("not in this space")

    for family in FAMILIES.values():
        monkeypatch.setattr(family, "started_in", refuse)
    box.setCurrentIndex(other)
    box.activated.emit(other)
    assert (box.currentIndex(), window.bench.job.tank.family) == (stood, chosen)


def test_the_card_of_a_running_hold_is_no_wider_than_its_place(window, qtbot, settle):
    """In inches "none seen, under 0.025 cu in/min" pushed the card's right edge out of sight."""
    window.bench.who = "Asta"
    window.choose(PROVE)
    stage = window.stage
    stage._choose_test(1)
    stage.sim_speed = 600.0
    press(window, "connect gauge")
    settle(lambda: stage.now is not None)
    pump_up(window, settle)
    press(window, "start hold")
    assert stage.running, window.message.text()
    settle(lambda: len(stage.samples) > 12 and "under" in stage.leak.value.text())
    card = stage.card
    for _ in range(2):
        assert card.body.minimumSizeHint().width() <= card.viewport().width(), str(window.bench.units)
        window.bench.turn_units()
        settle(lambda: "under" in stage.leak.value.text())
    press(window, "connect gauge")
