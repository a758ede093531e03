"""Orders: numbers from a pattern, and files with several of them, of which a wrong one holds up no other."""

from __future__ import annotations

import json
from datetime import UTC, date, datetime, timedelta, timezone

import pytest
from jsonschema_rs import Draft202012Validator

from fern_ticket.core.errors import FernError
from fern_ticket.core.orders.files import MOST, csv_columns, order_file_schema, read_orders
from fern_ticket.core.orders.numbering import is_number, number_of, number_stem
from fern_ticket.jobs.intake import request_for

HERE = timezone(timedelta(hours=2))
ORDER = {"title": "Two rooms", "client": "Wren Mill", "kind": "property", "due": "2027-03-01T12:00:00Z"}


@pytest.mark.parametrize(
    ("pattern", "number"),
    [
        ("{year}-{count:4}", "2027-0012"),
        ("FT-{count}", "FT-12"),
        ("{year}{month}{day}.{count:03}", "20270301.012"),
        ("{count:2}_x", "12_x"),
    ],
)
def test_a_pattern_gives_numbers(pattern, number):
    assert number_of(number_stem(pattern, date(2027, 3, 1)), 12) == number
    assert is_number(number)


@pytest.mark.parametrize(
    "pattern",
    [
        "",
        "{year}",
        "{count}{count}",
        "{count:x}",
        "{hour}-{count}",
        "a/{count}",
        "{count!r}",
        "{year:3}{count}",
        "{",
        "é{count}",
    ],
)
def test_a_pattern_that_gives_none_says_what_one_has(pattern):
    with pytest.raises(FernError, match=r"\{count\}"):
        number_stem(pattern, date(2027, 3, 1))


def test_a_count_begins_anew_with_what_stands_around_it():
    one, another = (number_stem("{year}-{count:4}", date(year, 1, 1)) for year in (2027, 2028))
    assert one != another


def test_orders_come_as_json_with_the_line_where_each_begins():
    text = json.dumps({"orders": [ORDER, {**ORDER, "kind": "car"}, ORDER]}, indent=1)
    rows = read_orders(text.encode(), UTC)
    assert [row.order is not None for row in rows] == [True, False, True]
    lines = text.splitlines()
    assert [lines[row.line - 1].strip() for row in rows] == ["{"] * 3
    assert "kind" in rows[1].problem
    assert read_orders(json.dumps([ORDER]).encode(), UTC)[0].order == rows[0].order


def test_the_published_schema_takes_what_is_taken_and_refuses_what_is_refused():
    """JSON Schema 2020-12, by the jsonschema-rs package."""
    validator = Draft202012Validator(order_file_schema())
    assert validator.is_valid({"orders": [ORDER]})
    for wrong in ({"kind": "car"}, {"title": ""}, {"colour": "red"}):
        assert not validator.is_valid({"orders": [{**ORDER, **wrong}]})


CSV = """title,client,kind,due,brief,ways,editors,requests
Two rooms,Wren Mill,property,2027-03-01,"Calm, please
and cool",The share|The desk,ada|jonas,front: level it|hall: take the bucket out
Soup,Fen Kitchen,soup,2027-03-01,,,,
Bread,Fen Kitchen,food,2027-03-01T09:30,,,,
Late,Fen Kitchen,food,tomorrow,,,,
Too,many,food,2027-03-01,,,,,cells,here
"""


def test_orders_come_as_csv_with_the_same_fields():
    rows = read_orders(CSV.encode("utf-8-sig"), HERE)
    first = rows[0].order
    assert first is not None
    assert (first.ways, first.editors, first.brief) == (
        ["The share", "The desk"],
        ["ada", "jonas"],
        "Calm, please\nand cool",
    )
    assert [(one.photo, one.request) for one in first.requests] == [
        ("front", "level it"),
        ("hall", "take the bucket out"),
    ]
    # a date alone is the end of that working day, where the studio is
    assert first.due == datetime(2027, 3, 1, 15, tzinfo=UTC)
    assert rows[2].order is not None
    assert rows[2].order.due == datetime(2027, 3, 1, 7, 30, tzinfo=UTC)
    # a cell may have several lines: said is the line where the row begins
    assert [(row.line, row.order is None) for row in rows] == [(2, False), (4, True), (5, False), (6, True), (7, True)]
    assert "kind" in rows[1].problem
    assert "due" in rows[3].problem
    assert "more cells" in rows[4].problem


def test_a_table_says_what_is_wrong_with_a_row_in_words_of_a_table():
    table = (
        "title;client;kind;due\r\nA;Race Mill;Property;2027-03-01\r\nB;Race Mill;holiday;2027-03-01\r\n"
        "C;Race Mill;food;04.12.2027\r\n;Race Mill;food;2027-03-01\r\n"
    )
    first, *wrong = read_orders(table.encode(), UTC)
    assert first.order.kind == "property", "as a spreadsheet begins a cell"
    assert [row.problem for row in wrong] == [
        "kind: 'holiday' is not one of property, food, product, animal, artwork, panorama",
        "due: '04.12.2027' is not read as a day; write 2027-03-01, or 2027-03-01T17:00",
        "it says no title",
    ]


def test_a_table_saved_as_unicode_text_is_read_too():
    table = "title\tclient\tkind\tdue\r\nKüche, oben\tMüller; Söhne\tproperty\t2027-03-01\r\n"
    (row,) = read_orders(table.encode("utf-16"), UTC)
    assert (row.order.title, row.order.client) == ("Küche, oben", "Müller; Söhne")


def test_a_table_made_where_commas_are_decimal_signs_is_read_too():
    text = "title;client;kind;due\nTwo rooms, up;Wren Mill;property;2027-03-01"
    order = read_orders(text.encode(), UTC)[0].order
    assert order is not None
    assert order.title == "Two rooms, up"


@pytest.mark.parametrize(
    ("data", "said"),
    [
        (b"", "empty"),
        (b"\xff\xfe\x00", "UTF-8"),
        (b'{"orders": [', "not JSON"),
        (b'{"tickets": []}', "no list"),
        (b"[]", "no orders"),
        (b"title,client,kind\na,b,food", "lacks the column 'due'"),
        (b"title,client,kind,due,colour\n", "does not know the column 'colour'"),
        (json.dumps([ORDER] * (MOST + 1)).encode(), f"at most {MOST}"),
        (b"[" * 100_000, "not JSON"),
    ],
)
def test_a_file_that_cannot_be_read_says_why(data, said):
    with pytest.raises(FernError, match=said):
        read_orders(data, UTC)


def test_the_columns_are_the_fields():
    assert set(csv_columns()) >= {"title", "client", "kind", "due", "slip", "ways", "requests", "number"}


def test_a_request_finds_its_photo_by_the_name_of_the_file():
    asked = [("Front.JPG", "level"), ("front", "cool"), ("hall", "x")]
    requests = [{"photo": photo, "request": request} for photo, request in asked]
    order = read_orders(json.dumps([{**ORDER, "requests": requests}]).encode(), UTC)[0].order
    assert order is not None
    assert request_for(order.requests, "front.jpg") == "level\ncool"
    assert request_for(order.requests, "yard.jpg") == ""
