"""Used tanks: the gate is shut until everything is on record and fresh; figures of mending; the record, the paper, the command."""

import itertools
import json
from datetime import UTC, datetime, timedelta
from types import SimpleNamespace

import pytest
from pypdf import PdfReader

from bathyx.cli.main import main
from bathyx.core.build.rules import heat_refusal, tick_refusal
from bathyx.core.build.steps import steps
from bathyx.core.evaluate import evaluate
from bathyx.core.job import read_job
from bathyx.core.proving.judgement import Proof
from bathyx.core.repair import GateEntry, Hurt, Intake, gate
from bathyx.core.repair.gate import FOR_THE_REST, FOR_WHAT_BURNS, conditions, wrong_entry
from bathyx.core.repair.mending import how, next_hurt, patch_of, scarf_mm
from bathyx.core.units import Family
from bathyx.errors import Refusal
from bathyx.papers.repair import write_repair
from bathyx.register import JobRecord, Register
from tests.conftest import box, codes, job_with

NOON = datetime(2026, 4, 7, 12, 0, tzinfo=UTC)
READ = {"lel_pct": "0", "o2_pct": "20.9", "instrument": "GX 12", "checked": "2026-02-01", "bumped": True}
SAID = {
    "drained": {"words": "into a drum"},
    "rinsed": {"words": "hot water, three times"},
    "aired": {"hours": "26"},
    "gas": READ,
    "inert": {"words": "full of water to the weld"},
    "traps": {"words": "sender out, baffles looked at"},
    "permit": {"words": "Pell Drury"},
    "watch": {"words": "Marn Ostley"},
}
TANK = Intake(what="diesel tank of a crane", held="diesel", hurts=(Hurt(where="rear mount", mm=40, cause="vibration"),))


def all_of(at=NOON - timedelta(minutes=10), **changes):
    return [GateEntry(part, at, "Marn", said | changes.get(part, {})) for part, said in SAID.items()]


def test_it_opens_when_all_of_it_is_there_and_not_with_any_one_missing():
    assert gate(TANK, all_of(), NOON).open
    for left in FOR_WHAT_BURNS:
        found = gate(TANK, [e for e in all_of() if e.part != left], NOON)
        assert not found.open, left
        assert len(found.missing) == 1
    for some in itertools.combinations(all_of(), 5):
        assert not gate(TANK, some, NOON).open


def test_what_never_burnt_needs_less_and_unknown_counts_as_what_burns():
    water = TANK.model_copy(update={"held": "grey_water"})
    few = [e for e in all_of() if e.part in FOR_THE_REST]
    assert gate(water, few, NOON).open
    assert not gate(TANK.model_copy(update={"held": "unknown"}), few, NOON).open
    for held in ("petrol", "diesel", "e85", "biodiesel", "jet"):
        assert not gate(TANK.model_copy(update={"held": held}), few, NOON).open, held


@pytest.mark.parametrize(
    ("change", "said"),
    [
        ({"lel_pct": "1.5"}, "no more than 1"),
        ({"lel_pct": "100"}, "100 % LEL"),
        ({"o2_pct": "16"}, "19.5 to 23.5"),
        ({"o2_pct": "25"}, "19.5 to 23.5"),
        ({"checked": "2025-09-01"}, "half a year"),
        ({"bumped": False}, "not tried with test gas"),
        ({"instrument": " "}, "without its instrument"),
        ({"lel_pct": "clean"}, "% LEL is 'clean'"),
        ({"lel_pct": "nan"}, "% LEL"),
        ({"lel_pct": "-1"}, "% LEL"),
        ({"checked": "last year"}, "write the day"),
        ({"checked": "2026-05-01"}, "still to come"),
    ],
)
def test_a_reading_that_is_none_or_bad_keeps_it_shut(change, said):
    found = gate(TANK, all_of(gas=change), NOON)
    assert not found.open
    assert said in found.missing[0]


