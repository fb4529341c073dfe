"""Names for files that are brought in: the same content has the same name, whoever brings it."""

import hashlib


def name_of(kind: str, data: bytes, suffix: str) -> str:
    """`kind` is one letter, `suffix` begins with a dot: “p3f09….jpg”. It is a plain name; see `StoredName`."""
    return f"{kind}{hashlib.sha256(data).hexdigest()[:20]}{suffix}"
