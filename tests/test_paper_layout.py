"""On paper nothing runs off the sheet, headings keep what belongs under them, and long tables turn the page."""

import itertools

import pytest
from pypdf import PdfReader

from bathyx.core.evaluate import evaluate
from bathyx.core.units import Family
from bathyx.demo import jobs
from bathyx.demo.seed import build_and_prove
from bathyx.papers.export import export_all
from bathyx.papers.sheet_of_paper import Paper
from bathyx.register import JobRecord, Register

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


@pytest.mark.parametrize("name", jobs.ALL)
@pytest.mark.parametrize("units", Family)
def test_nothing_is_written_off_the_sheet(tmp_path, name, units):
    register = Register(tmp_path / "r.sqlite")
    job = jobs.ALL[name]()
    build_and_prove(register, job, "S1")
    record = JobRecord.of(register.entries(job.uid))
    (tmp_path / "out").mkdir()
    for path in export_all(evaluate(job), tmp_path / "out", units, record, register.serial(job.uid)):
        if path.suffix == ".pdf":
            words = placed_words(path)
            assert len(words) > 20
            for page, x, y, text in words:
                assert 5 < x < WIDTH - 15, (path.name, page, text)
                assert 15 < y < HEIGHT - 15, (path.name, page, text)
    register.close()


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
    while paper.y > 200:
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
