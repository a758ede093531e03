"""People from the command line: the same rules as on the page."""

from __future__ import annotations

import asyncio
from concurrent.futures import ThreadPoolExecutor

import psycopg
import pytest

from fern_ticket.core.errors import FernError
from fern_ticket.settings import Settings
from fern_ticket.web import people_commands
from fern_ticket.web.common.first import first_path
from fern_ticket.web.common.who import fits

WORDS = "three odd words here"


@pytest.fixture
def settings(url, tmp_path):
    return Settings(database_url=url, data=tmp_path)


def do(work):
    with ThreadPoolExecutor(1) as thread:
        return thread.submit(asyncio.run, work).result()


def test_somebody_is_added_listed_and_given_a_new_password(settings, cluster):
    do(people_commands.add(settings, "ada.cli", " Ada Fenn ", people_commands.role_of(lead=True), WORDS))
    (ada,) = [one for one in do(people_commands.listed(settings)) if one.sign_in == "ada.cli"]
    assert (ada.name, ada.role, ada.inactive) == ("Ada Fenn", "lead", False)
    assert do(people_commands.nobody_is_here(settings)) is False
    do(people_commands.set_password(settings, "ada.cli", "four quite odd words"))
    with psycopg.connect(cluster.url) as connection:
        kept = connection.execute("select password_hash from users where sign_in = 'ada.cli'").fetchone()[0]
        told = connection.execute("select what || ' ' || about || ' ' || who from events").fetchall()
    assert do(fits("four quite odd words", kept))
    assert not do(fits("four quite odd word", kept))
    assert ("set a new password Ada Fenn command line",) in told


@pytest.mark.parametrize(
    ("sign_in", "name", "password", "said"),
    [
        ("Ada", "Ada", WORDS, "small letters"),
        ("x", "Ada", WORDS, "small letters"),
        ("ada.two", " ", WORDS, "80 characters"),
        ("ada.two", "Ada", "short", "twelve"),
        ("ada.two", "Ada", "passwordpassword", "list of words"),
    ],
)
def test_what_does_not_fit_is_refused_in_words(settings, sign_in, name, password, said):
    with pytest.raises(FernError, match=said):
        do(people_commands.add(settings, sign_in, name, "editor", password))


def test_a_name_is_taken_once_and_nobody_has_no_password(settings):
    do(people_commands.add(settings, "once", "Olga Once", "editor", WORDS))
    with pytest.raises(FernError, match="already"):
        do(people_commands.add(settings, "once", "Another", "editor", WORDS))
    with pytest.raises(FernError, match="Nobody"):
        do(people_commands.set_password(settings, "nobody.here", WORDS))


def test_the_first_address_is_another_each_time_and_readable_by_nobody_else(tmp_path):
    one, two = first_path(tmp_path), first_path(tmp_path)
    assert one != two
    assert two.endswith((tmp_path / "secrets" / "first").read_text())
    assert (tmp_path / "secrets" / "first").stat().st_mode & 0o077 == 0
