"""Links are signed: who has one sees what it is for, and cannot make another."""

from __future__ import annotations

import hashlib

from itsdangerous import BadSignature, URLSafeTimedSerializer

from fern_ticket.web.common.state import Shared


def signer(shared: Shared, purpose: str) -> URLSafeTimedSerializer:
    """Signs for one purpose: a link for another is worth nothing here.

    Raises
    ------
    BadSignature
        No secret is set up, so nothing can be signed.
    """
    if not shared.settings.link_secret:
        raise BadSignature("links are not set up")
    return URLSafeTimedSerializer(
        shared.settings.link_secret, salt=purpose, signer_kwargs={"digest_method": hashlib.sha256}
    )
