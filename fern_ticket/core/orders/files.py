"""Order files: several orders at once, as JSON or as CSV with the same fields; a wrong one holds up no other."""

from __future__ import annotations

import codecs
import csv
import io
import json
import re
import reprlib
from dataclasses import dataclass
from datetime import datetime, time, tzinfo
from typing import Any, get_args

from pydantic import BaseModel, ConfigDict, ValidationError

from fern_ticket.core.errors import FernError
from fern_ticket.core.ledger.steps import first_problem
from fern_ticket.core.orders.order import Kind, Order

#: Most orders in one file, and most bytes of it.
MOST, MOST_BYTES = 2000, 8 << 20
#: What separates several things in one cell of a CSV file, and a photo from what is wanted of it.
_BETWEEN, _OF = "|", ":"
#: Where the list of orders begins in a JSON file.
_LIST = re.compile(r'"orders"\s*:\s*\[')
#: What may stand between the cells of a CSV file: the one that its first line has most of does.
_DELIMITERS = ",;\t"
#: A date without a time is meant as the end of that working day.
_END_OF_DAY = time(17, 0)


class OrderFile(BaseModel):
    """The published form of a JSON order file."""

    model_config = ConfigDict(extra="forbid", title="Fern Ticket order file")

    orders: list[Order]


@dataclass(frozen=True)
class Row:
    """One order of a file: the line where it begins, and the order or what is wrong with it."""

    line: int
    order: Order | None
    problem: str = ""


def order_file_schema() -> dict[str, Any]:
    """The JSON schema of an order file (JSON Schema 2020-12)."""
    schema = OrderFile.model_json_schema()
    return {"$schema": "https://json-schema.org/draft/2020-12/schema", **schema}


def csv_columns() -> list[str]:
    """The columns of a CSV order file, in any order: the fields of an order."""
    return list(Order.model_fields)


def read_orders(data: bytes, zone: tzinfo) -> list[Row]:
    """Orders from a file.

    Parameters
    ----------
    data
        JSON (`{"orders": [...]}` or the list alone) or CSV (RFC 4180, with comma, semicolon or tab, the first line
        names the columns; several ways, editors or requests in a cell stand between `|`, a request is
        `photo: what is wanted`). UTF-8, or UTF-16 with its mark.
    zone
        What is meant by times that name no zone.

    Raises
    ------
    FernError
        The file as a whole cannot be read, or holds more than it may.
    """
    if len(data) > MOST_BYTES:
        raise FernError(f"An order file has at most {MOST_BYTES >> 20} MB.", "Bring it in parts.")
    try:
        text = data.decode("utf-16" if data.startswith((codecs.BOM_UTF16_LE, codecs.BOM_UTF16_BE)) else "utf-8-sig")
    except UnicodeDecodeError as error:
        raise FernError("The order file is not written in UTF-8.", "Save it again as UTF-8.") from error
    if not text.strip():
        raise FernError("The order file is empty.", "Bring one with at least one order.")
    rows = _from_json(text, zone) if text.lstrip()[0] in "{[" else _from_csv(text, zone)
    if not rows:
        raise FernError("The order file holds no orders.", "Bring one with at least one order.")
    if len(rows) > MOST:
        raise FernError(f"An order file has at most {MOST} orders; this one has {len(rows)}.", "Bring it in parts.")
    return rows


def _from_json(text: str, zone: tzinfo) -> list[Row]:
    try:
        found = json.loads(text)
    except (json.JSONDecodeError, RecursionError) as error:
        line = getattr(error, "lineno", 1)
        raise FernError(f"The order file is not JSON: {error}.", f"Look at line {line}.") from error
    entries = found.get("orders") if isinstance(found, dict) else found
    if not isinstance(entries, list):
        raise FernError('The order file has no list "orders".', "Its schema stands at /api/orders/schema.json.")
    places = _lines_of_entries(text, len(entries))
    return [_read(line, entry, zone) for line, entry in zip(places, entries, strict=True)]


