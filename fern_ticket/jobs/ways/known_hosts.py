"""Machines reached by SFTP, known by the keys that they showed."""

from __future__ import annotations

from pathlib import Path

import paramiko

from fern_ticket.jobs.ways.giving import Refused


class KnownHosts(paramiko.MissingHostKeyPolicy):  # type: ignore[misc]
    """A host is known by the key that it showed at first; one that shows another gets no password."""

    def __init__(self, path: Path) -> None:
        self._path = path

    def missing_host_key(self, _: paramiko.SSHClient, hostname: str, key: paramiko.PKey) -> None:
        """Called for every host, as the client itself knows none. Raises `Refused` for another key than the first."""
        known = paramiko.HostKeys(str(self._path) if self._path.exists() else None)
        if known.check(hostname, key):
            return
        if hostname in known:
            raise Refused(
                f"{hostname} shows another key than before: it may not be the same machine.",
                f"Ask who runs it. If its key was changed, take its line out of {self._path}.",
            )
        known.add(hostname, key.get_name(), key)
        self._path.parent.mkdir(parents=True, exist_ok=True)
        known.save(str(self._path))
