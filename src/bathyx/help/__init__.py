"""Help for makers: pages in plain Markdown beside this file, found by a few words, with the formulas behind them."""

from __future__ import annotations

import re
from dataclasses import dataclass
from functools import cache
from importlib.resources import files

ORDER = tuple(
    [
        "first-tank",
        "desk",
        "brief",
        "space",
        "tank",
        "inside",
        "cut",
        "build",
        "making",
        "prove",
        "hand-over",
        "files",
        "keys",
        "trouble",
        "safety",
        "news",
    ]
)
STAGES = ("brief", "space", "tank", "inside", "cut", "build", "prove")
TITLE = 30


@dataclass(frozen=True)
class HelpPage:
    """One page: its key, its title, its Markdown."""

    key: str
    title: str
    text: str


@cache
def pages() -> tuple[HelpPage, ...]:
    """All pages in their order."""
    folder = files("bathyx.help")
    found = []
    for key in ORDER:
        text = folder.joinpath(f"{key}.md").read_text(encoding="utf-8")
        found.append(HelpPage(key, text.splitlines()[0].removeprefix("# "), text))
    return tuple(found)


def picture(key: str) -> bytes:
    """A picture of the desk that a page shows, PNG; nothing where there is none. Made from the demo by tools/screenshots.py."""
    found = files("bathyx.help").joinpath("pictures", f"{key}.png")
    return found.read_bytes() if re.fullmatch(r"[\w-]+", key) and found.is_file() else b""


def page(key: str) -> HelpPage:
    """A page by its key; a formula's for `formula:KEY`. The first where there is none."""
    if key.startswith("formula:"):
        return formula_page(key.removeprefix("formula:"))
    return next((p for p in pages() if p.key == key), pages()[0])


def formula_page(key: str) -> HelpPage:
    """What a formula says, where it comes from, what it holds for, and how far it can be trusted."""
    import bathyx.core.evaluate  # noqa: F401 - the ledger is complete once it is there
    from bathyx.core.formula import ledger
    from bathyx.core.proving import decay, energy, least  # noqa: F401 - theirs, too

    found = next((f for f in ledger() if f.key == key), None)
    if found is None:
        return pages()[0]
    text = (
        f"# {found.title}\n\n    {found.expression}\n\n**Source**: {found.source}.\n\n**Holds for**: {found.valid}.\n\n"
        f"**Trust**: {found.tolerance}.\n\n**Held by**: {found.check}.\n"
    )
    return HelpPage(f"formula:{key}", found.title, text)


def search(words: str) -> tuple[HelpPage, ...]:
    """Pages that hold every word, those that have them in their title or most often first; all of them for no words."""
    wanted = re.findall(r"\w+", words.casefold())
    if not wanted:
        return pages()
    scored = []
    for place, one in enumerate(pages()):
        text, title = one.text.casefold(), one.title.casefold()
        if all(word in text for word in wanted):
            score = sum(text.count(word) + TITLE * (word in title) for word in wanted)
            scored.append((-score, place, one))
    return tuple(one for _, _, one in sorted(scored, key=lambda row: row[:2]))


def about(stage: str, label: str = "") -> tuple[str, str]:
    """(key of the page, words to show in it) for something in a stage of the desk, by its label."""
    key = stage if stage in STAGES else "hand-over" if stage == "handover" else "desk"
    words = [w for w in re.findall(r"[A-Za-z]{3,}", label) if w.casefold() in page(key).text.casefold()]
    if label and not words:
        other = next((p for p in search(label) if p.key != key), None)
        if other is not None:
            return other.key, label
    return key, max(words, key=len) if words else ""
