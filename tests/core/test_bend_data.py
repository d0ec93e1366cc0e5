"""Test strips, springback, the brake's steps, the yard's order and full-size templates."""

import json
import math
import time
from xml.etree import ElementTree

import ezdxf
import numpy as np
import pytest
from ezdxf.path import make_path
from pypdf import PdfReader
from PyQt6.QtWidgets import QPushButton
from shapely.geometry import Polygon

from bathyx.cli.main import main
from bathyx.core.evaluate import evaluate
from bathyx.core.job import read_job
from bathyx.core.makeups.plan import make_ups
from bathyx.core.sheet.bending.bend import allowance_mm
from bathyx.core.sheet.bending.brake_steps import brake_steps
from bathyx.core.sheet.bending.strips import Strip, bent_to, k_of, measured_k
from bathyx.core.sheet.cutting.list_for_yard import hole_tools, notches, order_lines
from bathyx.core.units import Family
from bathyx.demo import jobs
from bathyx.desk.stages.cut.bends import BendCard
from bathyx.errors import Refusal
from bathyx.papers.cut_list import write_cut_list
from bathyx.papers.machine.dxf import write_dxf
from bathyx.papers.machine.svg import write_svg
from bathyx.papers.page.full_size import Drawing, laid_best, write_full_size
from bathyx.papers.templates import matching, write_templates
from tests.conftest import box, job_with
from tests.core.test_dipstick import lines_of
from tests.desk.test_parts import find
from tests.desk.test_window import grid_of

CUT = 4


def strip(k, r, t, before=120.0, turn=90.0, off=0.0):
    """A strip of known K: both flanges over the outside, the second read `off` mm wrong."""
    angle = math.radians(turn)
    deduction = 2 * (r + t) * math.tan(angle / 2) - angle * (r + k * t)
    return Strip(before_mm=before, first_mm=60.0, second_mm=before + deduction - 60.0 + off, turn_deg=turn)


@pytest.mark.parametrize("turn", [45.0, 90.0, 120.0])
def test_a_strip_gives_back_the_k_it_was_bent_with(turn):
    assert k_of(strip(0.41, 4.0, 3.0, turn=turn), 4.0, 3.0) == pytest.approx(0.41, abs=1e-9)


def test_the_spread_holds_the_true_k_in_95_of_100():
    """Readings off by a normal 0.2 mm; five strips a trial, 2,000 trials: 93.5 to 96.5 % are three standard errors of 95 %."""
    rng = np.random.default_rng(4)
    held = 0
    for _ in range(2000):
        found = measured_k([strip(0.40, 3.0, 3.0, off=float(x)) for x in rng.normal(0, 0.2, 5)], 3.0, 3.0)
        held += abs(found.k - 0.40) <= found.spread
    assert 0.935 <= held / 2000 <= 0.965


def test_strips_decide_k_unless_it_is_typed_and_wrong_ones_are_refused():
    job = job_with(box(), makeup__school="wrap", makeup__strips=[strip(0.35, 3.0, 3.0).model_dump() for _ in range(3)])
    e = evaluate(job)
    r, t = e.results.rule.radius_mm, e.results.sheet.thickness_mm
    assert e.results.rule.k_factor == pytest.approx(measured_k(job.makeup.strips, r, t).k)
    bend = next(b for blank in e.results.blanks for b in blank.bends)
    assert bend.allowance_mm == pytest.approx(allowance_mm(90.0, r, t, e.results.rule.k_factor))
    assert evaluate(job.edited("makeup.k_factor", 0.44)).results.rule.k_factor == 0.44
    with pytest.raises(Refusal, match="measured over the outside"):
        evaluate(job.edited("makeup.strips", [{"before_mm": 100, "first_mm": 50, "second_mm": 48}]))
    assert "strips" not in json.loads(job_with().to_json())["makeup"]
    assert read_job(job.to_json()) == job


def test_springback_of_the_textbooks_sheet():
    """20-gauge steel (0.0359 in), Ri 0.5 in, 40 ksi, E 30e6 psi: Ri/Rf 0.944, Rf 0.529 in; Kalpakjian & Schmid, from memory."""
    turn, radius = bent_to(90.0, 0.529, 0.0359, 40_000, 30e6)
    assert radius == pytest.approx(0.5, abs=0.001)
    assert turn == pytest.approx(90 * (2 * 0.529 / 0.0359 + 1) / (2 * radius / 0.0359 + 1))
    assert 94 < turn < 96
    assert bent_to(90.0, 3.0, 3.0, 145, 70_000)[0] == pytest.approx(90, abs=1.5)
    with pytest.raises(Refusal, match="roll it"):
        bent_to(90.0, 2000.0, 1.0, 300, 70_000)


