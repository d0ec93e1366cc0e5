"""Showing and reading quantities in either unit family. Values inside Bathyx stay in mm, L, kg, kPa, degC."""

from __future__ import annotations

import re
from dataclasses import dataclass
from enum import StrEnum
from fractions import Fraction
from typing import TYPE_CHECKING, TypeVar

from bathyx.core.units.reading import MM_PER_INCH, parse_length, plain_number
from bathyx.core.units.typed import tidy
from bathyx.errors import Refusal

if TYPE_CHECKING:
    import numpy as np

Amount = TypeVar("Amount", float, "np.ndarray[tuple[int, ...], np.dtype[np.float64]]")

L_PER_US_GAL = 3.785411784  # exact: 231 cubic inches, NIST Handbook 44 appendix C
L_PER_IMP_GAL = 4.54609  # exact: UK Weights and Measures Act 1985
KG_PER_LB = 0.45359237  # exact
KPA_PER_PSI = 6.894757293168361
KPA_PER_INHG = 3.386389  # conventional, mercury at 0 °C; NIST SP 811, appendix B.8
KPA_PER_INH2O = 0.249082  # water at 4 °C; the same


class Family(StrEnum):
    """The unit family a maker looks at; both are always a key press away. In US a shop says how its inches read."""

    METRIC = "metric"
    US = "us"  # inches in fractions to 1/32
    US_DECIMAL = "us-decimal"  # inches to 0.001

    @property
    def us(self) -> bool:
        """Whether inches, pounds and gallons are looked at."""
        return self is not Family.METRIC


class QuantityError(Refusal):
    """A typed quantity that cannot be read; the message says what would be."""


@dataclass(frozen=True)
class Unit:
    """A display unit: `size` base units make one of it; `places` decimals are shown. Temperatures also have another zero."""

    sign: str
    size: float
    places: int


@dataclass(frozen=True)
class Kind:
    """One kind of quantity with its display unit in each family and other spellings it accepts."""

    metric: Unit
    us: Unit
    others: tuple[tuple[str, float], ...] = ()


