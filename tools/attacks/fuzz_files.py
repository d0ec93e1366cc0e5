"""Files of every format that Bathyx reads, fuzzed by their grammar: each is read, or refused in words.

    python -m tools.attacks.fuzz_files [count of each] [seed]

Profiles (SVG, DXF, CSV), tables of offsets, scans (PLY, OBJ, STL, XYZ) and traces of loggers. A sample that is right has its tokens
exchanged for odd ones, its lines dropped, doubled, moved or cut. Anything raised that is no Refusal is printed with its seed.
"""

from __future__ import annotations

import io
import logging
import random
import re
import sys
import tempfile
import warnings
from collections import Counter
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np

from bathyx.errors import MOST_LINES, Refusal
from bathyx.files.limits import limited
from bathyx.files.offsets import read_offsets
from bathyx.files.profiles import read_profile
from bathyx.files.scans import cut_scan, solids_of
from bathyx.files.traces import columns_said, read_trace_file, samples_of

MOST_S = 20
TOKEN = re.compile(r"[A-Za-z_]+|[-+]?[\d.]+(?:[eE][-+]?\d+)?|\S")
# fmt: off
ODD = (
    "", "0", "-1", "1e308", "1e-308", "nan", "inf", "-", ".", "1.2.3", "9" * 400, "100%", "500mm", "0x10", "\u0662", "x" * 3000,
    " " * 3000, "\t", '"', "'", "<", ">", "&", "\\", "/", "#", ";", ",", ":", "\x00", "\u2028", "\ufeff", "M", "Z", "c", "-0",
    "%", "1,5", "15 1/4", "element", "list", "vertex", "face", "int", "f", "v", "mtllib", "usemtl", "LINE", "LWPOLYLINE", "0\n",
    "SECTION", "EOF",
)
# fmt: on


def _box_points() -> list[tuple[float, float, float]]:
    dice = np.random.default_rng(3)
    spots = dice.uniform(0, 1, (2500, 3)) * [900, 500, 400]
    side = dice.integers(0, 4, 2500)
    spots[side == 0, 1], spots[side == 1, 1], spots[side == 2, 2], spots[side == 3, 2] = 0, 500, 0, 400
    return [tuple(map(float, p)) for p in spots]


def _samples() -> dict[str, str]:
    points = _box_points()
    corners = [(x, y, z) for x in (0, 900) for y in (0, 500) for z in (0, 400)]
    quads = [(0, 1, 3, 2), (4, 6, 7, 5), (0, 4, 5, 1), (2, 3, 7, 6), (0, 2, 6, 4), (1, 5, 7, 3)]
    faces = [t for a, b, c, d in quads for t in ((a, b, c), (a, c, d))]
    stl = "".join(
        "facet normal 0 0 0\nouter loop\n"
        + "".join("vertex {} {} {}\n".format(*corners[k]) for k in face)
        + "endloop\nendfacet\n"
        for face in faces
    )
    head = "ply\nformat ascii 1.0\nelement vertex {}\nproperty float x\nproperty float y\nproperty float z\n"
    return {
        "profile.svg": '<svg xmlns="http://www.w3.org/2000/svg" width="500mm" height="300mm" viewBox="0 0 500 300">'
        '<rect x="0" y="0" width="20" height="10"/><polygon points="0,0 30,0 30,20"/>'
        '<path d="M0 0 H400 V200 l-40 0 L0 200 Z"/></svg>',
        "profile.dxf": _dxf(),
        "profile.csv": "x, z\n0, 0\n300, 0 r20\n300, 200 c15\n0, 200\n",
        "wide.csv": "x_mm, 0, 100, 200 L, 200 R\n0, 50, 80, 90, 95\n500, 60, 90, 100, 105\n1000, 40, 70, 80, 82\n",
        "long.csv": "x_mm, z_mm, left_mm, right_mm\n0, 0, 50, 51\n0, 100, 70, 71\n500, 0, 60, 60\n500, 100, 80, 81\n",
        "cloud.xyz": "\n".join("{:.1f} {:.1f} {:.1f}".format(*p) for p in points),
        "mesh.ply": head.format(8) + f"element face {len(faces)}\nproperty list uchar int vertex_indices\nend_header\n"
        + "\n".join("{} {} {}".format(*c) for c in corners) + "\n" + "\n".join("3 {} {} {}".format(*f) for f in faces) + "\n",
        "mesh.obj": "\n".join("v {} {} {}".format(*c) for c in corners)
        + "\n" + "\n".join("f {} {} {}".format(*(k + 1 for k in f)) for f in faces),
        "mesh.stl": f"solid box\n{stl}endsolid box\n",
        "trace.csv": "time;gauge (kPa);temp\n" + "".join(f"{k * 5};{21 - k * 0.001:.3f};{18 + k * 0.001:.2f}\n" for k in range(80)),
    }  # fmt: skip


