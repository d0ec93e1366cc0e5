"""Judging a test run by its method: eyes for soap, water and fill; the gauge for decay."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from bathyx.core.proving.decay import Leak, Sample, TraceError, Verdict, decide, leak
from bathyx.core.proving.plan import ProvingPlan


@dataclass(frozen=True)
class Judgement:
    """The verdict on a run, in words, with the fitted leak where there is a trace."""

    plan: ProvingPlan
    verdict: Verdict
    reason: str
    more_min: float | None
    held_s: float
    found: Leak | None

    def payload(self) -> dict[str, Any]:
        """What the register keeps of it."""
        kept: dict[str, Any] = {
            "method": self.plan.method,
            "target_kpa": self.plan.test_kpa,
            "hold_min": self.plan.hold_min,
            "held_s": self.held_s,
            "verdict": self.verdict,
            "reason": self.reason,
        }
        if self.found is not None:
            kept |= {
                "leak_ml_min": self.found.ml_min,
                "half_width_ml_min": self.found.half_width,
                "raw_drop_kpa": self.found.raw_drop_kpa,
                "corrected_drop_kpa": self.found.corrected_drop_kpa,
            }
        return kept


def judge(plan: ProvingPlan, samples: Sequence[Sample], volume_l: float, leaks_seen: int, held_s: float) -> Judgement:
    """The verdict so far. A leak that was seen always counts; what was not held long enough is not decided.

    For soap and water the eye decides and the trace is kept beside it; a trace that shows a leak overrules the eye.
    """
    found: Leak | None = None
    trouble = ""
    if plan.uses_air:
        try:
            found = leak(samples, volume_l)
        except TraceError as error:
            trouble = str(error)
    if leaks_seen:
        word = "leak" if leaks_seen == 1 else "leaks"
        return Judgement(plan, "leaks", f"{leaks_seen} {word} seen and marked", None, held_s, found)
    if plan.method == "decay":
        if found is None:
            return Judgement(plan, "not decided", trouble, plan.hold_min - held_s / 60, held_s, None)
        decision = decide(found, plan.leak_limit_ml_min, plan.hold_min * 60)
        return Judgement(plan, decision.verdict, decision.reason, decision.more_min, held_s, found)
    if found is not None and found.interval[0] > plan.leak_limit_ml_min and held_s >= 120:
        reason = f"nothing seen, but the gauge falls: {found.ml_min:.2f} ± {found.half_width:.2f} mL/min. Look again"
        return Judgement(plan, "not decided", reason, plan.hold_min, held_s, found)
    left = plan.hold_min - held_s / 60
    if left > 0.02:
        return Judgement(plan, "not decided", "nothing seen so far; the hold is not over", left, held_s, found)
    return Judgement(plan, "tight", f"nothing seen on any seam in {held_s / 60:.0f} min", None, held_s, found)
