"""People from the command line, by the same rules as on the page."""

from __future__ import annotations

from contextlib import AbstractAsyncContextManager
from typing import Any

from pydantic import TypeAdapter, ValidationError

from fern_ticket.core.errors import FernError
from fern_ticket.core.ledger.steps import first_problem
from fern_ticket.settings import Settings
from fern_ticket.store.database import Database, opened
from fern_ticket.store.happening import Actor
from fern_ticket.store.records import Id, PersonRow, Role, UserWithPassword
from fern_ticket.web.common.passwords import Password, refuse_weak
from fern_ticket.web.common.signing import PersonName, SignInName
from fern_ticket.web.common.who import hash_password

_HERE = Actor("command line")


def role_of(*, lead: bool) -> Role:
    return "lead" if lead else "editor"


async def nobody_is_here(settings: Settings) -> bool:
    async with _opened(settings) as database:
        return bool(await database.value("nobody_is_here"))


async def listed(settings: Settings) -> list[PersonRow]:
    async with _opened(settings) as database:
        return await database.rows(PersonRow, "people")


async def add(settings: Settings, sign_in: str, name: str, role: Role, password: str) -> None:
    """Raises FernError for a name that is taken or does not fit, and for a password that is soon found."""
    _fits(SignInName, sign_in, "small letters, figures, dot and hyphen, two or more")
    _fits(PersonName, name, "up to 80 characters")

    await _refuse(password, name, sign_in)
    async with _opened(settings) as database, database.transaction() as within:
        made = await within.row(
            Id, "new_user", sign_in=sign_in, name=name.strip(), role=role, password_hash=hash_password(password)
        )
        if made is None:
            raise FernError(f"Somebody signs in as {sign_in} already.", "Choose another name.")
        await _HERE.did(within, "added a person", about=name.strip())


async def set_password(settings: Settings, sign_in: str, password: str) -> None:
    """Raises FernError for somebody who is not there, and for a password that is soon found."""
    async with _opened(settings) as database:
        person = await database.row(UserWithPassword, "user_by_sign_in", sign_in=sign_in)
        if person is None:
            raise FernError(f"Nobody who is active signs in as {sign_in}.", "./fern person list shows everybody.")
        await _refuse(password, person.name, sign_in)
        made = hash_password(password)
        async with database.transaction() as within:
            await within.run("change_user", person=person.id, name=None, role=None, password_hash=made, inactive=None)
            await within.run("end_sessions_of", person=person.id)
            await _HERE.did(within, "set a new password", about=person.name)


def _opened(settings: Settings) -> AbstractAsyncContextManager[Database]:
    return opened(settings.database_url, size=1)


async def _refuse(password: str, name: str, sign_in: str) -> None:
    _fits(Password, password, "twelve characters or more")
    await refuse_weak(password, (name, sign_in))


def _fits(kind: Any, value: str, hint: str) -> None:
    try:
        TypeAdapter(kind).validate_python(value)
    except ValidationError as error:
        raise FernError(f"This does not fit: {first_problem(error)}.", f"Give {hint}.") from None
