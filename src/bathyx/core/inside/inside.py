"""The inside as part of the document."""

from __future__ import annotations

from pydantic import Field, field_validator

from bathyx.core.inside.baffles import BaffleRules
from bathyx.core.inside.fittings import Fitting
from bathyx.core.units.frozen import Frozen
from bathyx.errors import Refusal

MOST_FITTINGS = 60


class Inside(Frozen):
    """Baffles and fittings."""

    baffles: BaffleRules = BaffleRules()
    fittings: tuple[Fitting, ...] = Field((), max_length=MOST_FITTINGS)

    @field_validator("fittings")
    @classmethod
    def _ids_differ(cls, fittings: tuple[Fitting, ...]) -> tuple[Fitting, ...]:
        ids = [f.id for f in fittings]
        twice = next((i for i in ids if ids.count(i) > 1), None)
        if twice:
            raise Refusal(f"two fittings are called {twice!r}; give each its own id")
        return fittings
