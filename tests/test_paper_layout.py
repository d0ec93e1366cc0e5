"""On paper nothing runs off the sheet, headings keep what belongs under them, and long tables turn the page."""

import itertools
import math

import pytest
from pypdf import PdfReader

from bathyx.core.evaluate import evaluate
from bathyx.core.sheet.cutting.cut_plan import Cutting, cut_plan, parts_of
from bathyx.core.sheet.cutting.order import steps_of
from bathyx.core.units import Family, show
from bathyx.demo import jobs
from bathyx.demo.seed import build_and_prove
from bathyx.papers.blank_sheet import write_blank_sheets
from bathyx.papers.cut_plan_sheet import write_cut_plan
from bathyx.papers.export import export_all
from bathyx.papers.page.lettering import BOLD, REGULAR, use_fonts, width
from bathyx.papers.page.sheet_of_paper import Paper
from bathyx.papers.page.stationery import Stationery
from bathyx.register import JobRecord, Register
from tests.test_one_family import MADE

WIDTH, HEIGHT = 595.28, 841.89


def placed_words(path):
    """(page, x, y, words) of everything written."""
    found = []
    for number, page in enumerate(PdfReader(path).pages, start=1):

        def visit(text, matrix, text_matrix, font, size, number=number):
            if text.strip():
                x = matrix[0] * text_matrix[4] + matrix[2] * text_matrix[5] + matrix[4]
                y = matrix[1] * text_matrix[4] + matrix[3] * text_matrix[5] + matrix[5]
                found.append((number, x, y, text.strip()))

        page.extract_text(visitor_text=visit)
    return found


def boxes(path):
    """By page, (words, size pt, box) of everything written level or upright, with the letters' own widths."""
    use_fonts()
    for page in PdfReader(path).pages:
        found = []

        def visit(text, matrix, place, font, size, found=found):
            words = text.strip()
            if not words:
                return
            along = matrix[0] * place[0] + matrix[2] * place[1], matrix[1] * place[0] + matrix[3] * place[1]
            x = matrix[0] * place[4] + matrix[2] * place[5] + matrix[4]
            y = matrix[1] * place[4] + matrix[3] * place[5] + matrix[5]
            tall, turn = size * math.hypot(*along), math.degrees(math.atan2(along[1], along[0]))
            wide = width(words, BOLD if "Bold" in str((font or {}).get("/BaseFont")) else REGULAR, tall)
            if abs(turn) < 1:
                found.append((words, tall, (x, y - 0.15 * tall, x + wide, y + 0.72 * tall)))
            elif abs(turn - 90) < 1:
                found.append((words, tall, (x - 0.72 * tall, y, x + 0.15 * tall, y + wide)))

        page.extract_text(visitor_text=visit)
        yield float(page.mediabox.width), float(page.mediabox.height), found


def laid_well(path):
    """No words off the sheet, too small, or on one another."""
    count = 0
    for wide, tall, words in boxes(path):
        count += len(words)
        for text, size, (left, low, right, high) in words:
            assert min(left, low, wide - right, tall - high) > 4, (path.name, text)
            # The plate is drawn at the size it has, and a stick's marks stand as close as its litres do.
            assert size > 9.4 or path.name in ("test-record.pdf", "dipstick.pdf"), (path.name, text)
        if path.name == "dipstick.pdf":
            continue
        for (one, _, a), (other, _, b) in itertools.combinations(words, 2):
            apart = a[0] > b[2] - 1 or b[0] > a[2] - 1 or a[1] > b[3] - 1 or b[1] > a[3] - 1
            assert apart, (path.name, one, other)
    assert count > 20, path.name


CASES = [(name, *((Family.METRIC, "a4"), (Family.US, "letter"))[k % 2]) for k, name in enumerate(jobs.ALL)]
CASES += [("vineyard", Family.METRIC, "a3"), ("dryer", Family.US_DECIMAL, "tabloid")]


@pytest.mark.parametrize(("name", "units", "sheet"), CASES)
def test_no_words_run_off_the_sheet_or_stand_on_others_or_are_too_small(tmp_path, name, units, sheet):
    register = Register(tmp_path / "r.sqlite")
    job = jobs.ALL[name]()
    build_and_prove(register, job, "S1")
    record = JobRecord.of(register.entries(job.uid))
    (tmp_path / "out").mkdir()
    papers = export_all(
        evaluate(job),
        tmp_path / "out",
        units,
        record,
        register.serial(job.uid),
        Stationery(sheet, address="4 Kiln Lane"),
    )
    for path in papers:
        if path.suffix == ".pdf":
            laid_well(path)
    register.close()


