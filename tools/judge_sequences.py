"""Every list of events up to a length, judged, against a person who keeps a slate: `python tools/judge_sequences.py [--length 6]`.

The events and the slate are those of tests/core/test_judgement.py; long lists are drawn, short ones are all there are.
"""

from __future__ import annotations

import argparse
import itertools
import random
import sys
import time
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parents[1]))

from tests.core.test_judgement import EVENTS, told


def main() -> int:
    """Print how many, how many of them proven, and every one in which a person would not sign."""
    options = argparse.ArgumentParser(description=__doc__)
    options.add_argument("--length", type=int, default=6)
    options.add_argument("--drawn", type=int, default=15_000, help="of each length that is too many to list")
    given = options.parse_args()
    rng = random.Random(6)
    start, looked, proven, wrong = time.perf_counter(), 0, 0, 0
    for length in range(1, given.length + 1):
        many = len(EVENTS) ** length
        lists = (
            itertools.product(EVENTS, repeat=length)
            if many <= 25_000
            else (rng.choices(EVENTS, k=length) for _ in range(given.drawn))
        )
        for events in lists:
            proof, signs = told(events)
            looked += 1
            proven += proof.whole
            if proof.whole != signs:
                wrong += 1
                print("a person would not say so:", events, proof.state, proof.reasons[:1])
    took = time.perf_counter() - start
    print(
        f"{looked} lists of up to {given.length} events, {proven} proven, {wrong} otherwise than a person; {took:.0f} s"
    )
    return 1 if wrong else 0


if __name__ == "__main__":
    sys.exit(main())
