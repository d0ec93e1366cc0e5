"""Sentences in the other unit family: metric quantities inside a text, turned where they stand.

Findings, steps and workings are written once, in metric; a maker who looks at inches reads them in inches.
"""

from __future__ import annotations

import re

from bathyx.core.units.quantity import KINDS, Family, inches, show

_KIND_OF = {
    KINDS[kind].metric.sign: kind for kind in ("volume", "mass", "pressure", "stress", "energy", "leak", "rate")
}
_NUMBER = r"\d[\d\u2009]*(?:\.\d+)?"
_SIGNS = "|".join(sorted(map(re.escape, ("mm", "m", *_KIND_OF)), key=len, reverse=True))
_QUANTITY = re.compile(rf"(?<![\w.])({_NUMBER}(?: × {_NUMBER})*) ({_SIGNS})(?![\w/²³])")


def worded(text: str, family: Family) -> str:
    """`text` with its metric quantities in `family`: `5.3 L short` reads `1.40 US gal short`, `418 × 292 mm` in inches.

    Precision is that of the text. Quantities per millimetre and squared units are left as they are.
    """
    if family == Family.METRIC:
        return text
    return _QUANTITY.sub(_turned, text)


def _turned(match: re.Match[str]) -> str:
    values = [float(n.replace("\u2009", "")) for n in match.group(1).split(" × ")]
    sign = match.group(2)
    if sign == "mm":
        return " × ".join(_length(v) for v in values)
    if sign == "m":
        return " × ".join(show(v * 1000, "weld", Family.US) for v in values)
    kind = _KIND_OF[sign]
    base = KINDS[kind].metric.size
    shown = [show(v * base, kind, Family.US, unit=False) for v in values[:-1]]
    return " × ".join([*shown, show(values[-1] * base, kind, Family.US)])


def _length(mm: float) -> str:
    """Inches as a tape shows them; under 1/4 inch in thousandths, as sheet is talked of, under 2 inches in hundredths."""
    if 0 < mm < 6.35:
        return f'{mm / 25.4:.3f}"'
    return f'{mm / 25.4:.2f}"' if 0 < mm < 50.8 else inches(mm)
