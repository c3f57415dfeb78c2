"""Secrets that the server must be able to read again: encrypted in the database, with a key that is not in it.

Fernet (AES-128-CBC with HMAC-SHA256) of the cryptography package; its key is derived from SECRET_KEY with HKDF (RFC 5869),
and from SECRET_KEY_FALLBACKS, so that the secret key can be changed without losing what is kept.
"""

from __future__ import annotations

import base64

from cryptography.fernet import Fernet, InvalidToken, MultiFernet
from cryptography.hazmat.primitives.hashes import SHA256
from cryptography.hazmat.primitives.kdf.hkdf import HKDF
from django.conf import settings


def conceal(secret: str) -> str:
    """The secret encrypted, as text."""
    return _keys().encrypt(secret.encode()).decode()


def reveal(concealed: str) -> str | None:
    """The secret, or None when it was encrypted with a secret key that the settings no longer hold."""
    try:
        return _keys().decrypt(concealed.encode()).decode()
    except InvalidToken:
        return None


def _keys() -> MultiFernet:
    return MultiFernet([Fernet(_derived(key)) for key in (settings.SECRET_KEY, *settings.SECRET_KEY_FALLBACKS)])


def _derived(key: str) -> bytes:
    derived = HKDF(algorithm=SHA256(), length=32, salt=None, info=b"fairtexel kept secrets").derive(key.encode())
    return base64.urlsafe_b64encode(derived)
