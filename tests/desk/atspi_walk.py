"""Run by the system's Python, which has the bindings: walks the tree of a screen reader, and prints what it finds as JSON."""

import json
import sys
import time

import gi

gi.require_version("Atspi", "2.0")
from gi.repository import Atspi  # noqa: E402

MOST_DEEP, MOST_CHILDREN, TRIES = 40, 400, 240


def application(name):
    desktop = Atspi.get_desktop(0)
    for _ in range(TRIES):
        for k in range(desktop.get_child_count()):
            child = desktop.get_child_at_index(k)
            if child is not None and name in (child.get_name() or ""):
                return child
        time.sleep(0.5)
    return None


def walk(node, rows, deep=0, way=""):
    if node is None or deep > MOST_DEEP:
        return
    try:
        role, name, states = node.get_role_name(), node.get_name() or "", node.get_state_set()
        shows = states.contains(Atspi.StateType.SHOWING)
        come_to = shows and states.contains(Atspi.StateType.FOCUSABLE)
        children = min(node.get_child_count(), MOST_CHILDREN) if shows or deep < 2 else 0
    except Exception:  # a part that went while it was looked at
        return
    if come_to:
        rows.append({"role": role, "name": name.strip(), "way": way[-90:]})
    for k in range(children):
        walk(node.get_child_at_index(k), rows, deep + 1, f"{way}/{role}:{name[:16]}")


Atspi.init()
found = application(sys.argv[1])
rows = []
walk(found, rows)
print(json.dumps({"there": found is not None, "rows": rows}))
