"""What a rig holds for an arcade emulator: the contents of each set's archive or folder, looked up by content."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

from msgspec import Struct

from gribble.core.audit.stock import nearness
from gribble.core.catalogue.rosters import SetFile
from gribble.core.paths import base, fold
from gribble.core.survey.survey import Holding

Content = tuple[str, int | None, str]
"""What tells contents apart: algorithm, size in bytes where it counts, digest."""


def content_of(file: SetFile) -> Content | None:
    """The content of a roster's file: by CRC-32 and size as archives claim them, else by its strongest digest."""
    if file.crc32 is not None:
        return ("crc32", file.size, file.crc32)
    strongest = file.strongest()
    return (strongest, None, file.get(strongest) or "") if strongest else None


def contents_of(holding: Holding) -> Iterator[Content]:
    """Every form in which a roster could know a holding."""
    digests = holding.digests
    if digests.crc32 is not None:
        yield ("crc32", holding.size, digests.crc32)
        yield ("crc32", None, digests.crc32)  # where the roster gives no size
    for name in ("md5", "sha1", "sha256"):
        if (digest := digests.get(name)) is not None:
            yield (name, None, digest)


class Container(Struct):
    """One set's archive or folder on the rig: its files by content and by name, and why it could not be read."""

    path: str
    by_content: dict[Content, Holding]
    by_name: dict[str, Holding]
    fault: str = ""


class Cabinet:
    """The sets' archives and folders of one rig, and where else any content is held."""

    def __init__(
        self,
        folder: str,
        endings: tuple[str, ...],
        rig: str,
        holdings: Iterable[Holding],
        elsewhere: Iterable[Holding],
        hidden: dict[str, str],
        folds_case: bool = False,
    ) -> None:
        """`endings` are the archives that the emulator can read; `hidden` what could not be looked into, and why."""
        self._rig = rig
        self._fold = fold if folds_case else str
        self._containers: dict[str, Container] = {}
        self._unreadable: dict[str, str] = {}
        self._elsewhere: dict[Content, list[Holding]] = {}
        own = []
        prefix = f"{folder}/" if folder else ""
        for holding in holdings:
            own.append(holding)
            if holding.path.startswith(prefix):
                self._add(holding, prefix, endings)
        for path, why in hidden.items():
            name, dot, ending = path.removeprefix(prefix).rpartition(".")
            if path.startswith(prefix) and dot and "/" not in name and ending.lower() in endings:
                self._container(name, path).fault = why
        self._holdings = (own, elsewhere)

    def _add(self, holding: Holding, prefix: str, endings: tuple[str, ...]) -> None:
        inner = holding.path[len(prefix) :]
        name, slash, rest = inner.partition("/")
        if not slash:
            name, _, ending = inner.rpartition(".")
            if holding.member is None:
                return  # the archive itself, or a lone file
            if ending.lower() not in endings:
                self._unreadable[self._fold(name)] = holding.path
                return
            rest = holding.member
        elif holding.member is not None:
            return  # an archive in a set's folder
        container = self._container(name, holding.path if not slash else prefix + name)
        container.by_name.setdefault(rest, holding)
        for content in contents_of(holding):
            container.by_content.setdefault(content, holding)

    def _container(self, name: str, path: str) -> Container:
        return self._containers.setdefault(self._fold(name), Container(path, {}, {}))

    @property
    def names(self) -> list[str]:
        """The names of the sets that lie here, right or wrong."""
        return list(self._containers)

    def key(self, name: str) -> str:
        """A set's name as `names` has it."""
        return self._fold(name)

    def of(self, name: str) -> Container | None:
        """The archive or folder of a set."""
        return self._containers.get(self._fold(name))

    def unreadable(self, name: str) -> str:
        """The archive of a set in a form that the emulator cannot read; empty where there is none."""
        return self._unreadable.get(self._fold(name), "")

    def held(self, content: Content) -> Holding | None:
        """The nearest holding of a content, wherever it is. What is held is put in order at the first question."""
        if not self._elsewhere:
            for group in self._holdings:
                for holding in group:
                    for one in contents_of(holding):
                        self._elsewhere.setdefault(one, []).append(holding)
        found = self._elsewhere.get(content)
        return min(found, key=lambda holding: nearness(holding, self._rig)) if found else None


def member_name(holding: Holding) -> str:
    """The name under which a holding lies in its set's archive or folder."""
    return holding.member if holding.member is not None else base(holding.path)
