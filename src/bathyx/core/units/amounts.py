"""Amounts by name as they are typed: `gas_m3=1.4`."""

from __future__ import annotations

import math
from collections.abc import Collection, Iterable

from bathyx.errors import Refusal

MOST = 1e6


def amounts_of(parts: Iterable[str], names: Collection[str], example: str) -> dict[str, float]:
    """Amounts by their names. Refusal for what is no `name=amount`, is no finite amount from 0 up, or names nothing.

    >>> amounts_of(["gas_m3=1.4"], ["gas_m3"], "gas_m3=1.4")
    {'gas_m3': 1.4}
    """
    found = {}
    for text in parts:
        name, _, amount = text.partition("=")
        try:
            value = float(amount)
        except ValueError:
            value = math.nan
        if not 0 <= value <= MOST:
            raise Refusal(f"{text!r} is not understood; write it like {example}, from 0 up")
        if name.strip() not in names:
            raise Refusal(f"{name.strip()!r} is none; there are {', '.join(names)}")
        found[name.strip()] = value
    return found
