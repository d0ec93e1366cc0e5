"""docs/numbers.md: every formula in use, printed from the same ledger that explains figures on the desk."""

from __future__ import annotations

import importlib
import pkgutil

import bathyx.core
import bathyx.files.scans
from bathyx.core.formula import ledger

HEAD = """# The numbers

Every formula in use, with its source, its range, the check that holds it and how far it can be trusted.
This page is printed by `bathyx numbers` from the declarations beside the code; a test keeps it current.
"Common practice" is a figure of the trade without a published source; "from memory" marks a value whose source was not
at hand when it was written.

"""


def numbers_page() -> str:
    """The page as Markdown. Every room of the core is loaded first, so that no formula is missed."""
    for room in pkgutil.walk_packages(bathyx.core.__path__, "bathyx.core."):
        importlib.import_module(room.name)
    assert bathyx.files.scans.CUT  # its formula is in the ledger too
    parts = [HEAD]
    for f in sorted(ledger(), key=lambda f: f.key):
        parts.append(
            f"## {f.title}\n\n`{f.expression}`\n\n"
            f"| | |\n|---|---|\n| key | `{f.key}` |\n| source | {f.source} |\n| holds for | {f.valid} |\n"
            f"| checked by | {f.check} |\n| tolerance | {f.tolerance} |\n\n".replace("|d1² − d2²|", "\\|d1² − d2²\\|")
        )
    return "".join(parts).rstrip() + "\n"
