"""Tape readings and quantities, as makers type them."""

import re

import pytest
from hypothesis import given
from hypothesis import strategies as st

from bathyx.core.build.steps import steps
from bathyx.core.evaluate import evaluate
from bathyx.core.job import read_job
from bathyx.core.units import (
    Family,
    QuantityError,
    Reading,
    ReadingError,
    Said,
    kpa,
    litres,
    mm,
    parse_length,
    parse_quantity,
    show,
    worded,
)
from bathyx.demo import jobs
from tests.core.test_findings import CASES


@pytest.mark.parametrize(
    ("typed", "value"),
    [
        ("387", 387.0),
        ('15 1/4"', 387.35),
        ("4'-3 1/2\"", 1308.1),
        ("0.38 m", 380.0),
        ("38,5 cm", 385.0),
        ("15¼ in", 387.35),
        ("2 ft", 609.6),
        ("1' 6\"", 457.2),
        ("3/8 in", 9.525),
        ("15-1/4 inches", 387.35),
        ("12.5mm", 12.5),
        ("6 ft 2", 1879.6),
        ("15inches", 381.0),
        ("5feet", 1524.0),
        ("1 250 mm", 1250.0),
        ("+5", 5.0),
        ("15⅓ in", 389.4667),
        ("0,125 m", 125.0),
        (".5 m", 500.0),
        ("12 1/2 in", 317.5),
    ],
)
def test_a_tape_reading_becomes_millimetres(typed, value):
    assert parse_length(typed) == pytest.approx(value, abs=1e-4)


@pytest.mark.parametrize(
    ("typed", "hint"),
    [
        ("", "387"),
        ("abc", "387"),
        ("15 1/4", '15 1/4"'),
        ("-3", "above zero"),
        ("1/0 in", "zero"),
        ("3 in 4 mm", "feet and inches"),
        ("12 parsec", "length"),
        ("1,250 mm", "1250 or 1.25"),
        ("12,500", "12500 or 12.5"),
        ('15.5 1/2"', "both a decimal and a fraction"),
        ("5' 14\"", "6' 2"),
        ("5-", "hyphen"),
        ('15 5/4"', "a whole or more"),
    ],
)
def test_a_wrong_reading_says_what_would_be_right(typed, hint):
    with pytest.raises(ReadingError, match=hint.replace('"', '"')):
        parse_length(typed)


def test_a_reading_keeps_what_was_typed():
    reading = Reading.of('29 3/8"')
    assert (reading.typed, round(reading.mm, 3)) == ('29 3/8"', 746.125)
    assert Reading.model_validate_json(reading.model_dump_json()) == reading


@given(st.integers(1, 5000))
def test_inches_shown_are_read_back_within_half_a_sixteenth(size):
    assert parse_length(show(size, "length", Family.US)) == pytest.approx(size, abs=25.4 / 32 + 1e-6) or size < 1


@pytest.mark.parametrize(
    ("typed", "kind", "family", "value"),
    [
        ("100 gal", "volume", Family.METRIC, 378.5411784),
        ("100", "volume", Family.US, 378.5411784),
        ("5 psi", "pressure", Family.METRIC, 34.47378647),
        ("0.3 bar", "pressure", Family.US, 30.0),
        ("15 %", "share", Family.METRIC, 0.15),
        ("12,5", "mass", Family.METRIC, 12.5),
        ("90 min", "hours", Family.METRIC, 1.5),
        (".5 L", "volume", Family.METRIC, 0.5),
        ("100 lbs", "mass", Family.METRIC, 45.359237),
        ("1 250 L", "volume", Family.METRIC, 1250.0),
        ("250 cc", "volume", Family.US, 0.25),
        ("4 qt", "volume", Family.METRIC, 3.785411784),
        ("10 imp gal", "volume", Family.METRIC, 45.4609),
        ("+5", "mass", Family.METRIC, 5.0),
    ],
)
def test_a_quantity_is_read_in_the_family_or_with_its_own_unit(typed, kind, family, value):
    assert parse_quantity(typed, kind, family) == pytest.approx(value)


def test_a_wrong_unit_names_the_right_ones():
    with pytest.raises(QuantityError, match="kPa"):
        parse_quantity("3 apples", "pressure")


def test_both_families_show_the_same_volume():
    assert show(378.5411784, "volume", Family.US) == "100.00 US gal"
    assert show(378.5411784, "volume", Family.METRIC) == "378.5 L"


