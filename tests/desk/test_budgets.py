"""Whole jobs on the real desk, from "new tank" to written papers, by a driver that counts what the hand does."""

import numpy as np
import pytest

from bathyx.core.evaluate import evaluate
from bathyx.core.sheet.makeup.roles import SCHOOLS
from tests.desk.driver import BRIEF, BUILD, CUT, HAND, INSIDE, PROVE, SPACE, TANK, Driver, Qt


@pytest.fixture
def hands(window, qtbot):
    return Driver(window, qtbot)


def judged(hands, at_most, wanted):
    """Within its budget, without a stop, with every paper that was wanted."""
    e = hands.window.bench.evaluation
    written = hands.papers()
    assert [str(f.message) for f in e.stops] == []
    assert all(any(name.startswith(part) for name in written) for part in wanted), written
    print(f"\nactions: {hands.count} of {at_most}")
    assert hands.count <= at_most, (hands.count, hands.done)
    return e


def fitted(e, kind):
    return [f for f in e.job.inside.fittings if f.kind == kind]


PAPERS = ("cut-list", "traveller", "test-record", "dip-table")


def test_a_steel_tank_that_refuels_a_hop_picking_machine(hands):
    """260 L, two L pieces and two ends, baffles, filler, socket for a pump, drain low in a side, four feet, two lifting eyes."""
    hands.begin("free", "profile", "260")
    hands.type("brief.name", "Hop-picker refuelling tank")
    hands.stage(TANK)
    hands.choose("material", "S235")
    hands.stage(CUT)
    hands.choose("makeup.school", "Two bent")
    hands.stage(INSIDE)
    hands.row("fittings", "drain")
    hands.choose("fitting face", "right end")
    hands.dimension("edit:place.drain.below", "45")
    hands.put("coupler")
    hands.choose("fitting size", "G 1 1/4")
    size = hands.window.bench.evaluation.results.shell.bounds[1]
    hands.put("foot", (90.0, 80.0))
    hands.key(Qt.Key.Key_M)
    hands.key(Qt.Key.Key_Insert)
    hands.down((float(size[0]) - 90.0, 80.0))
    hands.key(Qt.Key.Key_M)
    hands.put("eye", (float(size[0]) / 2, 70.0))
    hands.key(Qt.Key.Key_M)
    e = judged(hands, 60, PAPERS)
    assert SCHOOLS[e.job.makeup.school] == "Two bent pieces"
    assert e.results.capacity.usable.value >= 260
    assert e.job.tank.sheet.startswith("s235/")
    assert (len(fitted(e, "foot")), len(fitted(e, "eye")), len(e.results.baffles)) == (4, 2, len(e.results.baffles))
    assert len(e.results.baffles) >= 2
    assert fitted(e, "coupler")[0].thread == "G 1 1/4"
    assert fitted(e, "drain")[0].face == "right end"
    corners = {(round(f.u_mm), round(f.v_mm)) for f in fitted(e, "foot")}
    assert len({u for u, _ in corners}) == len({v for _, v in corners}) == 2


def test_a_stepped_diesel_tank_of_a_beet_harvester(hands):
    """A corner cut off over the wheel, a thicker end with two threads, sender and vents, roof and rear from one piece."""
    hands.begin("free", "profile", "120")
    hands.stage(TANK)
    hands.click("chamfer front_top")
    hands.choose("tank.jog", "at the rear")
    hands.stage(CUT)
    hands.choose("edge", "rear to top")
    hands.choose("edge role", "bent")
    hands.click("fold panels")
    hands.table("panels", [["left end", "6", "inside"]])
    hands.stage(INSIDE)
    hands.face("left end")
    hands.put("coupler")
    hands.key(Qt.Key.Key_M)
    e = hands.window.bench.evaluation
    if e.stops:
        hands.click("put right")
        hands.wait(lambda: not hands.window.righting.study.running)
        hands.wait(lambda: not hands.window.bench.evaluation.stops)
    e = judged(hands, 45, PAPERS)
    assert e.job.tank.jog is not None
    assert [c.corner for c in e.job.tank.chamfers] == ["front_top"]
    assert e.results.skins.of("left end") == 6.0
    assert [f.face for f in fitted(e, "coupler")] == ["left end"] * 2
    assert next(r.kind for r in e.results.roles if set((r.edge.a, r.edge.b)) == {"rear", "top"}) == "bend"
    assert fitted(e, "sender")


def test_a_chain_oil_tank_of_a_wood_processor_from_bought_box_section(hands):
    """4 L: two ends, a threaded neck, an elbow outlet, two blind nuts."""
    hands.begin("free", "rolled", "4")
    hands.stage(TANK)
    hands.choose("tank.stock", "box 140 × 140")
    hands.type("tank.length_mm", "290")
    hands.stage(INSIDE)
    hands.row("fittings", "filler")
    hands.click("drop fitting")
    hands.put("neck")
    hands.put("elbow")
    hands.put("nut")
    hands.key(Qt.Key.Key_M)
    e = hands.window.bench.evaluation
    if e.stops:
        hands.click("put right" if len(e.stops) > 1 else f"remedy {e.stops[0].code}")
        hands.wait(lambda: not hands.window.righting.study.running)
    e = judged(hands, 25, PAPERS)
    assert any(b.role == "bought" for b in e.results.blanks)
    assert (len(fitted(e, "neck")), len(fitted(e, "elbow")), len(fitted(e, "nut"))) == (1, 1, 2)
    assert e.results.capacity.usable.value >= 4.0


