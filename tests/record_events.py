"""A bench in shorthand: events in words, made into the entries a register would hold, with no register and no gauge."""

from dataclasses import dataclass, field
from typing import Any

from bathyx.core.proving.judgement import Asked, StepAsked, judge_tank
from bathyx.core.proving.least import Least
from bathyx.core.proving.plan import PlannedTest

SOAP = PlannedTest(method="air_soap", test_kpa=21.0, hold_min=10.0)
DECAY = PlannedTest(method="decay", test_kpa=21.0, hold_min=30.0, leak_limit_ml_min=2.0)
FUEL = Least(kpa=20.68, minutes=5.0, rule="3 psi")
STEPS = (
    StepAsked("weld", "Weld all seams", metal=True),
    StepAsked("fit", "Fit check", hold=True),
    StepAsked("test", "Prove it", hold=True),
    StepAsked("first_fill", "First fill"),
)


@dataclass
class Made:
    """An entry."""

    id: int
    kind: str
    subject: str
    payload: dict[str, Any]
    revision: int = 1
    who: str = "Pell"
    at: str = "2026-03-02T10:00:00+00:00"
    corrects: int | None = None
    hash: str = ""


@dataclass
class BenchInShorthand:
    """Entries so far, and what is asked of the tank now."""

    plan: tuple[PlannedTest, ...] = (SOAP,)
    least: Least | None = FUEL
    revision: int = 1
    more: dict[str, Any] = field(default_factory=dict)
    entries: list[Made] = field(default_factory=list)

    def add(self, kind: str, subject: str = "", corrects: int | None = None, **payload: Any) -> Made:
        made = Made(len(self.entries) + 1, kind, subject, payload, self.revision, corrects=corrects)
        self.entries.append(made)
        return made

    def run(self, test: PlannedTest = SOAP, verdict: str = "tight", **payload: Any) -> Made:
        hold = self.add("hold", test.what)
        told = {
            "hold": hold.id, "method": test.method, "what": test.what, "verdict": verdict, "target_kpa": test.test_kpa,
            "lowest_kpa": 21.4, "stood_kpa": 21.5, "held_s": test.hold_min * 60, "limit_ml_min": test.leak_limit_ml_min,
            "terms": {"gauge": {"name": "fine", "range_kpa": 70, "accuracy_kpa": 0.07}},
        }  # fmt: skip
        return self.add("test", test.what, **told | payload)

    def leak(self, edge: str = "a/b") -> Made:
        return self.add("leak", "S1", edge=edge)

    def repair(self, edge: str = "a/b", **payload: Any) -> Made:
        return self.add("repair", "S1", edge=edge, **payload)

    def proof(self, **asked: Any):
        told = {
            "plan": self.plan, "least": (self.least,) * len(self.plan), "builds": frozenset({self.revision}), "steps": STEPS,
        }  # fmt: skip
        return judge_tank(self.entries, Asked(**told | self.more | asked))
