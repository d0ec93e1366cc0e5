"""Whole jobs that are not of bent aluminium, done in the real window: from the new-tank page to the record and the register."""

from datetime import datetime, timedelta

import pytest
from pypdf import PdfReader
from PyQt6.QtWidgets import QComboBox, QLineEdit, QPushButton, QToolButton

from bathyx.core.build.steps import next_open, steps
from bathyx.core.laminate import LayUp
from bathyx.core.propose.begin import WAYS
from bathyx.core.tank.families import FAMILIES
from bathyx.files import write_text
from tests.conftest import job_with
from tests.desk.test_parts import find
from tests.desk.test_whole_job import BUILD, CUT, HAND, INSIDE, PROVE, SPACE, choice, press

SEEN = {
    "nozzle_c": "320", "room_c": "19", "test_weld": "bent by hand, held", "catalyst_pct": "1.5", "damp_pct": "55",
    "mixed_at": "9:10, gelled 9:40", "barcol": "38", "tap": "rings all over", "force_kn": "6.4", "speed_m_min": "1.6",
    "nugget_mm": "6.2",
}  # fmt: skip


@pytest.fixture
def later(monkeypatch):
    """A clock of the holds that can be put on by hours."""
    added = [0.0]

    class Clock(datetime):
        @classmethod
        def now(cls, tz=None):
            return datetime.now(tz) + timedelta(hours=added[0])

    monkeypatch.setattr("bathyx.register.bench.holds.datetime", Clock)
    return lambda hours: added.__setitem__(0, added[0] + hours)


def begin(window, qtbot, settle, *, family, fluid, making, litres, name):
    """A new tank by the page of pictures."""
    window.show_shelf()
    press(window, "new tank")
    page = window.begin
    page.findChild(QToolButton, "begin free").click()
    page.findChild(QToolButton, f"begin {family}").click()
    page.fluid.setCurrentIndex(page.keys.index(fluid))
    page.making.setCurrentIndex(list(WAYS).index(making))
    page.litres.setText(litres)
    page.name.setText(name)
    press(window, "begin")
    settle(lambda: window.bench.job.brief.name == name)
    window.finish()


def log_every_seam(window):
    """The log of every seam, what was measured typed anew each time."""
    press(window, "leaf weld log")
    stage = window.stage
    for seam in stage.every_seam:
        if window.bench.record.seam_state(seam.edge) == "open":
            window.bench.light(f"seam:{seam.id}")
            for line in stage.log_lines:
                if line.seen:
                    stage.inputs[line.key].setText(SEEN[line.key])
            press(window, "log weld")
            assert window.bench.record.seam_state(seam.edge) == "welded", (seam.id, window.message.text())
    press(window, "leaf traveller")


def still():
    """Filled with water and left standing for a day."""
    return {"method": "water_fill", "test_kpa": 0.0, "hold_min": 1440.0}


def soaped(window, later):
    """A little air, a gauge read by eye, soap on every seam for as long as the plan says."""
    assert window.stage.test.method == "air_soap"
    find(window, QComboBox, "port").setCurrentText("gauge read by eye")
    find(window, QLineEdit, "typed gauge").setText(f"{window.stage.test.test_kpa + 1:.1f} kPa")
    press(window, "start hold")
    assert window.stage.running, window.message.text()
    later(0.5)
    find(window, QLineEdit, "typed gauge").setText(
        f"{window.stage.test.test_kpa + 0.9:.1f} kPa"
    )  # read again at its end
    press(window, "finish test")
    window.choose(BUILD)


def water(window, later):
    """Filled, left standing for a day, and looked at."""
    assert window.stage.test.method == "water_fill"
    press(window, "start hold")
    assert window.stage.running, window.message.text()
    later(25.0)
    press(window, "finish test")
    window.choose(BUILD)


