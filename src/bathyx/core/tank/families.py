"""The families of tanks. A new family is one file beside these and one line here."""

from __future__ import annotations

from typing import TYPE_CHECKING, Annotated, Any

from pydantic import GetCoreSchemaHandler
from pydantic_core import CoreSchema, core_schema

from bathyx.core.tank.family import TankFamily
from bathyx.core.tank.halves import HalvesTank
from bathyx.core.tank.hopper import HopperTank
from bathyx.core.tank.integral import IntegralTank
from bathyx.core.tank.lofted import LoftedTank
from bathyx.core.tank.outline import OutlineTank
from bathyx.core.tank.profile import ProfileTank
from bathyx.core.tank.rolled import RolledTank
from bathyx.core.tank.saddle import SaddleTank
from bathyx.core.units.frozen import checked
from bathyx.errors import Refusal

FAMILIES: dict[str, type[TankFamily]] = {
    "profile": ProfileTank,
    "outline": OutlineTank,
    "rolled": RolledTank,
    "saddle": SaddleTank,
    "hopper": HopperTank,
    "halves": HalvesTank,
    "lofted": LoftedTank,
    "integral": IntegralTank,
}


class _Registered:
    """Validates a document's part as the family that it names, looked up when it is read."""

    @classmethod
    def __get_pydantic_core_schema__(cls, _source: Any, handler: GetCoreSchemaHandler) -> CoreSchema:
        choices = {key: handler.generate_schema(family) for key, family in FAMILIES.items()}
        listed = core_schema.tagged_union_schema(choices, discriminator="family")
        return core_schema.no_info_plain_validator_function(_read, json_schema_input_schema=listed)


def _read(value: Any) -> TankFamily:
    if isinstance(value, TankFamily):
        return value
    named = value.get("family", "profile") if isinstance(value, dict) else None
    family = FAMILIES.get(named) if isinstance(named, str) else None
    if family is None:
        raise Refusal(f"its family should be one of {', '.join(FAMILIES)}")
    return family.model_validate(value)


if TYPE_CHECKING:
    Tank = TankFamily
else:
    Tank = Annotated[TankFamily, _Registered]


def litres_per_mm(tank: TankFamily) -> dict[str, float]:
    """What 1 mm more of each main size is worth, litres per mm, by the size's field."""
    base = tank.volume_mm3()
    worth = {}
    for setting in tank.main_sizes():
        larger = tank.model_copy(update={setting.path: getattr(tank, setting.path) + 1.0})
        worth[setting.path] = (larger.volume_mm3() - base) / 1e6
    return worth


def changed(tank: TankFamily, changes: dict[str, object]) -> TankFamily:
    """The tank with some of its fields changed, validated. Refusal says what is wrong with them."""
    return checked(type(tank), tank.model_dump() | changes)
