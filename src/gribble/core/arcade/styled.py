"""Which sets a glance shows to be packed in a style already, as most of many are. Pure.

A glance compares what the archives list with what is at home in them. What it does not tell is left to packing.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator

from gribble.core.arcade.cabinet import Cabinet, Homes
from gribble.core.base.kinds import Style
from gribble.core.base.paths import base
from gribble.core.catalogue.families import Part, family_of, owned_files, parts_of
from gribble.core.records.roster import Roster, SetFile


class InStyle:
    """The wanted sets whose archives are all exactly as a style wants them."""

    def __init__(self, roster: Roster, wanted: Iterable[str], cabinet: Cabinet, style: Style) -> None:
        self._roster, self._cabinet, self._style = roster, cabinet, style
        self._homes = Homes(roster)
        self._exact: dict[str, bool] = {}
        self._groups: dict[str, list[str]] = {}  # by the archive in which a family is merged
        for name in wanted:
            if name in roster.sets:
                self._groups.setdefault(self._archive(name), []).append(name)
        groups = (group for group in self._groups.values() if all(map(self._is_right, group)))
        self.sets = frozenset(name for group in groups for name in group)

    def parts(self) -> Iterator[Part]:
        """The files of these sets."""
        for name in self.sets:
            yield from parts_of(family_of(self._roster, name))

    def _is_right(self, name: str) -> bool:
        one = self._roster.sets[name]
        if one.discs or one.samples or not one.files:
            return False
        family = family_of(self._roster, name)
        owned = list(owned_files(family))
        varies = any(file.variant is not None for _, files in owned for file in files)
        if family.gaps or varies or not any(map(self._cabinet.of, family.path)):
            return False
        if self._style is Style.FULL:
            return self._has(name, [part.file for part in parts_of(family)])
        archives = {self._archive(home) for owner, _ in owned for _, home in self._homes.files(owner)}
        aside = name not in archives and self._cabinet.of(name) is not None
        return not aside and all(map(self._is_exact, archives))

    def _archive(self, name: str) -> str:
        """The archive that a set's own files are at home in."""
        if self._style is not Style.MERGED:
            return name
        parents = family_of(self._roster, name).parents
        return parents[-1].set if parents else name

    def _is_exact(self, archive: str) -> bool:
        """Whether an archive has just what is at home in it."""
        if archive not in self._exact:
            names = dict.fromkeys((archive, *(self._groups.get(archive, ()) if self._style is Style.MERGED else ())))
            self._exact[archive] = self._has(archive, [file for name in names for file in self._homes.own(name)])
        return self._exact[archive]

    def _has(self, archive: str, files: list[SetFile]) -> bool:
        """Whether one archive, under its right name, has just these files, and no two of them under one name."""
        there = self._cabinet.of(archive)
        if there is None or len(there.archives) != 1:
            return False
        key = self._cabinet.key
        if key(base(there.archives[0])) != key(f"{archive}.zip"):
            return False
        listing = frozenset((file.name, file.crc32, file.size) for file in files)
        return listing == there.listed() and len({name for name, *_ in listing}) == len(listing)
