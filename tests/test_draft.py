"""Drawings as data: to scale, live where they say so, and readable in both lights."""

import re

import numpy as np
import pytest
from reportlab.pdfgen.canvas import Canvas

from bathyx.core.evaluate import evaluate
from bathyx.core.sheet.cutting.nest import nest
from bathyx.core.units import Family
from bathyx.demo import jobs
from bathyx.draft.brief_view import brief_view
from bathyx.draft.charts import dip_chart, nice_steps, trace_chart
from bathyx.draft.flat_views import blank_picture, blanks_view, nest_view
from bathyx.draft.palette import DARK, LIGHT, rgba
from bathyx.draft.picture import Circle, Dim, Label, Picture, Poly, box, side_by_side, stacked
from bathyx.draft.plate_view import PlateData, plate_view
from bathyx.draft.seam_view import SIGNS, seam_view
from bathyx.draft.solid_view import Eye, Show, solid_view
from bathyx.draft.space_view import space_view
from bathyx.draft.tank_views import plan_view, tank_view
from bathyx.papers.page.pdf_picture import FULL_SIZE, paint, use_fonts
from tests.conftest import job_with
from tests.core.test_decay import STILL

SAID = PlateData("Tolmere Tankworks", "TT-2026-0001", "March 2026", "75 L", "3 mm", "20 kPa", "Diesel")


def every_picture(e, units):
    seams = {
        s.id: state for s, state in zip(e.results.seams, ["open", "welded", "leaks", "repaired"] * 9, strict=False)
    }
    yield from (
        brief_view(e, units),
        space_view(e, units),
        tank_view(e, units),
        tank_view(e, units, across=True),
        plan_view(e, units),
        blanks_view(e, units),
        seam_view(e, units, seams),
        dip_chart(e, units),
        plate_view(SAID),
        trace_chart(STILL, units),
    )
    yield nest_view(nest(e.results.blanks, e.results.sheet.material.stock), e.results.blanks, units)
    for eye in (Eye(), Eye(200, -40), Eye(90, 80)):
        yield solid_view(
            e, units, eye, Show(e.results.capacity.fill_level_mm, seams, (("S1", 0.3),), "seam:S2", True, True)
        )


def roles(picture):
    for item in picture.items:
        yield from (getattr(item, name, None) for name in ("ink", "fill", "badge"))


@pytest.mark.parametrize("name", jobs.ALL)
@pytest.mark.parametrize("units", Family)
def test_every_colour_that_is_drawn_with_exists_in_both_lights(name, units):
    e = evaluate(jobs.ALL[name]())
    used = {role for picture in every_picture(e, units) for role in roles(picture) if role}
    assert used <= set(LIGHT)
    assert set(LIGHT) == set(DARK)


def luminance(role, colours):
    channel = [c / 12.92 if c <= 0.03928 else ((c + 0.055) / 1.055) ** 2.4 for c in rgba(role, colours)[:3]]
    return 0.2126 * channel[0] + 0.7152 * channel[1] + 0.0722 * channel[2]


@pytest.mark.parametrize("colours", [LIGHT, DARK], ids=["light", "dark"])
@pytest.mark.parametrize(
    ("ink", "ground", "least"),
    [
        ("ink", "paper", 7),
        ("ink", "card", 7),
        ("ink", "bench", 7),
        ("quiet", "card", 4.5),
        ("quiet", "paper", 4.5),
        ("accent", "paper", 4.5),
        ("stop", "card", 4.5),
        ("warn", "card", 4),
        ("go", "card", 4),
        ("accent ink", "accent", 4.5),
        ("ink", "fluid", 4.5),
        ("ink", "stop fill", 4.5),
        ("dim", "paper", 4.5),
    ],
)
def test_words_stand_out_from_their_ground(colours, ink, ground, least):
    """Contrast by WCAG 2.1, success criteria 1.4.3 and 1.4.6."""
    a, b = sorted((luminance(ink, colours), luminance(ground, colours)))
    assert (b + 0.05) / (a + 0.05) >= least


@pytest.mark.parametrize("name", jobs.ALL)
def test_every_live_dimension_is_a_place_in_the_job(name):
    job = jobs.ALL[name]()
    e = evaluate(job)
    live = [
        item
        for picture in (space_view(e, Family.METRIC), tank_view(e, Family.METRIC))
        for item in picture.items
        if isinstance(item, (Dim, Label)) and item.tag.startswith("edit:")
    ]
    assert len(live) >= 6
    for item in live:
        assert job.value_at(item.tag.removeprefix("edit:")) is not None, item.tag


def test_a_dimension_stands_between_the_points_it_measures(trolley):
    for item in tank_view(trolley, Family.METRIC).items:
        if isinstance(item, Dim):
            assert np.linalg.norm(item.q - item.p) == pytest.approx(float(item.text.removesuffix(" mm")), abs=0.51), (
                item.tag
            )


