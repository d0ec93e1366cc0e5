"""A laid-up tank: its lay-up in the document, resin and cups, cloth on rolls, tapes, findings, the whole way of one job."""

import json
import math

import pytest
from pypdf import PdfReader

from bathyx.cli.main import main
from bathyx.core.build.day_before import needs
from bathyx.core.build.hours import minutes_of
from bathyx.core.build.rules import weld_refusal
from bathyx.core.build.steps import steps
from bathyx.core.evaluate import evaluate
from bathyx.core.job import own_job, read_job
from bathyx.core.laminate import LayUp, Ply, resins
from bathyx.core.laminate.day import batches, on_rolls, panel_of, pieces_of
from bathyx.core.laminate.layup import PRESETS
from bathyx.core.laminate.tabs import tabs
from bathyx.core.makeups.plan import make_ups
from bathyx.core.makeups.rates import Rates
from bathyx.core.making import making_of
from bathyx.core.making.laminate import Laminate
from bathyx.core.material import sheet
from bathyx.core.tank.families import FAMILIES
from bathyx.core.units import Family
from bathyx.demo import jobs
from bathyx.draft.cloth_view import piece_lines
from bathyx.errors import Refusal
from bathyx.papers.layup import write_layup
from tests.conftest import box, codes, job_with


def laid(preset="lid", tank=None, **edits):
    job = job_with(tank or box(600, 400, 300, sheet="laminate/3"), **{"brief.fluid": "fresh_water"} | edits)
    return job.edited("layup", LayUp.preset(preset).model_dump())


@pytest.mark.parametrize("name", PRESETS)
def test_a_laid_up_tank_is_as_thick_as_its_plies_and_reads_back(name):
    job = laid(name)
    t = job.layup.made.thick_mm
    assert sheet(job.tank.sheet).thickness_mm == pytest.approx(t, abs=0.005)
    e = evaluate(job)
    assert e.results.outside.length_mm == pytest.approx(600 + 2 * t, abs=0.02)
    assert read_job(job.to_json()) == job
    more = [*job.layup.model_dump()["plies"], {"cloth": "cloth200"}]
    assert evaluate(job.edited("layup.plies", more)).results.outside.length_mm > e.results.outside.length_mm


def test_a_sheet_of_metal_takes_the_layup_off_and_a_laminate_puts_one_on():
    job = laid()
    metal = job.edited("tank.sheet", "5083/3")
    assert metal.layup is None
    assert "layup" not in json.loads(metal.to_json())
    assert metal.edited("tank.sheet", "laminate/9").layup == LayUp.preset("seal")


def test_it_weighs_its_panels_and_its_tapes():
    """By hand: areas inside + half a thickness, kg a square metre; tapes by the metre, on one side."""
    e = evaluate(laid())
    made, r = e.job.layup.made, e.results
    panels = sum(b.area_mm2 for b in r.blanks) / 1e6 * made.kg_m2
    joints = sum(s.length_mm for s in r.seams) / 1000 * tabs(e.job.layup).kg_m
    assert r.weight.dry.value == pytest.approx(panels + joints, rel=0.01)
    both = evaluate(e.job.edited("makeup.both_sides", True))
    shell = sum(s.length_mm for s in r.seams if s.joint != "stitch") / 1000
    more = both.results.weight.dry.value - r.weight.dry.value
    assert more == pytest.approx(shell * tabs(e.job.layup).kg_m, rel=0.02)


@pytest.mark.parametrize(
    ("change", "said"),
    [
        ({"plies": []}, "plies"),
        ({"plies": [{"cloth": "silk"}]}, "no cloth 'silk' on a roll"),
        ({"catalyst_pct": 9}, "it should be 1 to 2.5 %"),
        ({"catalyst_pct": 0}, "it should be 1 to 2.5 %"),
        ({"resin": "epoxy"}, "30 % exactly"),
        ({"resin": "treacle"}, "no resin 'treacle'"),
        ({"core": "cork", "core_mm": 10}, "no core 'cork'"),
        ({"core": "pvc80", "core_mm": 11}, "comes in 5, 10"),
        ({"core": "pvc80", "core_mm": 10, "core_after": 5}, "has no ply outside"),
        ({"room_c": -20}, "room_c"),
        ({"plies": [{"cloth": "csm450", "share": 0.99}]}, "share"),
    ],
)
def test_bad_layups_are_refused_in_words(change, said):
    job = laid()
    with pytest.raises(Refusal, match=said):
        job.edited("layup", {**LayUp.preset("lid").model_dump(), **change})


