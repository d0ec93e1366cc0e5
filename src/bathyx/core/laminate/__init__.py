"""Laminates: cloth, resin and core as tables; a lay-up as a list of plies; theory, resin, batches, cloth by the roll."""

from bathyx.core.laminate.layup import LayUp, Ply
from bathyx.core.laminate.stuff import Cloth, Core, Resin, cloths, cores, resins

__all__ = ["Cloth", "Core", "LayUp", "Ply", "Resin", "cloths", "cores", "resins"]
