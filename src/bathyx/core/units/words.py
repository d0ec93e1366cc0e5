"""Sentences in the other unit family. What was said with its quantities is rendered from them (`Said`); in plain texts,
such as reasons that stand in the register, metric quantities are turned where they stand.
"""

from __future__ import annotations

import re

from bathyx.core.units.quantity import KINDS, Family, show
from bathyx.core.units.said import Said, spoken_inches

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
    if isinstance(text, Said) and text.holds_quantities:
        text = text.in_family(family)
    if family == Family.METRIC:
        return text
    return _QUANTITY.sub(_turned, text)


def _turned(match: re.Match[str]) -> str:
    values = [float(n.replace("\u2009", "")) for n in match.group(1).split(" × ")]
    sign = match.group(2)
    if sign == "mm":
        return " × ".join(spoken_inches(v) for v in values)
    if sign == "m":
        return " × ".join(show(v * 1000, "weld", Family.US) for v in values)
    kind = _KIND_OF[sign]
    base = KINDS[kind].metric.size
    shown = [show(v * base, kind, Family.US, unit=False) for v in values[:-1]]
    return " × ".join([*shown, show(values[-1] * base, kind, Family.US)])