def _lines_of_entries(text: str, count: int) -> list[int]:
    """The line on which each entry of the list of orders begins."""
    reader = json.JSONDecoder()
    begins = _LIST.search(text) if text.lstrip()[0] == "{" else re.search(r"\[", text)
    at = begins.end() if begins else 0
    lines, line, counted = [], 1, 0
    for _ in range(count):
        while text[at] in " \t\r\n,":
            at += 1
        line += text.count("\n", counted, at)
        counted = at
        lines.append(line)
        _, at = reader.raw_decode(text, at)
    return lines


def _from_csv(text: str, zone: tzinfo) -> list[Row]:
    first = text.lstrip().splitlines()[0]
    reader = csv.DictReader(io.StringIO(text), delimiter=max(_DELIMITERS, key=first.count))
    columns = [name.strip().lower() for name in reader.fieldnames or []]
    unknown = [name for name in columns if name not in Order.model_fields]
    missing = [name for name, field in Order.model_fields.items() if field.is_required() and name not in columns]
    if unknown or missing:
        said = f"does not know the column {unknown[0]!r}" if unknown else f"lacks the column {missing[0]!r}"
        raise FernError(f"The order file {said}.", f"Its columns are {', '.join(csv_columns())}.")
    reader.fieldnames = columns
    rows: list[Row] = []
    while True:
        line = reader.line_num + 1
        try:
            cells = next(reader)
        except StopIteration:
            return rows
        except csv.Error as error:
            rows.append(Row(line, None, f"the row cannot be read: {error}"))
            continue
        if None in cells:
            rows.append(Row(line, None, "the row has more cells than there are columns"))
        else:
            rows.append(_read(line, _from_cells(cells), zone))


def _from_cells(cells: dict[str, str | None]) -> dict[str, Any]:
    out: dict[str, Any] = {}
    for name, cell in cells.items():
        value = (cell or "").strip()
        if not value:
            continue
        parts = [part.strip() for part in value.split(_BETWEEN) if part.strip()]
        if name in ("ways", "editors"):
            out[name] = parts
        elif name == "requests":
            out[name] = [_request(part) for part in parts]
        else:
            # a table's cells begin with a capital where its program thinks that sentences do
            out[name] = value.lower() if name == "kind" else value
    return out


def _request(part: str) -> dict[str, str]:
    photo, _, wanted = part.partition(_OF)
    return {"photo": photo.strip(), "request": wanted.strip()}


def _read(line: int, entry: object, zone: tzinfo) -> Row:
    if not isinstance(entry, dict):
        return Row(line, None, "an order has fields")
    try:
        return Row(line, Order.model_validate(entry | _due(entry.get("due"), zone)))
    except ValidationError as error:
        return Row(line, None, _said(error, entry))


def _said(error: ValidationError, entry: dict[str, Any]) -> str:
    """What is wrong with an order, for somebody who fills in tables."""
    problem = error.errors(include_url=False)[0]
    field = problem["loc"][0] if problem["loc"] else None
    if problem["type"] == "missing" and len(problem["loc"]) == 1:
        return f"it says no {field}"
    if problem["type"] == "literal_error":
        return f"{field}: {reprlib.repr(problem['input'])} is not one of {', '.join(get_args(Kind))}"
    if field == "due" and problem["type"].startswith("datetime"):
        return f"due: {reprlib.repr(entry['due'])} is not read as a day; write 2027-03-01, or 2027-03-01T17:00"
    return first_problem(error)


def _due(given: object, zone: tzinfo) -> dict[str, object]:
    """A due time with its zone, where it is written as a date or without a zone."""
    if not isinstance(given, str):
        return {}
    try:
        moment = datetime.fromisoformat(given)
    except ValueError:
        return {}
    if len(given) == len("2027-03-01"):
        moment = datetime.combine(moment.date(), _END_OF_DAY)
    return {"due": moment if moment.tzinfo else moment.replace(tzinfo=zone)}
