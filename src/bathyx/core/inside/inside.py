"""The inside as part of the document."""

from __future__ import annotations

from typing import Any

from pydantic import Field, field_validator

from bathyx.core.inside.baffles import BaffleRules
from bathyx.core.inside.fittings import LATER, Fitting
from bathyx.core.inside.straps import Strap
from bathyx.core.units.frozen import Frozen
from bathyx.errors import Refusal

MOST_FITTINGS = 60


class Inside(Frozen):
    """Baffles and fittings, and straps over the tank."""

    baffles: BaffleRules = BaffleRules()
    fittings: tuple[Fitting, ...] = Field((), max_length=MOST_FITTINGS)
    straps: tuple[Strap, ...] = Field((), max_length=12)

    def written(self, document: dict[str, Any]) -> dict[str, Any]:
        """Its plain document as a file has it: what came to fittings later and is not said is left out."""
        rows = [{name: v for name, v in row.items() if name not in LATER or v} for row in document["fittings"]]
        said = {name: v for name, v in document.items() if name != "straps" or v}
        return said | {"fittings": rows}

    @field_validator("fittings")
    @classmethod
    def _ids_differ(cls, fittings: tuple[Fitting, ...]) -> tuple[Fitting, ...]:
        ids = [f.id for f in fittings]
        twice = next((i for i in ids if ids.count(i) > 1), None)
        if twice:
            raise Refusal(f"two fittings are called {twice!r}; give each its own id")
        return fittings
