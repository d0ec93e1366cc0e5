"""Each blank is rebuilt from what its sheet prints, and from nothing else: corners, round sides, holes, bends and lines."""

import math
import re
from itertools import pairwise

import numpy as np
import pytest
from pypdf import PdfReader
from shapely import hausdorff_distance
from shapely.geometry import LinearRing

from bathyx.core.evaluate import evaluate
from bathyx.core.geometry.outline import Outline
from bathyx.core.geometry.refit import refitted
from bathyx.core.units import Family, parse_length, worded
from bathyx.demo import jobs
from bathyx.papers.blank_sheet import write_blank_sheets
from bathyx.papers.page.stationery import Stationery


def written(path):
    """(page, x, y, words) of everything on it, from the top left of the first page."""
    found = []
    for number, page in enumerate(PdfReader(path).pages):

        def visit(text, matrix, text_matrix, font, size, number=number):
            if (
                text.strip() and text_matrix[1] == 0 and matrix[1] == 0
            ):  # nothing that is turned: the drawing's own figures
                x = matrix[0] * text_matrix[4] + matrix[2] * text_matrix[5] + matrix[4]
                y = matrix[1] * text_matrix[4] + matrix[3] * text_matrix[5] + matrix[5]
                found.append((number, x, y, text.strip()))

        page.extract_text(visitor_text=visit)
    return found


HEADS = {
    "corner": ("corner", "across", "up", "to the next"),
    "round": ("round", "across", "up", "to the next"),
    "hole": ("hole", "across", "up", "size", "for"),
    "bend": ("bend", "its middle line, across / up", "turn", "radius", "bent to", "gauge, middle line"),
    "line": ("line to draw", "from, across / up", "to"),
    "what": ("what else is done", "there, across / up"),
}
FIRST = {
    "corner": r"\d+",
    "round": r"[a-z]{1,2}\d+",
    "hole": r"[a-z]{1,2}",
    "bend": r"\d+",
    "line": r".+",
    "what": r".+",
}


def tables(words):
    """By its first head, the rows of each table among (page, x, y, words)."""
    found = {name: [] for name in HEADS}
    for page in sorted({w[0] for w in words}):
        here = [
            w for w in words if w[0] == page and w[2] > 40 and not re.match(r"\d+: (by hand|\d+°)", w[3])
        ]  # no captions
        firsts = {row[0]: name for name, row in HEADS.items()}
        heads = [w for w in here if w[3] in firsts or re.fullmatch(r"round [a-z]{1,2}", w[3])]
        for head in heads:
            name = firsts.get(head[3], "round")
            row = sorted((w for w in here if abs(w[2] - head[2]) < 1 and w[1] >= head[1] - 1), key=lambda w: w[1])
            columns = [w[1] for w in row][: len(HEADS[name])]
            if row[1][3] != HEADS[name][1]:
                continue
            beside = [w[1] for w in heads if abs(w[2] - head[2]) < 1 and w[1] > head[1]]
            right = min(beside, default=math.inf)
            below = max((w[2] for w in heads if w[2] < head[2] - 1), default=-1.0)
            cells = [w for w in here if below < w[2] < head[2] - 1 and columns[0] - 1 <= w[1] < right - 1]
            rows = []
            for w in sorted(cells, key=lambda w: (-round(w[2]), w[1])):
                at = sum(w[1] >= x - 1 for x in columns) - 1
                if at == 0 and re.fullmatch(FIRST[name], w[3]):
                    rows.append([w[3]] + [""] * (len(columns) - 1))
                elif rows and at > 0:
                    rows[-1][at] = f"{rows[-1][at]} {w[3]}".strip()
            found[name] += rows
    return found


def by_blank(path, names):
    """What is printed of each blank, from its heading to the next."""
    words = written(path)
    found, known = [], set(names)
    for k, w in enumerate(words):
        here = w[3].split(", ")
        if w[1] < 45 and set(here) <= known:  # one sheet for all that are cut alike
            found.append((k, here))
            known -= set(here)
    assert not known
    for (a, here), b in zip(found, [*(k for k, _ in found[1:]), len(words)], strict=True):
        said = next(w[3] for k, w in enumerate(words[a:b]) if words[a + k - 1][3] == "cut")
        assert int(re.match(r"\d+", said)[0]) == len(here)
        for name in here:
            yield name, tables(words[a:b])


def mm(text):
    text = text.strip()
    if text in ('0"', "0.0 mm"):
        return 0.0
    return -parse_length(text[1:], "mm") if text.startswith("-") else parse_length(text, "mm")


def outline_of(rows):
    """The ring that the table of corners says."""
    spots = np.array([[mm(x), mm(y)] for _, x, y, _ in rows])
    ring = []
    for (p, q), row in zip(pairwise([*spots, spots[0]]), rows, strict=True):
        round_ = re.fullmatch(r"R (.+?) (out|in) about (.+) / (.+)", row[3])
        if not round_:
            ring.append(p)
            continue
        middle = np.array([mm(round_[3]), mm(round_[4])])
        first, last = (math.atan2(*(v - middle)[::-1]) for v in (p, q))
        sweep = (last - first) % (2 * math.pi) if round_[2] == "out" else -((first - last) % (2 * math.pi))
        for share in np.linspace(0, 1, 90)[:-1]:
            turn = first + sweep * share
            ring.append(middle + mm(round_[1]) * np.array([math.cos(turn), math.sin(turn)]))
    return LinearRing(ring)


