"""Whether there is a display that a window can be opened on, asked before Qt would abort over it."""

from __future__ import annotations

import ctypes
import ctypes.util
import socket
from collections.abc import Mapping
from pathlib import Path

WITHOUT_SCREEN = ("offscreen", "minimal", "vnc", "linuxfb", "eglfs", "minimalegl", "vkkhrdisplay")


def trouble(environment: Mapping[str, str]) -> str:
    """Why no window can be opened; empty when one can."""
    platform = environment.get("QT_QPA_PLATFORM", "").split(";")[0].split(":")[0]
    if platform:
        there = _platforms()
        if there and platform not in there:
            return f"QT_QPA_PLATFORM is {platform!r}; there are {', '.join(sorted(there))}"
        if platform in WITHOUT_SCREEN:
            return ""
    wayland, display = environment.get("WAYLAND_DISPLAY", ""), environment.get("DISPLAY", "")
    if wayland and platform != "xcb" and _wayland_answers(environment):
        return ""
    if display:
        return "" if _x_answers(display) else f"the display {display!r} does not answer"
    if wayland:
        return f"the display {wayland!r} does not answer"
    return "no display to open a window on"


def _platforms() -> set[str]:
    from PyQt6.QtCore import QLibraryInfo

    folder = Path(QLibraryInfo.path(QLibraryInfo.LibraryPath.PluginsPath)) / "platforms"
    names = {p.name.removeprefix("libq").removesuffix(".so") for p in folder.glob("libq*.so")}
    return {name.split("-")[0] if name.startswith("wayland") else name for name in names}


def _wayland_answers(environment: Mapping[str, str]) -> bool:
    folder = environment.get("XDG_RUNTIME_DIR", "")
    with socket.socket(socket.AF_UNIX) as end:
        end.settimeout(2)
        try:
            end.connect(str(Path(folder) / environment["WAYLAND_DISPLAY"]))
        except OSError:
            return False
    return True


def _x_answers(display: str) -> bool:
    """Asked through the library that Qt itself uses, with its names, sockets and cookies."""
    name = ctypes.util.find_library("xcb") or "libxcb.so.1"
    try:
        xcb = ctypes.CDLL(name)
    except OSError:
        return True  # Qt will say what is missing
    xcb.xcb_connect.restype = ctypes.c_void_p
    xcb.xcb_connect.argtypes = (ctypes.c_char_p, ctypes.c_void_p)
    xcb.xcb_connection_has_error.argtypes = xcb.xcb_disconnect.argtypes = (ctypes.c_void_p,)
    connection = xcb.xcb_connect(display.encode(), None)
    bad = xcb.xcb_connection_has_error(connection)
    xcb.xcb_disconnect(connection)
    return not bad