def test_a_cup_is_no_more_than_is_laid_in_its_pot_life_and_all_of_it_is_mixed():
    layup = LayUp.preset("baffle")
    panel = panel_of("side", (1500, 900), 1.35e6, layup)
    found = batches([panel], layup)
    pot = layup.made.resin.pot_life_min(1.5, 20)
    assert 20 < pot < 40  # between its rows at 1 % and 2 %
    assert sum(b.resin_g for b in found) == pytest.approx(1100 * panel.resin_kg)
    for cup in found:
        assert cup.resin_g <= 1500 + 1e-9
        assert cup.resin_g <= 1000 * 0.6 * pot * 0.15 + 1e-9
        assert cup.catalyst_g == pytest.approx(0.015 * cup.resin_g)
        assert cup.pot_life_min == pytest.approx(pot)
    hot = layup.made.resin.pot_life_min(1.5, 30)
    assert hot == pytest.approx(pot / 2)
    assert len(batches([panel], layup.model_copy(update={"room_c": 40.0}))) > len(found)


def test_tapes_step_outward_over_a_fillet():
    tab = tabs(LayUp.preset("lid"))
    widths = [w for _, w in tab.tapes]
    assert widths == [100, 150, 200]
    assert tab.fillet_mm >= 12
    area = (1 - math.pi / 4) * tab.fillet_mm**2
    assert tab.putty_kg_m == pytest.approx(area * 1e-6 * 1300)
    glass = (0.1 * 450 + 0.15 * 450 + 0.2 * 450) / 1000
    assert tab.glass_kg_m == pytest.approx(glass)
    assert len(tabs(LayUp.preset("two")).tapes) == 2


def _apart(places):
    spots = []
    for piece, x, y, turned in places:
        w, h = (piece.w_mm, piece.h_mm) if turned else (piece.h_mm, piece.w_mm)
        spots.append((x, y, x + w, y + h))
    return all(
        a[2] <= b[0] + 1e-6 or b[2] <= a[0] + 1e-6 or a[3] <= b[1] + 1e-6 or b[3] <= a[1] + 1e-6
        for k, a in enumerate(spots)
        for b in spots[k + 1 :]
    ), spots


def test_cloth_is_laid_on_its_roll_with_nothing_over_another_and_the_warp_as_said():
    e = evaluate(laid("cored", tank=box(1500, 900, 700, sheet="laminate/3")))
    rolls = Laminate().rolls(e.job, e.results)
    assert {r.cloth for r in rolls} == {"1708", "csm450", "db450"}
    for roll in rolls:
        clear, spots = _apart(roll.places)
        assert clear
        for x, y, right, top in spots:
            assert x >= -1e-6
            assert y >= -1e-6
            assert right <= roll.length_mm + 1e-6
            assert top <= roll.roll_mm + 1e-6
        assert 0.5 < roll.used <= 1


def test_pieces_cover_every_ply_of_every_panel():
    """Area by hand: each ply with 25 mm round it; a panel that is wider than the roll in strips that lap."""
    layup = LayUp(plies=(Ply(cloth="csm450"), Ply(cloth="wr500")))
    small = panel_of("small", (800, 600), 0.48e6, layup)
    pieces = pieces_of([small], layup)
    assert [(p.w_mm, p.h_mm) for p in pieces] == [(850, 650), (850, 650)]
    assert [p.any_way for p in pieces] == [True, True]  # woven the same both ways
    wide = panel_of("wide", (3000, 2000), 6e6, layup)
    strips = [p for p in pieces_of([wide], layup) if p.cloth == "csm450"]
    assert len(strips) == 2
    assert sum(p.h_mm for p in strips) >= 2000 + 2 * 25 + 50
    assert all(p.h_mm <= 1250 for p in strips)


