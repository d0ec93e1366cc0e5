"""`./run docs`: requirements-run.lock, what Bathyx needs to run of what requirements.lock pins, without what only tests need.

python -m tools.run_lock [FILE]
"""

from __future__ import annotations

import sys
from importlib.metadata import PackageNotFoundError, requires
from pathlib import Path

from packaging.requirements import Requirement
from packaging.utils import canonicalize_name


def needed(name: str = "bathyx", extras: frozenset[str] = frozenset()) -> set[str]:
    """Canonical names of all that a distribution needs, itself left out."""
    found: set[str] = set()
    stack = [(name, extras)]
    while stack:
        of, with_extras = stack.pop()
        try:
            lines = requires(of) or []
        except PackageNotFoundError:
            continue
        for line in lines:
            wanted = Requirement(line)
            if wanted.marker is not None and not any(
                wanted.marker.evaluate({"extra": extra}) for extra in ("", *with_extras)
            ):
                continue
            key = canonicalize_name(wanted.name)
            if key not in found:
                found.add(key)
                stack.append((key, frozenset(wanted.extras)))
    return found


def run_lock(lock: str) -> str:
    """The lines of a lock that are needed to run."""
    keys = needed()
    rows = [line for line in lock.splitlines() if canonicalize_name(line.partition("==")[0]) in keys]
    return "\n".join(rows) + "\n"


if __name__ == "__main__":
    Path(sys.argv[1] if sys.argv[1:] else "requirements-run.lock").write_text(
        run_lock(Path("requirements.lock").read_text("utf-8")), "utf-8"
    )
