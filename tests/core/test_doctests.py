"""The examples in the docstrings are true."""

import doctest
import importlib
import pkgutil

import pytest

import agile_crate.core
import agile_crate.exports
import agile_crate.sources

MODULES = [
    module.name
    for package in (agile_crate.core, agile_crate.sources, agile_crate.exports)
    for module in pkgutil.iter_modules(package.__path__, package.__name__ + ".")
]


@pytest.mark.parametrize("name", MODULES)
def test_examples(name: str) -> None:
    assert doctest.testmod(importlib.import_module(name)).failed == 0


def test_there_are_examples() -> None:
    assert sum(doctest.testmod(importlib.import_module(name)).attempted for name in MODULES) > 10
