"""The sheets and the configuration of the Lighthouse Games Room. In the sheets `of` stands for a content's digests, and
`of_key` for the fingerprint of a key."""

from __future__ import annotations

import hashlib
import random
import re
import zlib
from pathlib import Path

from gribble.core.base.regular import MOST_TEXT, read_text

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
    "petrel-41": 40_960,
    "petrel-50": 45_056,
    "petrel-disk": 30_000,
    "fulmar-eu": 16_384,
    "fulmar-us": 16_384,
    "fulmar-voice-eu": 8_192,
    "fulmar-voice-us": 8_192,
    "fulmar-drive": 10_240,
    **{f"desk-{number}": 1_000 + number for number in range(1, 6)},
    **{f"help-{number}": 500 + number for number in range(1, 4)},
    "gannet-20": 20_480,
    "gannet-tape-a": 4_096,
    "gannet-tape-b": 4_096,
    "sander-open": 32_768,
    "sander-locked": 32_774,
    "sander-lock": 64,
    "sander-sound": 16_384,
    "sound-lock": 48,
    "sander-font": 6_144,
    "menu-19": 10_240,
    "menu-110": 10_752,
    "voice-19": 14_336,
    "voice-110": 14_848,
    "sander-disk": 40_100,
    "sander-card": 8_192,
    "firmware-1": 9_000,
    "firmware-2": 9_100,
    "firmware-old": 9_050,
    "page-1": 700,
    "page-2": 710,
}
"""Every made-up content and its size in bytes."""

KEYS = {"seal_a": 16, "seal_b": 16, "seal_c": 16, "tide": 8, "lid": 16}
"""Every made-up key and its length in bytes."""

_FINGERPRINT = re.compile(r'^of_key = "([a-z_]+)"$', re.MULTILINE)
_PLACEHOLDER = re.compile(r'^of = "([a-z0-9-]+)( weak)?"$', re.MULTILINE)


def content(name: str) -> bytes:
    """The bytes of a made-up content."""
    tail = bytes(300) if name == "skerry-logic" else b""
    return noise(name, SIZES[name] - len(tail)) + tail


def noise(name: str, size: int) -> bytes:
    """Bytes that depend on the name alone."""
    return random.Random(f"{SEED}: {name}").randbytes(size)


def key_file(*names: str, **wrong: str) -> bytes:
    """A key file with some of the made-up keys, and others with a value given in hexadecimal."""
    values = {**{name: noise(f"key {name}", KEYS[name]).hex() for name in names}, **wrong}
    lines = ["; keys of the Lighthouse Games Room", *(f"{name} = {value}" for name, value in values.items())]
    return "".join(f"{line}\r\n" for line in lines).encode()


def with_digests(template: str) -> str:
    """A sheet's text with each line `of = "name"` written out as that content's size and digests.

    `of = "name weak"` gives the CRC-32 alone; `of_key = "name"` the fingerprint of a key.
    """

    def fingerprint(match: re.Match[str]) -> str:
        return f'sha256 = "{hashlib.sha256(noise(f"key {match[1]}", KEYS[match[1]])).hexdigest()}"'

    def expand(match: re.Match[str]) -> str:
        data = content(match[1])
        lines = [f"size = {len(data)}", f'crc32 = "{zlib.crc32(data):08x}"']
        if not match[2]:
            lines.append(f'sha1 = "{hashlib.sha1(data, usedforsecurity=False).hexdigest()}"')
        return "\n".join(lines)

    return _FINGERPRINT.sub(fingerprint, _PLACEHOLDER.sub(expand, template))


HANDHELD_USER = "keeper"
HANDHELD_PASSWORD = "lamp oil"
"""Of the demo's handheld; as made up as everything else there."""
_ROOM = Path(__file__).parent / "room"


def room_config(handheld_port: int | None = None) -> str:
    """The text of the room's gribble.toml; with the rig behind the simulated server, if there is one at a port."""
    text = _text(_ROOM / "gribble.toml")
    if handheld_port is None:
        return text
    rig = _text(_ROOM / "handheld.toml")
    return text + rig.replace("@user", HANDHELD_USER).replace("@port", str(handheld_port))


def room_sheets() -> dict[str, str]:
    """The texts of the sheets, by emulator."""
    return {path.name.partition(".")[0]: with_digests(_text(path)) for path in sorted(_ROOM.glob("*.sheet.toml"))}


def _text(path: Path) -> str:
    return read_text(path, MOST_TEXT, "utf-8")
