"""Laminates: cloth, resin and core as tables; a lay-up as a list of plies; theory, resin, batches, cloth by the roll."""

from bathyx.core.laminate.layup import LayUp, Ply
from bathyx.core.laminate.panels import PanelLayUp, of_panel, sheets_of
from bathyx.core.laminate.stuff import Cloth, Core, Resin, cloths, cores, resins

__all__ = [
    "Cloth", "Core", "LayUp", "PanelLayUp", "Ply", "Resin", "cloths", "cores", "of_panel", "resins", "sheets_of",
]  # fmt: skip
