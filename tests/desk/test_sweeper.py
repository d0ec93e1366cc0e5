"""Cycles with widgets in them are collected on the interface thread only."""

import gc
import threading
import weakref
from typing import ClassVar

from PyQt6.QtCore import QObject, QThread

from bathyx.desk.sweeper import Sweeper


class Told(QObject):
    """Says on which thread it was let go."""

    ended_on: ClassVar[list] = []

    def __init__(self):
        super().__init__()
        self.loop = self
        weakref.finalize(self, lambda: Told.ended_on.append(threading.current_thread()))


def test_a_cycle_is_swept_on_the_interface_thread_whatever_other_threads_do(qtbot):
    parent = QObject()
    sweeper = Sweeper(parent)
    assert not gc.isenabled()
    Told.ended_on.clear()
    Told()
    busy = threading.Thread(target=lambda: [[] for _ in range(200_000)])
    busy.start()
    busy.join()
    assert Told.ended_on == []
    for _ in range(3):
        gc.collect(1)
    sweeper.stop()
    assert Told.ended_on == [threading.main_thread()]
    assert QThread.currentThread() is not None
    gc.disable()


def test_an_open_window_sweeps_and_a_closed_one_gives_the_collector_back(window, qtbot):
    assert not gc.isenabled()
    window.sweeper.sweep()
    window.close()
    assert gc.isenabled()
    gc.disable()