def test_a_reading_goes_stale_and_low_oxygen_is_right_only_on_purpose():
    entries = all_of(at=NOON)
    assert gate(TANK, entries, NOON + timedelta(minutes=60)).open
    late = gate(TANK, entries, NOON + timedelta(minutes=61))
    assert "stale" in late.missing[0]
    again = [*entries, GateEntry("gas", NOON + timedelta(minutes=61), "Marn", READ)]
    assert gate(TANK, again, NOON + timedelta(minutes=62)).open
    worse = [*again, GateEntry("gas", NOON + timedelta(minutes=63), "Marn", READ | {"lel_pct": "4"})]
    assert not gate(TANK, worse, NOON + timedelta(minutes=64)).open  # the newest counts, not the best
    assert gate(TANK, all_of(gas={"o2_pct": "1", "inert": True}), NOON).open
    ahead = [e if e.part != "gas" else GateEntry("gas", NOON + timedelta(hours=5), "Marn", READ) for e in entries]
    assert not gate(TANK, ahead, NOON).open  # a clock that was wrong makes nothing fresh


@pytest.mark.parametrize(
    ("aired", "said"),
    [
        ({"hours": "3"}, "open for 3 h"),
        ({"hours": "", "flushed": ""}, "how many hours"),
        ({"hours": "a while"}, "write the hours"),
        ({"hours": "-30"}, "write the hours"),
    ],
)
def test_an_hour_in_the_yard_is_not_aired_but_flushed_is(aired, said):
    others = [e for e in all_of() if e.part != "aired"]
    found = gate(TANK, [*others, GateEntry("aired", NOON, "Marn", aired)], NOON)
    assert said in found.missing[0]
    assert gate(TANK, [*others, GateEntry("aired", NOON, "Marn", {"hours": "", "flushed": "steam"})], NOON).open


def test_one_person_cannot_permit_and_watch():
    found = gate(TANK, all_of(watch={"words": " pell drury"}), NOON)
    assert "two people" in found.missing[0]


@pytest.mark.parametrize("kind", ["pressure vessel", "dangerous goods", "aircraft"])
def test_some_are_refused_always_whatever_is_on_record(kind):
    tank = TANK.model_copy(update={"kind": kind})
    found = gate(tank, all_of(), NOON)
    assert not found.open
    assert "refused here, always" in found.words
    e = evaluate(job_with(box(sheet="s235/3")).edited("repair", tank.model_dump()))
    assert [s.id for s in steps(e)] == ["intake", "refuse"]
    assert next(f for f in e.findings if f.code == "repair.refused").severity == "stop"


def test_a_fill_shuts_it_again():
    def entry(kind, subject, at, **payload):
        return SimpleNamespace(kind=kind, subject=subject, at=at.isoformat(), who="Marn", payload=payload)

    rows = [entry("gate", part, NOON, **said) for part, said in SAID.items()]
    assert gate(TANK, conditions(rows), NOON).open
    for fill in (entry("tick", "first_fill", NOON, title="x"), entry("hold", "test", NOON, test={"method": "soak"})):
        assert not gate(TANK, conditions([*rows, fill]), NOON).open
    undone = entry("tick", "first_fill", NOON, done=False)
    assert gate(TANK, conditions([*rows, undone]), NOON).open


def test_no_step_that_makes_heat_is_ticked_before_the_gate():
    job = job_with(box(sheet="s235/3")).edited("repair", TANK.model_dump())
    e = evaluate(job)
    ids = [s.id for s in steps(e)]
    assert ids.index("gate") < ids.index("mend:1") < ids.index("test")
    proof = Proof("not tested", ("no test yet",), ())
    done = set(ids[: ids.index("mend:1")])
    for step in ("gate", "mend:1", "dress"):
        assert "No heat" in tick_refusal(e, step, done, proof=proof)  # nobody asked the gate
        assert tick_refusal(e, step, done, proof=proof, no_heat="No heat: x") == "No heat: x"
    assert tick_refusal(e, "mend:1", done, proof=proof, no_heat="") == ""
    assert "hold point before it" in tick_refusal(e, "mend:1", done - {"gate"}, proof=proof, no_heat="")
    assert heat_refusal(job, (), NOON).startswith("No heat")
    assert heat_refusal(job_with(box()), (), NOON) == ""


def test_a_clock_that_was_set_back_makes_no_reading_fresh():
    """Read at noon, in earnest it is four: somebody sets the clock to half past twelve. What was recorded since betrays it."""
    job = job_with(box(sheet="s235/3")).edited("repair", TANK.model_dump())
    rows = [
        SimpleNamespace(kind="gate", subject=p, at=NOON.isoformat(), who="Marn", payload=said)
        for p, said in SAID.items()
    ]
    assert heat_refusal(job, rows, NOON + timedelta(minutes=30)) == ""
    later = SimpleNamespace(
        kind="note", subject="note", at=(NOON + timedelta(hours=3)).isoformat(), who="Pell", payload={}
    )
    assert "set it right" in heat_refusal(job, [*rows, later], NOON + timedelta(minutes=30))
    no_zone = [SimpleNamespace(**{**vars(row), "at": "2026-04-07T12:00:00"}) for row in rows]
    assert conditions(no_zone)[0].at.tzinfo is not None