def test_the_gauge_reads_what_the_flat_says():
    """A wrap of 300 × 200 inside, r 3, t 3: the last flange to its free edge by hand; the next against the flange that stands."""
    e = evaluate(job_with(box(300, 400, 200), makeup__school="wrap"))
    blank = next(b for b in e.results.blanks if b.bends)
    steps = brake_steps(blank, e.results.sheet)
    r, t = e.results.rule.radius_mm, e.results.sheet.thickness_mm
    assert len(steps) == 3
    width = blank.size_mm[0]
    places = sorted(float(b.start[0] + b.end[0]) / 2 for b in blank.bends)
    first = steps[0]
    at = float(first.bend.start[0] + first.bend.end[0]) / 2
    assert first.against == "the free edge"
    assert first.gauge_mm == pytest.approx(min(at, width - at), abs=1e-6)
    assert places[0] < places[1] < places[2]
    beside = [s for s in steps if s.against == "the flange bent before"]
    for step in beside:
        flats = [200.0 - 2 * r, 300.0 - 2 * r]
        wanted = [flat + first.bend.allowance_mm / 2 + r + t for flat in flats]
        assert min(abs(step.gauge_mm - w) for w in wanted) < 1e-6
    assert all(s.bent_to_deg > s.bend.turn_deg for s in steps)
    rolled = evaluate(
        job_with(box(1500, 400, 1200), makeup__school="two_l", makeup__bend_radius_mm=200.0, tank__sheet="304/1")
    )
    blank = next(b for b in rolled.results.blanks if b.bends)
    assert all(
        s.bent_to_deg is None or s.bent_to_deg > s.bend.turn_deg for s in brake_steps(blank, rolled.results.sheet)
    )


def test_the_order_counts_what_is_alike_and_holes_by_tool():
    e = evaluate(jobs.dryer())
    rows = order_lines(e.results.blanks, e.results.sheet)
    assert sum(row.count for row in rows) == len(e.results.blanks)
    areas = [row.blank.size_mm[0] * row.blank.size_mm[1] for row in rows]
    assert areas == sorted(areas, reverse=True)
    for row in rows:
        same = [b for b in e.results.blanks if b.name in row.names]
        assert {round(b.area_mm2, 1) for b in same} == {round(row.blank.area_mm2, 1)}
    holes = sum(len(b.holes) for b in e.results.blanks)
    assert sum(len(tool.holes) for tool in hole_tools(e.results.blanks)) == holes
    over = [b for b in e.results.blanks if b.role == "shell" and notches(b)]
    assert [notches(b) for b in over] == [2, 2]  # the two ends stand over the tunnel


def test_templates_are_full_size_and_mates_have_one_number(tmp_path):
    """The blank's border is measured from the page, a seam's number is on both blanks beside it."""
    e = evaluate(
        job_with(box(150, 180, 120), makeup__school="plates", inside__fittings=[], inside__baffles__by_rule=False)
    )
    mates = matching(e)
    names = [name for rows in mates.values() for _, name in rows]
    assert sorted(names) == sorted(2 * [s.id for s in e.results.seams])
    for blank in e.results.blanks:
        for spot, _ in mates[blank.faces]:
            assert (spot > -4).all()
            assert (spot < np.array(blank.size_mm) + 4).all()
    path = write_templates(e, tmp_path / "t.pdf", "a3")
    reader = PdfReader(path)
    text = " ".join(page.extract_text() for page in reader.pages)
    for blank in e.results.blanks:
        assert blank.name in text
    long = [math.dist(p, q) for p, q in lines_of(path)]
    for blank in e.results.blanks:
        for side in blank.size_mm:
            assert min(abs(x - side) for x in long) < 0.01


def test_the_commands_and_the_cut_list(tmp_path, capsys):
    path = tmp_path / "dairy.json"
    path.write_text(jobs.dairy().to_json(), "utf-8")
    assert main(["order", str(path)]) == 0
    told = json.loads(capsys.readouterr().out)
    assert told["pieces"][0]["size_mm"][0] > 0
    assert any(piece["bends"] for piece in told["pieces"])
    assert told["holes"]
    assert main(["templates", str(path), str(tmp_path / "out"), "--paper", "a3", "--svg"]) == 0
    assert list((tmp_path / "out").glob("*.svg"))
    assert (tmp_path / "out" / "templates.pdf").stat().st_size > 5000
    e = evaluate(jobs.dairy())
    text = " ".join(p.extract_text() for p in PdfReader(write_cut_list(e, tmp_path / "c.pdf", Family.METRIC)).pages)
    assert "On the brake, in this order" in text
    assert "Holes by tool" in text
    assert "What to ask the yard for" in text


