"""The examples in the core's docstrings show what is so."""

import doctest
import importlib
import pkgutil

import pytest

import yardstick_core

MODULES = [
    module.name
    for module in pkgutil.walk_packages(yardstick_core.__path__, "yardstick_core.")
    if not module.name.endswith("__main__")
]


@pytest.mark.parametrize("name", MODULES)
def test_examples_of_a_module(name):
    result = doctest.testmod(importlib.import_module(name), optionflags=doctest.ELLIPSIS)
    assert result.failed == 0


def test_there_are_examples():
    found = doctest.DocTestFinder()
    modules = [importlib.import_module(name) for name in MODULES]
    examples = [len(test.examples) for module in modules for test in found.find(module)]
    assert sum(examples) >= 20
