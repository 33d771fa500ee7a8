"""The made-up contents of the Lighthouse Games Room: seeded noise, the same on every machine."""

from __future__ import annotations

import hashlib
import random
import re
import zlib

SEED = "lighthouse games room"

SIZES = {
    "tern8-b": 16_384,
    "tern8-debug": 16_384,
    "tern16-c": 65_536,
    "tern16-d": 65_536,
    "tern16-font": 8_192,
    "drive-2": 32_768,
    "drive-debug": 32_768,
    "clock": 4_096,
    "test-cart": 24_576,
    "lumen-eu": 131_072,
    "lumen-us": 131_072,
    "lumen-ii": 262_144,
    "lumen-charset": 2_048,
    "lumen-disk": 12_288,
    "vesper": 98_304,
    "vesper-debug": 98_304,
    "vesper-sound": 49_152,
    "vesper-bank-a": 20_480,
    "vesper-bank-b": 20_480,
    "skerry-boot": 16_384,
    "skerry-font": 12_288,
    "skerry-menu": 16_384,
    "skerry-sound": 8_192,
    "skerry-video": 16_384,
    "skerry-logic": 8_192,
    "skerry-bank": 16_384,
    "skerry-tiles": 16_384,
    "skerry-tape": 20_000,
    "skerry-lock": 32,
    "skerry-secret": 8_192,
    "skerry-clock": 4_096,
    "skerry-disk": 24_576,
    "skerry-modem": 6_144,
}
"""Every made-up content and its size in bytes."""

_PLACEHOLDER = re.compile(r"^@([a-z0-9-]+)( weak)?$", re.MULTILINE)


def content(name: str) -> bytes:
    """The bytes of a made-up content."""
    tail = bytes(300) if name == "skerry-logic" else b""
    return noise(name, SIZES[name] - len(tail)) + tail


def noise(name: str, size: int) -> bytes:
    """Bytes that depend on the name alone."""
    return random.Random(f"{SEED}: {name}").randbytes(size)


def with_digests(template: str) -> str:
    """A sheet's text with each line `@name` written out as that content's size and digests.

    `@name weak` gives the CRC-32 alone.
    """

    def expand(match: re.Match[str]) -> str:
        data = content(match[1])
        lines = [f"size = {len(data)}", f'crc32 = "{zlib.crc32(data):08x}"']
        if not match[2]:
            lines.append(f'sha1 = "{hashlib.sha1(data, usedforsecurity=False).hexdigest()}"')
        return "\n".join(lines)

    return _PLACEHOLDER.sub(expand, template)
