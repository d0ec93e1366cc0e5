"""`bathyx laminate` and `bathyx cloth`: what a laid-up tank takes, its cups of resin, and its cloth off the roll."""

from __future__ import annotations

import argparse
import json
import sys
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from bathyx.cli.errors import CommandError

if TYPE_CHECKING:
    from bathyx.core.evaluate import Evaluation


def add_commands(command: Callable[..., argparse.ArgumentParser]) -> None:
    """Add the commands."""
    laid = command("laminate", _laminate, "print as JSON the panels of a laid-up tank and its batches of resin")
    laid.add_argument("job", type=Path, metavar="JOB.json")
    cloth = command("cloth", _cloth, "print as JSON the cloth of a laid-up tank, laid out on its rolls")
    cloth.add_argument("job", type=Path, metavar="JOB.json")


def _laid_up(path: Path) -> Evaluation:
    from bathyx.cli.loading import evaluated

    e = evaluated(path, cut=True)
    if e.job.layup is None:
        raise CommandError(
            f"{path}: it is of {e.results.sheet.material.name}; a laid-up tank has the sheet laminate/… and a layup"
        )
    return e


def _laminate(options: argparse.Namespace) -> None:
    from bathyx.core.making.laminate import Laminate

    e, way = _laid_up(options.job), Laminate()
    made = way.layup(e.job).made
    said = {
        "layup": str(way.layup(e.job).words),
        "thickness_mm": made.thick_mm,
        "kg_m2": made.kg_m2,
        "glass_share": made.glass_share,
        "bending_modulus_mpa": list(made.stiff.bending),
        "moment_n": made.breaks[0],
        "fails_first": made.breaks[1],
        "panels": [
            {
                "name": p.name,
                "thickness_mm": p.thick_mm,
                "area_m2": p.area_m2,
                "kg": p.kg,
                "resin_kg": p.resin_kg,
                "glass_kg": p.glass_kg,
                "plies": list(p.plies),
            }
            for p in way.panels(e.job, e.results)
        ],
        "batches": [
            {"of": b.of, "resin_g": b.resin_g, "catalyst_g": b.catalyst_g, "pot_life_min": b.pot_life_min}
            for b in way.cups(e.job, e.results)
        ],
    }
    json.dump(said, sys.stdout, indent=2, ensure_ascii=False)
    print()


def _cloth(options: argparse.Namespace) -> None:
    from bathyx.core.laminate.stuff import cloths
    from bathyx.core.making.laminate import Laminate

    e = _laid_up(options.job)
    said = [
        {
            "cloth": roll.cloth,
            "name": cloths()[roll.cloth].name,
            "roll_mm": roll.roll_mm,
            "length_mm": roll.length_mm,
            "used": roll.used,
            "pieces": [
                {"name": str(p.name), "w_mm": p.w_mm, "h_mm": p.h_mm, "along_mm": x, "across_mm": y, "turned": turned}
                for p, x, y, turned in roll.places
            ],
        }
        for roll in Laminate().rolls(e.job, e.results)
    ]
    json.dump({"rolls": said}, sys.stdout, indent=2, ensure_ascii=False)
    print()
