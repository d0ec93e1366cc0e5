"""The docs say what the code says, and the tables name their sources."""

import json
import re
import subprocess
from pathlib import Path

import pytest

from bathyx.core.formula import Figure, formula, ledger
from bathyx.core.job import schema
from bathyx.core.material import fluids, materials
from bathyx.papers.numbers import numbers_page

ROOT = Path(__file__).parent.parent


def test_numbers_page_is_current():
    assert (ROOT / "docs/numbers.md").read_text("utf-8") == numbers_page(), "run `make docs`"


def test_published_schema_is_current():
    assert json.loads((ROOT / "docs/job.schema.json").read_text("utf-8")) == schema(), "run `make docs`"


@pytest.mark.parametrize("entry", ledger(), ids=lambda f: f.key)
def test_every_formula_is_sourced_and_held_by_a_test_that_exists(entry):
    for words in (entry.title, entry.expression, entry.source, entry.valid, entry.tolerance):
        assert words.strip()
    named = re.findall(r"tests/[\w/]+\.py", entry.check)
    assert named
    for path in named:
        assert (ROOT / path).is_file(), path


def test_every_row_of_the_tables_has_a_source():
    for row in (*materials().values(), *fluids().values()):
        assert len(row.source) > 20, row.key


def test_the_readme_links_every_screenshot_and_they_are_few():
    readme = (ROOT / "README.md").read_text("utf-8")
    shots = sorted((ROOT / "docs/screenshots").glob("*.png"))
    assert 8 <= len(shots) < 20
    for shot in shots:
        assert f"docs/screenshots/{shot.name}" in readme, shot.name


def test_every_module_opens_by_saying_what_it_is_about():
    for path in (ROOT / "src").rglob("*.py"):
        assert path.read_text("utf-8").startswith('"""'), path


def test_only_the_desk_knows_qt():
    found = subprocess.run(
        ["grep", "-rlE", r"^\s*(from|import) PyQt6", str(ROOT / "src/bathyx")],
        capture_output=True,
        text=True,
        check=False,
    ).stdout.split()
    assert found
    assert all("/desk/" in path for path in found)


def test_a_formula_key_is_used_once():
    keys = [f.key for f in ledger()]
    assert len(set(keys)) == len(keys) > 15
    first = ledger()[0]
    with pytest.raises(ValueError, match="declared twice"):
        formula(first.key, "other", "x", source="x", valid="x", check="x", tolerance="x")


def test_a_figure_explains_with_this_jobs_numbers_or_without():
    plain = Figure("A", 1.0, "volume", ledger()[0])
    assert "Here:" not in plain.explain()
    assert "Here: 2 × 3" in Figure("A", 6.0, "volume", ledger()[0], "2 × 3").explain()
