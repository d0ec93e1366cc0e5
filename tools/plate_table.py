"""Writes src/bathyx/core/strength/large_deflection.csv from the Ritz solution. About two minutes; run when ritz.py changes."""

from __future__ import annotations

import sys
from pathlib import Path

import numpy as np

from bathyx.core.strength.ritz import solve

ASPECTS = (1.0, 1.1, 1.25, 1.5, 1.75, 2.0, 2.5, 3.0, 4.0)
POISSONS = (0.3, 0.4)
LOADS = np.geomspace(0.5, 3000.0, 26)


def main() -> None:
    """Write the table to the path given, or to its place."""
    place = Path(__file__).parent.parent / "src/bathyx/core/strength/large_deflection.csv"
    place = Path(sys.argv[1]) if len(sys.argv) > 1 else place
    lines = ["edges,poisson,aspect,load,bulge,edge_stress,middle_stress"]
    for edges in ("held", "pulled"):
        for poisson in POISSONS:
            for aspect in ASPECTS:
                for a in solve(aspect, poisson, LOADS, edges == "held"):
                    row = (a.load, a.bulge, a.edge_stress, a.middle_stress)
                    lines.append(f"{edges},{poisson},{aspect}," + ",".join(f"{x:.6g}" for x in row))
    place.write_text("\n".join(lines) + "\n", "utf-8")
    print(f"{len(lines) - 1} rows in {place}")


if __name__ == "__main__":
    main()
