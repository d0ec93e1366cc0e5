"""How often a hold with something hidden is told wrong, with the questions put to it and without: prints docs/hidden-study.md.

`python tools/hidden_study.py [--runs 40] [--workers 2]`. The worlds are `hidden_worlds.py`; each is run without a leak and with
1.5 times the limit, over four sizes of tank. "Wrong tight" is 1.5 times the limit called tight, "wrong leaks" a tank without a leak
called leaking, "holds the truth" how often the stated interval holds it where a leak is steady and a verdict was given.
"""

from __future__ import annotations

import argparse
from collections import Counter
from concurrent.futures import ProcessPoolExecutor
from dataclasses import replace

from hidden_worlds import KINDS, run

from bathyx.core.proving.decay import Trace
from bathyx.core.proving.gauges import GaugeKind, Surroundings
from bathyx.core.proving.questions import Mark
from bathyx.core.proving.verdict import Asked, read_trace

SIZES = (
    {},
    {"volume_l": 12.0, "limit": 1.0},
    {"volume_l": 25.0, "limit": 1.5},
    {"volume_l": 60.0, "limit": 3.0, "hold_min": 30.0},
)
AROUND = Surroundings("unsettled", 0.0)
UNSTEADY = ("leak begins", "leak ends", "leak grows", "leak comes", "leak shuts")


def judged(job: tuple[str, float, int, bool]) -> tuple[str, float, bool, str, bool | None]:
    """(kind, times the limit, questions, verdict, whether the interval holds the truth) of one run."""
    kind, times, seed, questions = job
    world = replace(KINDS[kind], **SIZES[seed % len(SIZES)])
    read = run(world, times * world.limit, seed // len(SIZES), questions)
    trace = Trace(read.t, read.p, read.temp, read.baro)
    gauge = GaugeKind(
        name="study", resolution_kpa=world.step_kpa, noise_kpa=world.noise_kpa, temp_resolution_c=world.step_c,
        temp_lag_s=world.told_lag_s, barometer=world.barometer,
    )  # fmt: skip
    asked = Asked(tuple(Mark(t_s=t, what=w, value=v) for t, w, v in read.marks)) if questions else None
    planned = world.hold_min * 60 * min(world.clock, 1.0) - 90
    decision, found = read_trace(
        trace, world.volume_l * world.told_volume, world.limit, planned, gauge, AROUND, world.test_kpa, asked
    )  # fmt: skip
    held = None
    if found is not None and decision.verdict in ("tight", "leaks", "not decided") and not kind.startswith(UNSTEADY):
        low, high = found.interval
        held = low <= times * world.limit <= high
    return kind, times, questions, decision.verdict, held


def main() -> None:
    """Print the table."""
    options = argparse.ArgumentParser(description=__doc__)
    options.add_argument("--runs", type=int, default=40)
    options.add_argument("--workers", type=int, default=2)
    told = options.parse_args()
    jobs = [(k, x, s, q) for q in (False, True) for k in KINDS for x in (0.0, 1.5) for s in range(told.runs)]
    verdicts: dict[tuple[str, float, bool], Counter[str]] = {}
    truth: dict[bool, Counter[bool]] = {False: Counter(), True: Counter()}
    with ProcessPoolExecutor(told.workers) as pool:
        for kind, times, questions, verdict, held in pool.map(judged, jobs, chunksize=16):
            verdicts.setdefault((kind, times, questions), Counter())[verdict] += 1
            if held is not None:
                truth[questions][held] += 1
    print(
        "| hidden | tight, no leak | wrong leaks | wrong tight | and with questions: tight, no leak | wrong leaks | wrong tight |"
    )
    print("|---|---|---|---|---|---|---|")
    sums = {False: [0, 0], True: [0, 0]}
    for kind in KINDS:
        cells = []
        for questions in (False, True):
            none, leak = verdicts[kind, 0.0, questions], verdicts[kind, 1.5, questions]
            sums[questions][0] += none["leaks"]
            sums[questions][1] += leak["tight"]
            cells += [none["tight"], none["leaks"], leak["tight"]]
        print(f"| {kind} | " + " | ".join(f"{100 * c / told.runs:.0f} %" for c in cells) + " |")
    every = len(KINDS) * told.runs
    for questions, words in ((False, "without questions"), (True, "with questions")):
        leaks, tight = (100 * x / every for x in sums[questions])
        kept = truth[questions]
        share = 100 * kept[True] / max(kept.total(), 1)
        print(
            f"\n{words}: wrong tight {tight:.1f} %, wrong leaks {leaks:.1f} %, the interval holds the truth {share:.1f} %"
        )


if __name__ == "__main__":
    main()
