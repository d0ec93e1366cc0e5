"""In US nothing is said in metric, and in metric nothing in US: not by a paper, a finding, a step, a figure's working or a tile."""

import re
from dataclasses import is_dataclass

import pytest
from pypdf import PdfReader

from bathyx.core.build.day_before import needs
from bathyx.core.build.steps import steps
from bathyx.core.evaluate import CHAIN, evaluate
from bathyx.core.formula import Figure
from bathyx.core.laminate import LayUp, PanelLayUp
from bathyx.core.propose.begin import Asked, begun
from bathyx.core.results import Results
from bathyx.core.units import Family, show, worded
from bathyx.demo import jobs
from bathyx.papers.export import export_all
from bathyx.papers.page.stationery import Stationery

METRIC = re.compile(
    r"(?:\d[\s\u2009]?(?:mm|cm|mL|kg|kPa|bar|mbar|MPa|°C|mL/min|L/h|L/mm|litres?|m²|m³)|\d[\s\u2009](?:m|L|l|g|J))(?![\w/²³])"
    r"|[øR] ?\d+(?:\.\d+)?(?![\d./]*\")(?! \d+/\d+\")(?![\dA-Za-z.])"
)
US = re.compile(r"\d[\s\u2009]?(?:in|ft|lb|psi|US gal|cu in/min|°F|ft·lbf|sq ft|ksi)(?![\w-])|\d\"")
BOTH = ("dip-table.pdf",)  # has a column for each, and says so in its head
# What is read wherever the tank goes has both.
PLATE = re.compile(r"[\d.]+ (?:L|kPa|mm)[^()]{0,40}(?:\([^)]*\)[^()]{0,20})?\([\d. ]+(?:US gal|psi|\")[^)]*\)")


def mixed(text, pattern):
    text = PLATE.sub("", " ".join(text.split()))
    return [text[max(0, m.start() - 25) : m.end() + 12] for m in pattern.finditer(text)]


def _lidded():
    job = begun(Asked("free", "profile", "fresh_water", 180.0, making="plastic"))
    around = [x.edge.id for x in evaluate(job).results.roles if "top" in (x.edge.a, x.edge.b)]
    bolts = {"role": "weld", "joint": "bolted", "over": "top", "past_mm": 20.0, "gap_mm": 1.0}
    edges = [{"edge": edge, **bolts} for edge in around]
    return job.edited_many({"makeup.edges": edges, "makeup.lid": {"pitch_mm": 90.0}, "makeup.weld_process": "fusion"})


def _plies():
    job = begun(Asked("free", "profile", "diesel", 80.0, making="cored"))
    rows = [
        PanelLayUp.like(face, LayUp.preset(name)).model_dump() for face, name in (("top", "baffle"), ("baffles", "lid"))
    ]
    return job.edited_many({"panel_layups": rows, "donors": [{"part": "neck", "held": "petrol"}]})


def _rolled():
    job = begun(Asked("free", "halves", "diesel", 15.0, making="roller"))
    return job.edited_many({"tank.flange_mm": 9.0, "tank.corner_mm": 34.0, "tank.floor_mm": 20.0})


MADE = {"lidded": _lidded, "plies": _plies, "rolled": _rolled}
EVERY = {**jobs.ALL, **MADE}
CASES = [(name, Family.US) for name in jobs.ALL]
CASES += [(name, Family.US) for name in MADE]
CASES += [
    ("trolley", Family.METRIC),
    ("vineyard", Family.METRIC),
    ("dairy", Family.METRIC),
    ("sawmill", Family.US_DECIMAL),
]


@pytest.mark.parametrize(("name", "units"), CASES)
def test_no_paper_mixes_units(tmp_path, name, units):
    e = evaluate(EVERY[name]())
    for path in export_all(e, tmp_path, units, on=Stationery("letter" if units.us else "a4")):
        if path.suffix == ".pdf" and path.name not in BOTH:
            for page in PdfReader(path).pages:
                text = page.extract_text()
                assert not mixed(text, METRIC if units.us else US), (path.name, text)


@pytest.mark.parametrize("name", EVERY)
def test_no_finding_step_or_need_mixes_units(name):
    e = evaluate(EVERY[name]())
    for units, wrong in ((Family.US, METRIC), (Family.METRIC, US)):
        said = [worded(x, units) for f in e.findings for x in (f.message, f.figure, f.limit, f.rule)]
        said += [worded(f.remedy.label, units) for f in e.findings if f.remedy is not None]
        said += [worded(x, units) for s in steps(e) for x in (s.title, s.detail, s.caution)]
        said += [need.said(units) for need in needs(e)]
        for text in said:
            assert not mixed(text, wrong), text


DECIMAL = re.compile(r"(?<![\w.,/²³(])\d+\.\d+(?![\w./²³])")  # in brackets stand numbers of alloys


def figures(of, deep=0):
    """Every figure of results that explains itself."""
    steps_of = CHAIN if isinstance(of, Results) else ()
    for name in sorted({*steps_of, *vars(of), *dir(type(of))}) if hasattr(of, "__dict__") else ():
        if name.startswith("_"):
            continue
        value = getattr(of, name, None)
        if isinstance(value, Figure):
            yield value
        elif is_dataclass(value) and not isinstance(value, type) and deep < 1 and name != "shell":
            yield from figures(value, deep + 1)


@pytest.mark.parametrize("name", jobs.ALL)
def test_the_working_of_a_figure_has_no_number_that_stays_as_it_is(name):
    """81.57 − 4.08 − 2.48 = 19.82 US gal is wrong, though no unit in it is."""
    found = {f.label: f for f in figures(evaluate(jobs.ALL[name]()).results)}
    assert {"Usable", "Net", "Weld", "Dry"} <= set(found)
    for label, figure in found.items():
        metric, us = (worded(figure.working, units) for units in (Family.METRIC, Family.US_DECIMAL))
        if not US.search(us) or figure.kind == "money":  # a sum stays what it is
            continue
        for m in DECIMAL.finditer(us):
            times = us[m.end() :].startswith((" min", " h", "°", "%", " g")) or us[: m.start()].endswith(("× ", "× ("))
            assert times or float(m.group()) == 0 or m.group() not in DECIMAL.findall(metric), (label, us, m.group())


def test_a_length_reads_alike_wherever_it_is_said():
    for mm in (0.0, 0.8, 3.0, 6.3, 6.4, 42.3, 387.35, 671.0):
        for units in (Family.US, Family.US_DECIMAL):
            assert show(mm, "length", units) == show(mm, "length", units, places=1) == worded(f"{mm:g} mm", units)
    assert show(42.3, "length", Family.US) == '1 21/32"'
    assert show(42.3, "length", Family.US_DECIMAL) == '1.665"'
    assert worded("100 to 200 mm", Family.US) == '3 15/16" to 7 7/8"'
    assert worded("between 172 and 14 mL/min", Family.US) == "between 10.496 and 0.854 cu in/min"
    assert worded("in bays 2 and 450 mm apart", Family.US) == 'in bays 2 and 17 23/32" apart'
    assert worded("660 × 940 mm", Family.US) == '25 31/32" × 37"'
