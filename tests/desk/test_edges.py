"""Edges on the Cut card: picked in a view, given a joint, drawn in section, moved onto a flat; panels and bend tables typed."""

import numpy as np
import pytest
from PyQt6.QtWidgets import QPushButton

from bathyx.core.evaluate import evaluate
from bathyx.core.units import Family
from bathyx.desk.views.fields import Choice
from bathyx.draft.joint_view import joint_view
from bathyx.draft.picture import Poly
from tests.conftest import job_with
from tests.desk.test_window import CUT, grid_of


@pytest.fixture
def cut(window):
    window.choose(CUT)
    next(c for c in window.stage.card.findChildren(Choice) if c.path == "makeup.school").choose("plates")
    return window


def edge_of(window, name):
    return next((c for c in window.bench.job.makeup.edges if c.edge == name), None)


def test_a_seam_or_a_bend_picked_in_a_view_is_the_edge_in_hand(cut):
    r = cut.bench.evaluation.results
    seam = next(s for s in r.seams if s.edge == "bottom/front")
    cut.stage.picked(f"seam:{seam.id}")
    assert cut.stage.edges.name == "bottom/front"
    cut.stage.edges.role.choose("bend")
    assert edge_of(cut, "bottom/front").role == "bend"
    drawn = {getattr(i, "tag", "") for i in [*cut.flat.picture.items, *cut.solid.picture.items]}
    assert "edge:bottom/front" in drawn
    cut.stage.picked("edge:bottom/front")
    assert cut.stage.edges.name == "bottom/front"
    assert "bent by 90°" in cut.stage.describe("edge:bottom/front")


def test_a_joint_is_chosen_its_length_typed_and_taken_back(cut, qtbot):
    card = cut.stage.edges
    assert card.pick("bottom/front")
    card.role.choose("tee")
    field = card.fields["past_mm"]
    assert not field.isHidden()
    assert card.fields["flange_mm"].isHidden()
    field.edit.setText("20")
    field._take()
    assert (edge_of(cut, "bottom/front").past_mm, edge_of(cut, "bottom/front").joint) == (20.0, "tee")
    card.over.choose("front")
    assert edge_of(cut, "bottom/front").over == "front"
    card.role.choose("flanged")
    assert edge_of(cut, "bottom/front").past_mm == 0.0
    assert any(b.flange for x in cut.bench.evaluation.results.blanks for b in x.bends)
    card.role.choose(None)
    assert edge_of(cut, "bottom/front") is None


def test_a_seam_is_moved_onto_a_flat_and_back(cut):
    card = cut.stage.edges
    card.pick("front/front top chamfer")
    before = cut.bench.job
    card.role.choose("moved")
    (moved,) = cut.bench.job.makeup.moved
    assert (moved.edge, moved.onto) == ("front/front top chamfer", "front")
    seams = {s.edge: s.joint for s in cut.bench.evaluation.results.seams}
    assert seams["front:1/front:2"] == "butt"
    assert card.role.read() == "moved"
    card.by.edit.setText("70")
    card.by._take()
    assert cut.bench.job.makeup.moved[0].by_mm == 70.0
    card.by.edit.setText("5000")
    card.by._take()
    assert "does not part front in two" in card.by.trouble.text()
    assert cut.bench.job.makeup.moved[0].by_mm == 70.0
    card.role.choose(None)
    assert cut.bench.job.makeup.moved == ()
    assert cut.bench.job.makeup.edges == before.makeup.edges


def test_panels_and_a_bend_table_are_typed_and_a_wrong_line_says_what_to_write(cut):
    for name in ("fold panels", "fold bends"):
        next(x for x in cut.stage.card.findChildren(QPushButton) if x.objectName() == name).click()

    panels = grid_of(cut, "panels")
    panels.grid.paste("bottom\t5\tinside")
    assert cut.bench.evaluation.results.skins.of("bottom") == 5.0
    panels.grid.item(0, 1).setText("thick")
    assert "row 1, thick" in panels.trouble.text()
    panels.grid.item(0, 1).setText("5")
    panels.grid.item(0, 0).setText("lid")
    assert "'lid' is none of" in panels.trouble.text()
    assert cut.bench.evaluation.results.skins.of("bottom") == 5.0
    panels.grid.revert()
    assert panels.grid.text_at(0, 0) == "bottom"
    grid_of(cut, "bend table").grid.paste("3;3;90;5.5")
    assert cut.bench.job.makeup.table[0].deduction_mm == 5.5
    # Two sheets: the nest is of one thickness at a time.
    assert len(cut.stage.nesting.sheets.options) == 2
    cut.stage.nesting.sheets.choose(5.0)
    assert [p.name for p in cut.stage.nesting.quick_inputs().pieces] == ["bottom"]


def test_the_section_of_a_joint_is_to_scale(cut):
    choice = {"edge": "bottom/front", "role": "weld", "joint": "tee", "over": "bottom", "past_mm": 20.0}
    e = evaluate(job_with(makeup__edges=[choice], makeup__panels=[{"face": "bottom", "thickness_mm": 5.0}]))
    role = next(r for r in e.results.roles if r.edge.id == "bottom/front")
    bottom, front = (i.points for i in joint_view(e, role, Family.METRIC).items if isinstance(i, Poly))
    if np.ptp(bottom, axis=0)[1] > 6:
        bottom, front = front, bottom
    assert np.ptp(bottom, axis=0)[1] == pytest.approx(5.0)
    assert np.ptp(front, axis=0)[0] == pytest.approx(3.0)
    left = min(abs(front[:, 0].min() - bottom[:, 0].min()), abs(front[:, 0].max() - bottom[:, 0].max()))
    assert left == pytest.approx(20.0)
