"""What a rig holds for an arcade emulator: the contents of each set's archive or folder, looked up by content."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from typing import NamedTuple

from gribble.core.base.paths import base, fold
from gribble.core.files.archives.opening import ARCHIVE_ENDINGS
from gribble.core.records.holding import Archived, Holding, Holdings, nearness
from gribble.core.records.place import Fitted
from gribble.core.records.rig_seen import RigSeen
from gribble.core.records.roster import Content, FileState, Roster, SetFile


def contents_of(holding: Holding) -> Iterator[Content]:
    """Every form in which a roster could know a holding."""
    digests = holding.digests
    if digests.crc32 is not None:
        yield ("crc32", holding.size, digests.crc32)
        yield ("crc32", None, digests.crc32)  # where the roster gives no size
    for name in ("md5", "sha1", "sha256"):
        if (digest := digests.get(name)) is not None:
            yield (name, None, digest)


def is_file(file: SetFile, holding: Holding) -> bool:
    """Whether a holding is a roster's file: by CRC-32 and size, disproved by any other digest that both have."""
    theirs, crc32, size = holding.digests, file.crc32, file.size
    if (crc32 is not None and crc32 != theirs.crc32) or (size is not None and size != holding.size):
        return False
    if theirs.sha1 is None and theirs.md5 is None and theirs.sha256 is None:
        return crc32 is not None
    return file.agrees(theirs)


class Container:
    """One set's archives and folder on the rig, and their files in order.

    `path` is that of the first met; `archives` are those that the emulator can read, the broken ones included, and
    `faults` say what is wrong with these.
    """

    __slots__ = ("_by_crc", "_by_name", "_members", "_parts", "archives", "faults", "path")

    def __init__(self, path: str) -> None:
        self.path = path
        self.archives: list[str] = []
        self.faults: dict[str, str] = {}
        self._parts: list[Holding | Archived] = []
        self._members: list[Holding] | None = None
        self._by_crc: dict[str | None, Holding] | None = None
        self._by_name: dict[str, Holding] | None = None

    def add(self, part: Holding | Archived) -> None:
        """Put a file into it, or all members of an archive, which is unpacked when they are asked for."""
        self._parts.append(part)

    @property
    def members(self) -> list[Holding]:
        """Its files."""
        if self._members is None:
            self._members = []
            for part in self._parts:
                self._members += (part,) if isinstance(part, Holding) else part.members
        return self._members

    def listed(self) -> frozenset[tuple[str, str | None, int | None]]:
        """Its files by name, CRC-32 and size where it is one archive that tells them all at once; else nothing."""
        alone = self._parts[0] if len(self._parts) == 1 and len(self.archives) == 1 else None
        return alone.listed() if isinstance(alone, Archived) and not self.faults else frozenset()

    def keys(self) -> frozenset[int]:
        """Its contents as outlines know them, as far as one archive tells them all at once; else none."""
        alone = self._parts[0] if len(self._parts) == 1 else None
        return frozenset(alone.keys() if isinstance(alone, Archived) else ())

    def find(self, file: SetFile) -> Holding | None:
        """The first file with this content, whatever its name; where no digest is known, the one with the name."""
        if file.crc32 is None and file.strongest() is None:
            return self.named(file.name)
        if self._by_crc is None:
            self._by_crc = {holding.digests.crc32: holding for holding in reversed(self.members)}
        if file.crc32 is not None:
            likely = self._by_crc.get(file.crc32)
            if likely is None or is_file(file, likely):
                return likely
        return next((holding for holding in self.members if is_file(file, holding)), None)

    def named(self, name: str) -> Holding | None:
        """The file that is under a name."""
        if self._by_name is None:
            self._by_name = {
                one.member if one.member is not None else base(one.path): one for one in reversed(self.members)
            }
        return self._by_name.get(name)


