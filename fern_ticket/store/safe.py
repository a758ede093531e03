"""Secrets at rest: encrypted with a key that lies in the data folder and never in the database."""

from __future__ import annotations

import os
from pathlib import Path

from cryptography.fernet import Fernet, InvalidToken

from fern_ticket.core.errors import FernError


class Safe:
    """Encrypts small secrets (Fernet: AES-128-CBC with HMAC-SHA-256).

    Parameters
    ----------
    path
        The file with the key; made when it is first needed. Whoever restores a backup without it enters secrets anew.
    """

    def __init__(self, path: Path) -> None:
        self._path = path

    def locked(self, secret: str | None) -> bytes | None:
        """The secret as it is kept; None for none."""
        return None if secret is None else self._fernet().encrypt(secret.encode())

    def opened(self, kept: bytes | None) -> str:
        """The secret again; empty where none was kept.

        Raises
        ------
        FernError
            It was locked with another key.
        """
        if kept is None:
            return ""
        try:
            return self._fernet().decrypt(kept).decode()
        except InvalidToken as error:
            hint = f"Enter the secret again, or bring back {self._path} from where this data folder was."
            raise FernError("A secret cannot be read with this installation's key.", hint) from error

    def _fernet(self) -> Fernet:
        return Fernet(self._key())

    def _key(self) -> bytes:
        if not self._path.exists():
            self._path.parent.mkdir(mode=0o700, parents=True, exist_ok=True)
            part = self._path.with_name(f"{self._path.name}.{os.getpid()}.part")
            with os.fdopen(os.open(part, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600), "wb") as file:
                file.write(Fernet.generate_key())
            try:
                os.link(part, self._path)  # another process may have been quicker: the first key holds
            except FileExistsError:
                pass
            finally:
                part.unlink()
        return self._path.read_bytes()
