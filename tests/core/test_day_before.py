"""What the day takes, by hand."""

import json

import pytest
from pypdf import PdfReader
from PyQt6.QtWidgets import QLineEdit, QPushButton

from bathyx.cli.main import main
from bathyx.core.build.day_before import Need, needs
from bathyx.core.evaluate import evaluate
from bathyx.core.units import Family
from bathyx.papers.traveller import write_traveller
from tests.conftest import box, job_with
from tests.desk.test_parts import find


def test_arc_gas_and_rod_of_a_plain_box():
    """300 × 400 × 200, 12 welded edges, 3.6 m: 36 min of arc, 0.45 m³ of argon, 3.6 m × 0.7 × 9 mm² × 2,660 kg/m³ × 1.15 of rod."""
    e = evaluate(
        job_with(box(300, 400, 200), makeup__school="plates", inside__fittings=[], inside__baffles__by_rule=False)
    )
    found = {n.what: n for n in needs(e, {"gas_m3": 0.3, "sheets": 2})}
    density = e.results.sheet.material.density
    assert found["weld_m"].amount == pytest.approx(3.6)
    assert found["arc_min"].amount == pytest.approx(36)
    assert found["gas_m3"].amount == pytest.approx(0.45)
    assert found["gas_m3"].short == pytest.approx(0.15)
    assert found["filler_kg"].amount == pytest.approx(3600 * 0.7 * 9 * 1e-9 * density * 1.15)
    assert found["sheets"].short == 0
    both = {n.what: n for n in needs(evaluate(e.job.edited("makeup.both_sides", True)))}
    assert both["weld_m"].amount == pytest.approx(7.2)
    assert both["gas_m3"].short == 0  # nothing is known of what is at hand
    stainless = {n.what: n for n in needs(evaluate(e.job.edited("tank.sheet", "304/2")))}
    assert stainless["gas_m3"].amount == pytest.approx(0.45 * 1.5)
    assert "pickle_l" in stainless
    plastic = {n.what for n in needs(evaluate(e.job.edited("tank.sheet", "pp/5")))}
    assert "gas_m3" not in plastic


def test_the_command_says_what_is_short_and_the_traveller_asks(tmp_path, capsys):
    job = job_with(box(300, 400, 200), makeup__school="plates")
    path = tmp_path / "box.json"
    path.write_text(job.to_json(), "utf-8")
    assert main(["needs", str(path), "--have", "gas_m3=0.2"]) == 0
    told = json.loads(capsys.readouterr().out)
    assert told["short"][0].startswith("Argon: needs")
    assert main(["needs", str(path), "--have", "beer=2"]) == 1
    assert "is none" in capsys.readouterr().err
    assert main(["needs", str(path), "--have", "gas_m3"]) == 1
    text = " ".join(
        p.extract_text() for p in PdfReader(write_traveller(evaluate(job), tmp_path / "t.pdf", Family.METRIC)).pages
    )
    assert "The day before" in text
    assert "Argon" in text


def test_the_card_says_what_is_short_and_the_shop_keeps_what_is_at_hand(window):
    window.choose(5)
    day = window.stage.day
    find(window, QPushButton, "day before").click()
    assert "Argon" in day.lines.text()
    edit = find(window, QLineEdit, "at hand")
    for text, said in (
        ("gas_m3=0.01", "Argon: needs"),
        ("gas=1", "is none"),
        ("gas_m3=nan", "is not understood"),
        ("gas_m3", "is not understood"),
    ):
        edit.setText(text)
        edit.editingFinished.emit()
        assert said in day.short.text()
    edit.setText("gas_m3=50")
    edit.editingFinished.emit()
    assert not day.short.isVisibleTo(day)
    assert window.bench.settings["at_hand"] == "gas_m3=50"


def test_what_the_day_takes_is_said_in_either_family():
    gas = Need("gas_m3", "Argon", 2.1, "m³", 1.4)
    assert gas.said() == "Argon: 2.1 m³, 1.4 m³ at hand"
    assert gas.said(Family.US) == "Argon: 74.2 cu ft, 49.4 cu ft at hand"
    assert gas.lacking(Family.US) == "Argon: needs 74.2 cu ft, there are 49.4 cu ft"
    assert Need("filler_kg", "Rod", 0.5, "kg").said(Family.US) == "Rod: 1.1 lb"
    assert Need("tungsten", "Tungstens", 2, "pieces", 1).said(Family.US) == "Tungstens: 2, 1 at hand"
    assert Need("gas_m3", "Argon", 1.0, "m³", 1.4).lacking() == ""
