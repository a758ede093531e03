"""Signing in and out."""

from __future__ import annotations

from fastapi import APIRouter, HTTPException, Request, Response
from pydantic import BaseModel, Field

from fern_ticket.store.happening import Actor
from fern_ticket.store.records import UserWithPassword
from fern_ticket.web.common import attempts
from fern_ticket.web.common.happening import address_of
from fern_ticket.web.common.signing import SignedInAs, begin_session, signed_in_as
from fern_ticket.web.common.state import SharedState
from fern_ticket.web.common.who import COOKIE, Anybody, SignedIn, fits, token_hash

router = APIRouter(prefix="/api", tags=["session"])
#: Longest that is kept of a name that nobody has.
_NAME = 60


class SignIn(BaseModel):
    sign_in: str = Field(min_length=1, max_length=120)
    password: str = Field(min_length=1, max_length=200)


class Welcome(BaseModel):
    """What the sign-in page may know before anybody is signed in."""

    demo_sign_in: str | None = None
    demo_password: str | None = None
    nobody_yet: bool = Field(description="Whether the first person has still to begin.")


DEMO_SIGN_IN, DEMO_PASSWORD = "mara", "limewash-and-reeds"
#: The demo's people: sign-in, name, role. They share the password.
PEOPLE = ((DEMO_SIGN_IN, "Mara Holt", "lead"), ("jonas", "Jonas Reed", "editor"))


@router.get("/welcome")
async def welcome(shared: SharedState) -> Welcome:
    nobody = bool(await shared.database.value("nobody_is_here"))
    if not shared.settings.demo:
        return Welcome(nobody_yet=nobody)
    return Welcome(demo_sign_in=DEMO_SIGN_IN, demo_password=DEMO_PASSWORD, nobody_yet=nobody)


@router.post("/session")
async def sign_in(asked: SignIn, shared: SharedState, request: Request, response: Response) -> SignedInAs:
    """Refused for a while where it failed too often of late (429, with the seconds in `Retry-After`)."""
    address = address_of(request)
    wait = await attempts.wait_for(shared.database, asked.sign_in, address)
    if wait:
        said = f"There were too many tries with another password. Wait {wait} s."
        raise HTTPException(429, said, {"Retry-After": str(wait)})
    user = await shared.database.row(UserWithPassword, "user_by_sign_in", sign_in=asked.sign_in)
    if not await fits(asked.password, user.password_hash if user else None) or user is None:
        await attempts.failed(shared.database, asked.sign_in, address)
        if await attempts.wait_for(shared.database, asked.sign_in, address):
            await Actor(_plainly(asked.sign_in), address).did(
                shared.database, "tried in vain to sign in, several times"
            )
        raise HTTPException(401, "That name and password do not belong together.")
    await attempts.succeeded(shared.database, asked.sign_in)
    return await begin_session(shared, user.sign_in, request, response)


def _plainly(name: str) -> str:
    return "".join(c for c in name if c.isprintable())[:_NAME]


@router.get("/session")
async def session(user: Anybody, shared: SharedState) -> SignedInAs | None:
    """Who is signed in; null for nobody, which is no error: every visit begins with this question."""
    return None if user is None else await signed_in_as(shared, user)


@router.delete("/session", status_code=204)
async def sign_out(request: Request, shared: SharedState, _: SignedIn, response: Response) -> None:
    await shared.database.run("end_session", token_hash=token_hash(request.cookies.get(COOKIE, "")))
    response.delete_cookie(COOKIE, path="/")
