"""Dipsticks and senders against boxes and wedges by hand; the printed strip measured from the page."""

import math

import numpy as np
import pytest
from pypdf import PdfReader
from pypdf.generic import ContentStream

from bathyx.cli.main import main
from bathyx.core.capacity.dipstick import dipstick, sender_table, sight_tube
from bathyx.core.evaluate import evaluate
from bathyx.core.inside.fittings import usual
from bathyx.core.tank.profile import Chamfer, Jog
from bathyx.core.units import Family
from bathyx.demo import jobs
from bathyx.errors import Refusal
from bathyx.papers.dipstick import stick_of, write_dipstick_pdf
from tests.conftest import box, job_with

MM = 72 / 25.4


def lines_of(path):
    """Straight lines (2, 2) of every page in mm, as they are drawn."""
    found = []
    for page in PdfReader(path).pages:
        at, shift = None, [np.eye(3)]
        for operands, operator in ContentStream(page.get_contents(), None).operations:
            if operator == b"q":
                shift.append(shift[-1])
            elif operator == b"Q":
                shift.pop()
            elif operator == b"cm":
                a, b, c, d, e, f = (float(x) for x in operands)
                shift[-1] = np.array([[a, b, 0], [c, d, 0], [e, f, 1]]) @ shift[-1]
            elif operator in (b"m", b"l"):
                spot = (np.array([float(operands[0]), float(operands[1]), 1.0]) @ shift[-1])[:2] / MM
                if operator == b"l":
                    found.append((at, spot))
                at = spot
    return np.array(found)


def plain(**more):
    e = evaluate(job_with(box(), inside__baffles__by_rule=False, **more))
    return e.results.shell, e.results.capacity, e


def test_marks_of_a_box_are_even():
    """300 × 400 inside: a litre is 1e6 / 120,000 mm."""
    shell, capacity, _ = plain()
    stick = dipstick(shell, capacity, (150, 200))
    assert stick.length_mm == pytest.approx(200)
    for along, figure, long in stick.marks:
        assert along == pytest.approx(figure * 1e6 / 120_000, abs=1e-6)
        assert long == (round(figure / 0.5) % 5 == 0)
    gallons = dipstick(shell, capacity, (150, 200), us=True)
    assert gallons.marks[0][0] == pytest.approx(gallons.marks[0][1] * 3.785411784e6 / 120_000, abs=1e-6)


def test_a_stick_that_leans_has_its_marks_further_apart():
    shell, capacity, _ = plain()
    upright, leaning = dipstick(shell, capacity, (150, 200)), dipstick(shell, capacity, (150, 200), 60)
    assert [m[0] for m in leaning.marks] == pytest.approx([2 * m[0] for m in upright.marks])


def test_a_stick_on_a_step_begins_where_it_stands():
    e = evaluate(jobs.trolley())
    low, high = e.results.shell.bounds
    curve = e.results.capacity.curve
    at = dipstick(e.results.shell, e.results.capacity, (high[0] - 20, 300))
    tip = high[2] - at.length_mm
    assert tip > low[2] + 20
    assert at.blind == pytest.approx(float(curve.at(np.array([tip]))[0]) / 1e6)
    for along, figure, _ in at.marks:
        assert float(curve.at(np.array([tip + along]))[0]) / 1e6 == pytest.approx(figure, abs=1e-6)
    assert at.marks[0][1] > at.blind


def test_a_sight_tube_between_two_fittings_by_hand():
    """Up a wall of 200 leaning not at all, and slanting from 40 to 180 over a run: marks further apart by the slant."""
    low = usual("drain", "low", "front", 100, 40)
    high = usual("vent", "high", "front", 300, 180)
    shell, capacity, _ = plain()
    tube = sight_tube(shell, capacity, high, low)
    run = math.hypot(200, 140)
    assert tube.length_mm == pytest.approx(run)
    assert tube.blind == pytest.approx(4.8)
    for along, figure, _ in tube.marks:
        assert 40 + along * 140 / run == pytest.approx(figure * 1e6 / 120_000, abs=1e-6)
    assert tube.marks[-1][1] <= 21.6
    with pytest.raises(Refusal, match="as good as level"):
        sight_tube(shell, capacity, low, usual("vent", "x", "front", 300, 45))


def test_the_stick_names_full_pickup_and_the_warning():
    feed = usual("pickup", "feed", "top", 150, 200).model_copy(update={"floor_clear_mm": 20.0})
    shell, capacity, _ = plain(inside__fittings=[feed])
    named = {words: along for along, words in dipstick(shell, capacity, (150, 200)).named}
    assert named["pickup dry"] == pytest.approx(20, abs=0.5)
    assert named["low: 2.0 L left"] == pytest.approx(20 + 2e6 / 120_000, abs=0.5)
    assert named["full: air space above"] == pytest.approx(capacity.fill_level_mm)