CASES = [(name, Family.METRIC, "a4", 0.5) for name in jobs.ALL] + [
    ("trolley", Family.US_DECIMAL, "letter", 0.5),
    ("vineyard", Family.US, "a3", 0.6),  # 1/64 in across and up from the nearest 1/32 is 0.56 mm
]


@pytest.mark.parametrize(("name", "units", "sheet", "near"), CASES)
def test_a_blank_is_rebuilt_from_its_sheet_alone(tmp_path, name, units, sheet, near):
    e = evaluate(jobs.ALL[name]())
    blanks = e.results.blanks
    path = write_blank_sheets(e, tmp_path / "blanks.pdf", units, Stationery(sheet))
    by_name = {b.name: b for b in blanks}
    sheets = list(by_blank(path, list(by_name)))
    assert len(sheets) == len(blanks)
    for name_, printed in sheets:
        blank = by_name[name_]
        assert [row[0] for row in printed["corner"]] == [str(k + 1) for k in range(len(printed["corner"]))], blank.name
        ring = outline_of(printed["corner"])
        assert hausdorff_distance(ring, LinearRing(blank.outline.faceted), 0.2) < near, blank.name
        assert len(printed["hole"]) == len(blank.holes)
        for row, hole in zip(printed["hole"], blank.holes, strict=True):
            assert math.dist((mm(row[1]), mm(row[2])), hole.centre) < near
            if hole.border is not None:
                rows_ = [r for r in printed["round"] if re.fullmatch(rf"{row[0]}\d+", r[0])]
                assert hausdorff_distance(outline_of(rows_), LinearRing(hole.border), 0.2) < near
            else:
                assert abs(mm(row[3].removeprefix("ø").split(",")[0]) - hole.diameter_mm) < near
        assert len(printed["bend"]) == len(blank.bends)
        for row in printed["bend"]:
            ends = [[mm(v) for v in end.split(" / ")] for end in row[1].split(" to ")]
            bend = min(blank.bends, key=lambda b: math.dist(b.start, ends[0]) + math.dist(b.end, ends[1]))
            assert math.dist(bend.start, ends[0]) < near
            assert math.dist(bend.end, ends[1]) < near
            assert row[2].startswith(f"{bend.turn_deg:.1f}° {'up' if bend.up else 'down'}")
        told = [m for m in blank.marks if math.dist(m.start, m.end) <= 0.01 and m.text and m.text not in blank.faces]
        assert [row[0] for row in printed["what"]] == [worded(m.text, units) for m in told]
        drawn = [m for m in blank.marks if math.dist(m.start, m.end) > 0.01]
        assert len(printed["line"]) == len(drawn)
        for row, mark in zip(printed["line"], drawn, strict=True):
            assert math.dist([mm(v) for v in row[1].split(" / ")], mark.start) < near


@pytest.mark.parametrize("seed", range(40))
def test_an_outline_said_in_few_words_is_the_same_outline(seed):
    """Random rings with arcs, some of them cut into chords: never further off than said, never with more corners."""
    rng = np.random.default_rng(seed)
    n = int(rng.integers(3, 12))
    turns = np.sort(rng.uniform(0, 2 * np.pi, n)) + np.arange(n) * 1e-3
    spots = np.column_stack([np.cos(turns), np.sin(turns)]) * rng.uniform(60, 400, (n, 1)) + 500
    bulges = np.where(rng.random(n) < 0.4, rng.uniform(-0.3, 0.5, n), 0.0)
    true = Outline(spots, bulges)
    given = Outline(true.faceted, np.zeros(len(true.faceted))) if seed % 2 else true
    said = refitted(given)
    assert len(said.points) <= len(given.points)
    assert hausdorff_distance(LinearRing(said.faceted), LinearRing(true.faceted), 0.3) < 0.4


def test_chords_of_a_circle_are_said_as_an_arc_and_nothing_else_is():
    turns = np.linspace(0, np.pi, 40)
    half = np.column_stack([70 * np.cos(turns), 70 * np.sin(turns)])
    plain = Outline(np.vstack([half, [[-200.0, 0.0], [-200.0, -50.0], [70.0, -50.0]]]), np.zeros(43))
    said = refitted(plain)
    assert len(said.points) == 5
    assert sorted(np.round(said.bulges, 6))[-1] == pytest.approx(1.0)
    assert abs(said.area_mm2 - plain.area_mm2) < 30  # the segments between chord and arc
    box = Outline(np.array([[0, 0], [50, 0], [100, 0.0], [100, 60], [0, 60]]), np.zeros(5))
    assert len(refitted(box).points) == 4
    octagon = Outline(
        np.array([[100 * math.cos(k), 100 * math.sin(k)] for k in np.arange(8) * math.pi / 4]), np.zeros(8)
    )
    assert len(refitted(octagon).points) == 8
    assert not refitted(octagon).bulges.any()
