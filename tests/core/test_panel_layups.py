"""Panels with plies of their own: a lid of five, baffles of eight; thickness, weight, strength, cloth and resin follow."""

import json
import math

import pytest

from bathyx.cli.main import main
from bathyx.core.build.day_before import needs
from bathyx.core.evaluate import evaluate
from bathyx.core.job import JobError, read_job
from bathyx.core.laminate import LayUp, PanelLayUp
from bathyx.core.laminate.day import panel_of, pieces_of
from bathyx.core.making.laminate import Laminate
from bathyx.desk.stages.tank.layup import LayUpCard
from tests.conftest import box, codes, job_with

VENT = {
    "id": "vent",
    "kind": "vent",
    "face": "top",
    "u_mm": 200,
    "v_mm": 200,
    "hole_mm": 12,
    "ring_mm": 6,
    "ring_od_mm": 60,
}


def laid(*own, base="seal", tank=None, **edits):
    tank = tank or box(900, 500, 400, sheet="laminate/3")
    job = job_with(tank, brief__fluid="fresh_water").edited("layup", LayUp.preset(base).model_dump())
    rows = [PanelLayUp.like(face, LayUp.preset(name)).model_dump() for face, name in own]
    return job.edited_many({"panel_layups": rows, **{k.replace("__", "."): v for k, v in edits.items()}})


def test_thickness_and_weight_follow_the_plies_of_each_panel():
    e = evaluate(laid(("top", "lid"), ("baffles", "baffle")))
    by = {b.name: b for b in e.results.blanks}
    thick = {name: round(LayUp.preset(name).made.thick_mm, 2) for name in ("seal", "lid", "baffle")}
    assert by["top"].thickness_mm == thick["lid"]
    assert by["front"].thickness_mm == thick["seal"]
    baffles = [b for b in e.results.blanks if b.role == "baffle"]
    assert baffles
    assert all(b.thickness_mm == thick["baffle"] for b in baffles)
    plain = evaluate(laid())
    by_hand = sum(
        b.area_mm2
        / 1e6
        * LayUp.preset({"top": "lid"}.get(b.name, "baffle" if b.role == "baffle" else "seal")).made.kg_m2
        for b in e.results.blanks
    )
    was = sum(b.area_mm2 / 1e6 * LayUp.preset("seal").made.kg_m2 for b in plain.results.blanks)
    weighed = e.results.weight.dry.value - plain.results.weight.dry.value
    assert weighed == pytest.approx(by_hand - was, abs=0.02)
    taken = plain.results.capacity.net.value - e.results.capacity.net.value
    metal = sum(p.metal_mm2 for p in plain.results.plates) / 1e6
    assert taken == pytest.approx(metal * (thick["baffle"] - thick["seal"]), rel=0.1)  # thicker baffles take more of it


def test_the_strength_of_a_face_is_that_of_its_own_plies():
    plain, e = (evaluate(laid(*own)).results.strength for own in ((), (("top", "baffle"),)))
    was, now = ({p.face: p for p in s.panels} for s in (plain, e))
    whole = {p.face: p for p in evaluate(laid(base="baffle")).results.strength.panels}
    assert now["top"].bears_kpa > 3 * was["top"].bears_kpa
    assert now["top"].stress_mpa == pytest.approx(whole["top"].stress_mpa, rel=0.02)
    assert now["front"].stress_mpa == pytest.approx(was["front"].stress_mpa, rel=1e-6)


def test_a_foam_lid_counts_as_foam_and_a_solid_wall_does_not():
    e = evaluate(laid(("top", "cored")))
    rows = {n.what: n for n in needs(e)}
    top = next(b for b in e.results.blanks if b.name == "top")
    assert rows["foam_m2"].amount == pytest.approx(1.1 * top.area_mm2 / 1e6)
    light = evaluate(laid(("top", "baffle"))).results.weight.dry.value
    assert e.results.weight.dry.value < light  # thicker, stiffer and lighter
    assert "laminate.inserts" not in codes(e)
    port = evaluate(laid(("top", "cored"), inside__fittings=[VENT]))
    assert "laminate.inserts" in codes(port)
    side = evaluate(laid(("front", "cored"), inside__fittings=[VENT]))
    assert "laminate.inserts" not in codes(side)


def test_what_a_ring_presses_on_the_foam_is_told_in_figures():
    e = evaluate(laid(base="cored", inside__fittings=[VENT]))
    (said,) = [f for f in e.findings if f.code == "laminate.inserts"]
    by_hand = 10_000 / (math.pi / 4 * (60**2 - 12**2))
    assert str(said.figure) == f"{by_hand:.1f} MPa"
    assert str(said.limit) == "1.2 MPa"
    assert said.severity == "warn"  # 3.7 MPa on foam that is crushed at 1.2
    wide = VENT | {"ring_od_mm": 160}
    (said,) = [
        f for f in evaluate(laid(base="cored", inside__fittings=[wide])).findings if f.code == "laminate.inserts"
    ]
    assert said.severity == "note"


def test_thick_plies_are_laid_in_goes():
    (said,) = [f for f in evaluate(laid(("top", "baffle"))).findings if f.code == "laminate.hot"]
    assert said.where == "face:top"
    thick = LayUp.preset("baffle").made.thick_mm
    assert f"in {math.ceil(thick / 4)} goes" in said.message
    assert "laminate.hot" not in codes(evaluate(laid()))
    assert "laminate.hot" not in codes(evaluate(laid(base="cored")))  # a ply a side


