"""The job: one frozen document that puts the rooms' parts together, with its JSON form.

Reading validates everything and says which field is wrong, what stands there and what would be right. A file of an
older version is migrated, one of a newer version refused.
"""

from __future__ import annotations

import json
import re
import unicodedata
import uuid
from typing import Any

import numpy as np
from pydantic import Field, model_validator

from bathyx.core.brief import Brief
from bathyx.core.geometry.skin import outside_of
from bathyx.core.inside.inside import Inside
from bathyx.core.laminate.equal import key_of
from bathyx.core.laminate.layup import LayUp
from bathyx.core.laminate.panels import PanelLayUp
from bathyx.core.material import fluids, parse_sheet, sheet
from bathyx.core.material.sheets import materials
from bathyx.core.memory import digest
from bathyx.core.proving.plan import ProvingPlan
from bathyx.core.repair.intake import DonorPart, Intake
from bathyx.core.sheet.bending.punches import punches
from bathyx.core.sheet.flat.formed import FormedSkin
from bathyx.core.sheet.makeup.own_parts import OwnPart
from bathyx.core.sheet.makeup.roles import MakeUp
from bathyx.core.sheet.makeup.skins import BAFFLES, PanelSheet, flush_of, set_in, skins_of
from bathyx.core.space.box import MeasuredBox
from bathyx.core.space.obstacles import MOST_CORNERS, SolidObstacle
from bathyx.core.space.spaces import Space
from bathyx.core.tables import TABLES, lay_carried, named_in
from bathyx.core.tank.families import Tank
from bathyx.core.tank.family import TankFamily
from bathyx.core.tank.second import SecondTank
from bathyx.core.units import Reading
from bathyx.core.units.frozen import Frozen, checked
from bathyx.errors import Refusal

SCHEMA_VERSION = 2
DRAFT, SCHEMA_HOME = "https://json-schema.org/draft/2020-12/schema", "https://bathyx.example/schema"
MOST_DIGITS, LAMINATE = 18, "laminate"
JOINERS = "\u00ad\u200c\u200d"  # letters of some scripts need them; they hide nothing
BUILT_PARTS = ("tank", "makeup", "inside")  # what the metal is cut to; a proof holds while these stay


class JobError(Refusal):
    """A document that cannot be read, or an edit that makes none; the message is for the person."""


def _new_uid() -> str:
    return uuid.uuid4().hex


