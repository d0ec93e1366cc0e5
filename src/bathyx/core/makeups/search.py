"""The best sets of bends by weight: branch and bound over spanning forests of the graph of faces, exact if it ends in time."""

from __future__ import annotations

import time
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field

from bathyx.core.formula import formula
from bathyx.core.makeups.pieces import Pieces
from bathyx.core.sheet.makeup.roles import root_of

FOREST = formula(
    "makeups.forest",
    "What to bend",
    "the forest over the faces with the largest sum of weights whose every tree can be made",
    source="Branch and bound; the bound is the heaviest spanning forest of what is open (Kruskal 1956, from memory). A branch ends "
    "only at what stays so whatever else is bent; how a piece lies on its sheet is asked of whole sets",
    valid="flat faces and straight edges; rolled faces stay as they are",
    check="tests/core/test_make_ups.py: cube and box by brute force over all unfoldings",
    tolerance="exact where the gap is 0, for blanks that lie on the sheet as they are laid out, their first bend along it; else no "
    "more than the gap is left",
)
SAME = 1e-9


@dataclass
class Found:
    """The best sets so far, (value, bent edges), best first, and what is still possible above the first: 0 where it is proven."""

    most: int
    best: list[tuple[float, frozenset[str]]] = field(default_factory=list)
    open: float = 0.0

    @property
    def gap(self) -> float:
        """By how much a set that was not looked at might be better."""
        return max(0.0, self.open - (self.best[0][0] if self.best else 0.0))

    def worth(self, value: float) -> bool:
        """Whether a set of this value would be kept."""
        return len(self.best) < self.most or value > self.best[-1][0] + SAME

    def take(self, value: float, bent: frozenset[str]) -> None:
        """Keep a set if it is among the best."""
        if self.worth(value) and all(bent != other for _, other in self.best):
            self.best.append((value, bent))
            self.best.sort(key=lambda pair: (-pair[0], sorted(pair[1])))
            del self.best[self.most :]


def best_forests(
    pieces: Pieces,
    weight: Mapping[str, float],
    most: int = 4,
    seconds: float = 4.0,
    go_on: Callable[[], bool] = lambda: True,
) -> Found:
    """The sets of bends of the largest weight that can be made.

    Args:
        pieces: of the shell.
        weight: what bending an edge is worth, by its id; edges worth nothing are welded.
        most: sets to give.
        seconds: to look; what is open then counts as possible.
        go_on: False stops.
    """
    folds = sorted((e for e in pieces.folds if weight.get(e.id, 0.0) > 0), key=lambda e: (-weight[e.id], e.id))
    found = Found(most)
    end = time.monotonic() + seconds

    def bound(k: int, group: dict[str, str]) -> float:
        """The heaviest forest of what is left, whatever can be made."""
        root = dict(group)
        total = 0.0
        for edge in folds[k:]:
            a, b = root_of(root, edge.a), root_of(root, edge.b)
            if a != b:
                root[a] = b
                total += weight[edge.id]
        return total

    def look(k: int, value: float, group: dict[str, str], bent: dict[str, frozenset[str]]) -> None:
        at_most = value + bound(k, group)
        if not found.worth(at_most):
            return
        over = k < len(folds) and (time.monotonic() > end or not go_on())
        if over:
            found.open = max(found.open, at_most)
        if over or k == len(folds):
            if not any(pieces.refusal(tree) for tree in bent.values()):
                found.take(value, frozenset().union(*bent.values()))
            return
        edge = folds[k]
        a, b = group[edge.a], group[edge.b]
        if a != b:
            joined = bent.get(a, frozenset()) | bent.get(b, frozenset()) | {edge.id}
            if not pieces.hopeless(joined):
                merged = {name: (b if of == a else of) for name, of in group.items()}
                look(
                    k + 1,
                    value + weight[edge.id],
                    merged,
                    {n: s for n, s in bent.items() if n not in (a, b)} | {b: joined},
                )
        look(k + 1, value, group, bent)

    look(0, 0.0, dict(pieces.apart), {})
    return found