@pytest.mark.parametrize(("name", "units"), [("lidded", Family.US), ("plies", Family.METRIC), ("rolled", Family.US)])
def test_papers_of_lids_plies_and_roller_seams_are_laid_well(tmp_path, name, units):
    for path in export_all(evaluate(MADE[name]()), tmp_path, units, on=Stationery("letter" if units.us else "a4")):
        if path.suffix == ".pdf":
            laid_well(path)


@pytest.mark.parametrize(
    ("name", "shear", "units"),
    [("trolley", True, Family.METRIC), ("dairy", True, Family.US), ("dryer", False, Family.US)],
)
def test_a_cut_plan_on_paper_says_every_cut_with_its_gauge(tmp_path, name, shear, units):
    e = evaluate(jobs.ALL[name]())
    sheet, how = e.results.sheet, Cutting(shear, 0.0 if shear else 3.0)
    parts = parts_of([b for b in e.results.blanks if b.thickness_mm == sheet.thickness_mm])
    plan = cut_plan(parts, sheet.material.stock, [(600.0, 400.0)], how, 0.5)
    path = write_cut_plan(
        e, plan, how, sheet, tmp_path / "cut-plan.pdf", units, Stationery("letter" if units.us else "a4")
    )
    laid_well(path)
    rows = placed_words(path)
    steps = steps_of(plan, parts, how)
    for k, step in enumerate(steps, start=1):
        page, _, y, _ = next(row for row in rows if row[3] == str(k) and row[1] < 60)
        said = " ".join(text for p, _, at, text in rows if p == page and abs(at - y) < 2)
        assert (show(step.gauge_mm, "cut", units) if step.axis else "along its border") in said
        assert all(name in said for name in step.frees)
    assert {name for step in steps for name in step.frees} == {part.name for part in parts}


def test_open_stops_are_said_on_every_page(tmp_path):
    crowded = jobs.trolley().edited("inside.fittings.1.u_mm", 5.0)
    e = evaluate(crowded)
    assert e.stops
    for path in export_all(e, tmp_path):
        if path.suffix == ".pdf" and path.name != "dipstick.pdf":
            for page in PdfReader(path).pages:
                assert "open: nothing is cut, welded or filled by this paper" in " ".join(page.extract_text().split())
    for page in PdfReader(write_blank_sheets(evaluate(jobs.trolley()), tmp_path / "clean.pdf", Family.METRIC)).pages:
        text = page.extract_text()
        assert "nothing is cut" not in text
        assert "as drawn" in text
        assert "page" in text


def test_a_long_table_turns_the_page_and_keeps_its_rows_apart(tmp_path):
    paper = Paper(tmp_path / "long.pdf", "Long", "table")
    paper.table(("k", "words"), [(str(k), "some words that may wrap " * (1 + k % 4)) for k in range(120)], (1, 6))
    reader = PdfReader(paper.finish())
    assert len(reader.pages) > 2
    rows = [(page, y, text) for page, x, y, text in placed_words(tmp_path / "long.pdf") if text.isdigit() and x < 60]
    assert [int(text) for _, _, text in rows] == list(range(120))
    for (page_a, y_a, _), (page_b, y_b, _) in itertools.pairwise(rows):
        assert page_b > page_a or y_a - y_b > 8


def test_a_heading_moves_on_with_what_it_keeps(tmp_path):
    paper = Paper(tmp_path / "keep.pdf", "Keep", "together")
    for _ in range(36):
        paper.words("filling")
    paper.heading("Kept", keep=300)
    paper.finish()
    assert [page for page, _, _, text in placed_words(tmp_path / "keep.pdf") if text == "Kept"] == [2]


def test_a_paper_that_is_not_finished_leaves_no_file_of_its_name(tmp_path):
    paper = Paper(tmp_path / "x.pdf", "X", "x")
    paper.words("half done")
    assert not (tmp_path / "x.pdf").exists()
    paper.finish()
    assert (tmp_path / "x.pdf").exists()