class Job(Frozen):
    """One tank's job. Edits return a new Job: `job.edited("tank.length_mm", 400)`."""

    schema_version: int = SCHEMA_VERSION
    uid: str = Field(default_factory=_new_uid, min_length=8, max_length=64)
    maker: str = Field("", max_length=120)
    brief: Brief = Brief()
    space: Space = MeasuredBox(width=Reading.of(700), depth=Reading.of(420), height=Reading.of(330))
    tank: Tank
    makeup: MakeUp = MakeUp()
    inside: Inside = Inside()
    proving: ProvingPlan = ProvingPlan()
    second: SecondTank | None = None
    own_parts: tuple[OwnPart, ...] = Field((), max_length=200)
    formed: tuple[FormedSkin, ...] = Field((), max_length=12)
    other_rows: tuple[str, ...] = Field((), max_length=200)
    layup: LayUp | None = None
    panel_layups: tuple[PanelLayUp, ...] = Field((), max_length=40)
    repair: Intake | None = None
    donors: tuple[DonorPart, ...] = Field((), max_length=20)

    @model_validator(mode="after")
    def _laid_as_said(self) -> Job:
        """A laid-up tank has a lay-up, and its sheet is as thick as that comes to; a job without one has none."""
        made = [self.tank, *([] if self.second is None else [self.second.tank])]
        if not any(_is_laid(tank) for tank in made):
            if self.layup is not None:
                object.__setattr__(self, "layup", None)
            if self.panel_layups:
                object.__setattr__(self, "panel_layups", ())
            return self
        if self.layup is None:
            object.__setattr__(self, "layup", LayUp.preset("seal"))
        assert self.layup is not None
        sheet_name = key_of(self.layup)
        if _is_laid(self.tank) and self.tank.sheet != sheet_name:
            object.__setattr__(self, "tank", _of_sheet(self.tank, sheet_name))
        if self.second is not None and _is_laid(self.second.tank) and self.second.tank.sheet != sheet_name:
            thick = self.second.model_copy(update={"tank": _of_sheet(self.second.tank, sheet_name)})
            object.__setattr__(self, "second", thick)
        if self.panel_layups:
            self._panels_as_laid(self.layup)
        return self

    def _panels_as_laid(self, base: LayUp) -> None:
        """Panels with plies of their own are as thick as these come to."""
        names = [own.face for own in self.panel_layups]
        if twice := next((name for name in names if names.count(name) > 1), None):
            raise Refusal(f"{twice}: its plies are said twice; keep those that are right")
        laid = {own.face: round(own.whole(base).made.thick_mm, 2) for own in self.panel_layups}
        laid.pop(BAFFLES, None)
        panels = [
            p.model_copy(update={"thickness_mm": laid.pop(p.face)}) if p.face in laid else p for p in self.makeup.panels
        ]
        panels += [PanelSheet(face=face, thickness_mm=thick) for face, thick in laid.items()]
        if tuple(panels) != self.makeup.panels:
            object.__setattr__(self, "makeup", self.makeup.model_copy(update={"panels": tuple(panels)}))

    def edited(self, path: str, value: Any) -> Job:
        """A Job with the value at dotted `path` replaced (list items by index). JobError says what would be right."""
        return self.edited_many({path: value})

    def edited_many(self, changes: dict[str, Any]) -> Job:
        """A Job with several values replaced at once, validated together; parts that nothing is changed in stay as they are."""
        document: dict[str, Any] = {name: getattr(self, name) for name in type(self).model_fields}
        for path, value in changes.items():
            *way, last = path.split(".")
            if way and isinstance(part := document.get(way[0]), (Frozen, tuple)):
                document[way[0]] = _plain(part)
            spot: Any = document
            try:
                for step in way:
                    spot = spot[int(step) if isinstance(spot, list) else step]
                place: Any = int(last) if isinstance(spot, list) else last
                spot[place]
            except (KeyError, IndexError, ValueError, TypeError):
                raise JobError(f"the job has no field {path!r}") from None
            spot[place] = _plain(value)
        return job_of(document)

    def differing(self, other: Job) -> dict[str, Any]:
        """The parts in which it is not as `other` is, by name: what makes that one this one, in one edit."""
        mine = {name: getattr(self, name) for name in type(self).model_fields}
        return {name: value for name, value in mine.items() if value != getattr(other, name)}

    def value_at(self, path: str) -> Any:
        """The value at a dotted path; None where the way there is not."""
        spot: Any = self
        for step in path.split("."):
            try:
                spot = spot[int(step)] if isinstance(spot, tuple) else getattr(spot, step)
            except (AttributeError, IndexError, ValueError):
                return None
        return spot

    def to_json(self) -> str:
        """The document as indented JSON; a tank as its family writes it, so that what was frozen reads the same ever after."""
        document = self.model_dump(mode="json")
        document["brief"] = self.brief.written(document["brief"])
        document["tank"] = self.tank.written(document["tank"])
        document["makeup"] = self.makeup.written(document["makeup"])
        document["inside"] = self.inside.written(document["inside"])
        document["space"] = self.space.written(document["space"])
        document["proving"] = self.proving.written(document["proving"])
        for name in ("own_parts", "formed", "other_rows", "panel_layups", "donors"):
            if not document[name]:
                del document[name]
        for name in ("layup", "repair"):
            if document[name] is None:
                del document[name]
        if self.second is None:
            del document["second"]
        else:
            document["second"]["tank"] = self.second.tank.written(document["second"]["tank"])
        if carried := named_in(document):
            document["tables"] = carried
        return json.dumps(document, indent=2, ensure_ascii=False) + "\n"


