"""A whole installation as one file, taken while it runs, and brought back into an empty data folder."""

from __future__ import annotations

import hashlib
import io
import json
import os
import re
import shutil
import subprocess
import tarfile
import tempfile
from datetime import UTC, datetime
from pathlib import Path

from fern_ticket.core.errors import FernError

FORM = "fern-ticket backup 1"
_DUMP, _ABOUT, _CONTENTS = "database.dump", "backup.json", "contents.json"
#: What signs and locks; the database's own password stays with its folder.
_SECRETS = ("desk", "links", "safe")
_NAME = re.compile(r"blobs/([0-9a-f]{2})/(\1[0-9a-f]{62})|secrets/(desk|links|safe)|database\.dump|backup\.json")


def back_up(data: Path, database_url: str, out: Path) -> int:
    """Write the database, the secrets and every file to `out`. Returns how many files it has.

    The database is read in one moment; files never change, and those that come later are more than it needs.

    Raises
    ------
    FernError
        There is something at `out`, there is no room, or the database cannot be read.
    """
    if out.exists():
        raise FernError(f"{out} is there already.", "A backup is never written over another; choose another name.")
    part = out.with_name(f"{out.name}.part")
    try:
        with tempfile.TemporaryDirectory(dir=out.parent) as beside, tarfile.open(part, "w") as tar:
            dump = Path(beside) / _DUMP
            _run("pg_dump", "--format=custom", f"--file={dump}", database_url)
            contents = _Contents(tar)
            contents.add(_ABOUT, json.dumps({"form": FORM, "made_at": datetime.now(UTC).isoformat()}).encode())
            contents.add(_DUMP, dump)
            for name in _SECRETS:
                if (data / "secrets" / name).exists():
                    contents.add(f"secrets/{name}", data / "secrets" / name)
            for blob in sorted((data / "blobs").glob("??/*")):
                if _NAME.fullmatch(f"blobs/{blob.parent.name}/{blob.name}"):
                    contents.add(f"blobs/{blob.parent.name}/{blob.name}", blob)
            count = contents.end()
        os.chmod(part, 0o600)
        part.replace(out)
    except OSError as error:
        raise FernError(f"{out} cannot be written: {error.strerror}.", "Make room, or choose another place.") from error
    finally:
        part.unlink(missing_ok=True)
    return count


class _Contents:
    """Adds files to an archive, and at its end what they are."""

    def __init__(self, tar: tarfile.TarFile) -> None:
        self._tar = tar
        self._sums: dict[str, str] = {}

    def add(self, name: str, what: Path | bytes) -> None:
        if isinstance(what, bytes):
            self._sums[name] = hashlib.sha256(what).hexdigest()
            self._write(name, what)
            return
        with what.open("rb") as file:
            self._sums[name] = hashlib.file_digest(file, "sha256").hexdigest()
        self._tar.add(what, name, recursive=False)

    def end(self) -> int:
        self._write(_CONTENTS, json.dumps(self._sums, indent=0).encode())
        return len(self._sums)

    def _write(self, name: str, data: bytes) -> None:
        info = tarfile.TarInfo(name)
        info.size = len(data)
        self._tar.addfile(info, io.BytesIO(data))


def check_backup(backup: Path) -> dict[str, str]:
    """The names in a backup and their SHA-256, every byte checked. Nothing is written.

    Raises
    ------
    FernError
        It is no backup, is damaged, or names something outside itself.
    """
    sums: dict[str, str] = {}
    told: dict[str, str] | None = None
    about: dict[str, str] = {}
    try:
        with tarfile.open(backup, "r") as tar:
            for member in tar:
                if (
                    not member.isfile()
                    or member.name in sums
                    or not (_NAME.fullmatch(member.name) or member.name == _CONTENTS)
                ):
                    raise _wrong(f"it holds {member.name[:80]!r}, which has no place in one")
                file = tar.extractfile(member)
                assert file is not None
                if member.name == _CONTENTS:
                    told = json.load(file)
                    continue
                if member.name == _ABOUT:
                    data = file.read(1 << 16)
                    about = json.loads(data)
                    sums[member.name] = hashlib.sha256(data).hexdigest()
                    continue
                sums[member.name] = hashlib.file_digest(file, "sha256").hexdigest()  # type: ignore[arg-type]
    except OSError as error:
        raise FernError(f"{backup} cannot be read: {error.strerror}.", "Check the name.") from error
    except (tarfile.TarError, EOFError, ValueError) as error:
        raise _wrong("it is damaged or was cut off") from error
    if about.get("form") != FORM or told is None or _DUMP not in sums:
        raise _wrong("it lacks a part")
    if told != sums:
        raise _wrong("a file in it is another one than was written")
    wrong = next((n for n, found in sums.items() if n.startswith("blobs/") and not n.endswith(found)), None)
    if wrong is not None:
        raise _wrong(f"{wrong} is another file than its name says")
    return sums


def bring_back(backup: Path, data: Path, database_url: str) -> int:
    """Bring a backup back into an empty data folder and an empty database. Returns how many files it had.

    Raises
    ------
    FernError
        The backup is refused (before anything is written), or the folder is not empty.
    """
    if any((data / "blobs").glob("??/*")):
        raise FernError(f"{data} has files already.", "Bring the backup back into an empty folder.")
    sums = check_backup(backup)
    with tempfile.TemporaryDirectory(dir=data) as beside, tarfile.open(backup, "r") as tar:
        for member in tar:
            file = tar.extractfile(member)
            if file is None or member.name in (_ABOUT, _CONTENTS):
                continue
            target = Path(beside) / _DUMP if member.name == _DUMP else data / member.name
            target.parent.mkdir(
                mode=0o700 if member.name.startswith("secrets/") else 0o755, parents=True, exist_ok=True
            )
            with target.open("wb") as out:
                shutil.copyfileobj(file, out)
            os.chmod(target, 0o444 if member.name.startswith("blobs/") else 0o600)
        _run("pg_restore", "--no-owner", "--exit-on-error", f"--dbname={database_url}", str(Path(beside) / _DUMP))
    return len(sums)


def _run(program: str, *arguments: str) -> None:
    found = sorted(Path("/usr/lib/postgresql").glob(f"*/bin/{program}"))
    command = [str(found[-1]) if found else program, *arguments]
    try:
        done = subprocess.run(command, capture_output=True, text=True, check=False)
    except FileNotFoundError as error:
        raise FernError(f"{program} is not there.", "Install Debian's package postgresql-client.") from error
    if done.returncode:
        said = done.stderr.strip().splitlines()
        raise FernError(f"{program} failed: {said[-1] if said else done.returncode}.")


def _wrong(what: str) -> FernError:
    return FernError(f"This backup is refused: {what}.", "Nothing was written. Take another one.")