def test_the_remedy_of_a_weak_lid_is_on_the_lid():
    job = laid(("top", "two"), base="baffle", proving__tests=[{"method": "air_soap", "test_kpa": 10.0}])
    e = evaluate(job)
    stops = [f for f in e.advice if f.code.startswith("panel.") and f.severity == "stop"]
    assert stops
    remedy = stops[0].remedy
    assert "on top" in remedy.label
    after = evaluate(remedy.apply(job))
    assert not [f for f in after.stops if f.code == stops[0].code]
    assert after.job.layup == job.layup
    assert len(after.job.panel_layups[0].plies) > 2


def test_cloth_at_an_angle_of_its_own_is_cut_on_the_bias():
    plies = [{"cloth": "1708", "angle_deg": 30.0}, {"cloth": "csm450"}]
    layup = LayUp.model_validate(LayUp.preset("two").model_dump() | {"plies": plies})
    pieces = pieces_of([panel_of("side", (600, 400), 0.24e6, layup)], layup)
    biased, mat = pieces
    c, s = math.cos(math.radians(30)), math.sin(math.radians(30))
    assert (biased.w_mm, biased.h_mm) == pytest.approx((650 * c + 450 * s, 650 * s + 450 * c))
    assert biased.name.endswith("on the bias")
    assert (mat.w_mm, mat.h_mm) == (650, 450)


def test_a_file_keeps_them_and_a_sheet_tank_drops_them(tmp_path, capsys):
    job = laid(("top", "lid"), ("baffles", "baffle"))
    again = read_job(job.to_json())
    assert again.panel_layups == job.panel_layups
    assert "panel_layups" not in json.loads(laid().to_json())
    metal = job.edited("tank.sheet", "5083/3")
    assert metal.panel_layups == ()
    path = tmp_path / "job.json"
    path.write_text(job.to_json(), "utf-8")
    assert main(["laminate", str(path)]) == 0
    said = {p["name"]: p for p in json.loads(capsys.readouterr().out)["panels"]}
    assert len(said["top"]["plies"]) == 5
    assert len(said["front"]["plies"]) == 3
    assert len(next(p for name, p in said.items() if name.startswith("baffle"))["plies"]) == 8
    assert main(["figures", str(path)]) == 0
    assert set(json.loads(capsys.readouterr().out)["made"]["panel_layups"]) == {"top", "baffles"}


@pytest.mark.parametrize(
    ("rows", "why"), [([("top", "lid"), ("top", "seal")], "said twice"), ([("top", "cored")], "no ply outside")]
)
def test_what_cannot_be_laid_is_refused_in_words(rows, why):
    panels = [PanelLayUp.like(face, LayUp.preset(name)).model_dump() for face, name in rows]
    panels[0]["core_after"] = 2
    with pytest.raises(JobError, match=why):
        laid().edited("panel_layups", panels)


def test_resin_follows_the_plies_of_each_panel():
    way = Laminate()
    one, two = evaluate(laid()), evaluate(laid(("top", "baffle")))
    first, second = ({p.name: p for p in way.panels(e.job, e.results)} for e in (one, two))
    ratio = LayUp.preset("baffle").made.resin_kg_m2 / LayUp.preset("seal").made.resin_kg_m2
    assert second["top"].resin_kg == pytest.approx(ratio * first["top"].resin_kg, rel=0.03)
    assert sum(c.resin_g for c in way.cups(two.job, two.results)) > sum(
        c.resin_g for c in way.cups(one.job, one.results)
    )
    pieces = [p for roll in way.rolls(two.job, two.results) for p, *_ in roll.places if p.name.startswith("top, ply")]
    assert {p.name for p in pieces if ", strip" not in p.name} <= {f"top, ply {k}" for k in range(1, 9)}
    assert len({p.name.split(",")[1] for p in pieces}) == 8


def test_the_card_gives_a_panel_plies_of_its_own_and_takes_them_back(window):
    window.bench.open(next(window.home.rglob("punt*.json")))
    window.choose(2)
    card = window.findChild(LayUpCard)
    was = window.bench.job
    card._choose("top")
    assert not card.plies.isVisibleTo(card)
    card._take_own(True)
    assert [own.face for own in window.bench.job.panel_layups] == ["top"]
    assert len(window.bench.job.panel_layups[0].plies) == 5  # five layers of a supported lid
    card._take_preset("seal")
    assert len(window.bench.job.panel_layups[0].plies) == 3
    assert window.bench.job.layup == was.layup
    card._choose("")
    assert card.resin.isVisibleTo(card)
    card._choose("top")
    card._take_own(False)
    assert window.bench.job.panel_layups == ()
    assert window.bench.job.makeup.panels == was.makeup.panels


def test_a_knee_on_a_thin_lid_is_told_by_roarks_plate():
    e = evaluate(laid(("top", "two"), tank=box(500, 500, 300, sheet="laminate/3"), inside__baffles__by_rule=False))
    (said,) = [f for f in e.findings if f.code == "laminate.knee"]
    t = {b.name: b for b in e.results.blanks}["top"].thickness_mm
    sheet = e.results.skins.sheet(e.results.sheet, "top")
    moment = 1000 * (1 + sheet.material.poisson) * math.log(250 / 40) / (4 * math.pi)
    assert str(said.figure) == f"{6 * moment / t**2:.1f} MPa"
    assert 6 * moment / t**2 > sheet.material.yield_delivered
    strong = evaluate(
        laid(("top", "baffle"), tank=box(500, 500, 300, sheet="laminate/3"), inside__baffles__by_rule=False)
    )
    assert "laminate.knee" not in codes(strong)
