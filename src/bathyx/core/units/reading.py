"""A tape reading: what the maker typed, kept beside its value in millimetres.

`387`, `15 1/4"`, `4'-3 1/2"`, `0.38 m`, `38,5 cm` and `15¼ in` are all readings. A bare number is millimetres.
"""

from __future__ import annotations

import re
from typing import Any

from pydantic import Field, model_validator

from bathyx.core.units.frozen import Frozen
from bathyx.errors import Refusal

MM_PER_INCH = 25.4  # exact: international inch (1959 agreement)
_UNIT_MM = {"mm": 1.0, "cm": 10.0, "m": 1000.0, "in": MM_PER_INCH, "ft": 12 * MM_PER_INCH}
_SPELLINGS = [
    (re.compile(r"(?<![a-z])(?:inch(?:es)?)\b|''|[\"″”]"), "in"),
    (re.compile(r"(?<![a-z])(?:feet|foot)\b|['′’]"), "ft"),
    (re.compile(r"(?<![a-z])millimet(?:re|er)s?\b"), "mm"),
    (re.compile(r"(?<![a-z])centimet(?:re|er)s?\b"), "cm"),
    (re.compile(r"(?<![a-z])met(?:re|er)s?\b"), "m"),
]
_VULGAR = {
    "⅓": "1/3",
    "⅔": "2/3",
    "⅕": "1/5",
    "⅖": "2/5",
    "⅗": "3/5",
    "⅘": "4/5",
    "⅙": "1/6",
    "⅚": "5/6",
    "½": "1/2",
    "¼": "1/4",
    "¾": "3/4",
    "⅛": "1/8",
    "⅜": "3/8",
    "⅝": "5/8",
    "⅞": "7/8",
}
_GROUPS = re.compile(r"(?<![\d./])\d{1,3}(?:[ \u2009\u00a0\u202f]\d{3})+(?![\d/])(?!\s+\d)")
_THOUSAND = re.compile(r"(?<![\d.,])([1-9]\d{0,2}),(\d{3})(?![\d])")
_POINTED = re.compile(r"[1-9]\d{0,2}\.\d{3}")
_NUMBER = r"(?:\d+(?:\.\d+)?\s+\d+\s*/\s*\d+|\d+\s*/\s*\d+|\d+(?:\.\d*)?|\.\d+)"
_TERM = re.compile(rf"({_NUMBER})\s*(mm|cm|m|in|ft)?")


MOST_LETTERS = 60


class ReadingError(Refusal):
    """A typed length that cannot be read; the message says what would be."""


def plain_number(text: str, error: type[Refusal]) -> str:
    """`text` with a decimal comma made a point and groups of three joined; `error` for a comma that may be either.

    `1,250` is 1250 to some and 1.25 to others: it is never guessed.
    """
    doubt = _THOUSAND.search(text)
    if doubt:
        whole, part = doubt.groups()
        raise error(
            f"{text.strip()!r} may be {whole}{part} or {whole}.{part.rstrip('0') or '0'}; write it without the comma, "
            f"{whole}{part}, or with a point, {whole}.{part.rstrip('0') or '0'}"
        )
    text = _GROUPS.sub(lambda m: re.sub(r"\D", "", m.group()), text)
    return re.sub(r"(?<=\d),(?=\d)|^,(?=\d)", ".", text)


def _number(text: str) -> float:
    total = 0.0
    parts = re.sub(r"\s*/\s*", "/", text).split()
    if len(parts) == 2 and "." in parts[0]:
        raise ReadingError(f"{text!r} has both a decimal and a fraction; write 15 1/2 or 15.5")
    for part in parts:
        if "/" in part:
            top, bottom = part.split("/")
            if float(bottom) == 0:
                raise ReadingError(f"{text!r} divides by zero; a tape fraction looks like 1/4")
            if len(parts) == 2 and float(top) >= float(bottom):
                raise ReadingError(f"{text!r} has a fraction of a whole or more; is it {int(total) + 1} and the rest?")
            total += float(top) / float(bottom)
        else:
            total += float(part)
    return total


