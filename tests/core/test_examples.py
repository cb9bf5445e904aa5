"""The examples in the docstrings of the core are true."""

import doctest
import importlib
import pkgutil

import pytest

import papiermappe.core

MODULES = [found.name for found in pkgutil.walk_packages(papiermappe.core.__path__, "papiermappe.core.")]


@pytest.mark.parametrize("name", MODULES)
def test_examples_of_a_module(name: str) -> None:
    results = doctest.testmod(importlib.import_module(name))
    assert results.failed == 0


def test_there_are_examples() -> None:
    finder = doctest.DocTestFinder(exclude_empty=True)
    found = [test for name in MODULES for test in finder.find(importlib.import_module(name)) if test.examples]
    assert len(found) >= 10
