"""`bathyx rods`: the welds of a tank in plastic, with passes and rod."""

from __future__ import annotations

import argparse
import json
import sys
from collections.abc import Callable
from pathlib import Path

from bathyx.cli.errors import CommandError


def add_commands(command: Callable[..., argparse.ArgumentParser]) -> None:
    """Add the command."""
    rods = command(
        "rods", _rods, "print as JSON the welds of a tank in plastic: groove, passes, metres and grams of rod"
    )
    rods.add_argument("job", type=Path, metavar="JOB.json")


def _rods(options: argparse.Namespace) -> None:
    from bathyx.cli.loading import evaluated
    from bathyx.core.making.plastic import PlasticSheet

    e = evaluated(options.job)
    r = e.results
    if r.sheet.material.group != "plastic":
        raise CommandError(f"{options.job}: it is of {r.sheet.material.name}; rods are for plastic sheet, like pp/6")
    welds = PlasticSheet.welds(e.job, r)
    joints = [
        {
            "name": weld.id,
            "title": weld.title,
            "joint": weld.joint,
            "groove": weld.form,
            "process": weld.process,
            "length_mm": weld.length_mm,
            "passes": sum(weld.passes),
            "said": str(weld.said),
            "rod_m": weld.rod_m,
            "rod_g": weld.rod_g,
        }
        for weld in welds
    ]
    said = {"joints": joints, "rod_m": sum(w.rod_m for w in welds), "rod_g": sum(w.rod_g for w in welds)}
    json.dump(said, sys.stdout, indent=2, ensure_ascii=False)
    print()
