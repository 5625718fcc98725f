"""Shared by the tests with hostile input."""

import os
from pathlib import Path

import pytest


@pytest.fixture
def quick(monkeypatch: pytest.MonkeyPatch) -> None:
    """Nothing here asks whether a disk kept what it was told."""
    monkeypatch.setattr(os, "fsync", os.fstat)


@pytest.fixture(scope="module")
def folder(tmp_path_factory: pytest.TempPathFactory) -> Path:
    return tmp_path_factory.mktemp("stranger")
