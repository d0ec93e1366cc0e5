"""Sentences in the other unit family. What was said with its quantities is rendered from them (`Said`); in plain texts,
such as reasons that stand in the register, metric quantities are turned where they stand.
"""

from __future__ import annotations

import re

from bathyx.core.units.quantity import KINDS, Family, show
from bathyx.core.units.said import Said

_TURNED = ("volume", "mass", "pressure", "stress", "energy", "leak", "rate", "flow", "dose", "force")
_KIND_OF = {KINDS[kind].metric.sign: kind for kind in _TURNED}
_NUMBER = r"\d[\d\u2009]*(?:\.\d+)?"
_SIGNS = "|".join(sorted(map(re.escape, ("mm", "m", *_KIND_OF)), key=len, reverse=True))
_JOINED = r" × | to "  # of several figures with one unit behind the last
_ALIKE = rf"(?<=between ){_NUMBER} and {_NUMBER}|{_NUMBER}(?:(?:{_JOINED}){_NUMBER})*"
_QUANTITY = re.compile(rf"(?<![0-9A-Za-z_.])(?<!\de-)({_ALIKE}) ({_SIGNS})(?![\w/²³])")
_PARTS = re.compile(rf"({_JOINED}| and )")


def worded(text: str, family: Family) -> str:
    """`text` with its metric quantities in `family`: `5.3 L short` reads `1.40 US gal short`, `418 × 292 mm` in inches.

    Precision is that of the text. Quantities per millimetre and squared units are left as they are.
    """
    if isinstance(text, Said) and text.holds_quantities:
        text = text.in_family(family)
    if not family.us:
        return text
    return _QUANTITY.sub(lambda match: _turned(match, family), text)


def _turned(match: re.Match[str], family: Family) -> str:
    parts, sign = _PARTS.split(match.group(1)), match.group(2)
    kind = {"mm": "length", "m": "weld"}.get(sign) or _KIND_OF[sign]
    base = 1000.0 if sign == "m" else KINDS[kind].metric.size
    shown = []
    for k, part in enumerate(parts):
        if k % 2:
            shown.append(part)
            continue
        shown.append(show(float(part.replace("\u2009", "")) * base, kind, family, unit=k == len(parts) - 1))
    return "".join(shown)
