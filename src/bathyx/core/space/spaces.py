"""The kinds of measured spaces. A new one is a file beside these and a line here."""

from __future__ import annotations

from typing import TYPE_CHECKING, Annotated, Any

from pydantic import GetCoreSchemaHandler
from pydantic_core import CoreSchema, core_schema

from bathyx.core.space.base import MeasuredSpace
from bathyx.core.space.box import MeasuredBox
from bathyx.core.space.free import FreeSpace
from bathyx.core.space.stations import StationSpace
from bathyx.errors import Refusal

SPACES: dict[str, type[MeasuredSpace]] = {"box": MeasuredBox, "stations": StationSpace, "free": FreeSpace}


class _Registered:
    """Validates a document's part as the kind of space that it names; a box names none."""

    @classmethod
    def __get_pydantic_core_schema__(cls, _source: Any, handler: GetCoreSchemaHandler) -> CoreSchema:
        listed = core_schema.union_schema([handler.generate_schema(kind) for kind in SPACES.values()])
        return core_schema.no_info_plain_validator_function(_read, json_schema_input_schema=listed)


def _read(value: Any) -> MeasuredSpace:
    if isinstance(value, MeasuredSpace):
        return value
    named = value.get("kind", "box") if isinstance(value, dict) else None
    kind = SPACES.get(named) if isinstance(named, str) else None
    if kind is None:
        raise Refusal(f"its kind should be one of {', '.join(SPACES)}")
    if kind is MeasuredBox and isinstance(value, dict):
        value = {name: part for name, part in value.items() if name != "kind"}
    return kind.model_validate(value)


if TYPE_CHECKING:
    Space = MeasuredSpace
else:
    Space = Annotated[MeasuredSpace, _Registered]
