"""Parameters with which each operation on light does something, as the operations declare them."""

from __future__ import annotations

from fern_ticket.core.ledger.operation import Makes
from fern_ticket.core.operations import operations

EXAMPLES = {name: dict(one.example) for name, one in operations().items() if one.makes is Makes.LIGHT}