def built(window, settle, prove):
    """Every step ticked as the traveller offers them, seams logged where they are made, proven when it asks; the papers' folder."""
    b = window.bench
    b.who = "Asta Brann"
    assert [(f.code, f.message) for f in b.evaluation.stops] == []
    window.choose(CUT)
    press(window, "write cutting papers")
    settle(lambda: list((window.home / "papers" / b.path.name.split(".")[0]).glob("2*/cut-list.pdf")))
    window.choose(BUILD)
    while (step := next_open(steps(b.evaluation), b.record.standing_ticks)) is not None:
        if step.id in ("weld", "test") and any(b.record.seam_state(s.edge) == "open" for s in window.stage.every_seam):
            log_every_seam(window)
        if step.id == "test":
            press(window, "tick test")
            assert "test" not in b.record.ticks
            assert "not proven" in window.message.text()
            window.choose(PROVE)
            prove()
            assert b.record.proven is not None, b.record.tests[-1].payload["reason"]
        press(window, f"tick {step.id}")
        assert step.id in b.record.ticks, (step.id, window.message.text())
    window.choose(HAND)
    press(window, "write all papers")
    there = window.home / "papers" / b.path.name.split(".")[0]
    settle(lambda: list(there.glob("2*/figures.json")))
    folder = next(there.glob("2*/figures.json")).parent
    said = "\n".join(p.extract_text() for p in PdfReader(folder / "test-record.pdf").pages)
    assert b.serial in said
    assert "TIGHT" in said
    assert "NOT PROVEN" not in said
    find(window, QLineEdit, "find").setText(b.job.brief.name.split()[0].lower())
    assert b.serial in [f.serial for f in window.stage.found]
    assert b.register.verify() == ()
    return folder


def test_a_polypropylene_rinse_tank_with_bands_and_a_lid_that_is_bolted(window, qtbot, settle, later):
    begin(
        window,
        qtbot,
        settle,
        family="profile",
        fluid="fresh_water",
        making="plastic",
        litres="180 L",
        name="Cider rinse tank",
    )
    b = window.bench
    assert b.job.makeup.bands
    ids = [s.id for s in steps(b.evaluation)]
    assert ids.index("test_weld") < ids.index("tack") < ids.index("spark") < ids.index("bands") < ids.index("test")
    folder = built(window, settle, lambda: water(window, later))
    weld = b.record.of_kind("weld")[0].payload
    assert (weld["nozzle_c"], weld["test_weld"]) == ("320", "bent by hand, held")
    cut = "\n".join(p.extract_text() for p in PdfReader(folder / "cut-list.pdf").pages)
    assert "steel box" in cut


def test_a_loose_laid_up_petrol_tank_for_a_duck_punt(window, qtbot, settle, later):
    begin(
        window,
        qtbot,
        settle,
        family="profile",
        fluid="petrol",
        making="laminate",
        litres="15 L",
        name="Decoy punt tank",
    )
    b = window.bench
    ids = [s.id for s in steps(b.evaluation)]
    assert (
        ids.index("first_cup")
        < ids.index("cut")
        < ids.index("tab")
        < ids.index("lid")
        < ids.index("cured")
        < ids.index("test")
    )
    folder = built(window, settle, lambda: soaped(window, later))
    assert b.record.of_kind("weld")[0].payload["barcol"] == "38"
    said = "\n".join(p.extract_text() for p in PdfReader(folder / "lay-up.pdf").pages)
    assert "Cups, each laid before it gels" in said


def hulled(window, settle, name, sheet, fluid, **more):
    """A tank whose walls are a hull's, of other stuff, fitted out on the desk."""
    b = window.bench
    tank = FAMILIES["integral"].started({"length": 700, "width": 600, "height": 450}, sheet)
    job = job_with(tank, brief__fluid=fluid, brief__name=name, makeup__school=tank.schools()[0]).edited_many(
        {
            "uid": f"{name} uid",
            "brief.demand": {"kind": "capacity", "litres": 100.0},
            "proving.tests": [still()],
            **more,
        }
    )
    path = window.home / "jobs/hulled.bathyx.json"
    write_text(path, job.to_json())
    b.open(path)
    window.finish()
    assert b.job.tank.built_in
    window.choose(INSIDE)
    press(window, "fit out")
    settle(lambda: "pickup" in {f.kind for f in b.job.inside.fittings})
    window.finish()


