"""An inbox over HTTP, by the protocol of docs/inbox.md; the simulated desks are inboxes too."""

from __future__ import annotations

from collections.abc import AsyncIterator
from contextlib import asynccontextmanager

import httpx

from fern_ticket.jobs.ways.giving import Answer, NotNow, Parcel, Refused

#: What is asked for to try an inbox: no delivery has this key.
_NOTHING = "is-anybody-there"


class InboxWay:
    """Posts a file to `{address}` with an idempotency key, and asks `{address}/{key}` for the answer.

    Parameters
    ----------
    client
        Speaks HTTP; relative addresses are its own business.
    address
        Of the inbox.
    token
        What the sender shows; empty for an inbox that knows no senders.
    """

    def __init__(self, client: httpx.AsyncClient, address: str, token: str) -> None:
        self._client = client
        self._address = address.rstrip("/")
        self._headers = {"Authorization": f"Bearer {token}"} if token else {}

    async def give(self, parcel: Parcel) -> str:
        content = "application/octet-stream"
        files = [("file", (parcel.file.name, parcel.file.data, content))]
        files += [("further", (one.name, one.data, content)) for one in parcel.further]
        files.append(("manifest", (parcel.manifest.name, parcel.manifest.data, "application/json")))
        async with _spoken():
            answer = await self._client.post(
                self._address,
                headers=self._headers | {"Idempotency-Key": parcel.key},
                data={"order": parcel.ticket},
                files=files,
            )
            answer.raise_for_status()
            return str(answer.json()["receipt"])

    async def answer(self, parcel_key: str) -> Answer:
        async with _spoken():
            answer = await self._client.get(f"{self._address}/{parcel_key}", headers=self._headers)
            answer.raise_for_status()
            said = answer.json()
            accepted = said["accepted"]
            return Answer(
                accepted=None if accepted is None else bool(accepted),
                reasons=[str(reason) for reason in said.get("reasons", [])],
                receipt=said.get("receipt"),
                seconds=float(said.get("seconds", 0)),
            )

    async def tried(self) -> str:
        async with _spoken():
            answer = await self._client.get(f"{self._address}/{_NOTHING}", headers=self._headers)
            if answer.status_code != 404:
                answer.raise_for_status()
                raise Refused("Something answers there, but it is no inbox.", "Look at the address; see docs/inbox.md.")
        return "The inbox answers, and knows the sender."


@asynccontextmanager
async def _spoken() -> AsyncIterator[None]:
    """What goes wrong over HTTP, as what it means."""
    try:
        yield
    except httpx.HTTPStatusError as error:
        status = error.response.status_code
        if status < 500 and status not in (408, 425, 429):
            raise Refused(f"The receiver refuses it: {_detail(error.response)}") from error
        raise NotNow(f"The receiver answers that it cannot at the moment ({status}).") from error
    except httpx.TimeoutException as error:
        raise NotNow("The receiver does not answer in time.") from error
    except (httpx.HTTPError, httpx.InvalidURL) as error:
        raise NotNow(f"The receiver cannot be reached: {error or type(error).__name__}.") from error
    except (ValueError, KeyError, TypeError) as error:
        raise Refused("Something answers there, but not as an inbox does.", "Look at the address.") from error


def _detail(response: httpx.Response) -> str:
    try:
        return str(response.json()["detail"])
    except (ValueError, KeyError, TypeError):
        return f"status {response.status_code}"
