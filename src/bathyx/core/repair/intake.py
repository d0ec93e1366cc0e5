"""What came in: the tank, whose, what it held, of what it is and how that was found out, where it is hurt and why."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Sequence
from datetime import date
from typing import Literal

from pydantic import Field, field_validator

from bathyx.core.material import fluids
from bathyx.core.units.frozen import Frozen
from bathyx.errors import Refusal

UNKNOWN = "unknown"
KINDS = {
    "plain": "an open or vented tank",
    "pressure vessel": "a pressure vessel",
    "dangerous goods": "a tank for the road transport of dangerous goods",
    "aircraft": "a tank of an aircraft",
}
ALWAYS_REFUSED = ("pressure vessel", "dangerous goods", "aircraft")
FOUND_BY = {
    "papers": "its plate or papers",
    "magnet": "a magnet",
    "spark": "sparks off a grinder, away from the tank",
    "file": "a file and its colour",
    "density": "weight and volume of a scrap",
    "burn": "a scrap that was burnt, away from the tank",
}
WOUNDS = {
    "crack": "a crack",
    "pinhole": "a pinhole",
    "rust": "rusted through",
    "dent": "a dent",
    "fitting": "a fitting that is loose or rotten",
    "split": "a split seam",
}
CAUSES = {
    "vibration": "shaken at a mount",
    "no_doubler": "no doubler under what pulls",
    "dirty": "a joint welded dirty",
    "below": "corrosion from below, where it stood wet",
    "water": "water inside",
    "blow": "a blow",
    "unknown": "not found out",
}
TRAPS = {
    "double_bottom": "a double bottom",
    "foam": "foam inside",
    "baffles": "baffles with closed corners",
    "box": "box sections or pipes that are closed",
    "sender": "the sender with its wires",
    "crevice": "laps and stringers",
}
WAYS = {
    "weld": "vee to the crack's ends, stop holes, weld",
    "patch": "cut out and let in a patch with round corners",
    "doubler": "a doubler over the mount",
    "socket": "cut the socket out whole, weld a new one in on both sides",
    "bottom": "a new bottom",
    "sleeve": "a sleeve in the neck",
    "liner": "a liner, where it is thin all over; it ends what can be welded",
    "plastic": "groove, same plastic, weld and look with a spark",
    "laminate": "grind a scarf, lay it up again ply by ply",
    "refuse": "not mended here",
}


def _a_fluid(key: str) -> str:
    if key != UNKNOWN and key not in fluids():
        raise Refusal(f"no fluid {key!r}; there are {UNKNOWN}, {', '.join(fluids())}")
    return key


def _may_burn(held: str) -> bool:
    return held == UNKNOWN or fluids()[held].flammable or fluids()[held].fuel


class Hurt(Frozen):
    """Where and how it is hurt. `mm` long or across; `way` of mending it."""

    where: str = Field(min_length=1, max_length=120)
    what: Literal["crack", "pinhole", "rust", "dent", "fitting", "split"] = "crack"
    mm: float = Field(20.0, ge=1, le=3000)
    cause: Literal["vibration", "no_doubler", "dirty", "below", "water", "blow", "unknown"] = "unknown"
    way: Literal["weld", "patch", "doubler", "socket", "bottom", "sleeve", "liner", "plastic", "laminate", "refuse"] = (
        "weld"
    )

    @property
    def words(self) -> str:
        """In a line, without its size."""
        return f"{WOUNDS[self.what]} at {self.where} ({CAUSES[self.cause]})"


class DonorPart(Frozen):
    """A part cut from a used tank for a new one: a tunnel that already fits its frame, a neck, a sender's ring. `held`: what that
    tank held, a fluid's key or unknown, which counts as what burns; `kind` of that tank."""

    part: str = Field(min_length=1, max_length=120)
    source: str = Field("", max_length=120)
    held: str = Field(UNKNOWN, max_length=40)
    kind: Literal["plain", "pressure vessel", "dangerous goods", "aircraft"] = "plain"

    @field_validator("held")
    @classmethod
    def _known(cls, key: str) -> str:
        return _a_fluid(key)

    @property
    def burns(self) -> bool:
        """Whether its tank has to be taken to have held what burns."""
        return _may_burn(self.held)


def donor_step(donors: Sequence[DonorPart]) -> str:
    """The traveller's step that cuts these very parts out: others than those that were ticked have their gate before them again."""
    said = json.dumps([d.model_dump() for d in donors], sort_keys=True)
    return f"donor:{hashlib.sha256(said.encode()).hexdigest()[:12]}"


def of_donors(donors: Sequence[DonorPart]) -> Intake:
    """What the gate asks of tanks that parts are cut from: of the worst of them.

    Args:
        donors: one at least.
    """
    worst = next((d for d in donors if d.burns), donors[0])
    kind = next((d.kind for d in donors if d.kind in ALWAYS_REFUSED), "plain")
    parts = ", ".join(d.part for d in donors)
    return Intake(what=f"donor of {parts}"[:200], owner=worst.source, held=worst.held, kind=kind)


class Shown(Frozen):
    """A picture of the tank as it came in: its name in the home's pictures, and what is seen on it."""

    file: str = Field(pattern=r"^[0-9a-f]{24}$")
    note: str = Field("", max_length=200)


class Intake(Frozen):
    """A used tank. `held` is a fluid's key, or unknown, which counts as what burns; `last_held` a day as it was told; `traps`:
    where
    vapour stays."""

    what: str = Field(min_length=1, max_length=200)
    owner: str = Field("", max_length=120)
    kind: Literal["plain", "pressure vessel", "dangerous goods", "aircraft"] = "plain"
    held: str = Field(UNKNOWN, max_length=40)
    last_held: str = Field("", max_length=10)
    found_by: tuple[Literal["papers", "magnet", "spark", "file", "density", "burn"], ...] = Field((), max_length=6)
    hurts: tuple[Hurt, ...] = Field((), max_length=60)
    traps: tuple[Literal["double_bottom", "foam", "baffles", "box", "sender", "crevice"], ...] = Field((), max_length=6)
    refused: str = Field("", max_length=300)
    pictures: tuple[Shown, ...] = Field((), max_length=24)

    @field_validator("held")
    @classmethod
    def _known(cls, key: str) -> str:
        return _a_fluid(key)

    @field_validator("last_held")
    @classmethod
    def _a_day(cls, text: str) -> str:
        if text:
            try:
                day = date.fromisoformat(text)
            except ValueError:
                raise Refusal(f"{text!r} is no day; write it like 2026-05-31") from None
            if day > date.today():
                raise Refusal(f"{text} is still to come; write the day on which it was last filled")
        return text

    @property
    def burns(self) -> bool:
        """Whether it has to be taken to hold what burns: unknown counts as that, and everything but what surely does not."""
        return _may_burn(self.held)

    @property
    def refused_always(self) -> str:
        """Why it is never taken on; nothing where it may be."""
        if self.kind not in ALWAYS_REFUSED:
            return ""
        return f"{KINDS[self.kind]} is mended by those who are approved for it, and nobody else: it is refused here, always"


def with_donors(intake: Intake, donors: Sequence[DonorPart]) -> Intake:
    """A used tank that is mended with parts out of others: the worst of all of them is asked for.

    Args:
        intake: what came in.
        donors: the parts, or none.
    """
    if not donors:
        return intake
    other = of_donors(donors)
    held = other.held if other.burns and not intake.burns else intake.held
    kind = other.kind if other.refused_always and not intake.refused_always else intake.kind
    return intake.model_copy(update={"held": held, "kind": kind})
