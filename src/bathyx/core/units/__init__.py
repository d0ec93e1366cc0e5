"""Quantities as makers read and type them: tape readings in, either unit family out."""

from bathyx.core.units.quantity import KINDS, Family, QuantityError, displayed, parse_quantity, show, unit_of
from bathyx.core.units.reading import Reading, ReadingError, parse_length
from bathyx.core.units.said import (
    Said,
    a_kilo,
    celsius,
    joules,
    kilos,
    kpa,
    leakage,
    litres,
    megapascals,
    mm,
    newtons,
    thick,
)
from bathyx.core.units.words import worded

__all__ = [
    "KINDS",
    "Family",
    "QuantityError",
    "Reading",
    "ReadingError",
    "Said",
    "a_kilo",
    "celsius",
    "displayed",
    "joules",
    "kilos",
    "kpa",
    "leakage",
    "litres",
    "megapascals",
    "mm",
    "newtons",
    "parse_length",
    "parse_quantity",
    "show",
    "thick",
    "unit_of",
    "worded",
]
