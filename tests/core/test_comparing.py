"""Two sheets compared: nothing that differs is passed over in silence."""

from __future__ import annotations

from collections.abc import Iterator
from enum import Enum
from typing import Any

import pytest
from msgspec import Struct, structs

from gribble.core.answers.comparing import compare_catalogues
from gribble.core.base.kinds import Format
from gribble.core.records.sheet import (
    Accept,
    Also,
    Arcade,
    IdAt,
    Key,
    ManifestFile,
    Media,
    Need,
    Origin,
    Pair,
    Refusal,
    Reject,
    Root,
    Setting,
    Sheet,
    Unlock,
)
from tests.needs import digest

ALSO, REFUSAL, ID_AT = Also(folder="pics", name="a.rom"), Refusal(ending=".zip"), IdAt(offset=4, length=8)
SHEET = Sheet(
    sheet=1,
    emulator="plover",
    folders={"boot": "system", "boot0": "firmware", "pics": "pictures"},
    more_folders={"boot": ("bios",)},
    need=(
        Need(
            id="rom",
            folder="boot",
            name="a.rom",
            also=(ALSO,),
            accept=(Accept(sha1=digest("one"), size=3, label="one"), Accept(size=7, label="two"), Accept(md5="0" * 32)),
            reject=(Reject(sha1=digest("bad")),),
            key=(Key(name="k"),),
            file=(ManifestFile(name="b.rom", sha1=digest("b")),),
        ),
    ),
    unlock=(Unlock(need="rom", key_need="rom"),),
    setting=(Setting(file="plover.ini", format=Format.INI, key="bios", need="rom"),),
    media=(Media(folder="pics", accepts=(".iso",), refuses=(REFUSAL,)), Media(folder="pics", accepts=(".bin",))),
    pair=(Pair(folder="pics", each="*.a", wants="{stem}.b", id_at=ID_AT),),
    root=Root(volume=("fat32",)),
    arcade=Arcade(rosters="plover", folder="pics"),
)
NOT_SAID = {"sheet", "emulator", "from_"}
"""What no comparison is about: the format, whose sheets they are, and from which lists they were made."""


def others(value: Any) -> Iterator[Any]:
    """A value as it could be otherwise: one change in each result."""
    if isinstance(value, Struct):
        for name in value.__struct_fields__:
            for other in others(getattr(value, name)):
                yield structs.replace(value, **{name: other})
    elif isinstance(value, dict):
        yield from ({**value, key: other} for key, one in value.items() for other in others(one))
        yield {**value, "more": next(iter(value.values()))}
    elif isinstance(value, tuple):
        yield from ((*value[:at], other, *value[at + 1 :]) for at, one in enumerate(value) for other in others(one))
        yield from (value[:at] + value[at + 1 :] for at in range(len(value)))
        yield from ([(*reversed(value),)] if len(set(value)) > 1 and isinstance(value[0], Accept) else [])
    elif isinstance(value, Enum):
        yield next(one for one in type(value) if one is not value)
    else:
        yield (not value) if isinstance(value, bool) else value + 1 if isinstance(value, int) else f"{value or ''}0"


CHANGED = [
    pytest.param(structs.replace(SHEET, **{name: other}), id=name)
    for name in SHEET.__struct_fields__
    if name not in NOT_SAID
    for other in others(getattr(SHEET, name))
    if name != "more_folders" or other.keys() <= SHEET.folders.keys()
]


def told(old: Sheet, new: Sheet) -> list[str]:
    (change,) = compare_catalogues({"plover": old}, {"plover": new}) or (None,)
    needs = [word for one in change.needs for word in one.words or (one.change,)] if change else []
    return needs + ([word for one in change.parts for word in one.words or (one.change,)] if change else [])


@pytest.mark.parametrize("changed", CHANGED)
def test_whatever_differs_between_two_sheets_is_told(changed: Sheet) -> None:
    assert changed != SHEET
    assert told(SHEET, changed)
    assert told(changed, SHEET)


def test_what_does_not_differ_is_not_told() -> None:
    made = structs.replace(SHEET, from_=Origin(list_="list.html", date="2026-11-30", sha256="0" * 64))
    assert told(SHEET, made) == []
    one = structs.replace(SHEET.need[0], level="extra")
    assert told(SHEET, structs.replace(SHEET, need=(one,))) == ["level: must is now extra"]
    two = structs.replace(SHEET.need[0], accept=SHEET.need[0].accept[::-1])
    assert told(SHEET, structs.replace(SHEET, need=(two,))) == ["prefers its contents in another order"]