def test_a_roll_is_no_longer_than_a_tenth_more_than_the_strip_packer_alone_makes_it():
    """`spyrrow` alone on the same pieces, four seconds; the area is the bound below."""
    import spyrrow

    e = evaluate(laid("lid", tank=box(900, 600, 500, sheet="laminate/3")))
    roll = next(r for r in Laminate().rolls(e.job, e.results) if r.cloth == "csm450")
    items = [
        spyrrow.Item(
            str(k), [(0, 0), (p.w_mm, 0), (p.w_mm, p.h_mm), (0, p.h_mm)], demand=1, allowed_orientations=[0, 90]
        )
        for k, (p, *_) in enumerate(roll.places)
    ]
    other = spyrrow.StripPackingInstance("roll", strip_height=roll.roll_mm, items=items)
    solution = other.solve(spyrrow.StripPackingConfig(total_computation_time=4, num_workers=1, seed=1))
    assert roll.length_mm <= 1.1 * solution.width


def test_resins_that_do_not_stand_fuel_are_stopped_and_mended():
    job = laid(**{"brief.fluid": "diesel"}).edited_many({"layup.resin": "polyester"})
    told = next(f for f in evaluate(job).findings if f.code == "laminate.resin")
    assert told.severity == "stop"
    better = job.edited_many(dict(told.remedy.changes))
    assert "laminate.resin" not in codes(evaluate(better))
    epoxy = job.edited_many({"layup.resin": "epoxy", "layup.catalyst_pct": 30})
    assert next(f for f in evaluate(epoxy).findings if f.code == "laminate.resin").severity == "warn"


def test_bends_cold_single_plies_and_sheared_foam_are_told():
    bent = laid().edited("makeup.school", "wrap")
    told = next(f for f in evaluate(bent).findings if f.code == "laminate.bent")
    assert "laminate.bent" not in codes(evaluate(bent.edited_many(dict(told.remedy.changes))))
    assert "laminate.cold" in codes(evaluate(laid().edited("layup.room_c", 8)))
    thin = laid().edited("layup.plies", [{"cloth": "csm450"}])
    assert "laminate.thin" in codes(evaluate(thin))
    big = laid("cored", tank=box(2400, 2000, 1500, sheet="laminate/3"))
    test = {"method": "water_press", "test_kpa": 40}
    told = next(f for f in evaluate(big.edited("proving.tests", [test])).findings if f.code == "laminate.core")
    r = evaluate(big.edited("proving.tests", [test])).results
    worst = next(p for p in r.strength.panels if p.face == told.where.removeprefix("face:"))
    arm = (big.layup.made.thick_mm + 12.7) / 2
    stress = max(40, worst.service_kpa) / 1000 * worst.short_mm / 2 / arm
    assert float(told.figure.split()[0]) == pytest.approx(stress, abs=0.6)


def test_what_is_too_weak_is_laid_thicker():
    test = {"method": "air_soap", "test_kpa": 21}
    weak = laid(
        "lid", tank=box(310, 300, 200, sheet="laminate/3"), **{"brief.fluid": "diesel", "proving.tests": [test]}
    )
    told = next(f for f in evaluate(weak).advice if f.code == "panel.stress")
    assert "2 plies more serve" in told.message
    better = weak.edited_many(dict(told.remedy.changes))
    assert len(better.layup.plies) == 7
    longer = weak.layup.model_copy(update={"plies": better.layup.plies})
    assert longer.made.thick_mm > weak.layup.made.thick_mm  # a copy is worked out anew
    assert not {"panel.stress", "panel.service"} & codes(evaluate(better))


def test_there_is_nothing_to_plan_of_a_laminate():
    with pytest.raises(Refusal, match="not bent"):
        make_ups(laid())


def test_what_is_fitted_onto_foam_is_told():
    fittings = [f.model_dump(mode="json") for f in jobs.punt().inside.fittings]
    tank = jobs.punt().tank.model_dump(mode="json")
    foam = laid("cored", **{"brief.fluid": "grey_water"}).edited_many({"tank": tank, "inside.fittings": fittings})
    assert "laminate.inserts" in codes(evaluate(foam))
    assert "laminate.inserts" not in codes(evaluate(foam.edited("layup", LayUp.preset("lid").model_dump())))


def test_hours_are_of_laying_up_and_not_of_an_arc():
    """By hand: 12 min a ply and square metre; 4 + 3 × 3 min a metre of joint; against the rates of metal."""
    e = evaluate(laid("lid"))
    found = minutes_of(e, Rates())
    area = sum(b.area_mm2 for b in e.results.blanks) / 1e6
    metal = evaluate(job_with(box(600, 400, 300)))
    assert found["cut"] - 60 * area == pytest.approx(minutes_of(metal, Rates())["cut"], rel=0.05)
    assert found["weld"] == pytest.approx(13 * e.results.weld_length_mm / 1000)
    assert found["bend"] == 0


