"""`bathyx new` and `bathyx families`: job files from the command line, with the options that the families' metadata gives."""

from __future__ import annotations

import argparse
import dataclasses
import textwrap
from pathlib import Path
from typing import Any

from bathyx.cli.errors import CommandError
from bathyx.cli.loading import free_for, put_down
from bathyx.errors import Refusal

FAMILY = "profile"
MOST_SHOWN = 12
CORED = "cored"  # a laminate that begins with foam
ROLLER = "roller"  # halves, their flanges joined between wheels


def add_new(new: argparse.ArgumentParser, *, whole: bool) -> None:
    """The options of `new`. `whole`: with those of the families, which takes the core to be loaded."""
    new.add_argument("--family", default=FAMILY, metavar="FAMILY", help="`bathyx families` lists them with their sizes")
    if whole:
        _add_sizes(new)
    new.add_argument("--sump", metavar="LxWxD@x,y", help="a square well under the floor; DIAxD@x,y for a round one")
    new.add_argument("--profile", type=Path, metavar="FILE", help="an outline's corners from a DXF, SVG or CSV")
    new.add_argument(
        "--offsets", type=Path, metavar="FILE", help="the hull of an integral tank, as `bathyx space` reads it"
    )
    new.add_argument("--offsets-unit", metavar="mm|cm|m|in", help="of numbers that do not say theirs; mm unless given")
    new.add_argument(
        "--profile-loop", type=int, default=0, metavar="K", help="which of its closed loops, 0 the largest"
    )
    new.add_argument("--profile-unit", metavar="mm|cm|m|in", help="its unit, where the file does not say")
    new.add_argument(
        "--making",
        metavar="WAY",
        help="how it is made: metal, steel, plastic, laminate, cored, or roller for halves; its sheet says so too",
    )
    new.add_argument(
        "--sheet", metavar="MATERIAL/MM", help="for example 5083/3 or 304/1.5; the way's usual one unless given"
    )
    new.add_argument("--fluid", default="diesel")
    new.add_argument("--school", metavar="SCHOOL", help="how it is made up; the family's usual one unless given")
    new.add_argument("--joint", default="corner", choices=("corner", "lap"))
    new.add_argument("--name", default="New tank")
    new.add_argument("--force", action="store_true", help="overwrite an existing file")
    new.add_argument("job", type=Path, metavar="JOB.json")


def _add_sizes(new: argparse.ArgumentParser) -> None:
    from bathyx.core.tank.families import FAMILIES

    seen: set[str] = set()
    for key, family in FAMILIES.items():
        group = new.add_argument_group(f"{key}: {family.words}")
        settings = {s.path: s for s in family.settings()}
        for word, paths in family.together.items():
            _add_option(group, word, _both(settings[paths[0]]), seen)
        for path, setting in settings.items():
            _add_option(group, path, setting, seen)


def _add_option(group: Any, path: str, setting: Any, seen: set[str]) -> None:
    name = _option(path)
    if name in seen:
        return
    seen.add(name)
    if setting.unit == "choice":
        words = [key for key, _ in setting.words if key]
        shown = "|".join(words) if len(words) <= MOST_SHOWN else "NAME"
        group.add_argument(name, dest=name, metavar=shown, help=setting.label)
    else:
        unit = "MM" if setting.unit == "length" else "DEG"
        group.add_argument(name, dest=name, type=float, metavar=unit, help=setting.label)


def _both(setting: Any) -> Any:
    """The setting of one end, said of both."""
    return dataclasses.replace(setting, label=f"Both ends,{setting.label.partition(',')[2]}")


def _option(path: str) -> str:
    return "--" + path.replace("_", "-").replace(".", "-")


def families(_: argparse.Namespace) -> None:
    """Print every family with its sizes."""
    from bathyx.core.sheet.makeup.roles import SCHOOLS
    from bathyx.core.tank.families import FAMILIES

    for key, family in FAMILIES.items():
        print(f"{key}: {family.words}")
        settings = {s.path: s for s in family.settings()}
        rows = [(word, _both(settings[paths[0]])) for word, paths in family.together.items()]
        rows += settings.items()
        for path, setting in rows:
            kinds = {"length": "mm", "angle": "degrees", "choice": ", ".join(k for k, _ in setting.words)}
            must = ", must be given" if setting.required else ""
            said = f"  {_option(path):22} {setting.label} ({kinds[setting.unit].removeprefix(', ')}{must})"
            print("\n".join(textwrap.wrap(said, 118, subsequent_indent=25 * " ", break_on_hyphens=False)))
        print(f"  {'--school':22} {', '.join(f'{s} ({SCHOOLS[s].lower()})' for s in family.schools())}")


