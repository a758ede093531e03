"""The examples in the docstrings do what they say."""

from __future__ import annotations

import doctest
import importlib.util
import pkgutil
from pathlib import Path

import pytest

import fern_ticket


def modules():
    for found in pkgutil.walk_packages(fern_ticket.__path__, "fern_ticket."):
        source = importlib.util.find_spec(found.name).origin
        if not found.ispkg and ">>>" in Path(source).read_text():
            yield found.name


@pytest.mark.parametrize("name", modules())
def test_examples_run(name):
    tried = doctest.testmod(importlib.import_module(name), optionflags=doctest.ELLIPSIS)
    assert tried.attempted > 0
    assert tried.failed == 0
