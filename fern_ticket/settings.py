"""Settings, from the environment (FERN_…) with defaults that suit one machine."""

from __future__ import annotations

from functools import lru_cache
from pathlib import Path
from typing import Any

from pydantic import Field
from pydantic_settings import BaseSettings, SettingsConfigDict


class Settings(BaseSettings):
    model_config = SettingsConfigDict(env_prefix="FERN_")

    data: Path = Path("var")
    host: str = "127.0.0.1"
    port: int = 8420
    database_url: str = "postgresql://app@127.0.0.1:5466/fern"
    #: Where files lie that every machine reaches, such as `s3://bucket/prefix`; empty for one machine, and what the
    #: file system there wants to know, as JSON.
    blob_store: str = ""
    blob_options: dict[str, Any] = {}
    #: Most bytes of one uploaded file.
    upload_limit: int = 400 * 1024 * 1024
    #: Most bytes that decoding one file may take.
    decode_memory: int = 6 << 30
    #: Bytes that the server, all its processes together, or a worker may hold in things it can compute again.
    cache_budget: int = 768 * 1024 * 1024
    #: Bytes of memory that the server, all its processes together, may take: over it, the work of whoever takes most is
    #: stopped. 0 for most of what the machine has.
    memory: int = Field(0, ge=0)
    #: Processes of the server, all behind its one port. A bench belongs to one; what they share is the database's.
    processes: int = Field(1, ge=1, le=256)
    #: Bring the compiled kernels into memory at the start, so that no one's first drag waits for them.
    warm: bool = True
    #: Signs what the desk accepts from us; made anew in each data folder.
    desk_token: str = ""
    #: Seconds for which a simulated desk looks at a file.
    desk_looks_for: float = 3
    #: Signs the links that clients get; made anew in each data folder.
    link_secret: str = ""
    #: Bytes on disk that prepared copies and kept patches may take: what was used least goes, and is made again.
    disk_budget: int = 100 << 30
    #: Whoever watches over the application reads its figures with this; without one only those who lead can.
    metrics_token: str = ""
    #: Show the demo user on the sign-in page.
    demo: bool = False
    #: Cores that a worker, or the server, keeps busy at most; 0 for all.
    threads: int = Field(0, ge=0, le=1024)
    #: Seconds between a worker's signs of life; after four missed ones its jobs are given to others.
    heartbeat: float = 5

    @property
    def blobs(self) -> Path:
        return self.data / "blobs"

    @property
    def pyramids(self) -> Path:
        return self.data / "pyramids"

    @property
    def patches(self) -> Path:
        """What repairs yielded, kept between one opening of a photo and the next."""
        return self.data / "patches"

    @property
    def safe_key(self) -> Path:
        """The key that secrets of ways out and in are locked with."""
        return self.data / "secrets" / "safe"

    @property
    def arrivals(self) -> Path:
        """Devices leave files here, in a folder named by the ticket's number."""
        return self.data / "arrivals"

    @property
    def desk_inbox(self) -> Path:
        return self.data / "desks"

    @property
    def origin(self) -> str:
        return f"http://{self.host}:{self.port}"


@lru_cache(maxsize=1)
def settings() -> Settings:
    return Settings()
