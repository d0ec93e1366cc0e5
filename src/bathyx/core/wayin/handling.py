"""How a tank is carried on its way: who lifts it, and where it hangs free."""

from __future__ import annotations

import math

from bathyx.core.space.openings import WayIn
from bathyx.core.units import Said, kilos

KG_A_PERSON, MOST_PEOPLE = 25.0, 3  # what one person lifts at most under usual guidance, from memory


def handling(way: WayIn, dry_kg: float) -> Said:
    """Who lifts it, and what keeps it from falling; the usual caution, in metric.

    Args:
        way: the openings, and whether it is carried by hands or hung from a hoist.
        dry_kg: mass of the empty tank.
    """
    people = max(1, math.ceil(dry_kg / KG_A_PERSON))
    by_hands = way.carried == "hands" and people <= MOST_PEOPLE
    who = ("one lifts it" if people == 1 else f"{people} lift it") if by_hands else "a hoist holds it"
    said = [f"Try it tacked, before the last seam. It weighs {kilos(dry_kg)} empty: {who}, nobody under it"]
    if way.carried == "hands" and people > MOST_PEOPLE:
        said.append(f"{people} people would have to lift it by hand")
    level = [o.name for o in way.openings if o.axis == "z"]
    if level:
        sling = "its sling is short" if not by_hands else "a sling is on it"
        said.append(
            f"through the {' or the '.join(level)} it hangs free: {sling}, made fast before it leaves the rim, "
            "so that it cannot drop through"
        )
    if way.tilt_deg:
        said.append(f"it leans no further than {way.tilt_deg:g}° from how it sits")
    return Said("; ".join(said) + ". Hands off the rim; local rules for lifting come first.")