def test_a_foam_cored_water_tank_built_into_the_reed_barge(window, qtbot, settle, later):
    layup = LayUp.preset("cored", "epoxy").model_copy(update={"school": "built_in"})
    hulled(window, settle, "Reed barge galley tank", "laminate/16", "fresh_water", layup=layup.model_dump())
    b = window.bench
    assert b.job.tank.built_in
    assert b.job.layup.core
    window.choose(SPACE)
    folder = built(window, settle, lambda: water(window, later))
    said = "\n".join(p.extract_text() for p in PdfReader(folder / "traveller.pdf").pages)
    assert "bevelled to the hull" in " ".join(said.split())
    rows = [e.payload for e in b.record.of_kind("weld")]
    assert all(row["damp_pct"] == "55" for row in rows)


def test_a_steel_fuel_tank_between_the_frames_of_a_dredger(window, qtbot, settle, later):
    hulled(window, settle, "Dredger day tank", "s235/4", "diesel")
    b = window.bench
    window.choose(CUT)
    window.stage.card.findChild(QPushButton, "fold own parts").click()
    find(window, QLineEdit, "collars").setText("frame, 60x8, 3, 20")
    press(window, "list collars")
    assert [p.place.split(":")[0] for p in b.job.own_parts] == ["collar 1", "collar 2", "collar 3"], (
        window.message.text()
    )
    window.finish()
    assert b.edit({"proving.tests": [{"method": "air_soap", "test_kpa": 21.0, "hold_min": 15.0, "stand_off_m": 15.0}]})
    window.finish()
    ids = [s.id for s in steps(b.evaluation)]
    assert {"frames", "access", "pipes"} <= set(ids)
    folder = built(window, settle, lambda: soaped(window, later))
    said = "\n".join(p.extract_text() for p in PdfReader(folder / "traveller.pdf").pages)
    assert "Two openings, air, somebody outside" in said
    assert "collar 3: frame 3" in said


def test_the_log_of_halves_asks_for_the_peeled_strip_once_their_seam_is_rolled(window):
    b = window.bench
    tank = FAMILIES["halves"].started({"length": 400, "width": 250, "height": 160}, "s235/1.5")
    path = window.home / "jobs/stove.bathyx.json"
    write_text(path, job_with(tank, makeup__school="pressed", brief__name="Stove tank").to_json())
    b.open(path)
    b.who = "Asta Brann"
    window.choose(BUILD)
    window.finish()
    press(window, "leaf weld log")
    assert "nugget_mm" not in window.stage.inputs
    window.choose(CUT)
    window.finish()
    box = choice(window, "makeup.weld_process")
    assert not box.isHidden()
    box.choose("roller")
    window.choose(BUILD)
    window.finish()
    window.stage.inputs["nugget_mm"].setText("6.2")
    press(window, "log weld")
    assert b.record.of_kind("weld")[-1].payload["nugget_mm"] == "6.2"


def test_heights_of_bands_are_typed_in_a_row_and_a_wrong_one_is_said_beside_it(window):
    b = window.bench
    b.open(next(window.home.rglob("orchard*.json")))
    window.choose(CUT)
    window.finish()
    line = find(window, QLineEdit, "makeup.bands")

    def typed(text):
        line.setText(text)
        line.editingFinished.emit()
        window.finish()
        return b.job.makeup.bands

    assert typed("110, 220 mm") == (110.0, 220.0)
    assert typed("110, 120") == (110.0, 220.0)
    assert "50 mm apart" in line.parentWidget().trouble.text()
    b.turn_units()
    assert typed("4; 8 1/2") == pytest.approx((101.6, 215.9))
    assert typed("") == ()