def test_a_sender_of_a_box_by_hand():
    _, capacity, _ = plain()
    rows = sender_table(capacity, 200, 10, 180, 2)
    assert rows[0] == pytest.approx((-30, 0, 0, 10))
    assert rows[1] == pytest.approx((0, 100, 12, 95))
    assert rows[2] == pytest.approx((30, 200, 24, 180))
    short = sender_table(capacity, 60, steps=2)
    assert [r[1] for r in short] == pytest.approx([40, 100, 160])  # too short an arm does not reach the ends
    with pytest.raises(Refusal, match="is none"):
        sender_table(capacity, 0)


@pytest.mark.parametrize(("units", "lean"), [(Family.METRIC, 0.0), (Family.US, 20.0)])
def test_the_printed_strip_is_full_size_within_a_hundredth(tmp_path, units, lean):
    e = evaluate(jobs.barge())
    stick = stick_of(e, units, None, lean)
    drawn = lines_of(write_dipstick_pdf(e, tmp_path / "stick.pdf", stick))
    flat = drawn[np.abs(drawn[:, 0, 1] - drawn[:, 1, 1]) < 1e-6]
    wide = np.abs(flat[:, 0, 0] - flat[:, 1, 0])
    assert (np.abs(wide - (101.6 if units.us else 100)) < 0.01).any()  # the bar to check the scale
    feet = sorted({round(float(y), 3) for y in flat[np.abs(wide - 30) < 0.01][:, 0, 1]})
    tops = [(x, y) for (x, y), w in zip(flat[:, 0], wide, strict=True) if min(abs(w - 16), abs(w - 9)) < 0.01]
    # The first strip stands lowest on the page with its tip at the foot of its border.
    column = min(x for x, _ in tops)
    ups = sorted(y for x, y in tops if abs(x - column) < 0.01)
    true = [m[0] for m in stick.marks if m[0] <= 240]
    foot = min(f for f in feet if f < ups[0])
    assert np.array(ups) - foot == pytest.approx(np.array(true), abs=0.01)


def test_bad_places_are_said(tmp_path, capsys):
    shell, capacity, _ = plain()
    with pytest.raises(Refusal, match="outside the tank; it runs from 0, 0 to 300, 400 mm"):
        dipstick(shell, capacity, (500, 10))
    with pytest.raises(Refusal, match="0 to 70°"):
        dipstick(shell, capacity, (50, 10), math.inf)
    job = tmp_path / "job.json"
    job.write_text(jobs.sawmill().to_json(), "utf-8")
    assert main(["dipstick", str(job), "--out", str(tmp_path / "s.pdf"), "--at", "300;200"]) != 0
    assert "write it as x,y" in capsys.readouterr().err
    assert main(["dipstick", str(job), "--out", str(tmp_path / "s.pdf"), "--units", "us", "--paper", "letter"]) == 0
    assert (tmp_path / "s.csv").read_text("utf-8").startswith("along_stick_mm,volume_us_gal")
    assert main(["dipstick", str(job), "--out", str(tmp_path / "t.pdf"), "--between", "drain,filler"]) == 0
    assert main(["dipstick", str(job), "--out", str(tmp_path / "t.pdf"), "--between", "drain,none"]) != 0
    assert "there are filler" in capsys.readouterr().err


def test_the_sheet_of_a_sight_tube_names_its_ends_and_speaks_of_no_stick(tmp_path):
    job = tmp_path / "t.json"
    job.write_text(jobs.trolley().to_json())
    out = tmp_path / "t.pdf"
    assert main(["dipstick", str(job), "--out", str(out), "--between", "drain,filler"]) == 0
    text = " ".join(page.extract_text() for page in PdfReader(out).pages)
    assert "Sight tube from A, drain, up to B, filler" in text
    assert "A: middle of drain" in text
    assert "B: middle of filler" in text
    assert "stick" not in text.lower()
    assert "on the floor" not in text


def test_a_stick_is_as_long_as_the_roof_stands_over_its_own_place():
    """Under a chamfer of 45° the roof is lower by as much as it is nearer to the front: by hand."""
    eased = Chamfer(corner="front_top", along_mm=80, up_mm=80)
    r = evaluate(job_with(box(length=300, width=400, height=200, chamfers=(eased,)))).results
    assert dipstick(r.shell, r.capacity, (200.0, 200.0)).length_mm == pytest.approx(200)
    assert dipstick(r.shell, r.capacity, (30.0, 200.0)).length_mm == pytest.approx(200 - 80 + 30)
    stepped = evaluate(
        job_with(box(length=300, width=400, height=200, jog=Jog(end="rear", length_mm=100, rise_mm=60)))
    ).results
    assert dipstick(stepped.shell, stepped.capacity, (250.0, 200.0)).length_mm == pytest.approx(140)
