"""Stores that fsspec knows, opened by what a person wrote down of them: for ways out and for watched folders."""

from __future__ import annotations

import asyncio
import errno
from collections.abc import Callable
from pathlib import Path
from typing import Any, TypeVar

import fsspec
from fsspec.implementations.local import LocalFileSystem

from fern_ticket.core.errors import FernError
from fern_ticket.jobs.ways.giving import NotNow, Refused
from fern_ticket.store.ways import ToFolder

T = TypeVar("T")
_WORDS = {
    errno.ENOSPC: "there is no room left",
    errno.EDQUOT: "there is no room left for this user",
    errno.EROFS: "it can only be read",
    errno.EACCES: "this program may not write there",
    errno.EPERM: "this program may not write there",
    errno.ENOENT: "it is not there",
    errno.ENOTDIR: "a part of its path is no folder",
}


def opened_store(settings: ToFolder, secret: str, keep_out: Path) -> tuple[Any, str]:
    """The file system of an address, and the path in it.

    Raises
    ------
    NotNow, Refused
        It cannot be reached, or is none that may be used: `keep_out` is the application's own folder.
    """
    address = settings.address
    if "::" in address:
        raise Refused("Addresses that lead through others are not taken.", "Give the store's own address.")
    try:
        options = _options(settings, secret, keep_out / "secrets" / "known_hosts")
        store, root = fsspec.core.url_to_fs(address, **options, skip_instance_cache=True)
    except (ValueError, ImportError) as error:
        raise Refused(f"This address cannot be used: {error}.", "Give a path, s3://… or sftp://…") from error
    except OSError as error:
        raise NotNow(said_of(address, error)) from error
    if isinstance(store, LocalFileSystem) and Path(root).resolve().is_relative_to(keep_out.resolve()):
        raise Refused("This folder belongs to the application itself.", "Choose one outside its data.")
    return store, str(root).rstrip("/")


async def in_time(address: str, work: Callable[[], T], seconds: float, doing: str = "written") -> T:
    """Work on a store, beside whatever else is done meanwhile, for so many seconds at most.

    Raises
    ------
    NotNow
        The store is slow, full or gone.
    FernError
        As `work` raises it.
    """
    try:
        return await asyncio.wait_for(asyncio.to_thread(work), seconds)
    except (NotNow, FernError):
        raise
    except TimeoutError as error:
        raise NotNow(f"{address} does not answer in time.") from error
    except Exception as error:  # each store has errors of its own
        raise NotNow(said_of(address, error, doing)) from error


def said_of(address: str, error: BaseException, doing: str = "written") -> str:
    """What went wrong with a store, as a sentence."""
    words = _WORDS.get(error.errno or 0) if isinstance(error, OSError) else None
    return f"{address} cannot be {doing}: {words or str(error).strip() or type(error).__name__}."


def _options(settings: ToFolder, secret: str, known_hosts: Path) -> dict[str, Any]:
    """What the store's file system wants to know, by its own names."""
    protocol = settings.address.partition("://")[0] if "://" in settings.address else "file"
    user, endpoint = settings.user, settings.endpoint
    if protocol in ("s3", "s3a"):
        options: dict[str, Any] = {"use_listings_cache": False}
        if user:
            options |= {"key": user, "secret": secret}
        return options | ({"endpoint_url": endpoint} if endpoint else {})
    if protocol in ("sftp", "ssh", "ftp"):
        named: dict[str, Any] = {"username": user} if user else {}
        if protocol != "ftp":
            from fern_ticket.jobs.ways.known_hosts import KnownHosts  # with what takes a while to load

            named["host_key_policy"] = KnownHosts(known_hosts)
        return named | ({"password": secret} if secret else {})
    return {}
