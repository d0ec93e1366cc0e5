"""Shortening a built tank: the strip, the kerf, and what it then holds."""

import json

import pytest

from bathyx.cli.main import main
from bathyx.core.build.rejoin import KERFS, rejoined
from bathyx.core.evaluate import evaluate
from bathyx.errors import Refusal
from bathyx.papers.templates import grain_of
from tests.conftest import job_with


def test_with_shears_six_millimetres_go_with_the_cut():
    """Common practice: a tank cut in two and rejoined loses about 6 mm with shears."""
    assert KERFS["shears"] == 6.0
    found = rejoined(job_with(), "length", 50.0, KERFS["shears"])
    assert (found.strip_mm, found.changes) == (44.0, {"tank.length_mm": 250.0})
    assert rejoined(job_with(), "length", 6.0, 6.0).strip_mm == 0.0
    for way, by, words in (
        ("length", 3.0, "what the cut takes"),
        ("depth", 50.0, "length, width, height"),
        ("length", 299.0, "too little"),
    ):
        with pytest.raises(Refusal, match=words):
            rejoined(job_with(), way, by, 6.0)


def test_the_command_says_the_strip_the_litres_and_the_caution(tmp_path, capsys):
    path = tmp_path / "a.json"
    path.write_text(job_with().to_json())
    assert main(["shorten", str(path), "--by", "50", "--tool", "disc"]) == 0
    said = json.loads(capsys.readouterr().out)
    assert said["strip_to_cut_out_mm"] == 48.5
    assert said["usable_l_before"] - said["usable_l_after"] == pytest.approx(50 * 400 * 200 / 1e6 * 0.95, rel=0.05)
    assert "vapour" in said["caution"]
    assert main(["shorten", str(path), "--by", "1"]) != 0


def test_the_grain_lies_across_the_bends():
    blanks = evaluate(job_with(makeup__school="two_l", inside__baffles__by_rule=False)).results.blanks
    bent = next(b for b in blanks if b.bends)
    line = bent.bends[0].end - bent.bends[0].start
    assert grain_of(bent)[0] @ line == pytest.approx(0.0, abs=1e-9)
    assert "the line is the grain" in grain_of(next(b for b in blanks if not b.bends))[1]
