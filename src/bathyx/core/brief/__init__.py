"""The brief: what the tank must hold, for whom, and how hard its machine brakes, climbs and rolls."""

from bathyx.core.brief.brief import Brief
from bathyx.core.brief.demand import CapacityWanted, Demand, RunningTime, SystemShare

__all__ = ["Brief", "CapacityWanted", "Demand", "RunningTime", "SystemShare"]
