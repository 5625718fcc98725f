"""The examples in the docstrings are true."""

import doctest
import importlib
import pkgutil

import pytest

import agile_crate

MODULES = [
    module.name
    for module in pkgutil.walk_packages(agile_crate.__path__, agile_crate.__name__ + ".")
    if not module.name.endswith("__main__")
]


@pytest.mark.parametrize("name", MODULES)
def test_examples(name: str) -> None:
    assert doctest.testmod(importlib.import_module(name)).failed == 0


def test_there_are_examples() -> None:
    assert sum(doctest.testmod(importlib.import_module(name)).attempted for name in MODULES) > 10
