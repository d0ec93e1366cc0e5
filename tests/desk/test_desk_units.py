"""In US nothing on the desk is said in metric, in metric nothing in US: labels, hints, tips, lists, drawings."""

import re

import pytest
from PyQt6.QtWidgets import QComboBox, QLineEdit, QWidget

from bathyx.core.units import Family
from bathyx.desk.views.fields import Field, Fold
from bathyx.draft.picture import Dim, Label
from tests.test_one_family import METRIC, PLATE, US

LABEL_METRIC = re.compile(METRIC.pattern + r"|(?<![\w/])(?:mm|mL|kPa|°C|kg|mL/min|L/min|L/h|MPa)(?![\w/])")
LABEL_US = re.compile(US.pattern + r"|(?<![\w/])(?:psi|cu in/min|°F|US gal|inHg|lb)(?![\w/])")
BOTH = (
    "mm/in",  # the button that turns them
    "units",
    "inches",  # how a shop's inches read, with an example each
    "Type it as the tape says it",  # shows both ways of typing
)


def said(root):
    """(Who, where, words) of every visible part."""
    for part in root.findChildren(QWidget):
        if not part.isVisible():
            continue
        if isinstance(part.parent(), Field) and part.parent().kind == "reading" and isinstance(part, QLineEdit):
            continue  # as the tape said it, whatever is looked at now
        for name in ("text", "placeholderText", "toolTip", "accessibleName", "accessibleDescription"):
            read = getattr(part, name, None)
            words = read() if callable(read) else None
            if isinstance(words, str) and words:
                yield part.objectName() or type(part).__name__, name, re.sub(r"<[^>]+>", " ", words)
        if isinstance(part, QComboBox):
            for k in range(part.count()):
                yield part.objectName(), "item", part.itemText(k)


def wrong(window, pattern):
    found = []
    for who, where, words in said(window):
        if any(both in words or both == who for both in BOTH) or (
            who == "tile Brief" and where == "accessibleDescription"
        ):
            continue  # the brief's litres are said both ways on its tile
        found += [(who, where, m.group(), words[:120]) for m in pattern.finditer(PLATE.sub("", words))]
    for canvas in (window.flat, window.solid):
        for item in canvas.picture.items:
            if isinstance(item, Label | Dim) and "(" not in item.text:  # the plate has both, one in brackets
                found += [("drawing", type(item).__name__, m.group(), item.text) for m in pattern.finditer(item.text)]
    return found


@pytest.mark.parametrize(
    ("job", "units"),
    [
        ("trolley", Family.US),
        ("sawmill", Family.US_DECIMAL),
        ("barge", Family.US),
        ("dairy", Family.METRIC),
        ("punt", Family.US),
        ("orchard", Family.US),
    ],
)
def test_nothing_on_the_desk_is_said_in_the_other_family(window, qtbot, job, units):
    window.bench.open(window.home / "jobs" / f"{job}.bathyx.json")
    if units.us:
        window.bench.choose_inches(units)
        window.bench.turn_units()
    assert window.bench.units.us == units.us
    for stage in range(8):
        window.choose(stage)
        qtbot.wait(30)
        for fold in window.stage.card.findChildren(Fold):
            if fold.isVisible():
                fold.turn.click()
        qtbot.wait(30)
        found = wrong(window, LABEL_METRIC if units.us else LABEL_US)
        assert not found, (stage, found)
