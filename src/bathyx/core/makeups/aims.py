"""What a make-up may be best at."""

from __future__ import annotations

from typing import Literal

Aim = Literal["weld", "low", "flat", "parts", "stock", "money"]
AIMS: dict[Aim, str] = {
    "weld": "least weld",
    "low": "least weld below the fluid line",
    "flat": "most weld in the flat position",
    "parts": "fewest parts",
    "stock": "fewest sheets",
    "money": "least money",
}
