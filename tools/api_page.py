"""`./run docs`: docs/api.md, the library front as its docstrings have it.

python -m tools.api_page > docs/api.md
"""

from __future__ import annotations

import inspect

from bathyx import api


def api_page() -> str:
    """The page in Markdown: what the module says, then each name of its own with its signature."""
    said = inspect.getdoc(api) or ""
    words, _, example = said.partition(">>>")
    parts = [f"# The library front, `bathyx.api`\n\n{words.strip()}\n\n```python\n>>>{example.rstrip()}\n```\n"]
    parts.append("Worked examples that run stand in tests/test_api.py.\n")
    for name in sorted(api.__all__, key=str.casefold):
        value = getattr(api, name)
        if getattr(value, "__module__", "") != "bathyx.api":
            parts.append(f"## `{name}`\n\n{_first(value)} (`{value.__module__}`)\n")
            continue
        shown = f"{name}{inspect.signature(value)}".replace("'", "")
        parts.append(f"## `{name}`\n\n```python\n{shown}\n```\n\n{_body(value)}\n")
    return "\n".join(parts)


def _first(value: object) -> str:
    return (inspect.getdoc(value) or "").split("\n\n")[0].replace("\n", " ")


def _body(value: object) -> str:
    """A docstring, its sections as a block that keeps its lines."""
    head, _, rest = (inspect.getdoc(value) or "").partition("\n\n")
    return head.replace("\n", " ") + (f"\n\n```text\n{rest.strip()}\n```" if rest else "")


if __name__ == "__main__":
    print(api_page(), end="")
