"""The traveller of a used tank: intake, the gate, mending hurt by hurt, the whole tank tested."""

from __future__ import annotations

from collections.abc import Sequence

from bathyx.core.making.base import Step
from bathyx.core.repair.intake import CAUSES, FOUND_BY, KINDS, TRAPS, UNKNOWN, DonorPart, Intake, donor_step, of_donors
from bathyx.core.repair.mending import how, next_hurt

VAPOUR = (
    "A used tank holds vapour; heat on one has killed people. No flame, no grinder, no drill that sparks, no lamp that is not "
    "made for it, "
    "until the gate is open. Where there is doubt leave it to those who do it for a living."
)


def donor_steps(donors: Sequence[DonorPart], held: str) -> tuple[Step, ...]:
    """Of a new tank with parts out of used ones: the gate of those, and their cutting out.

    Args:
        donors: the parts.
        held: what the worst of their tanks held, in words.
    """
    worst = of_donors(donors)
    parts = "; ".join(f"{d.part}{f', out of {d.source}' if d.source else ''}" for d in donors)
    gate = Step(
        "gate",
        "The gate: no heat on a donor before it is open",
        f"the tank that held {held}: drained, rinsed, aired or flushed, read, inert or full of water, permitted, watched",
        VAPOUR if worst.burns else "",
        hold=True,
    )
    out = Step(
        donor_step(donors),
        "Cut the donor's parts out, clean them on both faces",
        f"{parts}: shears, nibbler or a saw that is cooled rather than a flame; fuel film, paint and sealant off for "
        f"50 mm beside every "
        "joint; the grade of the sheet written down, or that it is unknown",
        "Only while the gate is open: the reading goes stale in an hour." if worst.burns else "",
        hold=True,
    )
    return (gate, out)


def repair_steps(
    intake: Intake, name: str, thick_mm: float, group: str, tests: Sequence[tuple[str, str]]
) -> tuple[Step, ...]:
    """The steps, in their order.

    Args:
        intake: what came in.
        name: of what it held.
        thick_mm: of its sheet.
        group: of its material.
        tests: (words, caution) of those planned.
    """
    found = ", ".join(FOUND_BY[k] for k in intake.found_by) or "not found out yet"
    traps = (
        ", ".join(TRAPS[t] for t in intake.traps) or "none said: look for double bottoms, foam, closed corners, laps"
    )
    first = [
        Step(
            "intake",
            "Take it in: what, whose, what it held, why it is hurt",
            f"{intake.what}, of {intake.owner or 'an owner who is not named'}; {KINDS[intake.kind]}; held "
            f"{name if intake.held != UNKNOWN else 'nobody knows what: taken as what burns'}"
            f"{', last on ' + intake.last_held if intake.last_held else ''}; material by {found}; "
            + ("; ".join(h.words for h in intake.hurts) or "nothing marked yet"),
            VAPOUR,
        )
    ]
    if intake.refused_always or intake.refused:
        return (
            *first,
            Step(
                "refuse",
                "Refuse it, in writing",
                f"{intake.refused_always or intake.refused}. It goes back closed, earthed and labelled with what it held",
                "It still holds vapour on its way back: vents open to the outside, nothing that sparks beside it.",
                hold=True,
            ),
        )
    gate = Step(
        "gate",
        "The gate: no heat before it is open",
        f"drained, rinsed, aired or flushed, read, inert or full of water, permitted, watched. Traps: {traps}",
        VAPOUR,
        hold=True,
    )
    mend = [
        Step(
            f"mend:{number}",
            f"Mend {number}: {hurt.where}",
            how(hurt, thick_mm, group),
            "Only while the gate is open: the reading goes stale in an hour, read again at every pause. Fill gas or water to "
            "the weld.",
        )
        for number, hurt in enumerate(intake.hurts, start=1)
    ]
    return (
        *first,
        Step(
            "measure",
            "Measure it, before and after it is cut",
            "its sizes as it stands; what is cut out is measured, so that litres and centre are known again",
        ),
        gate,
        Step("clean", "Clean to sound metal", "paint, liner, sealant off; dirt melts into the weld", VAPOUR),
        *mend,
        Step(
            "dress",
            "Dress and look",
            "dye on every mended place and its neighbours",
            "Grinding sparks: the gate still has to be open.",
        ),
        Step(
            "next",
            "What will be hurt next",
            "; ".join(next_hurt(intake)) or "every mount, every seam below, every socket: looked at",
        ),
        Step(
            "test",
            f"Prove all of it, old seams too: {', then '.join(words for words, _ in tests)}",
            "the whole tank: the mend opens others",
            " ".join(dict.fromkeys(caution for _, caution in tests)),
            hold=True,
        ),
        Step(
            "finish",
            "Mount it as it should have been",
            "; ".join(dict.fromkeys(CAUSES[h.cause] for h in intake.hurts)) + ": mended too; earthed, off the wet"
            if intake.hurts
            else "earthed, off the wet",
        ),
        Step(
            "first_fill",
            "First fill, and watch",
            "look again after a day; the record says: a repaired tank, whose design is unknown",
            "No flame, no spark, vapour sinks and travels." if intake.burns else "",
        ),
    )


__all__ = ["VAPOUR", "repair_steps"]
