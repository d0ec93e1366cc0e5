"""docs/numbers.md: every formula in use, printed from the same ledger that explains figures on the desk."""

from __future__ import annotations

import bathyx.core.build.trial
import bathyx.core.evaluate
import bathyx.core.propose
import bathyx.core.proving.designer
import bathyx.core.proving.energy
import bathyx.files.scans  # noqa: F401 - imported so that their formulas are in the ledger
from bathyx.core.formula import ledger

HEAD = """# The numbers

Every formula in use, with its source, its range, the check that holds it and how far it can be trusted.
This page is printed by `bathyx numbers` from the declarations beside the code; a test keeps it current.
"Common practice" is a figure of the trade without a published source; "from memory" marks a value whose source was not
at hand when it was written.

"""


def numbers_page() -> str:
    """The page as Markdown."""
    parts = [HEAD]
    for f in sorted(ledger(), key=lambda f: f.key):
        parts.append(
            f"## {f.title}\n\n`{f.expression}`\n\n"
            f"| | |\n|---|---|\n| key | `{f.key}` |\n| source | {f.source} |\n| holds for | {f.valid} |\n"
            f"| checked by | {f.check} |\n| tolerance | {f.tolerance} |\n\n".replace("|d1² − d2²|", "\\|d1² − d2²\\|")
        )
    return "".join(parts).rstrip() + "\n"