def _is_laid(tank: TankFamily) -> bool:
    return parse_sheet(tank.sheet)[0] == LAMINATE


def _of_sheet(tank: TankFamily, name: str) -> TankFamily:
    """The tank of another sheet, looked at anew: what its family refuses of that sheet is refused here."""
    return type(tank).model_validate({**tank.model_dump(), "sheet": name})


def way_in_of(job: Job) -> str:
    """What a way in was found for: tank, fittings and space, as 32 characters; a way for another is out of date."""
    space = job.space
    if space.way_in is not None:
        space = space.model_copy(update={"way_in": space.way_in.model_copy(update={"promise": None})})
    return digest("way in", job.tank, job.inside.fittings, space, job.second or "").hex()


def own_copy(job: Job) -> Job:
    """The same document as a job of its own: another tank, not built yet."""
    return job.model_copy(update={"uid": _new_uid()})


def own_job(job: Job) -> Job:
    """The second tank as a job of its own, to be built and proven: in the same space, and where both have a place with the first,
    as the hull round it, as what stands there."""
    if job.second is None:
        raise JobError("this job has no second tank")
    seat = None if job.second.seat is None else job.second.seat.model_dump()
    half = {"kind": "capacity", "litres": round(0.85 * job.second.tank.volume_mm3() / 1e6, 1)}
    return Job(
        uid=_new_uid(), maker=job.maker, brief=job.brief, space=job.space, tank=job.second.tank, layup=job.layup
    ).edited_many(
        {
            "brief.name": f"{job.brief.name}, {job.second.name}"[:120],
            "brief.demand": half,
            "space.seat": seat,
            "space.obstacles": [*job.space.obstacles, *([] if seat is None else [_as_obstacle(job)])],
            "makeup.school": job.second.tank.schools()[0],
        }
    )


def _as_obstacle(job: Job) -> SolidObstacle:
    """The outside of the first tank where it sits, as a solid."""
    base = sheet(job.tank.sheet)
    inside = set_in(job.tank.shell(), flush_of(job.makeup.panels, base.thickness_mm))
    own = skins_of(inside, base, job.makeup.panels).own
    skin = outside_of(inside, base.thickness_mm, own).reshape(-1, 3)
    spots = np.unique(np.round(skin + (job.space.seated() - skin.min(axis=0)), 3), axis=0)
    if len(spots) > MOST_CORNERS:
        low, high = spots.min(axis=0), spots.max(axis=0)
        spots = low + (high - low) * np.array([[a, b, c] for a in (0, 1) for b in (0, 1) for c in (0, 1)])
    corners = tuple((float(x), float(y), float(z)) for x, y, z in spots)
    return SolidObstacle(name="the first tank", clearance_mm=6.0, corners=corners)


def _plain(value: Any) -> Any:
    if isinstance(value, Frozen):
        return value.model_dump(mode="json")
    if isinstance(value, (list, tuple)):
        return [_plain(v) for v in value]
    return value


def job_of(document: Any) -> Job:
    """A Job of a plain document; JobError names field, value and what would be right."""
    try:
        _refuse_unprintable(document, "")
        return checked(Job, document)
    except Refusal as error:
        raise JobError(str(error)) from None


def _refuse_unprintable(part: Any, place: str) -> None:
    """Control characters and halves of characters in a text would be lost on paper or in a register; none gets in."""
    if isinstance(part, dict):
        for name, value in part.items():
            _refuse_unprintable(value, f"{place}.{ascii(name)[1:-1]}"[:120])
    elif isinstance(part, (list, tuple)):
        for k, value in enumerate(part):
            _refuse_unprintable(value, f"{place}.{k}")
    elif isinstance(part, str):
        bad = next((c for c in part if unicodedata.category(c) in ("Cc", "Cs", "Cf") and c not in JOINERS), None)
        if bad is not None:
            raise JobError(
                f"{place.strip('.')} holds the character U+{ord(bad):04X}, which cannot be printed; take it out"
            )