def test_air_in_a_tank_that_held_fuel_is_told_and_water_offered():
    test = {"method": "air_soap", "test_kpa": 21}
    job = job_with(box(sheet="s235/3"), **{"proving.tests": [test]}).edited("repair", TANK.model_dump())
    told = next(f for f in evaluate(job).findings if f.code == "repair.air")
    better = job.edited_many(dict(told.remedy.changes))
    assert [t.method for t in better.proving.tests] == ["water_fill"]
    assert "repair.air" not in codes(evaluate(better))


def test_a_patch_has_sound_metal_all_round_and_round_corners():
    """By hand: 40 long, 25 round: hole 90 × 50, R 25; patch 88 × 48, its corners R 24."""
    cut = patch_of(40)
    assert cut.hole_mm == (90, 50)
    assert cut.radius_mm == 25
    assert cut.patch_mm == (88, 48)
    assert cut.area_mm2 == pytest.approx(88 * 48 - (4 - 3.14159265) * 24**2, rel=1e-6)
    wide = patch_of(200, 200)
    assert wide.radius_mm == 62.5
    assert scarf_mm(5) == 60
    assert scarf_mm(5, carries=True) == 100


def test_ways_say_what_is_done_and_causes_what_comes_next():
    said = how(TANK.hurts[0], 3.0, "steel")
    assert "stop holes" in said
    assert "white for" in said
    assert "white for" not in how(TANK.hurts[0], 3.0, "aluminium")
    assert "other mounts" in next_hurt(TANK)[0]
    rusty = TANK.model_copy(update={"hurts": (Hurt(where="bottom", what="rust", mm=60, cause="below", way="weld"),)})
    e = evaluate(job_with(box(sheet="s235/3")).edited("repair", rusty.model_dump()))
    assert {"repair.thin", "repair.next"} <= codes(e)


@pytest.mark.parametrize(
    ("change", "said"),
    [
        ({"held": "lemonade"}, "no fluid 'lemonade'"),
        ({"last_held": "last May"}, "write it like 2026-05-31"),
        ({"last_held": "2999-01-01"}, "still to come"),
        ({"kind": "submarine"}, "kind"),
        ({"hurts": [{"where": "", "what": "crack"}]}, "where"),
        ({"hurts": [{"where": "seam", "what": "sadness"}]}, "what"),
        ({"traps": ["attic"]}, "traps"),
    ],
)
def test_bad_intakes_are_refused_in_words(change, said):
    with pytest.raises(Refusal, match=said):
        job_with(box(sheet="s235/3")).edited("repair", TANK.model_dump() | change)


def test_a_condition_without_words_is_not_recorded():
    assert "say it in words" in wrong_entry("rinsed", {"words": " "}, NOON)
    assert "no condition" in wrong_entry("blessed", {"words": "x"}, NOON)
    assert wrong_entry("gas", READ | {"lel_pct": 40}, NOON) == ""  # recorded, and keeps it shut


def test_a_new_job_reads_as_it_always_did_and_a_used_one_comes_back():
    job = job_with(box(sheet="s235/3"))
    assert "repair" not in json.loads(job.to_json())
    used = job.edited("repair", TANK.model_dump())
    assert read_job(used.to_json()) == used