def test_bays_on_the_plan_add_up_to_the_tank(trolley):
    dims = [d for d in plan_view(trolley, Family.METRIC).items if isinstance(d, Dim)]
    across = [np.linalg.norm(d.q - d.p) for d in dims if abs(d.p[0] - d.q[0]) < 1e-9]
    assert sum(across) == pytest.approx(trolley.job.tank.width_mm)


def test_a_skewed_floor_is_drawn_as_the_parallelogram_its_diagonals_say(trolley):
    floor = next(i for i in space_view(trolley, Family.METRIC).items if isinstance(i, Poly) and i.fill == "space")
    corners = floor.points - floor.points[0]
    measured = [d.mm for d in trolley.job.space.floor_diagonals]
    drawn = [np.linalg.norm(corners[2]), np.linalg.norm(corners[3] - corners[1])]
    assert drawn == pytest.approx(measured, abs=trolley.job.space.squareness.misfit_mm.__abs__() + 1)


def test_a_tank_too_large_is_drawn_in_the_colour_of_a_stop():
    e = evaluate(jobs.trolley().edited("tank.width_mm", 760.0))
    assert "stop fill" in {getattr(i, "fill", None) for i in space_view(e, Family.METRIC).items}


def test_the_solid_is_a_true_projection(trolley):
    """Seen from straight above, the roof is as large as it is."""
    flat = solid_view(trolley, Family.METRIC, Eye(0.0, 90.0), Show())
    top = next(i for i in flat.items if isinstance(i, Poly) and i.tag == "face:top")
    size = np.ptp(top.points, axis=0)
    assert sorted(size) == pytest.approx(sorted([418 - 70, 720]))


def test_what_faces_away_is_painted_before_what_is_inside_and_that_before_what_faces_the_eye(trolley):
    items = solid_view(trolley, Family.METRIC, Eye(), Show(100.0)).items
    order = [getattr(i, "fill", "") for i in items]
    last_back = max(k for k, f in enumerate(order) if f and f.startswith("wall"))
    baffle = [k for k, f in enumerate(order) if f == "baffle"]
    fluid = order.index("fluid top")
    first_glass = min(k for k, i in enumerate(items) if getattr(i, "fill", "") == "glass" and i.tag.startswith("face:"))
    assert last_back < min(baffle) < fluid < max(baffle) < first_glass


def test_an_empty_tank_shows_no_fluid(trolley):
    assert "fluid top" not in set(roles(solid_view(trolley, Family.METRIC, Eye(), Show(None))))


def test_seams_carry_their_state_and_can_be_picked(trolley):
    states = {s.id: "open" for s in trolley.results.seams} | {"S2": "leaks"}
    picture = solid_view(trolley, Family.METRIC, Eye(), Show(None, states))
    seams = {i.tag: i.ink for i in picture.items if isinstance(i, Poly) and i.tag.startswith("seam:")}
    assert seams["seam:S2"] == "seam leaks"
    assert len(seams) == sum(s.start is not None for s in trolley.results.seams)


def test_a_blank_shows_ups_solid_and_downs_dashed(trolley):
    blank = next(b for b in trolley.results.blanks if len(b.bends) == 3)
    bends = [
        i for i in blank_picture(blank, Family.METRIC).items if isinstance(i, Poly) and (i.ink or "").startswith("bend")
    ]
    assert {(i.ink, i.dashed) for i in bends} == {("bend up", False), ("bend down", True)}


def test_the_chosen_blank_gets_every_dimension_and_the_overview_only_sizes(trolley):
    assert not any(isinstance(i, Dim) for i in blanks_view(trolley, Family.METRIC).items)
    blank = next(b for b in trolley.results.blanks if len(b.bends) == 3)
    dims = [i for i in blanks_view(trolley, Family.METRIC, blank.name).items if isinstance(i, Dim)]
    running = [np.linalg.norm(d.q - d.p) for d in dims[2:]]
    assert len(running) == 4
    assert sum(running) == pytest.approx(blank.size_mm[0])


def test_each_hole_of_a_blank_says_its_size_and_place(trolley):
    blank = next(b for b in trolley.results.blanks if "top" in b.name)
    words = {i.text for i in blank_picture(blank, Family.METRIC).items if isinstance(i, Label)}
    for hole in blank.holes:
        assert f"ø{hole.diameter_mm:g} mm at {hole.centre[0]:.1f}, {hole.centre[1]:.1f}" in words


def test_blanks_do_not_lie_on_one_another(trolley):
    outlines = [i for i in blanks_view(trolley, Family.METRIC).items if isinstance(i, Poly) and i.fill == "sheet"]
    boxes = [(i.points.min(axis=0), i.points.max(axis=0)) for i in outlines]
    for k, (a_low, a_high) in enumerate(boxes):
        for b_low, b_high in boxes[k + 1 :]:
            assert np.any(a_high < b_low) or np.any(b_high < a_low)


