"""The examples in the docstrings of the core do what they say."""

import doctest
import importlib
import pkgutil

import numpy as np
import pytest

import quilt_core

MODULES = [
    module.name
    for module in pkgutil.walk_packages(quilt_core.__path__, "quilt_core.")
    if not module.name.rsplit(".", 1)[1].startswith("_") and not module.name.endswith(".warm")
]


@pytest.mark.parametrize("name", MODULES)
def test_examples(name):
    module = importlib.import_module(name)
    found = doctest.testmod(module, extraglobs={"np": np})
    assert found.failed == 0
