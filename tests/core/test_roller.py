"""Halves with a roller seam: settings between the rows of their table, what cannot be rolled, its log, steps and papers."""

import json

import pytest

from bathyx.cli.main import main
from bathyx.core.build.day_before import needs
from bathyx.core.build.steps import steps
from bathyx.core.evaluate import evaluate
from bathyx.core.making import making_of
from bathyx.core.making.roller import roller
from bathyx.core.material import sheet
from bathyx.core.tank.halves import HalvesTank
from tests.conftest import box, codes, job_with


def halves(sheet_name="s235/1.5", flange=25.0, corner=60.0, process="roller"):
    tank = HalvesTank(
        length_mm=600, width_mm=300, lower_mm=120, upper_mm=120, corner_mm=corner, flange_mm=flange, sheet=sheet_name
    )
    return job_with(tank, makeup__school="pressed").edited("makeup.weld_process", process)


@pytest.mark.parametrize("thick", [0.8, 1.0, 1.5, 2.0, 3.0])
def test_nuggets_lap_and_stand_within_the_wheel(thick):
    s = roller(sheet("s235/2").__class__(sheet("s235/2").material, thick))
    assert s.nugget_mm == pytest.approx(5 * thick**0.5)
    assert s.tight
    assert 1 / 1.9 < s.pitch_mm / s.nugget_mm < 0.95  # a nugget laps the one before by a tenth to half
    assert s.nugget_mm < s.overlap_mm / 1.5  # metal beside it on both sides, or it is thrown out


def test_stainless_wants_more_force_and_less_current():
    steel, stainless = roller(sheet("s235/1.5")), roller(sheet("304/1.5"))
    assert stainless.force_kn > steel.force_kn
    assert stainless.current_ka < steel.current_ka


def test_its_log_asks_for_the_peeled_strip_and_its_steps_hold_for_it():
    e = evaluate(halves())
    making = making_of(e.results.sheet)
    assert making.key == "roller"
    asked = {line.key: line for line in making.asked(e.results.sheet)}
    assert asked["nugget_mm"].seen
    assert "amps" in asked
    ids = [step.id for step in steps(e)]
    assert ids.index("test_weld") < ids.index("tack") < ids.index("weld") < ids.index("test")
    said = {step.id: step for step in steps(e)}
    assert said["test_weld"].hold
    assert "Roll the seam" in said["weld"].title
    assert "pacemaker" in said["weld"].caution
    rows = {need.what: need.amount for need in needs(e)}
    assert "gas_m3" not in rows
    assert rows["strips"] == 3
    metres = sum(s.length_mm for s in e.results.seams if s.joint != "stitch") / 1000
    assert rows["arc_min"] > metres / roller(e.results.sheet).speed_m_min


def test_under_an_arc_it_is_steel_as_any_other():
    e = evaluate(halves(process=""))
    assert making_of(e.results.sheet).key == "steel"
    assert evaluate(halves()).results.weight.dry.value < e.results.weight.dry.value  # no metal is put in


@pytest.mark.parametrize(
    ("job", "code"),
    [
        (halves(flange=10.0), "roller.flange"),
        (halves("5052/2"), "roller.aluminium"),
        (halves("s235/4", flange=40.0), "roller.thick"),
        (halves(corner=32.0, flange=16.0), "roller.corner"),
        (job_with(box(sheet="s235/2")).edited("makeup.weld_process", "roller"), "roller.family"),
    ],
)
def test_what_cannot_be_rolled_is_said_and_put_right(job, code):
    e = evaluate(job)
    (said,) = [f for f in e.findings if f.code == code]
    after = evaluate(said.remedy.apply(job))
    assert code not in codes(after)
    assert not any(c.startswith("roller.") for c in codes(evaluate(halves())))


def test_a_plastic_tank_with_the_word_is_welded_with_hot_gas():
    e = evaluate(job_with(box(sheet="pp/8")).edited("makeup.weld_process", "roller"))
    making = making_of(e.results.sheet)
    assert making.key == "plastic"
    assert making.added(e.job, e.results)["process"] == "hot gas"


def test_the_command_begins_one(tmp_path, capsys):
    path = tmp_path / "job.json"
    sizes = ["--length-mm", "600", "--width-mm", "300", "--lower-mm", "120", "--upper-mm", "120", "--flange-mm", "25"]
    assert main(["new", "--family", "halves", "--making", "roller", *sizes, str(path)]) == 0
    capsys.readouterr()
    assert main(["figures", str(path)]) == 0
    said = json.loads(capsys.readouterr().out)
    assert said["making"] == "roller"
    assert said["made"]["wheel_mm"] > 0