@pytest.mark.parametrize(
    ("span", "most", "step"), [(100, 10, 10), (292, 10, 50), (0.07, 5, 0.02), (1, 3, 0.5), (9, 9, 1)]
)
def test_chart_steps_are_round(span, most, step):
    assert nice_steps(span, most) == pytest.approx(step)


def test_pictures_stand_beside_and_above_one_another():
    small, large = Picture((box(5, 5, 10, 10),)), Picture((box(0, 0, 30, 20), Circle(np.array([40.0, 0.0]), 5)))
    assert side_by_side([small, large], 4).bounds == (0, 0, 59, 25)
    left, bottom, right, top = stacked([small, large], 4).bounds
    assert (right - left, top - bottom) == (45, 39)
    assert Picture(()).bounds == (0.0, 0.0, 1.0, 1.0)


def test_full_size_on_paper_is_full_size(tmp_path):
    use_fonts()
    canvas = Canvas(str(tmp_path / "x.pdf"), pageCompression=0)
    scale = paint(canvas, Picture((box(0, 0, 100, 50),)), 0, 0, 500, 400, FULL_SIZE)
    canvas.save()
    assert scale == pytest.approx(72 / 25.4)
    text = (tmp_path / "x.pdf").read_bytes().decode("latin-1")
    points = np.array([[float(x), float(y)] for x, y in re.findall(r"([\d.]+) ([\d.]+) l", text)])
    assert np.ptp(points, axis=0) == pytest.approx([100 * 72 / 25.4, 50 * 72 / 25.4], abs=0.01)


def test_a_picture_is_fitted_into_the_room_it_gets(tmp_path, trolley):
    use_fonts()
    canvas = Canvas(str(tmp_path / "x.pdf"))
    wide = paint(canvas, tank_view(trolley, Family.METRIC), 0, 0, 500, 400)
    assert 0 < paint(canvas, tank_view(trolley, Family.METRIC), 0, 0, 250, 200) < wide


def test_where_seams_lie_behind_one_another_the_one_that_leaks_is_named():
    e = evaluate(jobs.frost_fan())
    states = {s.id: "welded" for s in e.results.seams} | {"S2": "leaks"}
    items = seam_view(e, Family.METRIC, states).items
    said = [i.text for i in items if isinstance(i, Label) and i.text.startswith("S")]
    named = [text.split()[0] for text in said]
    assert said.count("S2 !") == 2
    behind = {s.id for s in e.results.seams if s.title in ("bottom to right end", "top to left end")}
    assert named.count("S2") > min(named.count(seam) for seam in behind)


def test_from_the_left_side_the_seams_of_the_left_end_are_named():
    e = evaluate(jobs.frost_fan())
    items = seam_view(e, Family.METRIC, {s.id: "welded" for s in e.results.seams}).items
    named = {i.text.removesuffix(SIGNS["welded"]) for i in items if isinstance(i, Label)}
    assert {s.id for s in e.results.seams if "left end" in s.title} <= named


@pytest.mark.parametrize(
    "tested", ["not proven", "14.0 kPa (2.0 psi) 10 min, simulated gauge; 400 mm water, 24 h, simulated gauge"]
)
def test_the_words_of_the_plate_stay_on_it(tested):
    from bathyx.draft.plate_view import WIDTH_MM, PlateData, plate_view

    data = PlateData("Tolmere Tankworks", "TT-1", "May 2026", "100 L full", "3 mm S235", tested, "Diesel")
    label = next(i for i in plate_view(data).items if getattr(i, "text", "") == tested)
    assert 30 + 0.56 * label.tall_mm * len(tested) <= WIDTH_MM


def test_a_heavier_floor_is_drawn_as_thick_as_it_is():
    e = evaluate(job_with(makeup__panels=[{"face": "bottom", "thickness_mm": 6.0}], inside__baffles__by_rule=False))
    skin = next(i for i in tank_view(e, Family.METRIC, across=False).items if isinstance(i, Poly) and i.fill == "skin")
    low, high = skin.points.min(axis=0), skin.points.max(axis=0)
    assert (high - low)[1] == pytest.approx(200 + 3 + 6, abs=1e-3)


def test_states_of_seams_are_told_apart_by_stroke_and_sign_alone():
    """No colour is asked: width, dash and sign of each state are its own."""
    e = evaluate(jobs.trolley())
    seen = {}
    for state in ("open", "welded", "repaired", "leaks"):
        items = seam_view(e, Family.METRIC, {s.id: state for s in e.results.seams}).items
        strokes = {(i.width, i.dashed) for i in items if isinstance(i, Poly) and i.tag.startswith("seam:")}
        assert len(strokes) == 1
        seen[state] = (strokes.pop(), SIGNS[state])
    assert len({stroke for stroke, _ in seen.values()}) == 4
    assert len({sign for _, sign in seen.values()}) == 4