def read_job(text: str, source: str = "job file") -> Job:
    """The Job in JSON `text`. JobError for broken or truncated text, a newer version, or a wrong field."""
    try:
        document = _plain_document(text)
        return job_of(document)
    except Refusal as error:
        raise JobError(f"{source}: {error}") from None


def _plain_document(text: str) -> Any:
    """The JSON of `text`, brought up to this version. Refusal that says where it breaks off or what is no job."""
    try:
        document = json.loads(text, object_pairs_hook=_each_once, parse_int=_whole, parse_constant=_no_number)
    except json.JSONDecodeError as error:
        raise JobError(
            f"not a whole JSON document (line {error.lineno}, column {error.colno}: {error.msg}); "
            "it may have been cut off: use the last saved copy"
        ) from None
    except RecursionError:
        raise JobError("lists within lists without end; a job is at most a few levels deep") from None
    if not isinstance(document, dict) or "schema_version" not in document:
        raise JobError(f"not a Bathyx job; its first field should be schema_version: {SCHEMA_VERSION}")
    document.pop("$schema", None)  # editors like to know it; it is not part of a job
    version = document["schema_version"]
    if not isinstance(version, int) or isinstance(version, bool) or version < 1:
        shown = "something else" if isinstance(version, (dict, list)) else f"{version!r:.40}"
        raise JobError(f"schema_version is {shown}; it should be a whole number from 1 to {SCHEMA_VERSION}")
    if version > SCHEMA_VERSION:
        raise JobError(
            f"written by a newer Bathyx (schema_version {version}, this one reads up to {SCHEMA_VERSION}); "
            "update Bathyx to open it"
        )
    for step in range(version, SCHEMA_VERSION):
        document = MIGRATIONS[step](document)
    if otherwise := lay_carried(document.pop("tables", {})):
        document["other_rows"] = otherwise
    return document


def _each_once(pairs: list[tuple[str, Any]]) -> dict[str, Any]:
    found = dict(pairs)
    if len(found) < len(pairs):
        names = [name for name, _ in pairs]
        twice = next(name for name in names if names.count(name) > 1)
        raise JobError(f"the field {twice[:60]!r} stands twice in one object; keep the one that is right")
    return found


def _whole(digits: str) -> int:
    if len(digits) > MOST_DIGITS:
        raise JobError(f"a number of {len(digits)} digits ({digits[:12]}…); no figure of a job is that large")
    return int(digits)


def _no_number(word: str) -> float:
    raise JobError(f"{word} is no figure; every number of a job is finite")


def _list_of_tests(document: dict[str, Any]) -> dict[str, Any]:
    """Version 1 had one test; version 2 has a list of them."""
    old = document.get("proving")
    if isinstance(old, dict) and "tests" not in old:
        document = document | {"proving": {"tests": [old]}}
    return document | {"schema_version": 2}


MIGRATIONS: dict[int, Any] = {1: _list_of_tests}


def schema() -> dict[str, Any]:
    """The published JSON schema of the job document."""
    found: dict[str, Any] = Job.model_json_schema()
    kinds = found["$defs"]
    kinds["Brief"]["properties"]["fluid"]["enum"] = sorted(fluids())
    kinds["Brake"]["properties"]["punch"]["enum"] = ["", *punches()]
    metals = "|".join(re.escape(key) for key in materials())
    for name, kind in kinds.items():
        sheet = kind.get("properties", {}).get("sheet")
        if sheet is not None and name.endswith("Tank"):
            sheet["pattern"] = rf"^({metals})/\d+(\.\d+)?$"
    found["properties"]["$schema"] = {
        "type": "string",
        "description": "Where this schema is; left out when it is saved.",
    }
    found["properties"]["tables"] = {
        "type": "object",
        "description": "Rows of a shop's own tables that the job uses, by table and key; they hold where they are not known.",
        "propertyNames": {"enum": sorted(TABLES)},
        "additionalProperties": {"type": "object", "additionalProperties": {"type": "object"}},
    }
    head = {"$schema": DRAFT, "$id": f"{SCHEMA_HOME}/job-{SCHEMA_VERSION}.schema.json"}
    return head | found