def _dxf() -> str:
    import ezdxf

    document = ezdxf.new("R2000")
    document.header["$INSUNITS"] = 4
    document.modelspace().add_lwpolyline([(0, 0), (400, 0), (400, 200), (0, 200)], close=True)
    out = io.StringIO()
    document.write(out)
    return out.getvalue()


def _trace(path: Path) -> object:
    columns = columns_said("time=1 s; pressure=2 kPa; temperature=3 C")
    return samples_of(read_trace_file(path), columns)


READERS: dict[str, tuple[Callable[[Path], Any], ...]] = {
    "profile.svg": (lambda p: read_profile(p), lambda p: read_profile(p, "mm")),
    "profile.dxf": (lambda p: read_profile(p), lambda p: read_profile(p, "mm")),
    "profile.csv": (lambda p: read_profile(p),),
    "wide.csv": (lambda p: read_offsets(p),),
    "long.csv": (lambda p: read_offsets(p, "in"),),
    "cloud.xyz": (lambda p: cut_scan(p, "mm"), lambda p: cut_scan(p, "mm", "floor")),
    "mesh.ply": (lambda p: cut_scan(p, "mm"), lambda p: cut_scan(p, "mm", "floor"), lambda p: solids_of(p, "mm")),
    "mesh.obj": (lambda p: cut_scan(p, "mm"), lambda p: cut_scan(p, "mm", "floor"), lambda p: solids_of(p, "mm")),
    "mesh.stl": (lambda p: cut_scan(p, "mm"), lambda p: cut_scan(p, "mm", "floor"), lambda p: solids_of(p, "mm")),
    "trace.csv": (_trace,),
}


def spoilt(text: str, dice: random.Random) -> str:
    """A sample with a few of its parts made odd."""
    for _ in range(dice.choice((1, 1, 2, 4))):
        way = dice.random()
        if way < 0.6:
            spots = list(TOKEN.finditer(text))
            if spots:
                spot = dice.choice(spots)
                text = text[: spot.start()] + dice.choice(ODD) + text[spot.end() :]
        elif way < 0.8:
            lines = text.split("\n")
            k = dice.randrange(len(lines))
            if dice.random() < 0.5:
                del lines[k]
            else:
                lines.insert(dice.randrange(len(lines) + 1), lines[k])
            text = "\n".join(lines)
        elif way < 0.9:
            text = text[: dice.randrange(len(text) + 1)]
        else:
            a, b = sorted(dice.randrange(len(text) + 1) for _ in range(2))
            text = text[:a] + text[b:] if b - a < 200 else text[:b] + text[a:b] + text[b:]
    return text


def attack(name: str, seed: int, folder: Path) -> str:
    """`read`, `refused`, or what went wrong."""
    dice = random.Random(f"{name} {seed}")
    path = folder / name
    path.write_bytes(spoilt(SAMPLES[name], dice).encode("utf-8", "surrogatepass"))
    found = "read"
    for reader in READERS[name]:
        try:
            with limited(MOST_S, 0), warnings.catch_warnings():
                warnings.simplefilter("ignore")
                reader(path)
        except Refusal as error:
            found = "refused"
            words = str(error)
            if len(words.splitlines()) > MOST_LINES or len(words) > 1000 or f"{MOST_S} s of computing" in words:
                return f"refused badly: {words[:200]}"
        except Exception as error:
            return f"raised {type(error).__name__}: {str(error)[:120]}"
    return found


SAMPLES = _samples()


def main() -> int:
    """Fuzz each format, print what was found."""
    count = int(sys.argv[1]) if len(sys.argv) > 1 else 500
    first = int(sys.argv[2]) if len(sys.argv) > 2 else 0
    bad = 0
    logging.getLogger("trimesh").setLevel(logging.CRITICAL + 1)
    with tempfile.TemporaryDirectory() as name:
        for kind in SAMPLES:
            told: Counter[str] = Counter()
            for seed in range(first, first + count):
                found = attack(kind, seed, Path(name))
                told[found if found in ("read", "refused") else "wrong"] += 1
                if found not in ("read", "refused"):
                    bad += 1
                    print(f"{kind} {seed}: {found}", flush=True)
            print(kind, dict(told), flush=True)
    return 1 if bad else 0


if __name__ == "__main__":
    sys.exit(main())