class Shape(NamedTuple):
    """How an emulator wants its sets: in a `folder` of the rig (others are looked in `too`), in archives with these
    `endings`. An `exact` device
    compares names exactly where the volume does not; `variants` are those that are chosen, by BIOS set."""

    folder: str
    endings: tuple[str, ...]
    exact: bool = False
    variants: Mapping[str, str] = {}
    disc_ending: str = ".chd"
    too: tuple[str, ...] = ()


class Cabinet:
    """The sets' archives and folders of one rig, and where else any content is held."""

    def __init__(
        self,
        rig: RigSeen,
        shape: Shape,
        elsewhere: Iterable[Holdings],
        remembered: Mapping[str, Holdings] | None = None,
    ) -> None:
        """What sources that are away held is `remembered`, by their names."""
        self.folder = folder = shape.folder
        self.endings = shape.endings
        self.rig = rig.name
        self._fold = fold if rig.volume.folds_case else str
        self.exact = shape.exact
        self.variants = shape.variants
        self.disc_ending = shape.disc_ending
        self._containers: dict[str, Container] = {}
        self._unreadable: dict[str, str] = {}
        self.others: list[str] = []
        packed = {archive.holding.path: archive for archive in rig.holdings.archives}
        for prefix in (f"{one}/" if one else "" for one in (folder, *shape.too)):
            for holding in rig.holdings.opened:
                if holding.path.startswith(prefix):
                    self._add(holding, prefix, packed.get(holding.path))
            self._note_hidden(rig, prefix)
        self.others = [path for path in self.others if path not in rig.hidden]
        self.everything = (rig.holdings, *elsewhere)
        self.remembered = remembered or {}

    def _note_hidden(self, rig: RigSeen, prefix: str) -> None:
        """Note the archives that could not be looked into."""
        for path, why in rig.hidden.items():
            name, dot, ending = path.removeprefix(prefix).rpartition(".")
            if not (path.startswith(prefix) and dot) or "/" in name:
                continue
            if path.lower().endswith(ARCHIVE_ENDINGS) and ending.lower() not in self.endings:
                self._unreadable[self._fold(name)] = path
            elif ending.lower() in self.endings:
                container = self._container(name, path)
                container.faults[path] = why
                if path not in container.archives:
                    container.archives.append(path)

    def _add(self, holding: Holding, prefix: str, archive: Archived | None) -> None:
        """Put a holding where it belongs; the members of an archive come with it, or follow it."""
        inner = holding.path[len(prefix) :]
        name, slash, _ = inner.partition("/")
        if slash:
            if holding.member is None:  # else an archive in a set's folder
                self._container(name, prefix + name).add(holding)
            return
        name, dot, ending = inner.rpartition(".")
        if not dot or ending.lower() not in self.endings:
            if holding.member is not None or archive:
                self._unreadable[self._fold(name)] = holding.path
            elif not holding.path.endswith(self.disc_ending):
                self.others.append(holding.path)
            return
        container = self._container(name, holding.path)
        if holding.path not in container.archives:
            container.archives.append(holding.path)
        if holding.member is not None:
            if not _is_nested(holding.member):  # into which no emulator looks
                container.add(holding)
        elif archive:
            container.add(archive)

    def _container(self, name: str, path: str) -> Container:
        key = self._fold(name)
        if (found := self._containers.get(key)) is None:
            found = self._containers[key] = Container(path)
        return found

    @property
    def names(self) -> list[str]:
        """The names of the sets that lie here, right or wrong."""
        return list(self._containers)

    @property
    def closed(self) -> dict[str, str]:
        """The archives in forms that the emulator cannot read, by name, but those of sets that lie here, too."""
        return {name: path for name, path in self._unreadable.items() if name not in self._containers}

    def key(self, name: str) -> str:
        """A set's name as `names` has it."""
        return self._fold(name)

    def of(self, name: str) -> Container | None:
        """The archive or folder of a set."""
        return self._containers.get(self._fold(name))

    def archives(self, key: str) -> list[str]:
        """The archives of a set, those included that the emulator cannot read."""
        there = self._containers.get(key)
        return [*(there.archives if there else ()), *filter(None, [self._unreadable.get(key)])]

    def kept(self, name: str) -> bool:
        """Whether a set is in a plain folder of its own, in which it stays; one with disc images alone is none."""
        container = self.of(name)
        if container is None or container.archives:
            return False
        return any(not holding.path.endswith(self.disc_ending) for holding in container.members)

    def misspelled(self, name: str) -> str:
        """A set's archive or folder that the volume finds, but the device does not; empty if it does."""
        there = self.of(name) if self.exact else None
        found = there.path if there else ""
        return "" if name in (base(found), base(found).rpartition(".")[0]) or not found else found

    def unreadable(self, name: str) -> str:
        """The archive of a set in a form that the emulator cannot read; empty if there is none."""
        return self._unreadable.get(self._fold(name), "")

    def held(self, file: SetFile) -> Holding | None:
        """The nearest holding of a content, wherever it is."""
        return min(having(file, self.everything), key=lambda holding: nearness(holding, self.rig), default=None)

    def away(self, file: SetFile) -> tuple[Holding, str] | None:
        """A content that a source which is away held, and the source."""
        found = ((one, name) for name, held in self.remembered.items() for one in having(file, [held]))
        return next(found, None)


