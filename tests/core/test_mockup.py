"""Card mock-ups: the net is the outside, each glued edge is there twice with one tab, and the pages are full size."""

import math
from collections import Counter

import numpy as np
import pytest
from pypdf import PdfReader
from shapely.geometry import Polygon

from bathyx.cli.main import main
from bathyx.core.evaluate import evaluate
from bathyx.core.geometry.outline import polygon_area
from bathyx.core.sheet.flat.mockup import card_pieces, outside_shell
from bathyx.demo import jobs
from bathyx.papers.mockup import write_mockup
from tests.conftest import box, job_with
from tests.core.test_dipstick import lines_of


def pieces_of(job):
    r = evaluate(job).results
    return card_pieces(r.panelled, job.makeup, job.tank, r.sheet.thickness_mm), r


@pytest.mark.parametrize("school", ["plates", "two_l", "wrap", "perimeter"])
def test_the_card_has_the_outsides_area_and_every_edge_matches(school):
    (pieces, outside), r = pieces_of(job_with(box(), makeup__school=school))
    assert outside
    a, b, c = 306.0, 406.0, 206.0
    assert sum(abs(polygon_area(p.border)) for p in pieces) == pytest.approx(2 * (a * b + b * c + c * a))
    seen = Counter(number for p in pieces for _, number in p.numbers)
    assert set(seen.values()) == {2}
    glued = [role for role in r.roles if role.kind == "weld"]
    assert len(seen) == len(glued)
    assert sum(len(p.tabs) for p in pieces) == len(glued)
    assert sum(len(p.folds) for p in pieces) == sum(role.kind == "bend" for role in r.roles)


@pytest.mark.parametrize("name", list(jobs.ALL))
def test_tabs_stand_off_their_piece_and_numbers_on_it(name):
    (pieces, _), _ = pieces_of(jobs.ALL[name]())
    assert pieces
    for piece in pieces:
        border = Polygon(piece.border).buffer(1e-6)
        for tab in piece.tabs:
            assert Polygon(tab).intersection(border).area < 0.06 * Polygon(tab).area
            assert math.dist(tab[0], tab[1]) > 5
        for spot, _ in piece.numbers:
            assert border.buffer(8).contains(Polygon([spot, spot + [0.1, 0], spot + [0, 0.1]]))


def test_the_outside_of_a_leaning_shape_stands_a_sheet_off_each_face():
    shell = evaluate(jobs.barge()).results.shell
    outside, is_outside = outside_shell(shell, 4.0)
    assert is_outside
    for face in shell.faces:
        off = (outside.by_id[face.id].loop - face.loop[0]) @ face.normal
        assert off == pytest.approx(np.full(len(off), 4.0), abs=1e-6)


def test_pages_are_full_size_within_a_hundredth_of_a_millimetre(tmp_path):
    e = evaluate(job_with(box(), inside__baffles__by_rule=False))
    for paper in ("a4", "a3", "letter", "tabloid"):
        path = write_mockup([e], tmp_path / f"{paper}.pdf", paper)
        drawn = lines_of(path)
        lengths = np.linalg.norm(drawn[:, 0] - drawn[:, 1], axis=1)
        for true in (100.0, 306.0, 406.0, 206.0):
            assert (np.abs(lengths - true) < 0.01).any(), (paper, true)
        first = PdfReader(path).pages[0].extract_text()
        assert "check with a ruler" in first
        assert "of " in first


def test_two_tanks_are_one_set(tmp_path, capsys):
    names = []
    for name in ("trolley", "sawmill"):
        path = tmp_path / f"{name}.json"
        path.write_text(jobs.ALL[name]().to_json(), "utf-8")
        names.append(str(path))
    out = tmp_path / "set.pdf"
    assert main(["mockup", *names, "--out", str(out), "--paper", "a3"]) == 0
    text = "\n".join(page.extract_text() for page in PdfReader(out).pages)
    assert "Peat-railway trolley: " in text
    assert "Travelling sawmill reservoir: " in text
    assert main(["mockup", names[0], "--out", str(tmp_path / "none" / "x.pdf")]) != 0
    assert "cannot write" in capsys.readouterr().err
