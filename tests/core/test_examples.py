"""The examples in the docstrings of the core are run, and there are some."""

import doctest
import importlib
import pkgutil

import bathyx.core


def test_every_example_in_the_core_holds():
    tried = 0
    for module in pkgutil.walk_packages(bathyx.core.__path__, "bathyx.core."):
        found = doctest.testmod(importlib.import_module(module.name))
        assert found.failed == 0, module.name
        tried += found.attempted
    assert tried >= 25
