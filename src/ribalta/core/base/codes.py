"""Codes that let somebody in: of chance, and known by their hash alone."""

import hashlib
import secrets

CODE_BYTES = 24  # of chance: 192 bits
LONGEST = 200


def new_code() -> str:
    """Of an invitation or a session, as text that fits into an address."""
    return secrets.token_urlsafe(CODE_BYTES)


def hashed(code: str) -> str:
    """As it is kept: SHA-256, 64 hexadecimal digits. Codes are long and of chance, so they need no salt."""
    return hashlib.sha256(code[:LONGEST].encode("utf-8", "replace")).hexdigest()