@pytest.mark.parametrize(
    ("metric", "us"),
    [
        ("5.3 L short of the brief; 17 mm more height", '1.40 US gal short of the brief; 21/32" more height'),
        ("left end (292 × 418 mm between welds)", '11 1/2" × 16 15/32" between welds)'),
        ("a 3 mm ring at 20.0 kPa", 'a 0.118" ring at 2.901 psi'),
        ("stores 1\u2009241 J, 79 MPa, 10.7 kg", "stores 915 ft·lbf, 11.5 ksi, 23.6 lb"),
        ("0.210 L/mm and 12 mm² stay", "0.210 L/mm and 12 mm² stay"),
        ("3.1 L/h", "0.819 US gal/h"),
        ("9 mm of flat", '11/32" of flat'),
        ("12.0 m in 3 seams", "39.4 ft in 3 seams"),
    ],
)
def test_a_sentence_is_read_in_inches_and_gallons(metric, us):
    assert worded(metric, Family.METRIC) == metric
    assert us in worded(metric, Family.US)


@pytest.mark.parametrize(
    ("typed", "kind", "value"),
    [
        ("2 Imp. gal", "volume", 9.09218),
        ("16 fl oz", "volume", 0.473176473),
        ("1 ft3", "volume", 28.316846592),
        ("29.92 inHg", "pressure", 101.325),  # the standard atmosphere
        ("10 inH2O", "pressure", 2.49082),
    ],
)
def test_units_as_they_stand_on_gauges_and_cans_are_read(typed, kind, value):
    """NIST SP 811, appendix B.8."""
    assert parse_quantity(typed, kind) == pytest.approx(value, rel=2e-4)


@pytest.mark.parametrize("typed", ["1.250 mm", "12.500mm"])
def test_a_point_before_three_digits_of_a_millimetre_is_asked_about(typed):
    with pytest.raises(ReadingError, match="may be") as told:
        parse_length(typed)
    whole, few = str(told.value).rpartition("write ")[2].split(" or ")
    assert parse_length(whole) == 1000 * parse_length(few)  # what it says would be right is right
    assert parse_length("0.250 mm") == 0.25
    assert parse_length("1.250 m") == 1250
    assert parse_length('1.250"') == pytest.approx(31.75)


def test_a_reading_that_was_kept_with_thousandths_is_still_read():
    job = jobs.trolley()
    kept = job.to_json().replace('29 3/8\\"', "746.125 mm")
    assert kept != job.to_json()
    assert read_job(kept).space.width.mm == 746.125
    with pytest.raises(ReadingError, match="may be"):
        Reading.of("746.125 mm")  # typed anew it is asked about


@pytest.mark.parametrize("typed", ["1,250 L", "1,250", "12,000.5 L"])
def test_a_comma_before_three_digits_is_asked_about_in_quantities_too(typed):
    with pytest.raises(QuantityError, match="may be"):
        parse_quantity(typed, "volume")


def test_a_sentence_holds_its_quantities():
    said = Said(f"only {mm(9)} of {mm(1250)}, at {kpa(21)} in {litres(3.785411784, 2)} and {mm(2.5, None)} sheet")
    assert said == "only 9 mm of 1\u2009250 mm, at 21.0 kPa in 3.79 L and 2.5 mm sheet"
    assert worded(said, Family.US) == 'only 11/32" of 49 7/32", at 3.046 psi in 1.00 US gal and 0.098" sheet'
    assert worded(said, Family.METRIC) == said
    assert Said(said) is said
    assert worded(said + Said(f" by {mm(100)}"), Family.US).endswith('3 15/16"')


def test_every_finding_step_and_working_reads_in_inches_without_a_metric_length_left():
    for e in [*(evaluate(make()) for make in jobs.ALL.values()), *(evaluate(make()) for _, _, make, _ in CASES[:24])]:
        texts = [t for f in e.findings for t in (f.message, f.figure, f.limit, f.remedy.label if f.remedy else "")]
        texts += [t for s in steps(e) for t in (s.title, s.detail)]
        r = e.results
        texts += [f.explain() for f in (r.capacity.net, r.weight.dry, r.strength.bears, r.longest_bay)]
        for text in texts:
            plain, us = worded(text, Family.METRIC), worded(text, Family.US)
            assert "\ue000" not in plain + us, text
            spoken = us.split("Source:")[0].split("\n")
            assert not any(
                re.search(r"\d (?:mm|kPa|kg)(?![\w/²³])", line) for line in spoken if "Here" in line or len(spoken) == 1
            ), us