def new(options: argparse.Namespace) -> None:
    """Write a new job file."""
    from bathyx.core.brief import Brief
    from bathyx.core.evaluate import evaluate
    from bathyx.core.job import job_of
    from bathyx.core.laminate import LayUp
    from bathyx.core.sheet.makeup.roles import MakeUp
    from bathyx.core.space import MeasuredBox

    free_for(options.job, force=options.force)
    options.sheet = _sheet(options)
    try:
        tank = _tank(options)
        shell = tank.shell()
        low, high = shell.bounds
        length, width, height = (float(x) for x in high - low)
        school = options.school or tank.schools()[0]
        process = ROLLER if options.making == ROLLER else ""
        litres = float(f"{0.9 * shell.volume_mm3 / 1e6:.2g}")
        job = job_of(
            {
                "brief": {
                    "name": options.name,
                    "fluid": options.fluid,
                    "demand": {"kind": "capacity", "litres": litres},
                },
                "space": _space_of(tank) or MeasuredBox.around(length, width, height).model_dump(),
                "tank": tank.model_dump(),
                "makeup": {**MakeUp(joint=options.joint).model_dump(), "school": school, "weld_process": process},
                "layup": LayUp.preset("cored").model_dump() if options.making == CORED else None,
            }
        )
        assert isinstance(job.brief, Brief)
        evaluate(job)
    except Refusal as error:
        raise CommandError(str(error)) from None
    put_down(job, options.job)


def _sheet(options: argparse.Namespace) -> str:
    """The sheet that is said, or the usual one of the way of making."""
    from bathyx.core.making import MAKINGS, making_of
    from bathyx.core.material import sheet

    if options.making is not None and options.making not in (*MAKINGS, CORED):
        raise CommandError(f"no way of making {options.making!r}; there are {', '.join((*MAKINGS, CORED))}")
    way = "laminate" if options.making == CORED else options.making
    if options.sheet is None:
        if options.making is None:
            raise CommandError("say --sheet MATERIAL/MM, like 5083/3, or --making, like plastic")
        return MAKINGS[way].first_sheet
    made = making_of(sheet(options.sheet))
    if way == ROLLER and made.key in ("metal", "steel"):
        return str(options.sheet)
    if way not in (None, made.key):
        raise CommandError(
            f"{options.sheet} is {made.title.lower()}, not {options.making}; leave --making out or take another sheet"
        )
    return str(options.sheet)


def _space_of(tank: Any) -> dict[str, Any] | None:
    """The hull that a built-in tank is part of; None for any other tank."""
    from bathyx.core.material import sheet

    if not tank.built_in:
        return None
    t = sheet(tank.sheet).thickness_mm
    seat = dict(zip(("x_mm", "y_mm", "z_mm"), (v - t for v in tank.seat_mm()), strict=True))
    stations = [s.model_dump() for s in tank.stations]
    return {"kind": "stations", "stations": stations, "runs": tank.runs, "seat": seat}


def _sump(text: str) -> dict[str, Any]:
    """The sump that `LxWxD@x,y` or `DIAxD@x,y` stands for."""
    try:
        size, _, place = text.lower().partition("@")
        sizes = [float(part) for part in size.split("x")]
        x, y = (float(part) for part in place.split(","))
    except ValueError:
        sizes = []
    if len(sizes) not in (2, 3):
        raise CommandError(
            f"a sump of {text!r:.60} is not understood; write length x width x depth @ place, like 160x120x60@250,180"
        )
    kind, width = ("box", sizes[1]) if len(sizes) == 3 else ("round", sizes[0])
    return {"kind": kind, "x_mm": x, "y_mm": y, "length_mm": sizes[0], "width_mm": width, "depth_mm": sizes[-1]}


def _read_shape(options: argparse.Namespace, document: dict[str, Any]) -> None:
    """What a family has from a file: an outline's corners, a hull's stations."""
    if options.profile is not None:
        from bathyx.files.profiles import read_profile

        document["corners"] = read_profile(options.profile, options.profile_unit, options.profile_loop)
    elif options.family == "outline":
        raise CommandError("the outline family needs --profile FILE with its corners")
    if options.offsets is not None:
        from bathyx.files.offsets import read_offsets

        document["stations"] = read_offsets(options.offsets, options.offsets_unit or "mm")
    elif options.family == "integral":
        raise CommandError("the integral family needs --offsets FILE with the hull's stations")


def _tank(options: argparse.Namespace) -> Any:
    """The tank that the options describe; CommandError for sizes that are missing or belong to another family."""
    from bathyx.core.tank.families import FAMILIES
    from bathyx.core.units.frozen import checked

    if options.profile is not None and options.family == FAMILY:
        options.family = "outline"
    if options.offsets is not None and options.family == FAMILY:
        options.family = "integral"
    family = FAMILIES.get(options.family)
    if family is None:
        raise CommandError(f"no family {options.family!r}; there are {', '.join(FAMILIES)}")
    given = {name: value for name, value in vars(options).items() if name.startswith("--") and value is not None}
    settings = family.settings()
    paths: dict[str, tuple[str, ...]] = {_option(word): many for word, many in family.together.items()}
    paths |= {_option(s.path): (s.path,) for s in settings}
    foreign = [name for name in given if name not in paths]
    if foreign:
        raise CommandError(
            f"{', '.join(foreign)}: no size of the {options.family} family; `bathyx families` lists its own"
        )
    missing = [_option(s.path) for s in settings if s.required and _option(s.path) not in given]
    if missing:
        raise CommandError(f"the {options.family} family needs {', '.join(missing)}")
    document: dict[str, Any] = {"family": options.family, "sheet": options.sheet}
    _read_shape(options, document)
    if options.sump:
        document["sump"] = _sump(options.sump)
    for name in sorted(given, key=lambda n: len(paths[n]), reverse=True):
        for path in paths[name]:
            *way, last = path.split(".")
            spot = document
            for step in way:
                spot = spot.setdefault(step, {})
            spot[last] = given[name]
    return checked(family, document)
