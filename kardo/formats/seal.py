"""A seal under a report: a signature over every byte before it, with the key that made it, as a comment behind the
document's end.

Ed25519, RFC 8032. Whoever holds the file can tell whether a byte was changed since; whether the key is the
organisation's own is told by comparing its fingerprint with one that came another way."""

import base64
import hashlib
import re
from dataclasses import dataclass

from cryptography.exceptions import InvalidSignature
from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PrivateKey, Ed25519PublicKey
from cryptography.hazmat.primitives.serialization import Encoding, PublicFormat

from kardo.core.errors import ReadError

COMMENTS = {"pdf": (b"\n%kardo-seal ", b"\n"), "html": (b"\n<!-- kardo-seal ", b" -->\n")}
_SEAL = re.compile(rb"\n(?:%|<!-- )kardo-seal ([A-Za-z0-9+/=]{44}) ([A-Za-z0-9+/=]{88})(?: -->)?\n\Z")


@dataclass(frozen=True)
class Sealed:
    """A sealed document: its bytes without the seal, and the fingerprint of the key."""

    content: bytes
    fingerprint: str


def fingerprint(public: bytes) -> str:
    """How a public key (32 bytes) is called: the first 80 bits of its SHA-256 in groups of five letters and digits.

    >>> fingerprint(bytes(32))
    '66687-AADF8-62BD7-76C8F'
    """
    text = hashlib.sha256(public).hexdigest().upper()[:20]
    return "-".join(text[k : k + 5] for k in range(0, 20, 5))


def fingerprint_of(seed: bytes) -> str:
    """Of the key that a seed of 32 bytes makes."""
    return fingerprint(_public(Ed25519PrivateKey.from_private_bytes(seed)))


def seal(content: bytes, kind: str, seed: bytes) -> bytes:
    """A document of a kind (pdf or html) with a seal by the key of a seed of 32 bytes."""
    key = Ed25519PrivateKey.from_private_bytes(seed)
    before, after = COMMENTS[kind]
    return b"".join([content, before, base64.b64encode(_public(key)), b" ", base64.b64encode(key.sign(content)), after])


def unsealed(data: bytes) -> Sealed:
    """What a seal stands under. Raises ReadError for a document without one, and for one that was changed since."""
    found = _SEAL.search(data[-400:])
    if found is None:
        raise ReadError(
            "There is no seal at the end: this is no signed report, or something was added to it or cut off.",
            mend="Ask for the report as it was signed.",
        )
    content = data[: len(data[:-400]) + found.start()]
    try:
        public, signature = (base64.b64decode(found[k]) for k in (1, 2))
        if any(base64.b64encode(raw) != found[k] for k, raw in ((1, public), (2, signature))):
            raise ValueError("a letter of the seal itself was changed")
        Ed25519PublicKey.from_public_bytes(public).verify(signature, content)
    except (InvalidSignature, ValueError):
        raise ReadError(
            "The report was altered after it was signed.", mend="Ask for the report as it was signed."
        ) from None
    return Sealed(content, fingerprint(public))


def _public(key: Ed25519PrivateKey) -> bytes:
    return key.public_key().public_bytes(Encoding.Raw, PublicFormat.Raw)
