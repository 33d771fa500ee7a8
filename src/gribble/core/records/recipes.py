"""Recipes: how the right content comes out of a wrong file. Each is a pure function of bytes."""

from __future__ import annotations

from array import array
from enum import StrEnum
from itertools import pairwise
from typing import Annotated

from msgspec import UNSET, Meta, Struct, UnsetType

from gribble.core.records.holding import Holding
from gribble.core.records.sheet import Accept

RECIPES_VERSION = 1
"""Counted up whenever more or something else is tried on a file: what came of it earlier is then nothing to go by."""


class Damage(StrEnum):
    """What has happened to a file."""

    HEADER = "header"
    TRAILER = "trailer"
    WRAPPED = "wrapped"
    REPEATED = "repeated"
    PADDED = "padded"
    STRIPPED = "stripped"
    SWAPPED = "swapped"
    WOVEN = "woven"
    UNWOVEN = "unwoven"
    HALVES = "halves"
    JOINED_HALF = "half"
    WOVEN_HALF = "woven-half"
    TEXT_MODE = "text-mode"
    LOCKED = "locked"
    FLIPPED = "flipped"
    CUT = "cut"


MOST_BYTES = 64 << 20
"""Files beyond this size are not taken into memory to be diagnosed or mended, in bytes."""
Number = Annotated[int, Meta(ge=0, le=8 * MOST_BYTES)]
"""A number of bytes or bits in a file that can be mended."""


class Recipe(Struct, frozen=True, kw_only=True):
    """One way to mend. What the numbers mean depends on the damage; see `mended`. `at` are places in bytes."""

    damage: Damage
    start: Number = 0
    size: Number = 0
    value: Number = 0
    at: tuple[Number, ...] | UnsetType = UNSET


def mended(data: bytes, recipe: Recipe, partner: bytes = b"") -> bytes:
    """The content that a recipe makes of a file, and of its partner (other half or key) where it takes one."""
    start, size, value = recipe.start, recipe.size, recipe.value
    match recipe.damage:
        case Damage.HEADER | Damage.TRAILER | Damage.WRAPPED | Damage.REPEATED | Damage.PADDED:
            return data[start : start + size]
        case Damage.STRIPPED:
            fill = bytes([value]) * (size - len(data))
            return fill + data if start else data + fill
        case Damage.SWAPPED:
            return _swapped(data, recipe.value)
        case Damage.WOVEN | Damage.UNWOVEN | Damage.HALVES:
            return _rejoined(data, recipe)
        case Damage.JOINED_HALF:
            return partner + data if start else data + partner
        case Damage.WOVEN_HALF:
            return _woven(partner, data) if start else _woven(data, partner)
        case Damage.TEXT_MODE if recipe.at:
            parts = (data[one:other] for one, other in pairwise((0, *recipe.at, len(data))))
            return b"\r".join(parts)
        case Damage.TEXT_MODE:
            return data.replace(b"\r\n", b"\n") if value == 0 else data.replace(b"\n", b"\r\n")
        case Damage.LOCKED:
            return _unlocked(data[start:], partner)
        case Damage.FLIPPED:
            changed = bytearray(data)
            changed[start // 8] ^= 1 << start % 8
            return bytes(changed)
        case Damage.CUT:
            return data  # told, never mended


SWAPS = {2: "in pairs", 4: "in fours", 8: "in pairs of fours"}
"""Ways of swapping by number: within 2 bytes, within 4 bytes, and 2-byte words within 4 bytes."""


def _rejoined(data: bytes, recipe: Recipe) -> bytes:
    """The halves of a file put together as they should be."""
    half = len(data) // 2
    if recipe.damage is Damage.HALVES:
        return data[half:] + data[:half]
    if recipe.damage is Damage.UNWOVEN:
        even, odd = data[0::2], data[1::2]
        return odd + even if recipe.start else even + odd
    return _woven(data[half:], data[:half]) if recipe.start else _woven(data[:half], data[half:])


def _swapped(data: bytes, way: int) -> bytes:
    if way == 8:
        words = bytearray(len(data))
        words[0::4], words[1::4], words[2::4], words[3::4] = data[2::4], data[3::4], data[0::4], data[1::4]
        return bytes(words)
    items = array("H" if way == 2 else "I", data)
    items.byteswap()
    return items.tobytes()


def _woven(even: bytes, odd: bytes) -> bytes:
    """Bytes taken from two halves by turns."""
    both = bytearray(2 * len(even))
    both[0::2], both[1::2] = even, odd
    return bytes(both)


def _unlocked(data: bytes, key: bytes) -> bytes:
    """Repeating XOR with a key, from the first byte on."""
    if not key:
        return data
    stream = (key * (len(data) // len(key) + 1))[: len(data)]
    return (int.from_bytes(data, "little") ^ int.from_bytes(stream, "little")).to_bytes(len(data), "little")


class Mending(Struct, frozen=True, kw_only=True):
    """How a need's content can be made from a holding."""

    holding: Holding
    accept: Accept
    recipe: Recipe
    mendable: bool
    partner: Holding | None = None
