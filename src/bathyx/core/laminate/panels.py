"""Panels with plies of their own: a lid of five, baffles of eight, a floor on foam; resin, mix and school are the tank's."""

from __future__ import annotations

from collections.abc import Sequence

from pydantic import Field

from bathyx.core.laminate.equal import as_sheet
from bathyx.core.laminate.layup import LayUp, Ply
from bathyx.core.material import Sheet
from bathyx.core.sheet.makeup.skins import BAFFLES
from bathyx.core.units.frozen import Frozen
from bathyx.errors import Refusal


class PanelLayUp(Frozen):
    """A face, or `baffles`, and its plies from the inside out, with a foam between them or none, as in a lay-up."""

    face: str = Field(min_length=1, max_length=80)
    plies: tuple[Ply, ...] = Field(min_length=1, max_length=60)
    core: str = Field("", max_length=40)
    core_mm: float = Field(0.0, ge=0, le=200)
    core_after: int = Field(1, ge=1, le=59)

    def whole(self, base: LayUp) -> LayUp:
        """The lay-up that it is, in the tank's resin. Refusal where it cannot be laid.

        Args:
            base: of the tank.
        """
        own = {name: getattr(self, name) for name in ("plies", "core", "core_mm", "core_after")}
        try:
            return LayUp(**{name: getattr(base, name) for name in LayUp.model_fields} | own)
        except ValueError as error:
            raise Refusal(f"{self.face}: {_said(error)}") from None

    @staticmethod
    def like(face: str, layup: LayUp) -> PanelLayUp:
        """A panel that is laid as a lay-up."""
        return PanelLayUp(
            face=face, plies=layup.plies, core=layup.core, core_mm=layup.core_mm, core_after=layup.core_after
        )


def _said(error: ValueError) -> str:
    errors = getattr(error, "errors", None)
    return str(errors()[0]["msg"]).removeprefix("Value error, ") if callable(errors) else str(error)


def of_panel(base: LayUp, own: Sequence[PanelLayUp], role: str, faces: Sequence[str]) -> LayUp:
    """The lay-up of a blank.

    Args:
        base: of the tank.
        own: panels with plies of their own.
        role: of the blank: baffles go by theirs.
        faces: that it makes.
    """
    names = (BAFFLES,) if role == "baffle" else tuple(name.split(":")[0] for name in faces)
    return next((panel.whole(base) for panel in own if panel.face in names), base)


def sheets_of(sheet: Sheet, base: LayUp | None, own: Sequence[PanelLayUp]) -> tuple[tuple[str, Sheet], ...]:
    """(face or `baffles`, its sheet of one stuff) of panels with plies of their own.

    Args:
        sheet: of the table.
        base: the tank's lay-up; None for sheet.
        own: the panels.
    """
    if base is None:
        return ()
    found = []
    for panel in own:
        whole = panel.whole(base)
        found.append((panel.face, as_sheet(Sheet(sheet.material, round(whole.made.thick_mm, 2)), whole)))
    return tuple(found)
