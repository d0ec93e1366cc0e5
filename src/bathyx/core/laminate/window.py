"""When the next ply may be laid: not before the last one has gelled, not after it is hard without sanding."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime, timedelta

from bathyx.core.laminate.layup import LayUp
from bathyx.core.units import Said


@dataclass(frozen=True)
class Window:
    """Of the last ply: from when and until when the next one bonds to it by itself; `state` now: gelling, open or shut."""

    opens: datetime
    shuts: datetime
    state: str

    @property
    def said(self) -> Said:
        """In a line."""
        if self.state == "gelling":
            return Said(f"The last ply gels: the next one from {self.opens:%H:%M} on")
        if self.state == "open":
            return Said(f"The next ply bonds until {self.shuts:%d %b %H:%M}; after that it is sanded first")
        return Said(
            f"The window of the last ply shut at {self.shuts:%d %b %H:%M}: sand with 80 grit, wipe, then lay the next one"
        )


def window(layup: LayUp, laid: datetime, now: datetime) -> Window:
    """The window of a ply.

    Args:
        layup: its resin, mix and room.
        laid: when it was logged, with its zone.
        now: the time, with its zone.
    """
    resin = layup.made.resin
    # The table is for 20 °C; a room that is colder is as much slower as its cup is.
    slower = resin.pot_life_min(layup.catalyst_pct, layup.room_c) / resin.pot_life_min(layup.catalyst_pct, 20.0)
    opens, shuts = (laid + timedelta(hours=h * slower) for h in resin.window_h)
    state = "gelling" if now < opens else "open" if now <= shuts else "shut"
    return Window(opens, shuts, state)