KINDS: dict[str, Kind] = {
    "length": Kind(Unit("mm", 1, 0), Unit("in", MM_PER_INCH, 2)),
    "cut": Kind(Unit("mm", 1, 1), Unit("in", MM_PER_INCH, 3)),
    "thickness": Kind(Unit("mm", 1, 2), Unit("in", MM_PER_INCH, 3)),
    "small": Kind(Unit("mm", 1, 1), Unit("in", MM_PER_INCH, 3)),
    "weld": Kind(Unit("m", 1000, 2), Unit("ft", 12 * MM_PER_INCH, 1)),
    "volume": Kind(
        Unit("L", 1, 1),
        Unit("US gal", L_PER_US_GAL, 2),
        (
            ("l", 1),
            ("litre", 1),
            ("litres", 1),
            ("liter", 1),
            ("liters", 1),
            ("ml", 0.001),
            ("gal", L_PER_US_GAL),
            ("gallon", L_PER_US_GAL),
            ("gallons", L_PER_US_GAL),
            ("us gallons", L_PER_US_GAL),
            ("imp gal", L_PER_IMP_GAL),
            ("imp. gal", L_PER_IMP_GAL),
            ("imp. gal.", L_PER_IMP_GAL),
            ("fl oz", L_PER_US_GAL / 128),
            ("fl. oz.", L_PER_US_GAL / 128),
            ("ft3", 28.316846592),
            ("ft³", 28.316846592),
            ("in3", 0.016387064),
            ("imperial gallons", L_PER_IMP_GAL),
            ("uk gal", L_PER_IMP_GAL),
            ("usg", L_PER_US_GAL),
            ("cc", 0.001),
            ("cm3", 0.001),
            ("cl", 0.01),
            ("dl", 0.1),
            ("m3", 1000),
            ("m³", 1000),
            ("qt", L_PER_US_GAL / 4),
            ("quart", L_PER_US_GAL / 4),
            ("quarts", L_PER_US_GAL / 4),
            ("pt", L_PER_US_GAL / 8),
            ("cu in", 0.016387064),
            ("cu ft", 28.316846592),
        ),
    ),
    "mass": Kind(
        Unit("kg", 1, 1),
        Unit("lb", KG_PER_LB, 1),
        (("lbs", KG_PER_LB), ("pounds", KG_PER_LB), ("g", 0.001), ("t", 1000)),
    ),
    "pressure": Kind(
        Unit("kPa", 1, 2),
        Unit("psi", KPA_PER_PSI, 3),
        (
            ("bar", 100),
            ("mbar", 0.1),
            ("hpa", 0.1),
            ("pa", 0.001),
            ("psig", KPA_PER_PSI),
            ("mpa", 1000),
            ("inhg", KPA_PER_INHG),
            ("inh2o", KPA_PER_INH2O),
        ),
    ),
    "barometer": Kind(
        Unit("kPa", 1, 1), Unit("inHg", KPA_PER_INHG, 2), (("hpa", 0.1), ("mbar", 0.1), ("psi", KPA_PER_PSI))
    ),
    "stress": Kind(Unit("MPa", 1, 0), Unit("ksi", 6.894757293168361, 1)),
    "area": Kind(Unit("m²", 1e6, 3), Unit("sq ft", (12 * MM_PER_INCH) ** 2, 2)),
    "energy": Kind(Unit("J", 1, 0), Unit("ft·lbf", 1.3558179483314004, 0)),
    "force": Kind(Unit("N", 1, 0), Unit("lbf", 4.4482216152605, 0)),
    "permass": Kind(Unit("per kg", 1, 2), Unit("per lb", 1 / KG_PER_LB, 2)),
    "rate": Kind(Unit("L/h", 1, 2), Unit("US gal/h", L_PER_US_GAL, 3), (("l/h", 1), ("gal/h", L_PER_US_GAL))),
    "leak": Kind(Unit("mL/min", 1, 2), Unit("cu in/min", 16.387064, 3)),
    "time": Kind(Unit("min", 60, 1), Unit("min", 60, 1), (("s", 1), ("sec", 1), ("h", 3600))),
    "hours": Kind(Unit("h", 1, 1), Unit("h", 1, 1), (("min", 1 / 60),)),
    "temperature": Kind(Unit("°C", 1, 0), Unit("°F", 5 / 9, 0), (("c", 1), ("f", 5 / 9))),
    "warming": Kind(Unit("K", 1, 0), Unit("°F", 5 / 9, 0), (("°c", 1), ("f", 5 / 9))),
    "flow": Kind(
        Unit("L/min", 1, 1), Unit("US gal/min", L_PER_US_GAL, 2), (("gal/min", L_PER_US_GAL), ("gpm", L_PER_US_GAL))
    ),
    "dose": Kind(Unit("mL", 1, 0), Unit("cu in", 16.387064, 2), (("cc", 1), ("fl oz", 29.5735295625))),
    "angle": Kind(Unit("°", 1, 1), Unit("°", 1, 1), (("deg", 1),)),
    "share": Kind(Unit("%", 0.01, 1), Unit("%", 0.01, 1)),
    "litres_per_mm": Kind(Unit("L/mm", 1, 3), Unit("US gal/in", L_PER_US_GAL / MM_PER_INCH, 2)),
    "accel": Kind(Unit("g", 1, 2), Unit("g", 1, 2)),
    "money": Kind(Unit("¤", 1, 2), Unit("¤", 1, 2)),
    "count": Kind(Unit("", 1, 0), Unit("", 1, 0)),
}


def unit_of(kind: str, family: Family) -> Unit:
    """The display unit of `kind` in `family`; KeyError for an unknown kind."""
    entry = KINDS[kind]
    return entry.us if family.us else entry.metric


LENGTHS, FINE = ("length", "cut", "small", "thickness"), ("small", "thickness")
FRACTION, LEAST_FRACTION_MM = 32, MM_PER_INCH / 4


def shown_inches(mm: float, kind: str, family: Family) -> str:
    """The one rule by which a length reads in inches: thicknesses, radii and what is under 1/4 in to 0.001, all else as the shop
    says, in fractions to 1/32 or to 0.001.

    Args:
        mm: the length.
        kind: length, cut, small or thickness.
        family: US with fractions or with decimals.

    >>> shown_inches(42.3, "length", Family.US), shown_inches(3, "length", Family.US), shown_inches(3, "cut", Family.US_DECIMAL)
    ('1 21/32"', '0.118"', '0.118"')
    """
    if abs(mm) < 5e-4 * MM_PER_INCH:
        return '0"'
    if family is Family.US_DECIMAL or kind in FINE or abs(mm) < LEAST_FRACTION_MM:
        return f'{mm / MM_PER_INCH:.3f}"'
    return inches(mm)