OFFSETS = (("", "0", "120", "240", "400", "600"), ("0", "20", "180", "260", "320", "350"),
           ("800", "80", "340", "450", "520", "550"), ("1600", "70", "320", "430", "505", "540"))  # fmt: skip


def test_the_water_tank_of_a_reed_barge_from_a_table_of_offsets(hands, monkeypatch):
    """Three stations by five heights typed cell by cell; litres wanted, a hatch, does it go in, port and sight tube."""
    monkeypatch.setattr(
        "bathyx.desk.stages.space.proposals.PANELS", (6,)
    )  # fewer are looked for, as long as it is a test
    monkeypatch.setattr("bathyx.desk.stages.space.proposals.KINDS", ("panels", "box"))
    monkeypatch.setattr("bathyx.desk.stages.space.way.SECONDS", 3.0)
    window = hands.window
    hands.begin("stations", "lofted", "180", "Fresh")
    hands.stage(SPACE)
    hands.click("open offsets")
    grid = window.board.sheet.holds.grid
    grid.paste("\n".join("\t".join(row) for row in [("x_mm", *OFFSETS[0][1:]), *OFFSETS[1:]]))
    hands.done += [f"cell {cell}" for row in OFFSETS for cell in row if cell]  # counted as if each were typed
    hands.click("close table")
    assert [s.x_mm for s in window.bench.job.space.stations] == [0, 800, 1600]
    hands.click("propose wish")
    study = window.stage.study
    hands.wait(lambda: not study.running)
    hands.click("proposal 1")
    hands.click("take proposal")
    hands.put("hatch")
    hands.click("find way")
    hands.wait(lambda: not window.stage.way.study.running)
    hands.stage(INSIDE)
    hands.click("fit out")
    hands.wait(lambda: not window.stage.fitting_out.study.running)
    hands.put("sight")
    e = window.bench.evaluation
    if e.stops:
        hands.click("put right" if len(e.stops) > 1 else f"remedy {e.stops[0].code}")
        hands.wait(lambda: not window.righting.study.running)
    e = judged(hands, 60, PAPERS)
    assert e.results.capacity.usable.value > 100
    assert fitted(e, "inspection")
    assert fitted(e, "sight")
    hands.stage(TANK)
    hands.choose("tank.family", "Integral")
    e = window.bench.evaluation
    if e.stops:
        hands.click("put right" if len(e.stops) > 1 else f"remedy {e.stops[0].code}")
        hands.wait(lambda: not window.righting.study.running)
    e = judged(hands, 60, PAPERS)  # and once built in, the hull itself its sides
    assert e.job.tank.built_in


def test_the_saddle_tank_of_a_vineyard_carrier(hands):
    """Tunnel, sump, pump flange, a crowned cover, its left half held against its right."""
    window = hands.window
    hands.begin("free", "saddle", "46")
    hands.stage(TANK)
    hands.choose("tank.tunnel", "half-round")
    hands.choose("tank.sump", "square")
    hands.stage(INSIDE)
    hands.put("pump")
    hands.stage(CUT)
    hands.click("fold skins")
    hands.click("new skin")
    hands.type("skin name", "crowned cover")
    hands.table("readings", [["left", "180", "40", "52.5"], ["right", "180", "40", "51"]])
    hands.wait(lambda: window.stage.formed.study.result is not None)
    e = window.bench.evaluation
    if e.stops:
        hands.click("put right" if len(e.stops) > 1 else f"remedy {e.stops[0].code}")
        hands.wait(lambda: not window.righting.study.running)
    e = judged(hands, 60, PAPERS)
    assert e.job.tank.sump is not None
    assert fitted(e, "pump")
    assert len(e.job.formed[0].readings) == 2


def test_a_rolled_header_tank_of_an_irrigation_pump(hands):
    """3 L: flanged ends, neck, barb, bracket."""
    hands.begin("free", "rolled", "3")
    hands.stage(TANK)
    for end in ("front", "rear"):
        hands.choose(f"tank.{end}.kind", "flat, flange")
    hands.stage(INSIDE)
    hands.put("barb")
    hands.put("tab")
    e = hands.window.bench.evaluation
    if e.stops:
        hands.click("put right" if len(e.stops) > 1 else f"remedy {e.stops[0].code}")
        hands.wait(lambda: not hands.window.righting.study.running)
    e = judged(hands, 25, PAPERS)
    assert e.job.tank.front.kind == e.job.tank.rear.kind == "flanged"
    assert len(fitted(e, "barb")) == len(fitted(e, "tab")) == 1
    assert e.results.capacity.usable.value >= 3.0


