"""Signing an index, and telling whose signature it is: Ed25519 (RFC 8032).

A key is written as `ed25519:` and the raw public key in base64. People compare it by its fingerprint: the first 64 bits
of the SHA-256 of the raw key, as eight words and as hex.
"""

from __future__ import annotations

import base64
import binascii
import hashlib
from pathlib import Path

from cryptography.exceptions import InvalidSignature
from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PrivateKey, Ed25519PublicKey

from gribble.stores.opening import secret_in

SCHEME = "ed25519:"
_KEY_BYTES = 32
_WORDS = """
acorn afar alder amber anchor apple april apron arch arrow aspen atlas autumn awning bacon badge bagel bakery balcony
balloon bamboo banjo barley barn basil basket beach beacon bean bell bench berry birch biscuit blanket bluff boat
bonnet book boot border bottle bracket branch bread breeze brick bridge brook broom brush bucket bugle button cabin
cable cactus camel candle canoe canvas carbon carpet carrot castle cedar cellar chalk cherry chess chimney cider
circle citrus clay cliff cloud clover coast cobalt comet compass copper coral cork cotton cradle crane cricket crumb
crystal cup curtain daisy dawn desert diamond dinner dock dolphin donkey door dragon drum dune dust eagle early echo
elbow elm ember engine envelope fabric falcon farm feather fern ferry fiddle field finch flag flour flute forest
fossil fountain fox frost garden garlic gate giant ginger glacier glass glove gold goose grain granite grape gravel
grove guitar hammer harbour harvest hazel heather hedge helmet heron hill honey horizon horn ink island ivory ivy
jacket jasmine jelly jewel jigsaw kettle kitchen kite ladder lagoon lamp lantern lark lavender leaf ledge lemon letter
lilac linen lion lobster locket lotus magnet mango maple marble market meadow melon mint mirror mitten moon moss
mountain muffin mule napkin needle nest nettle noon oak oat ocean olive onion orange orchard otter oven owl paddle
palm panda paper parsley pasture peach pebble pencil pepper piano pillow pine planet plum pocket pond poppy potato
quartz quill rabbit radish raft rain raisin raven reed ribbon river rocket rope rose ruby saddle sail salad salmon
sand
"""
WORDS = tuple(_WORDS.split())
"""Words that are easy to say and hard to confuse, one for each value of a byte."""
assert len(set(WORDS)) == 256, len(set(WORDS))


class Signer:
    """The key of this user, made on its first use. Raises GribbleError."""

    def __init__(self, folder: Path) -> None:
        """`folder` has the user's own data."""
        seed = secret_in(folder, "publishing.secret", "signs catalogues", "Who follows you must take your new key.")
        self._key = Ed25519PrivateKey.from_private_bytes(seed[:_KEY_BYTES])

    @property
    def public(self) -> str:
        """The public key, as it is written."""
        return SCHEME + base64.b64encode(self._key.public_key().public_bytes_raw()).decode()

    def sign(self, data: bytes) -> bytes:
        """The signature of some bytes, in base64."""
        return base64.b64encode(self._key.sign(data)) + b"\n"


def _raw(key: str) -> bytes:
    """The bytes of a public key. Raises ValueError if it is none."""
    try:
        raw = base64.b64decode(key.removeprefix(SCHEME), validate=True)
    except (binascii.Error, ValueError) as error:
        raise ValueError(f"{key[:60]} is not a key") from error
    if not key.startswith(SCHEME) or len(raw) != _KEY_BYTES:
        raise ValueError(f"{key[:60]} is not a key")
    return raw


def is_signed(key: str, data: bytes, signature: bytes) -> bool:
    """Whether some bytes are signed with a key. Raises ValueError for what is no key."""
    public = Ed25519PublicKey.from_public_bytes(_raw(key))
    try:
        public.verify(base64.b64decode(signature.strip(), validate=True), data)
    except (InvalidSignature, binascii.Error, ValueError):
        return False
    return True


def fingerprint(key: str) -> str:
    """What tells a key, for people: eight words, and the same in hex. Raises ValueError for what is no key."""
    short = hashlib.sha256(_raw(key)).digest()[:8]
    return f"{' '.join(WORDS[byte] for byte in short)} ({short.hex()})"