def inches(mm: float, denominator: int = FRACTION) -> str:
    """A length as a tape shows it: whole inches and a fraction to the nearest 1/`denominator`."""
    ticks = round(abs(mm) / MM_PER_INCH * denominator)
    whole, part = divmod(ticks, denominator)
    fraction = f"{Fraction(part, denominator)}" if part else ""
    sign = "-" if mm < 0 and ticks else ""
    return f'{sign}{whole} {fraction}"' if whole and fraction else f'{sign}{fraction or whole}"'


def displayed(value: Amount, kind: str, family: Family = Family.METRIC) -> Amount:
    """A value as it counts in the display unit, unrounded; an array of them alike.

    >>> displayed(20.0, "temperature", Family.US), displayed(101.325, "pressure")
    (68.0, 101.325)
    """
    chosen = unit_of(kind, family)
    return value / chosen.size + (ZEROS.get(chosen.sign.lower(), 0.0) if kind == "temperature" else 0.0)


def show(
    value: float, kind: str, family: Family = Family.METRIC, *, places: int | None = None, unit: bool = True
) -> str:
    """A quantity for reading: lengths in inches by `shown_inches`, everything else in decimals with its unit.

    Args:
        value: in base units (mm, L, kg, kPa …).
        kind: one of `KINDS`.
        family: metric or US.
        places: decimals; the kind's own unless given; of no meaning for inches.
        unit: whether the unit stands beside it; inches always have their mark.

    >>> show(387.35, "length", Family.US), show(75.0, "volume"), show(75.0, "volume", Family.US)
    ('15 1/4"', '75.0 L', '19.81 US gal')
    """
    if kind in LENGTHS and family.us:
        return shown_inches(value, kind, family)
    chosen = unit_of(kind, family)
    digits = chosen.places if places is None else places
    number = f"{displayed(value, kind, family):,.{digits}f}".replace(",", "\u2009")
    if kind == "thickness" and places is None:
        number = number.rstrip("0").rstrip(".")
    if number.strip("-0.") == "" and number.startswith("-"):
        number = number[1:]
    if not unit or not chosen.sign:
        return number
    gap = "" if chosen.sign in ("°", "%") else " "
    return f"{number}{gap}{chosen.sign}"


MOST_TYPED, ZEROS = 200, {"°f": 32.0, "f": 32.0}
_TYPED = re.compile(r"^\s*([+-]?(?:\d+(?:\.\d*)?|\.\d+))\s*(.*?)\s*$")


def parse_quantity(text: str, kind: str, family: Family = Family.METRIC) -> float:
    """Base-unit value of typed `text`. A bare number counts in the family's display unit (lengths: see parse_length).

    Raises QuantityError or ReadingError that says what would be right.
    """
    if kind in LENGTHS:
        return parse_length(text, "in" if family.us else "mm")
    own, text = unit_of(kind, family), tidy(text)
    if len(text) > MOST_TYPED:
        raise QuantityError(f"{len(text)} letters are no figure; write it like 12.5 {own.sign}".rstrip())
    match = _TYPED.match(plain_number(text, QuantityError))
    if not match:
        raise QuantityError(f"{text!r} is not a number; write it like 12.5 {own.sign}".rstrip())
    number, sign = float(match.group(1)), match.group(2).lower()
    sizes = {u.sign.lower(): u.size for u in (KINDS[kind].metric, KINDS[kind].us)} | dict(KINDS[kind].others)
    if not sign:
        sign = own.sign.lower()
    if sign not in sizes:
        known = ", ".join(dict.fromkeys([own.sign, *(s for s in sizes if s)]))
        raise QuantityError(f"{match.group(2)!r} is not a unit of {kind}; use one of {known}")
    return (number - (ZEROS.get(sign, 0.0) if kind == "temperature" else 0.0)) * sizes[sign]
