"""The stages in the maker's order: a new one is a file in this folder and a line here. Read before the first paint, so light."""

from __future__ import annotations

from dataclasses import dataclass
from importlib import import_module
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from bathyx.desk.bench import Bench
    from bathyx.desk.stages.stage import Stage
    from bathyx.desk.theme import Theme


@dataclass(frozen=True)
class Entry:
    """A stage: its key in findings, its title, and `module:class` beside this file."""

    key: str
    title: str
    place: str

    def made(self, bench: Bench, theme: Theme) -> Stage:
        """The stage itself, under this key and title."""
        module, _, name = self.place.partition(":")
        stage: Stage = getattr(import_module(f"bathyx.desk.stages.{module}.stage"), name)(bench, theme)
        stage.key, stage.title = self.key, self.title
        return stage


STAGES = (
    Entry("brief", "Brief", "brief:BriefStage"),
    Entry("space", "Space", "space:SpaceStage"),
    Entry("tank", "Tank", "tank:TankStage"),
    Entry("inside", "Inside", "inside:InsideStage"),
    Entry("cut", "Cut", "cut:CutStage"),
    Entry("build", "Build", "build:BuildStage"),
    Entry("prove", "Prove", "prove:ProveStage"),
    Entry("handover", "Hand over", "handover:HandOverStage"),
)