def test_a_little_air_is_all_that_a_laminate_gets():
    test = {"method": "air_soap", "test_kpa": 21}
    small = laid(**{"proving.tests": [test]})
    assert "proof.no_air" not in codes(evaluate(small))
    assert "proof.no_air" in codes(evaluate(small.edited("proving.tests", [test | {"test_kpa": 30}])))
    large = laid("baffle", tank=box(900, 600, 500, sheet="laminate/3"), **{"proving.tests": [test]})
    told = next(f for f in evaluate(large).findings if f.code == "proof.no_air")
    assert [t.method for t in large.edited_many(dict(told.remedy.changes)).proving.tests] == ["water_fill"]
    fuel = large.edited("brief.fluid", "diesel")
    told = next(f for f in evaluate(fuel).findings if f.code == "proof.no_air")
    pressed = fuel.edited_many(dict(told.remedy.changes)).proving.tests[0]
    assert (pressed.method, pressed.test_kpa) == ("water_press", 21)
    assert "proof.no_air" not in codes(evaluate(large.edited("proving.tests", [test | {"test_kpa": 5}])))


def test_its_traveller_is_laid_up_and_stops_for_the_first_cup_and_the_hardness():
    e = evaluate(laid("cored"))
    order = [s.id for s in steps(e)]
    by = {s.id: s for s in steps(e)}
    wanted = ["material", "first_cup", "cut", "tack", "fit", "tab", "lid", "weld", "dress", "cured", "test"]
    assert [s for s in order if s in wanted] == wanted
    assert by["first_cup"].hold
    assert by["cured"].hold
    words = " ".join(f"{s.title} {s.detail} {s.caution}" for s in by.values()).lower()
    for metal in ("argon", "arc", "sheared edges", "helmet", "stitch"):
        assert f" {metal} " not in words, metal
    assert "styrene" in by["cut"].caution.lower()
    epoxy = e.job.edited_many({"layup.resin": "epoxy", "layup.catalyst_pct": 30})
    assert "allergic" in {s.id: s for s in steps(evaluate(epoxy))}["cut"].caution


def test_the_log_asks_for_the_mix_and_the_hardness():
    asked = making_of(sheet("laminate/5")).asked(sheet("laminate/5"))
    assert {"catalyst_pct", "room_c", "damp_pct", "barcol", "tap", "lot"} <= {a.key for a in asked}
    assert "from 0.2 to 100 %" in weld_refusal({"catalyst_pct": "0"}, asked)
    assert weld_refusal({"catalyst_pct": "1.5", "barcol": "38"}, asked) == ""


def test_the_commands_tell_panels_batches_and_cloth(tmp_path, capsys):
    path = tmp_path / "punt.json"
    path.write_text(laid("lid", **{"brief.fluid": "petrol"}).to_json(), "utf-8")
    assert main(["laminate", str(path)]) == 0
    said = json.loads(capsys.readouterr().out)
    e = evaluate(read_job(path.read_text()))
    assert [p["name"] for p in said["panels"]][:-1] == [b.name for b in e.results.blanks]
    assert sum(b["resin_g"] for b in said["batches"]) == pytest.approx(
        1100 * sum(p["resin_kg"] for p in said["panels"])
    )
    found = {n.what: n.amount for n in needs(e)}
    assert found["filler_kg"] == pytest.approx(sum(b["resin_g"] for b in said["batches"]) / 1000)
    assert main(["cloth", str(path)]) == 0
    rolls = json.loads(capsys.readouterr().out)["rolls"]
    assert {r["cloth"] for r in rolls} == {"csm450", "db450"}
    assert found["cloth_csm450_m"] == pytest.approx(
        next(r for r in rolls if r["cloth"] == "csm450")["length_mm"] / 1000
    )
    path.write_text(job_with(box()).to_json(), "utf-8")
    for command in ("laminate", "cloth"):
        assert main([command, str(path)]) == 1
        assert "a laid-up tank has the sheet laminate" in capsys.readouterr().err


def test_every_resin_has_a_preset_that_can_be_laid():
    for key in resins():
        for name in PRESETS:
            assert LayUp.preset(name, key).made.thick_mm > 0
    with pytest.raises(Refusal, match="there are two, seal"):
        LayUp.preset("nine")


