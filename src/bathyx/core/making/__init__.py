"""Ways of making a tank, a file each: what a face and an edge become, what that takes, its steps, its log, its proof.

Which one a job is made by follows from its sheet. A new way is a file that fills in a `Making`, and a line in `registry.py`.
"""

from bathyx.core.making.base import Asked, Making, Row, Step, WeldSettings
from bathyx.core.making.registry import MAKINGS, making_of

__all__ = ["MAKINGS", "Asked", "Making", "Row", "Step", "WeldSettings", "making_of"]
