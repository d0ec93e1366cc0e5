"""What is read and what is aimed at stands out from what it stands on: WCAG 2.1, 1.4.3 and 1.4.11, from memory."""

import pytest

from bathyx.core.evaluate import evaluate
from bathyx.core.units import Family
from bathyx.demo import jobs
from bathyx.draft.palette import DARK, LIGHT
from bathyx.draft.picture import Label
from bathyx.draft.seam_view import SIGNS, seam_view
from bathyx.draft.solid_view import Eye, Show, solid_view

READ = ("ink", "quiet", "thin", "accent", "brass", "go", "stop", "warn", "note", "dim")
DRAWN = ("hole", "bend up", "bend down", "mark", "baffle line")
GROUNDS = ("paper", "bench", "card")
# Machado, Oliveira and Fernandes (2009), severity 1, from memory: rows of red, green and blue as they are seen.
SEEN = {
    "protan": ((0.152, 1.053, -0.205), (0.115, 0.786, 0.099), (-0.004, -0.048, 1.052)),
    "deutan": ((0.367, 0.861, -0.228), (0.280, 0.673, 0.047), (-0.012, 0.043, 0.969)),
    "tritan": ((1.256, -0.077, -0.179), (-0.078, 0.931, 0.148), (0.005, 0.691, 0.304)),
}


def linear(colour):
    found = [int(colour[k : k + 2], 16) / 255 for k in (1, 3, 5)]
    return [c / 12.92 if c <= 0.03928 else ((c + 0.055) / 1.055) ** 2.4 for c in found]


def light(rgb):
    return 0.2126 * rgb[0] + 0.7152 * rgb[1] + 0.0722 * rgb[2]


def contrast(a, b):
    high, low = sorted((light(linear(a)), light(linear(b))), reverse=True)
    return (high + 0.05) / (low + 0.05)


@pytest.mark.parametrize("theme", [LIGHT, DARK], ids=["light", "dark"])
@pytest.mark.parametrize("ground", GROUNDS)
def test_words_have_a_contrast_of_four_and_a_half_and_borders_of_three(theme, ground):
    assert contrast("#000000", "#FFFFFF") == pytest.approx(21)
    for ink in READ:
        assert contrast(theme[ink], theme[ground]) >= 4.5, (ink, ground, contrast(theme[ink], theme[ground]))
    assert contrast(theme["edge"], theme[ground]) >= 3, contrast(theme["edge"], theme[ground])
    for ink in DRAWN:
        assert contrast(theme[ink], theme["sheet"]) >= 4.5, (ink, contrast(theme[ink], theme["sheet"]))
    assert contrast(theme["accent ink"], theme["accent"]) >= 4.5
    for state in SIGNS:
        assert contrast(theme["paper"], theme[f"seam {state}"]) >= 4.5


@pytest.mark.parametrize("kind", SEEN)
@pytest.mark.parametrize("theme", [LIGHT, DARK], ids=["light", "dark"])
def test_states_of_seams_are_told_without_colours(theme, kind):
    """A leak stands out from a sound weld to every eye, and what colours no longer tell, letters do."""
    assert len(set(SIGNS.values())) == len(SIGNS)

    def seen(ink):
        rgb = linear(theme[ink])
        return [sum(a * b for a, b in zip(row, rgb, strict=True)) for row in SEEN[kind]]

    apart = sum((a - b) ** 2 for a, b in zip(seen("seam leaks"), seen("seam welded"), strict=True)) ** 0.5
    assert apart > 0.08


def test_every_view_of_seams_says_their_state():
    e = evaluate(jobs.trolley())
    states = {s.id: state for s, state in zip(e.results.seams, (*SIGNS, *SIGNS, *SIGNS, *SIGNS, *SIGNS), strict=False)}
    for picture in (seam_view(e, Family.METRIC, states), solid_view(e, Family.METRIC, Eye(), Show(None, states))):
        said = {
            item.tag.removeprefix("seam:"): item.text
            for item in picture.items
            if isinstance(item, Label) and item.tag[:5] == "seam:"
        }
        assert len(said) >= 4
        for seam, text in said.items():
            assert text == seam + SIGNS[states.get(seam, "open")]
