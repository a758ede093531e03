"""What the processes say of themselves: a line each, with its request."""

from __future__ import annotations

import json
import logging

import httpx
import pytest
from fastapi import FastAPI

from fern_ticket.logs import Lines, Plain, id_of_request, request_id
from fern_ticket.web.common.problems import install_problems
from tests.web.test_ways import do


def record(says="hand-over %s was cancelled", *rest, trouble=None):
    return logging.LogRecord("fern.jobs", logging.WARNING, "x.py", 1, says, rest or ("7",), trouble)


@pytest.fixture
def request_of_ours():
    token = request_id.set("abc")
    yield "abc"
    request_id.reset(token)


def test_a_line_is_json_with_its_request_and_its_trouble(request_of_ours):
    try:
        raise ValueError("two\nlines")
    except ValueError as error:
        said = Lines().format(record(trouble=(type(error), error, error.__traceback__)))
    assert "\n" not in said
    line = json.loads(said)
    assert (line["level"], line["from"], line["says"]) == ("warning", "fern.jobs", "hand-over 7 was cancelled")
    assert line["request"] == request_of_ours
    assert line["trouble"].endswith("two\nlines")


def test_what_belongs_to_no_request_says_none():
    assert "request" not in json.loads(Lines().format(record()))
    assert not Plain().format(record()).endswith("]")


def test_a_person_reads_the_request_at_the_end(request_of_ours):
    assert Plain().format(record()).endswith("fern.jobs hand-over 7 was cancelled [abc]")


@pytest.mark.parametrize("asked", ["", "a b", "x" * 65, "abc\ninjected", "<script>"])
def test_what_is_no_identifier_is_replaced_by_a_new_one(asked):
    given = {id_of_request(asked) for _ in range(2)}
    assert len(given) == 2
    assert all(one.isalnum() for one in given)


def test_every_answer_tells_its_request(visitor):
    assert (
        visitor.get("/api/health", headers={"X-Request-Id": "from-the-proxy"}).headers["X-Request-Id"]
        == "from-the-proxy"
    )
    own = [visitor.get(path).headers["X-Request-Id"] for path in ("/api/health", "/api/tickets")]
    assert len(set(own)) == 2


def test_an_unexpected_error_is_logged_once_and_names_its_request_to_whoever_sees_it(caplog):
    app = FastAPI()
    install_problems(app)

    @app.get("/")
    async def broken():
        raise ZeroDivisionError

    async def ask():
        request_id.set("abc")
        transport = httpx.ASGITransport(app, raise_app_exceptions=False)
        async with httpx.AsyncClient(transport=transport, base_url="http://x") as client:
            return await client.get("/")

    answer = do(ask())
    assert answer.status_code == 500
    assert "request abc" in answer.json()["detail"]
    assert [one.message for one in caplog.records] == ["unexpected error"]
