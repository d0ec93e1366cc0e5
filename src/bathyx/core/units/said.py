"""Quantities inside a sentence: written once, read in either unit family.

`f"only {mm(12.4)} apart"` holds the quantity itself, not its metric figure. `Said` is what a sentence becomes where it
is kept (a finding, a step, a working): as a string it is metric, and `in_family` renders it for the family in force.
"""

from __future__ import annotations

import re

from bathyx.core.units.quantity import Family, show

_OPEN, _CLOSE = "\ue000", "\ue001"  # private use: they never stand in a text that a person typed
_TOKEN = re.compile(f"{_OPEN}([a-z]+)\\|([^|{_CLOSE}]+)\\|([0-9]*){_CLOSE}")


def _token(value: float, kind: str, places: int | None) -> str:
    return f"{_OPEN}{kind}|{float(value)!r}|{'' if places is None else places}{_CLOSE}"


def mm(value: float, places: int | None = 0) -> str:
    """A length in mm; `places` are the metric decimals, None as many as it has."""
    return _token(value, "length", places)


def thick(value: float) -> str:
    """A thickness, a radius or a diameter of wire in mm."""
    return _token(value, "thickness", None)


def kpa(value: float, places: int | None = 1) -> str:
    """A pressure in kPa."""
    return _token(value, "pressure", places)


def litres(value: float, places: int | None = 1) -> str:
    """A volume in L."""
    return _token(value, "volume", places)


def kilos(value: float, places: int | None = 1) -> str:
    """A mass in kg."""
    return _token(value, "mass", places)


def megapascals(value: float, places: int | None = 0) -> str:
    """A stress in MPa."""
    return _token(value, "stress", places)


def celsius(value: float) -> str:
    """A temperature in °C, not a difference of two."""
    return _token(value, "temperature", 0)


def joules(value: float, places: int | None = 0) -> str:
    """An energy in J."""
    return _token(value, "energy", places)


def leakage(value: float, places: int | None = 2) -> str:
    """A leak in mL/min."""
    return _token(value, "leak", places)


def newtons(value: float, places: int | None = 0) -> str:
    """A force in N."""
    return _token(value, "force", places)


def a_kilo(value: float) -> str:
    """Money for a kilogram, without its currency."""
    return _token(value, "permass", 2)


class Said(str):
    """A sentence with its quantities; as a string it reads in metric."""

    template: str

    def __new__(cls, text: str) -> Said:
        """Of a text with quantities in it, or of plain text; a Said stays what it is."""
        if isinstance(text, Said):
            return text
        made = super().__new__(cls, _rendered(text, Family.METRIC))
        made.template = text
        return made

    @property
    def holds_quantities(self) -> bool:
        """Whether there is a quantity in it to render."""
        return _OPEN in self.template

    def in_family(self, family: Family) -> str:
        """The sentence in a unit family."""
        return _rendered(self.template, family)

    def __add__(self, other: str) -> Said:
        """Sentences joined keep their quantities."""
        return Said(self.template + (other.template if isinstance(other, Said) else other))

    def __reduce__(self) -> tuple[type[Said], tuple[str]]:
        return Said, (self.template,)


def _rendered(text: str, family: Family) -> str:
    return _TOKEN.sub(lambda m: _shown(m.group(1), float(m.group(2)), m.group(3), family), text)


def _shown(kind: str, value: float, places: str, family: Family) -> str:
    if not family.us:
        if places:
            return show(value, kind, family, places=int(places))
        unit = show(0.0, kind, family).lstrip("0.")
        return f"{value:g}{unit}"
    return show(value, kind, family)