def test_the_command_takes_one_in_and_says_what_is_missing(tmp_path, capsys):
    path, book = tmp_path / "crane.json", tmp_path / "register.sqlite"
    line = [
        "repair",
        "new",
        "--what",
        "Crane tank",
        "--owner",
        "Kettle Quarry",
        "--held",
        "diesel",
        "--hurt",
        "rear mount:crack:40:vibration",
    ]
    sizes = ["--length-mm", "600", "--width-mm", "400", "--height-mm", "300"]
    assert main([*line, *sizes, str(path)]) == 0
    capsys.readouterr()
    job = read_job(path.read_text())
    assert job.repair.hurts[0].mm == 40
    register = Register(book)
    assert main(["repair", "gate", str(path), "--register", str(book)]) == 1
    said = json.loads(capsys.readouterr().out)
    assert said["open"] is False
    assert len(said["missing"]) == len(FOR_WHAT_BURNS)
    today = datetime.now().astimezone().date().isoformat()
    for part, what in SAID.items():
        register.add(job, "gate", part, what | ({"checked": today} if part == "gas" else {}), "Marn Ostley")
    assert main(["repair", "gate", str(path), "--register", str(book)]) == 0
    assert json.loads(capsys.readouterr().out)["until"]
    register.close()
    for bad, why in (
        (["--hurt", "mount"], "is no hurt"),
        (["--hurt", "mount:crack:long"], "no size in mm"),
        (["--held", "soup"], "no fluid 'soup'"),
    ):
        assert main([*line, *bad, *sizes, str(tmp_path / "other.json")]) == 1
        assert why in capsys.readouterr().err
    assert main(["repair"]) == 1
    own, fuel = tmp_path / "own.json", job_with(box(), **{"brief.fluid": "diesel"})
    own.write_text(fuel.to_json())
    assert main(["repair", "gate", str(own), "--register", str(book)]) == 1
    assert "never held what burns" in capsys.readouterr().err
    register = Register(book)
    register.add(fuel, "tick", "first_fill", {"title": "First fill"}, "Marn Ostley")
    register.close()
    assert main(["repair", "gate", str(own), "--register", str(book)]) == 1
    assert json.loads(capsys.readouterr().out)["burns"] is True
    assert main([*line, "--kind", "aircraft", *sizes, "--force", str(path)]) == 0
    assert "refused here, always" in capsys.readouterr().err


@pytest.mark.parametrize("units", [Family.METRIC, Family.US])
def test_its_paper_says_the_gate_or_the_refusal(tmp_path, units):
    register = Register(tmp_path / "r.sqlite")
    job = job_with(box(sheet="s235/3")).edited("repair", TANK.model_dump())
    for part, what in SAID.items():
        register.add(job, "gate", part, what, "Marn Ostley")
    record = JobRecord(tuple(register.entries(job.uid)))
    write_repair(evaluate(job), record, "TT-1", tmp_path / "a.pdf", units)
    text = " ".join("".join(p.extract_text() for p in PdfReader(tmp_path / "a.pdf").pages).split())
    assert "whose design is unknown" in text
    for word in ("GX 12", "2026-02-01", "tried with test gas", "stop holes", "hot water, three times"):
        assert word in text, word
    assert "has killed people" in text
    never = job.edited("repair.kind", "dangerous goods")
    write_repair(evaluate(never), JobRecord(()), None, tmp_path / "b.pdf", units)
    text = " ".join("".join(p.extract_text() for p in PdfReader(tmp_path / "b.pdf").pages).split())
    assert "Refused" in text
    assert "Where it is hurt" not in text
    register.close()


def _row(kind, subject, at=NOON, **payload):
    return SimpleNamespace(kind=kind, subject=subject, at=at.isoformat(), who="Marn", payload=payload)


def test_a_tank_of_the_shops_own_is_a_used_one_once_it_has_held_fuel():
    fuel, water = (job_with(box(), **{"brief.fluid": fluid}) for fluid in ("diesel", "fresh_water"))
    soak, fill = _row("hold", "tank", test={"method": "soak"}), _row("tick", "first_fill", title="x")
    for filled in (soak, fill):
        assert heat_refusal(fuel, [filled], NOON).startswith("No heat")
        assert heat_refusal(water, [filled], NOON) == ""
        after = [filled, *(_row("gate", part, **said) for part, said in SAID.items())]
        assert heat_refusal(fuel, after, NOON + timedelta(minutes=5)) == ""
        assert heat_refusal(fuel, [*after[1:], filled], NOON + timedelta(minutes=5)).startswith("No heat")
    assert heat_refusal(fuel, [fill, _row("tick", "first_fill", done=False)], NOON).startswith("No heat")
    assert heat_refusal(fuel, [_row("hold", "tank", test={"method": "air_soap"})], NOON) == ""
    e = evaluate(fuel)
    proof = Proof("not tested", ("no test yet",), ())
    done = {s.id for s in steps(e)}
    assert "No heat" in tick_refusal(e, "weld", done, proof=proof, no_heat=heat_refusal(fuel, [soak], NOON))
