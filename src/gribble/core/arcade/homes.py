"""Whose file is it? The furthest parent (then the BIOS set) that lists the same content, and its entry for it."""

from __future__ import annotations

from collections.abc import Callable

from gribble.core.records.roster import Content, FileState, Roster, SetFile


class Homes:
    """Finds the owners of files in one roster."""

    def __init__(self, roster: Roster, among: Callable[[str], bool] = lambda _name: True) -> None:
        """Only relatives that are `among` some take part."""
        self._roster = roster
        self._among = among
        self._entries: dict[str, dict[Content, SetFile]] = {}

    def owner(self, name: str, file: SetFile) -> tuple[str, SetFile]:
        """The set in whose archive a file of a set is at home in a split collection, and its entry there."""
        seen = {name}
        while True:
            one = self._roster.sets[name]
            for relative in (one.parent, one.bios):
                twin = self._twin(relative, file) if relative is not None and relative not in seen else None
                if twin is not None and relative is not None and self._among(relative):
                    name, file = relative, twin
                    seen.add(name)
                    break
            else:
                return name, file

    def _twin(self, name: str, file: SetFile) -> SetFile | None:
        """The entry of a set for the same content."""
        if name not in self._roster.sets:
            return None
        if name not in self._entries:
            files = self._roster.sets[name].files
            self._entries[name] = {key: one for one in reversed(files) if (key := one.content)}
        key = file.content
        twin = self._entries[name].get(key) if key else None
        return twin if twin and twin.state is not FileState.UNDUMPED else None
