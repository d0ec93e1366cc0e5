"""Quantities as makers read and type them: tape readings in, either unit family out."""

from bathyx.core.units.quantity import KINDS, Family, QuantityError, parse_quantity, show, unit_of
from bathyx.core.units.reading import Reading, ReadingError, parse_length
from bathyx.core.units.said import Said, joules, kilos, kpa, litres, megapascals, mm
from bathyx.core.units.words import worded

__all__ = [
    "KINDS",
    "Family",
    "QuantityError",
    "Reading",
    "ReadingError",
    "Said",
    "joules",
    "kilos",
    "kpa",
    "litres",
    "megapascals",
    "mm",
    "parse_length",
    "parse_quantity",
    "show",
    "unit_of",
    "worded",
]