def test_strips_are_typed_on_the_card(window):
    window.choose(CUT)
    window.bench.edit({"makeup.school": "wrap"}, "wrap")
    r, t = window.bench.evaluation.results.rule.radius_mm, window.bench.evaluation.results.sheet.thickness_mm
    made = [strip(0.37, r, t, off=x) for x in (0.0, 0.1, -0.1)]
    find(window, QPushButton, "fold bends").click()
    strips = grid_of(window, "test strips")
    text = "\n".join(f"{s.before_mm:g}, {s.first_mm:g}, {s.second_mm:g}" for s in made)
    strips.grid.paste(text)
    assert window.bench.evaluation.results.rule.k_factor == pytest.approx(0.37, abs=0.01)
    kept = window.bench.job.makeup.strips
    assert [round(s.first_mm, 3) for s in kept] == [round(s.first_mm, 3) for s in made]
    card = window.stage.card.findChild(BendCard)
    assert "from 3 strips" in card.rule.text()
    strips.grid.setCurrentCell(0, 0)
    strips.grid.paste("100, 40, 40")
    assert strips.trouble.text()
    assert window.bench.job.makeup.strips == kept


def from_dxf(path):
    """(area of the outline less holes, holes, ends of bends) as `ezdxf` reads them; its audit finds nothing."""
    document = ezdxf.readfile(path)
    assert not document.audit().errors
    space = document.modelspace()
    lines = [e for e in space.query("LWPOLYLINE") if e.dxf.layer == "CUT"]
    assert all(e.closed for e in lines)
    shapes = [Polygon([(p.x, p.y) for p in make_path(e).flattening(1e-5)]) for e in lines]
    holes = sorted(e.dxf.radius * 2 for e in space.query("CIRCLE"))
    bends = [(e.dxf.start.xyz[:2], e.dxf.end.xyz[:2]) for e in space.query("LINE") if e.dxf.layer.startswith("BEND")]
    shapes.sort(key=lambda s: -s.area)
    return shapes[0].area - sum(s.area for s in shapes[1:]) - sum(math.pi / 4 * d**2 for d in holes), holes, bends


@pytest.mark.parametrize("name", ["trolley", "dryer", "dairy"])
def test_every_dxf_and_svg_is_measured_again(name, tmp_path):
    """Area, holes and bend lines of what was written are those of the model; planned make-ups too."""
    job = jobs.ALL[name]()
    planned = job.edited_many(make_ups(job, "weld", 1).found[0].changes)
    for made in (job, planned):
        for blank in evaluate(made).results.blanks:
            area, holes, bends = from_dxf(write_dxf(blank, tmp_path / "b.dxf"))
            assert area == pytest.approx(blank.area_mm2, rel=2e-7)
            assert holes == pytest.approx(sorted(h.diameter_mm for h in blank.holes if h.border is None), abs=1e-6)
            for (start, end), bend in zip(bends, blank.bends, strict=True):
                assert np.allclose([start, end], [bend.start, bend.end], atol=1e-6)
            root = ElementTree.fromstring(write_svg(blank, tmp_path / "b.svg").read_text("utf-8"))
            wide = [float(root.get(key).removesuffix("mm")) - 10 for key in ("width", "height")]
            assert wide == pytest.approx(blank.size_mm, abs=1e-5)
            groups = {g.get("id"): g for g in root}
            outline = groups["CUT"][0].get("d")
            assert outline.count("A ") == int((np.abs(blank.outline.bulges) > 1e-12).sum())
            assert len(groups["BEND_UP"]) + len(groups["BEND_DOWN"]) == len(blank.bends)


def test_blanks_by_the_hundred_are_written_in_linear_time(tmp_path):
    blank = evaluate(job_with()).results.blanks[0]

    def each(count):
        begun = time.process_time()
        for k in range(count):
            write_dxf(blank, tmp_path / f"{count}-{k}.dxf")
        return (time.process_time() - begun) / count

    each(5)
    assert each(60) < 2.0 * each(20)


def test_a_template_lies_on_its_side_where_that_takes_fewer_pages(tmp_path):
    """A4 has 190 x 263 for a drawing: 500 x 270 takes 3 x 2 pages lying and 2 x 2 upright."""
    corners = np.array([[0.0, 0], [500, 0], [500, 270], [0, 270]])
    lying = Drawing("a", np.zeros(2), np.array([500.0, 270.0]), lambda page: page.line(corners, closed=True))
    best = laid_best(lying, "a4")
    assert (best.high - best.low).tolist() == [270.0, 500.0]
    assert laid_best(best, "a4") is best
    path = write_full_size(tmp_path / "t.pdf", "t", [best], "a4")
    assert len(PdfReader(path).pages) == 4
    assert len(PdfReader(write_full_size(tmp_path / "u.pdf", "u", [lying], "a4")).pages) == 6
    long = max(float(np.hypot(*(b - a))) for a, b in lines_of(path))
    assert long == pytest.approx(500.0, abs=0.01)
    roll = write_full_size(tmp_path / "r.pdf", "r", [lying], "roll-610")
    (page,) = PdfReader(roll).pages
    assert float(page.mediabox.width) / 72 * 25.4 == pytest.approx(610, abs=0.01)
    assert float(page.mediabox.height) / 72 * 25.4 == pytest.approx(270 + 20 + 14, abs=1.0)
