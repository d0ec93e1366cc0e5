"""The shop's key: made once, it signs heads and papers, so that a reader who has the public half can check them.

Ed25519 (RFC 8032) through `cryptography`. The private half stays in the home folder, readable by its owner only. Who can
read it can sign in the shop's name: the signature proves that a paper came from the holder of the key, not that what it
says was true when it was written.
"""

from __future__ import annotations

import base64
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from bathyx.errors import Refusal
from bathyx.files import ReadError, read_text
from bathyx.files.write import write_bytes

PRIVATE, PUBLIC = "shop.key", "shop.pub"


class ShopKeyError(Refusal):
    """The shop's key is missing, broken, or there already."""


@dataclass(frozen=True)
class ShopKey:
    """The private key with its public half as text."""

    private: Any
    public: str

    def sign(self, words: str) -> str:
        """The signature of `words`, base64 for a QR code (86 letters)."""
        return _text(self.private.sign(words.encode("utf-8")))


def make_key(home: Path) -> ShopKey:
    """Make the shop's key. ShopKeyError when there is one: papers out in the world were signed with it.

    WriteError when it cannot be kept.
    """
    from cryptography.hazmat.primitives import serialization as form
    from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PrivateKey

    path = home / PRIVATE
    if path.exists():
        raise ShopKeyError(f"{path} is there already; papers are signed with it. Move it away to begin with another")
    home.mkdir(parents=True, exist_ok=True)
    key = Ed25519PrivateKey.generate()
    pem = key.private_bytes(form.Encoding.PEM, form.PrivateFormat.PKCS8, form.NoEncryption())
    write_bytes(path, pem, 0o600)
    made = ShopKey(key, _public_text(key.public_key()))
    write_bytes(home / PUBLIC, (made.public + "\n").encode())
    return made


def shop_key(home: Path) -> ShopKey | None:
    """The shop's key, or None where none was made. ShopKeyError when its file is broken."""
    path = home / PRIVATE
    if not path.exists():
        return None
    from cryptography.hazmat.primitives.serialization import load_pem_private_key

    try:
        key = load_pem_private_key(read_text(path, 10_000).encode(), None)
        return ShopKey(key, _public_text(key.public_key()))
    except (ReadError, ValueError, TypeError, AttributeError) as error:
        raise ShopKeyError(
            f"{path} is no key of the shop ({str(error).splitlines()[0][:80]}); bring its copy back"
        ) from None


def signed_by(public: str, words: str, signature: str) -> bool:
    """Whether `signature` is the one that the holder of `public` made of `words`. ShopKeyError for text that is no public key."""
    from cryptography.exceptions import InvalidSignature
    from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PublicKey

    try:
        key = Ed25519PublicKey.from_public_bytes(_bytes(public))
    except ValueError:
        raise ShopKeyError(f"{public[:60]!r} is no public key; it is the line of 43 letters in {PUBLIC}") from None
    try:
        key.verify(_bytes(signature), words.encode("utf-8"))
    except (InvalidSignature, ValueError):
        return False
    return True


def _public_text(key: Any) -> str:
    from cryptography.hazmat.primitives import serialization as form

    return _text(key.public_bytes(form.Encoding.Raw, form.PublicFormat.Raw))


def _text(data: bytes) -> str:
    return base64.urlsafe_b64encode(data).decode().rstrip("=")


def _bytes(text: str) -> bytes:
    return base64.urlsafe_b64decode(text.strip() + "=" * (-len(text.strip()) % 4))
