"""What a tile of the bench line shows."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class TileData:
    """What a tile shows: the figure, a few words under it, how full its tube is, stop, warn, go or open, and why."""

    figure: str = ""
    words: str = ""
    level: float = 0.0
    state: str = "open"
    explain: str = ""