def test_pieces_on_a_roll_that_is_too_narrow_are_cut_in_strips():
    layup = LayUp.preset("cored")
    rolls = on_rolls(pieces_of([panel_of("bulkhead", (2600, 1900), 4.9e6, layup)], layup))
    assert all(p.h_mm <= r.roll_mm or p.w_mm <= r.roll_mm for r in rolls for p, *_ in r.places)


def test_what_a_family_refuses_of_a_thick_lay_up_is_refused_when_it_is_laid_and_not_when_it_is_read():
    """Pressed halves: a flange of 15 mm cannot be narrower than the laminate is thick; no job is made that cannot be read."""
    tank = FAMILIES["halves"].started({"length": 600, "width": 450, "height": 350}, "laminate/3")
    job = job_with(tank, **{"makeup.school": tank.schools()[0]})
    assert read_job(job.to_json()) == job
    with pytest.raises(Refusal, match="flange"):
        job.edited("layup", LayUp.preset("cored").model_dump())


@pytest.mark.parametrize("family", FAMILIES)
def test_every_family_is_laid_up_read_back_and_has_its_steps(family):
    tank = FAMILIES[family].started({"length": 600, "width": 450, "height": 350}, "laminate/3")
    job = job_with(tank, **{"brief.fluid": "grey_water", "makeup.school": tank.schools()[0]})
    e = evaluate(job)
    assert "check.fault" not in codes(e)
    assert {"first_cup", "tab", "lid", "cured"} <= {s.id for s in steps(e)}
    assert needs(e)
    assert read_job(job.to_json()) == job


def test_a_second_tank_is_laid_up_alike_and_becomes_a_job_of_its_own_with_its_plies():
    second = {"tank": box(300, 300, 200, sheet="laminate/3").model_dump(mode="json")}
    job = laid("lid").edited("second", second)
    assert job.second.tank.sheet == job.tank.sheet
    own = own_job(job)
    assert own.layup == job.layup
    assert own.tank.sheet == job.tank.sheet
    metal = job.edited("tank.sheet", "5083/3")
    assert metal.layup is not None  # the second is laid up still
    assert metal.edited("second", None).layup is None


def test_a_panel_of_its_own_thickness_is_laid_within_its_bounds():
    job = laid("lid").edited("makeup.panels", [{"face": "top", "thickness_mm": 9.5}])
    assert evaluate(job).results.skins.of("top") == 9.5
    with pytest.raises(Refusal, match=r"0\.8 to 120"):
        evaluate(job.edited("makeup.panels", [{"face": "top", "thickness_mm": 0.2}]))


@pytest.mark.parametrize("units", [Family.METRIC, Family.US])
def test_its_sheet_for_the_bench_has_every_cup_and_every_piece(tmp_path, units):
    e = evaluate(jobs.punt())
    way = Laminate()
    text = " ".join(
        "".join(p.extract_text() for p in PdfReader(write_layup(e, tmp_path / "l.pdf", units)).pages).split()
    )
    for cup in way.cups(e.job, e.results):
        assert f"{cup.resin_g:.0f} {cup.catalyst_g:.1f}" in text
    assert "U+E000" not in text
    for roll in way.rolls(e.job, e.results):
        rows = piece_lines(roll, units)
        numbers = sorted(int(n) for row in rows for n in row[0].split(", "))
        assert numbers == list(range(1, len(roll.places) + 1))
        for row in rows:
            assert row[2] in text, row
    assert not (units.us and " mm" in text)


def test_two_coats_take_what_is_usual_on_a_tank_of_170_litres():
    """0.9 L and a little less: common practice."""
    e = evaluate(laid("seal", box(600, 550, 515, sheet="laminate/3"), **{"inside.baffles.by_rule": False}))
    assert e.results.capacity.gross.value == pytest.approx(170, abs=1)
    rows = {n.what: n for n in needs(e)}
    assert 0.9 + 0.7 < rows["coat_l"].amount < 0.9 + 0.95
    assert "drinking" in rows["coat_l"].title
    assert "passed for drinking water" in next(s.detail for s in steps(e) if s.id == "lid")
    fuel = evaluate(laid("seal", **{"brief.fluid": "diesel"}))
    assert "drinking" not in {n.what: n for n in needs(fuel)}["coat_l"].title
    assert "drinking" not in next(s.detail for s in steps(fuel) if s.id == "lid")