def test_a_second_tank_beside_it_by_pump(hands):
    """Vents joined on top."""
    hands.stage(TANK)
    hands.click("add second")
    hands.choose("second.joined", "a pump")
    hands.type("second.flow_l_min", "8")
    if not hands.window.bench.job.second.breathers_joined:
        hands.click("second.breathers_joined")
    e = judged(hands, 15, PAPERS)
    assert e.results.pair is not None
    assert e.job.second.joined == "pump"


def pumped(hands, settle):
    """Pump up until the hold may begin: a click, the gauge read as often as it takes, another click only if it asks for one.

    A reading on its way when the pump is pressed is not yet an answer to it: three new ones are.
    """
    stage = hands.window.stage
    settle(lambda: stage.now is not None)
    while True:
        hands.click("pump up")
        seen = [stage.now]

        def answered(seen=seen):
            if stage.now is not seen[-1]:
                seen.append(stage.now)
            return stage.refusal() == "" or len(seen) > 3

        settle(answered)
        if stage.refusal() == "":
            return


def test_a_pressure_test_with_two_leaks_repair_test_again_and_handing_over(hands, settle):
    window = hands.window
    b = window.bench
    hands.stage(PROVE)
    hands.type("who", "Marn Ostley")
    hands.click("connect gauge")
    window.stage.sim_speed = 3000.0
    pumped(hands, settle)
    hands.click("start hold")
    seams = [s for s in b.evaluation.results.seams if s.line is not None][:2]
    for seam in seams:
        window.solid.picked.emit(f"seam:{seam.id}", 0.4)
        hands._did(f"pick {seam.id}")
        hands.click("mark leak")
    hands.click("finish test")
    assert b.record.proof.state == "leak known"
    hands.stage(BUILD)
    for seam in seams:
        window.solid.picked.emit(f"seam:{seam.id}", 0.5)
        hands._did(f"pick {seam.id}")
        hands.type("repair note", "ground out, rewelded")
        hands.click("log repair")
    assert all(b.record.seam_state(s.edge) == "repaired" for s in seams)
    hands.stage(PROVE)
    pumped(hands, settle)
    hands.click("start hold")
    settle(lambda: len(window.stage.samples) > 12 and window.stage.judgement().verdict in ("tight", "leaks"))
    hands.click("finish test")
    assert b.record.tests[-1].payload["verdict"] == "tight"
    written = hands.papers()
    assert any(name.startswith("test-record") for name in written)
    print(f"\nactions: {hands.count} of 35")
    assert hands.count <= 35, (hands.count, hands.done)


def test_a_choice_is_counted_as_two_and_what_is_shut_as_one_more(hands):
    hands.stage(TANK)
    before = hands.count
    hands.choose("material", "304")
    assert hands.count == before + 2 + sum(step.startswith("open Sheet") for step in hands.done)
    assert evaluate(hands.window.bench.job) is hands.window.bench.evaluation
    assert np.isfinite(hands.count)
    assert (BRIEF, HAND) == (0, 7)


def test_a_first_tank_from_an_empty_home_by_what_the_screen_says(qtbot, tmp_path):
    """Nothing is known but what stands there: help, the walk through a first tank, its seven lines, and papers at the end."""
    from bathyx.desk.start import open_window
    from bathyx.desk.theme import load_fonts

    load_fonts()
    window = open_window(tmp_path / "home", None)
    qtbot.addWidget(window)
    qtbot.waitUntil(lambda: hasattr(window, "pages"))
    window.finish()
    window.at_once = True
    hands = Driver(window, qtbot)
    assert window.pages.currentIndex() == 1  # the shelf, with nothing on it
    hands.click("open help")
    hands.click("first job")
    line = window.hands.first_job
    seen = [line.said.text()]
    assert "press Begin" in seen[-1]
    hands.begin("box", "profile", "30", box=("420", "520", "330"))
    seen.append(line.said.text())
    assert seen[-1].startswith("2 of 7. Space")
    hands.click("first job done")
    while "Put right" in line.said.text() or "Fit it out" in line.said.text() or "Tank:" in line.said.text():
        seen.append(line.said.text())
        before = line.said.text()
        if "Fit it out" in before:
            hands.click("fit out")
            hands.wait(lambda: not window.righting.study.running)
        elif "Put right" in before and window.bench.evaluation.stops:
            hands.click("put right")
            hands.wait(lambda: not window.righting.study.running)
        window.finish()
        if line.said.text() == before:
            hands.click("first job done")
    assert "Cut: click a blank" in line.said.text()
    window.stage.picked(f"blank:{window.bench.evaluation.results.blanks[0].name}")
    hands._did("click a blank")
    hands.click("first job done")
    assert window.stage.key == "handover"
    written = hands.papers()
    hands.click("first job done")
    assert line.said.text().startswith("That was a tank")
    assert any(name.startswith("cut-list") for name in written)
    assert window.bench.evaluation.results.capacity.usable.value >= 30
    assert not window.bench.evaluation.stops
    print(f"\nactions: {hands.count} of 40")
    assert hands.count <= 40, hands.done
    window.close()
