"""Where results of steps are kept: a store for each tank in hand, so that tanks do not push each other out."""

from __future__ import annotations

import threading
from collections import OrderedDict
from typing import Any

MOST_RESULTS = 16
MOST_TANKS = 8
MISSING = object()


class Store:
    """Results by step and content key. Of each step the `most` used last are kept; safe to use from several threads."""

    def __init__(self, most: int = MOST_RESULTS) -> None:
        self._most = most
        self._rows: dict[str, OrderedDict[bytes, Any]] = {}
        self._lock = threading.Lock()

    def get(self, step: str, key: bytes) -> Any:
        """The result of a step for a key; `MISSING` where it is not kept."""
        with self._lock:
            row = self._rows.get(step)
            if row is None or key not in row:
                return MISSING
            row.move_to_end(key)
            return row[key]

    def put(self, step: str, key: bytes, result: Any) -> None:
        """Keep a result; the one that was not used for longest goes."""
        with self._lock:
            row = self._rows.setdefault(step, OrderedDict())
            row[key] = result
            row.move_to_end(key)
            if len(row) > self._most:
                row.popitem(last=False)

    def __len__(self) -> int:
        """How many results are kept, of all steps."""
        with self._lock:
            return sum(len(row) for row in self._rows.values())


_stores: OrderedDict[str, Store] = OrderedDict()
_lock = threading.Lock()


def store_of(owner: str) -> Store:
    """The store of one tank, by the job's uid; of more than eight tanks the one that was not used for longest is let go."""
    with _lock:
        store = _stores.setdefault(owner, Store())
        _stores.move_to_end(owner)
        if len(_stores) > MOST_TANKS:
            _stores.popitem(last=False)
        return store


def forget_all() -> None:
    """Let go of every result: what all of them stand on has changed."""
    with _lock:
        _stores.clear()
