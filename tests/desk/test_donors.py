"""Parts out of a used tank have its gate before any heat; the window of the last ply runs as a clock."""

from datetime import date, datetime, timedelta

import pytest
from PyQt6.QtWidgets import QCheckBox, QLabel, QLineEdit, QPushButton

from bathyx.core.build.rules import heat_refusal, intake_of
from bathyx.core.build.steps import steps
from bathyx.core.evaluate import evaluate
from bathyx.core.job import JobError, read_job
from bathyx.core.laminate import LayUp
from bathyx.core.laminate.window import window as window_of
from bathyx.core.repair import DonorPart, Intake, donor_step, of_donors
from bathyx.desk.stages.build.gate import GatePanel
from bathyx.desk.stages.build.ply_clock import PlyClock
from tests.conftest import box, codes, job_with
from tests.desk.test_parts import find

TUNNEL = {"part": "tunnel over the frame", "source": "a wrecked tank", "held": "petrol"}


def press(window, name):
    find(window, QPushButton, name).click()
    window.finish()


def through_the_gate(window):
    """Every condition on record, by two people."""
    for part in ("drained", "rinsed", "inert", "traps"):
        find(window, QLineEdit, f"gate {part}").setText("done as it should be")
        press(window, f"record {part}")
    find(window, QLineEdit, "gate flushed").setText("steam")
    press(window, "record aired")
    for part, who in (("permit", "Pell Drury"), ("watch", "Asta Brann")):
        find(window, QLineEdit, f"gate {part}").setText(who)
        press(window, f"record {part}")
    for key, text in (
        ("lel_pct", "0"),
        ("o2_pct", "20.9"),
        ("instrument", "GX 12"),
        ("checked", date.today().isoformat()),
    ):
        find(window, QLineEdit, f"gate {key}").setText(text)
    find(window, QCheckBox, "gate bumped").setChecked(True)
    press(window, "record gas")


def test_a_new_tank_with_a_donors_tunnel_has_its_gate_before_the_part_is_cut_out(window):
    b = window.bench
    b.open(next(window.home.rglob("frost-fan*.json")))
    assert b.edit({"donors": [TUNNEL]})
    window.finish()
    b.who = "Marn Ostley"
    window.choose(5)
    window.finish()
    stage = window.stage
    assert not stage.card.findChild(GatePanel).isHidden()
    ids = [s.id for s in steps(b.evaluation)]
    donor = donor_step(b.job.donors)
    assert ids.index("deburr") < ids.index("gate") < ids.index(donor) < ids.index("tack")
    for step in ids[: ids.index("gate")]:
        assert stage.tick(step), window.message.text()  # its own sheet may be cut meanwhile
    assert not stage.tick("gate")
    assert "No heat" in window.message.text()
    stage.log_weld()
    assert b.record.of_kind("weld") == ()
    through_the_gate(window)
    assert stage.tick("gate"), window.message.text()
    assert stage.tick(donor), window.message.text()
    window.finish()
    assert stage.card.findChild(GatePanel).isHidden()  # what is cut out and clean holds no vapour any more
    for step in ids[ids.index(donor) + 1 : ids.index("fit")]:
        assert stage.tick(step), window.message.text()
    stage.log_weld()
    assert len(b.record.of_kind("weld")) == 1
    assert b.edit({"donors": [TUNNEL, {"part": "neck"}]})  # one more, out of a tank that nobody looked at
    window.finish()
    assert not stage.card.findChild(GatePanel).isHidden()
    assert donor_step(b.job.donors) not in b.record.standing_ticks


def test_of_several_donors_the_worst_is_asked_for_and_some_tanks_give_none():
    water = DonorPart(part="neck", held="fresh_water")
    unknown = DonorPart(part="ring")
    assert not of_donors([water]).burns
    assert of_donors([water, unknown]).burns
    job = job_with(box()).edited("donors", [{"part": "dome", "kind": "pressure vessel"}])
    e = evaluate(job)
    (said,) = [f for f in e.findings if f.code == "donor.refused"]
    assert "donor.refused" not in codes(evaluate(said.remedy.apply(job)))
    plain = job_with(box()).edited("donors", [TUNNEL])
    assert "donor.gate" in codes(evaluate(plain))
    assert read_job(plain.to_json()).donors == plain.donors
    assert "donors" not in job_with(box()).to_json()
    with pytest.raises(JobError, match="no fluid"):
        job_with(box()).edited("donors", [TUNNEL | {"held": "whisky"}])


def test_the_window_of_a_ply_is_longer_in_the_cold():
    layup = LayUp.preset("seal")
    laid = datetime(2026, 11, 30, 9, 0).astimezone()
    low, high = layup.made.resin.window_h
    assert window_of(layup, laid, laid + timedelta(hours=low / 2)).state == "gelling"
    assert window_of(layup, laid, laid + timedelta(hours=(low + high) / 2)).state == "open"
    late = window_of(layup, laid, laid + timedelta(hours=high + 0.1))
    assert late.state == "shut"
    assert "80 grit" in late.said
    cold = layup.model_copy(update={"room_c": 10.0})
    assert window_of(cold, laid, laid).shuts - laid == 2 * (
        window_of(layup, laid, laid).shuts - laid
    )  # 10 K colder, by hand


def test_the_clock_of_the_ply_stands_on_the_card(window, monkeypatch):
    b = window.bench
    b.open(next(window.home.rglob("punt*.json")))
    b.who = "Asta Brann"
    window.choose(5)
    window.finish()
    clock = window.stage.card.findChild(PlyClock)
    assert clock.isHidden()
    b.light("seam:S1")
    assert b.add_record("weld", b.evaluation.results.seams[0].edge, {"process": "tabbing"})
    window.finish()
    clock.refresh()
    assert not clock.isHidden()
    said = find(window, QLabel, "ply window").text()
    assert "next one from" in said or "next ply bonds until" in said

    class Later(datetime):
        @classmethod
        def now(cls, tz=None):
            return datetime.now(tz) + timedelta(days=9)

    monkeypatch.setattr("bathyx.desk.stages.build.ply_clock.datetime", Later)
    clock.refresh()
    assert "80 grit" in find(window, QLabel, "ply window").text()


def test_a_used_tank_that_is_mended_with_a_part_of_another_has_the_gate_of_the_worse():
    water = Intake(what="a rinse tank", held="fresh_water")
    job = job_with(box()).edited_many(
        {"repair": water.model_dump(), "donors": [{"part": "neck", "held": "fresh_water"}]}
    )
    assert not intake_of(job, ()).burns
    assert intake_of(job.edited("donors", [TUNNEL]), ()).burns
    assert intake_of(
        job.edited("donors", [{"part": "dome", "held": "fresh_water", "kind": "aircraft"}]), ()
    ).refused_always
    now = datetime.now().astimezone()
    assert "No heat" in heat_refusal(job.edited("donors", [TUNNEL]), (), now)