def parse_length(text: str, bare_unit: str = "mm", *, asks: bool = True) -> float:
    """Millimetres of a typed length. A bare number counts in `bare_unit`; a bare fraction must name its unit.

    Args:
        text: as it was typed.
        bare_unit: mm, cm, m, in or ft, of a number without a unit.
        asks: whether `1.250 mm`, 1250 to some, is refused with a question; what is kept already was read once.

    Raises:
        ReadingError: which says what would be right, for text that is not a length.
    """
    if not isinstance(text, str) or not text.strip():
        raise ReadingError('nothing typed; a length looks like 387, 15 1/4" or 0.38 m')
    if len(text) > MOST_LETTERS:
        raise ReadingError(f'{len(text)} letters are no length; a length looks like 387, 15 1/4" or 0.38 m')
    clean = text.strip().lower().replace("–", "-").replace("⁄", "/")
    for sign, plain in _VULGAR.items():
        clean = clean.replace(sign, " " + plain)
    clean = plain_number(clean.removeprefix("+"), ReadingError)
    if clean.rstrip().endswith("-"):
        raise ReadingError(f"{text!r} ends in a hyphen: what follows it?")
    for pattern, unit in _SPELLINGS:
        clean = pattern.sub(f" {unit} ", clean)
    if clean.lstrip().startswith("-"):
        raise ReadingError(f"{text!r} is negative; a measured length is above zero")
    # A hyphen joins feet to inches or a whole to its fraction: 4'-3 1/2", 15-1/4 in.
    clean = re.sub(r"\s*-\s*", " ", clean).strip()
    terms = _terms(clean, text)
    units = [unit for _, unit in terms]
    if len(terms) == 2 and units[0] == "ft" and units[1] in (None, "in"):
        feet, rest = _number(terms[0][0]), _number(terms[1][0])
        if rest >= 12:
            raise ReadingError(
                f"{text!r} has {rest:g} inches beside feet; did you mean {feet + rest // 12:g}' {rest % 12:g}\"?"
            )
        return feet * _UNIT_MM["ft"] + rest * MM_PER_INCH
    if len(terms) != 1:
        raise ReadingError(
            f"{text!r} reads as {len(terms)} lengths; only feet and inches go together, as in 4'-3 1/2\""
        )
    number, named = terms[0]
    if asks and named == "mm" and _POINTED.fullmatch(number):
        whole, part = number.split(".")
        raise ReadingError(
            f"{text.strip()!r} may be {whole}{part} or {float(number):g}; a tape shows no thousandths of a millimetre: write "
            f"{whole}{part} mm or {float(number):.2f} mm"
        )
    if named is None and "/" in number and bare_unit == "mm":
        raise ReadingError(f'{text!r} is a fraction without a unit; write {text.strip()}" if it is inches')
    return _number(number) * _UNIT_MM[named or bare_unit]


def _terms(clean: str, text: str) -> list[tuple[str, str | None]]:
    """(number, unit) after (number, unit) of a tidied text."""
    spot, terms = 0, list[tuple[str, str | None]]()
    while spot < len(clean):
        match = _TERM.match(clean, spot)
        if not match:
            raise ReadingError(f'{text!r} is not a length; write it like 387, 15 1/4", 4\'-3 1/2" or 0.38 m')
        terms.append((match.group(1), match.group(2)))
        spot = match.end()
        while spot < len(clean) and clean[spot] == " ":
            spot += 1
    return terms


class Reading(Frozen):
    """A measured length: `typed` as the maker wrote it, `mm` its value. Built from text, a number, or both."""

    typed: str = Field(max_length=60)
    mm: float = Field(gt=0, le=100_000)

    @model_validator(mode="before")
    @classmethod
    def _from_typed(cls, data: Any) -> Any:
        if isinstance(data, (int, float)) and not isinstance(data, bool):
            data = f"{data:g}"
        if isinstance(data, str):
            return {"typed": data.strip(), "mm": parse_length(data, asks=False)}
        if isinstance(data, dict) and "mm" not in data and "typed" in data:
            return {**data, "mm": parse_length(data["typed"], asks=False)}
        return data

    @model_validator(mode="after")
    def _says_one_length(self) -> Reading:
        said = parse_length(self.typed, asks=False)
        if abs(said - self.mm) > 1e-4 * said + 1e-3:
            raise ReadingError(f"{self.typed!r} is {said:g} mm, but mm says {self.mm:g}; correct one of the two")
        return self

    @classmethod
    def of(cls, typed: str | float) -> Reading:
        """A Reading of `typed`; raises ReadingError with what would be right."""
        text = typed if isinstance(typed, str) else f"{typed:g}"
        value = parse_length(text)
        if not 0 < value <= 100_000:
            raise ReadingError(f"{text!r} is {value:g} mm; a measured length is above 0 and at most 100 m")
        return cls(typed=text.strip(), mm=value)
