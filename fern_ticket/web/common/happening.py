"""Whoever does something, for what is to be remembered of it."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated

from fastapi import Depends, Request

from fern_ticket.store.happening import Actor
from fern_ticket.store.records import User
from fern_ticket.web.common.who import Lead, SignedIn


@dataclass(frozen=True, kw_only=True)
class Acting(Actor):
    """Somebody who is signed in and does something, and from where."""

    user: User


def address_of(request: Request) -> str:
    return request.client.host if request.client else ""


async def _acting(request: Request, user: SignedIn) -> Acting:
    return Acting(user=user, name=user.name, address=address_of(request))


async def _leading(request: Request, user: Lead) -> Acting:
    return Acting(user=user, name=user.name, address=address_of(request))


#: Whoever is signed in, and one who leads.
Acts = Annotated[Acting, Depends(_acting)]
Leads = Annotated[Acting, Depends(_leading)]
