"""The words on a blank's DXF and SVG stand clear of each other, each on its own mark."""

import re
from itertools import combinations

import ezdxf
import numpy as np
import pytest

from bathyx.core.evaluate import evaluate
from bathyx.core.sheet.flat.blank import Mark
from bathyx.demo import jobs
from bathyx.papers.machine.dxf import write_dxf
from bathyx.papers.machine.svg import write_svg
from bathyx.papers.machine.words_on import words_on

NARROW = 0.5  # of its height is a letter wide at least


def clear(words):
    """Words (text, x, y, height) pairwise apart."""
    for (a, ax, ay, ah), (b, bx, by, bh) in combinations(words, 2):
        assert abs(ay - by) > 0.9 * min(ah, bh) or abs(ax - bx) > NARROW * (ah * len(a) + bh * len(b)) / 2, (a, b)


@pytest.mark.parametrize("name", ["trolley", "dairy", "barge", "sawmill"])
def test_no_word_stands_on_another(tmp_path, name):
    e = evaluate(jobs.ALL[name]())
    for blank in e.results.blanks:
        svg = write_svg(blank, tmp_path / "b.svg").read_text("utf-8")
        found = re.findall(r'<text x="([-\d.]+)" y="([-\d.]+)" font-size="([\d.]+)" text-anchor="middle">([^<]+)<', svg)
        clear([(text, float(x), float(y), float(tall)) for x, y, tall, text in found])
        assert len(found) == sum(bool(m.text) for m in blank.marks)
        drawn = ezdxf.readfile(write_dxf(blank, tmp_path / "b.dxf")).modelspace().query('TEXT[layer=="TEXT"]')
        clear(
            [
                (t.dxf.text, *t.get_placement()[1].vec2, t.dxf.height)
                for t in drawn
                if t.get_placement()[0].name == "MIDDLE_CENTER"
            ]
        )


def test_words_of_a_line_stay_on_it_where_it_has_room():
    line = Mark(np.array([0.0, 0.0]), np.array([300.0, 0.0]), "B1")
    name = Mark(np.array([150.0, 0.0]), np.array([150.0, 0.0]), "front top chamfer")
    places = dict((mark.text, place) for mark, place in words_on((line, name), 8.0))
    assert places["front top chamfer"].tolist() == [150.0, 0.0]
    assert places["B1"][1] == 0.0
    assert abs(places["B1"][0] - 150.0) > 50
