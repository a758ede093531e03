"""The examples of docs/orders.md are orders."""

from __future__ import annotations

import re
from datetime import UTC
from pathlib import Path

import pytest

from fern_ticket.core.orders.files import csv_columns, read_orders

PAGE = (Path(__file__).parents[2] / "docs" / "orders.md").read_text()


@pytest.mark.parametrize("kind", ["json", "csv"])
def test_an_example_is_read_whole(kind):
    (example,) = re.findall(rf"```{kind}\n(.*?)```", PAGE, re.DOTALL)
    (row,) = read_orders(example.encode(), UTC)
    assert row.problem == ""
    assert row.order is not None
    assert (row.order.title, row.order.slip, row.order.requests[0].photo) == ("Two rooms up", "Listing 5:4", "front")


def test_every_field_is_told():
    assert set(re.findall(r"`(\w+)`", PAGE[PAGE.index("## Fields") :])) == set(csv_columns())
