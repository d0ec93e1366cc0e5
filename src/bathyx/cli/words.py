"""A parser that says a slip in one line: what was meant, perhaps, and where to read on; no page of usage before it."""

from __future__ import annotations

import argparse
import difflib
import re
import sys
from typing import NoReturn

WRONG, NEAR = 2, 0.6


class Parser(argparse.ArgumentParser):
    """As argparse's, but for what it says of a slip."""

    def error(self, message: str) -> NoReturn:
        """One line on standard error, and exit code 2."""
        self.exit(WRONG, f"{self.prog}: {self.worded(message)}; `{self.prog} --help` says what there is\n")

    def worded(self, message: str) -> str:
        """What argparse says, in plain words, with the nearest that there is."""
        if match := re.fullmatch(r"argument (.+): invalid choice: '(.*?)' \(choose from (.+)\)", message, re.DOTALL):
            what, said, offered = match.groups()
            names = re.findall(r"'([^']*)'|([\w.:-]+)", offered)
            return f"{said!r} is no {_named(what)}{_meant(said, [a or b for a, b in names])}"
        if match := re.fullmatch(r"unrecognized arguments: (.+)", message):
            said = match[1].split()[0]
            return f"{said} is not known here{_meant(said.partition('=')[0], self._options())}"
        if match := re.fullmatch(r"the following arguments are required: (.+)", message):
            return f"{match[1]} is missing"
        if match := re.fullmatch(r"argument (.+): expected (one|at least one) argument", message):
            return f"{match[1]} wants a value behind it"
        if match := re.fullmatch(r"argument (.+): invalid \w+ value: '(.*)'", message):
            return f"{match[1]} wants a number, not {match[2]!r}"
        return message

    def _options(self) -> list[str]:
        """Every option of the command that was meant, or of all."""
        found = list(self._option_string_actions)
        for action in self._actions:
            if isinstance(action, argparse._SubParsersAction):  # noqa: SLF001 - argparse has no other way to them
                chosen = [name for name in sys.argv[1:2] if name in action.choices] or list(action.choices)
                for name in chosen:
                    found += list(action.choices[name]._option_string_actions)  # noqa: SLF001
        return found


def _named(what: str) -> str:
    return "command" if what == "COMMAND" else f"value for {what}"


def _meant(said: str, names: list[str]) -> str:
    near = difflib.get_close_matches(said, names, 1, NEAR)
    if near:
        return f": did you mean {near[0]}?"
    return f"; one of {', '.join(names)}" if len(names) <= 12 else ""
