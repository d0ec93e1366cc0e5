"""The first fill at the hand-over: poured levels in a grid, on record, and in the papers."""

import csv

import pytest
from PyQt6.QtWidgets import QLabel, QPushButton

from bathyx.core.units import Family
from bathyx.papers.export import export_all
from tests.desk.test_window import find, grid_of

HAND_OVER = 7


def rows_of(window, shares):
    curve = window.bench.evaluation.results.capacity.curve
    high = curve.high_mm - curve.low_mm
    levels = [high * k / (len(shares) + 1) for k in range(1, len(shares) + 1)]
    return [(z, float(curve.at(curve.low_mm + z)) / 1e6 * share) for z, share in zip(levels, shares, strict=True)]


def test_a_filling_is_typed_shown_kept_and_followed_by_the_papers(window, tmp_path):
    window.choose(HAND_OVER)
    bench = window.bench
    bench.who = "Marn Ostley"
    rows = rows_of(window, (1.05, 1.04, 1.06))
    table = grid_of(window, "levels and litres")
    table.grid.paste("\n".join(f"{z:.1f}\t{v:.2f}" for z, v in rows))
    assert "+6" in find(window, QLabel, "filling").text()
    assert "The marks follow the filling" in find(window, QLabel, "filling").text()
    assert bench.record.pouring is None  # typed, not yet on record
    find(window, QPushButton, "keep filling").click()
    kept = bench.record.pouring
    assert kept.rows[0] == pytest.approx(rows[0], abs=0.06)
    assert not find(window, QPushButton, "keep filling").isVisible()
    folder = export_all(bench.evaluation, tmp_path, Family.METRIC, bench.record, bench.serial)[0].parent
    told = list(csv.DictReader((folder / "dip-table.csv").open()))
    near = min(told, key=lambda row: abs(float(row["level_mm"]) - rows[2][0]))
    curve = bench.evaluation.results.capacity.curve
    plain = float(curve.at(curve.low_mm + float(near["level_mm"]))) / 1e6
    assert float(near["volume_l"]) == pytest.approx(1.06 * plain, rel=0.01)


def test_what_no_filling_does_is_said_and_stays_to_be_put_right(window):
    window.choose(HAND_OVER)
    table = grid_of(window, "levels and litres")
    table.grid.paste("50\t10\n60\t9")
    assert "both rise" in table.trouble.text()
    table.grid.paste("5000\t10")
    assert window.stage.fill.typed is None


def test_a_filling_in_gallons_reads_and_shows_gallons(window):
    window.choose(HAND_OVER)
    window.bench.turn_units()
    (row,) = rows_of(window, (1.0,))
    table = grid_of(window, "levels and litres")
    table.grid.paste(f"{row[0] / 25.4:.3f}\t{row[1] / 3.785411784:.3f}")
    (poured,) = window.stage.fill.typed.rows
    assert poured == pytest.approx(row, rel=1e-3)
    assert "US gal" in find(window, QLabel, "filling").text()


def test_it_stays_with_its_tank(window):
    window.choose(HAND_OVER)
    table = grid_of(window, "levels and litres")
    table.grid.paste("\n".join(f"{z:.1f}\t{v:.2f}" for z, v in rows_of(window, (1.0, 1.0))))
    assert window.stage.fill.pouring is not None
    window.bench.start_new(window.bench.job.model_copy(update={"uid": "another-tank-01"}))
    assert window.stage.fill.pouring is None