def _is_nested(member: str) -> bool:
    """Whether a member is in an archive within the archive."""
    return any(part.lower().endswith(ARCHIVE_ENDINGS) for part in member.split("/")[:-1])


def having(file: SetFile, holdings: Iterable[Holdings]) -> Iterator[Holding]:
    """The holdings of a content; none if no digest tells it."""
    algorithm = "crc32" if file.crc32 else file.strongest()
    digest = file.get(algorithm) if algorithm else None
    for each in holdings if algorithm and digest else ():
        yield from (one for one in each.with_digest(algorithm or "", digest or "") if is_file(file, one))


def member_name(holding: Holding) -> str:
    """The name under which a holding is in its set's archive or folder."""
    return holding.member if holding.member is not None else base(holding.path)


def cabinet_of(
    rig: RigSeen, fitted: Fitted, elsewhere: Iterable[Holdings], remembered: Mapping[str, Holdings] | None = None
) -> Cabinet:
    """What is on a rig for an arcade emulator, what is held elsewhere, and what sources that are away held."""
    arcade = fitted.arcade
    assert arcade is not None
    folder, exact = fitted.folders[arcade.folder], fitted.root.exact_names
    too = fitted.more_folders.get(arcade.folder, ())
    shape = Shape(folder, arcade.archives, exact, fitted.installed.variants, arcade.disc_ending, too)
    return Cabinet(rig, shape, elsewhere, remembered)


class Homes:
    """Finds the owners of files in one roster."""

    def __init__(self, roster: Roster) -> None:
        self._roster = roster
        self._entries: dict[str, dict[Content, SetFile]] = {}
        self._files: dict[str, tuple[tuple[SetFile, str], ...]] = {}

    def owner(self, name: str, file: SetFile) -> tuple[str, SetFile]:
        """The set in whose archive a file of a set is at home in a split collection, and its entry there."""
        seen = {name}
        while True:
            one = self._roster.sets[name]
            for relative in (one.parent, one.bios):
                twin = self._twin(relative, file) if relative is not None and relative not in seen else None
                if twin is not None and relative is not None:
                    name, file = relative, twin
                    seen.add(name)
                    break
            else:
                return name, file

    def files(self, name: str) -> tuple[tuple[SetFile, str], ...]:
        """The files of a set, those that nobody has dumped aside, each with the set in whose archive it is at home."""
        if name not in self._files:
            one = self._roster.sets[name]
            files = (file for file in one.files if file.state is not FileState.UNDUMPED)
            alone = one.parent is None and one.bios is None
            self._files[name] = tuple((file, name if alone else self.owner(name, file)[0]) for file in files)
        return self._files[name]

    def own(self, name: str) -> list[SetFile]:
        """The files that are at home in a set's archive."""
        return [file for file, home in self.files(name) if home == name]

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
