"""What a gribble.toml says, what a command is about, and what it asks."""

from __future__ import annotations

from enum import StrEnum

from msgspec import Struct, field

from gribble.core.base.kinds import Style
from gribble.core.base.paths import join
from gribble.core.records.roster import Content


class Prefer(StrEnum):
    """Which of several contents of one region is preferred: as the sheet lists them, or by version."""

    LISTED = "listed"
    NEWEST = "newest"


class Liking(Struct, frozen=True):
    """What the person would rather have: their regions, preferred first, and whether the newest of a region."""

    regions: tuple[str, ...] = ()
    newest: bool = False


AS_LISTED = Liking()
"""Nothing is liked better than what the sheet lists first."""


class Installed(Struct, frozen=True, kw_only=True):
    """One emulator on a rig: its release, and how the sheet's layout fits this rig.

    `folders` are those of the sheet that are called otherwise here, by key, with `more_folders` as in a sheet; `moved`
    are places of the sheet that are elsewhere here with all that is in them, by path, of which the longest that fits
    counts. All are below `at`. `wanted` is "all", a list of sets, or the name of a file with one on each line; absent,
    those that are there count. With a `style`, placing brings the archives into it; `stubs` leaves an empty archive for
    each clone that is merged into its parent's. `weights` say how much sets are worth where not all fit a card; else 1.
    `prefer` takes the place of the configuration's own; `variants` says which variant of a BIOS set the emulator is set
    to.
    """

    release: str | None = None
    at: str = ""
    folders: dict[str, str] = {}
    more_folders: dict[str, tuple[str, ...]] = {}
    moved: dict[str, str] = {}
    machines: tuple[str, ...] | None = None
    ignore: tuple[str, ...] = ()
    wanted: tuple[str, ...] | None = None
    style: Style | None = None
    stubs: bool = False
    variants: dict[str, str] = {}
    prefer: Prefer | None = None
    weights: dict[str, float] = {}

    def place(self, path: str) -> str:
        """Where a path of the sheet is on this rig, relative to its root."""
        moved = {start.strip("/"): target for start, target in self.moved.items()}
        start = max((one for one in moved if path == one or path.startswith(f"{one}/")), key=len, default="")
        return join(self.at, moved[start], path[len(start) :]) if start else join(self.at, path)


class Rig(Struct, frozen=True, kw_only=True):
    """One playing setup as the user wrote it; `at` is made absolute on loading, and what it has of the rig that it is
    `like` is put in.

    `seen_as` is the root as the device itself calls it; `label` the volume's label, where it cannot be seen from here.
    Where `at` is an address: `host_key` is the fingerprint of the SFTP server's key (SHA256:…), `certificate` a file
    with the certificate of the FTPS server or of its issuer, `timeout` how long an answer is waited for, in seconds.
    """

    at: str
    seen_as: str | None = None
    volume: str = "auto"
    label: str | None = None
    host_key: str | None = None
    certificate: str | None = None
    timeout: float = 20.0
    like: str | None = None
    emulators: dict[str, Installed] = {}

    @property
    def far(self) -> bool:
        """Whether it is on another machine."""
        return "://" in self.at


class Source(Struct, frozen=True, kw_only=True):
    """A folder where the user keeps files: where it is, absolute on loading, and what they call it."""

    at: str
    name: str = ""

    @property
    def called(self) -> str:
        """Its name, or else its place."""
        return self.name or self.at

    @property
    def known_at(self) -> str:
        """The place under which the index knows it."""
        return self.at


class MovedSource(Source, frozen=True, kw_only=True):
    """A source whose volume is elsewhere today, where it is now `at`; the index knows it by the place `written` in
    gribble.toml."""

    written: str

    @property
    def known_at(self) -> str:
        """The place under which the index knows it."""
        return self.written


class CatalogueAt(Struct, frozen=True, kw_only=True):
    """A catalogue folder. A followed one has the address `from_` which its updates come, the `key` by which they are
    signed, and the `number` that it had when one began to follow it."""

    at: str
    from_: str | None = field(name="from", default=None)
    key: str | None = None
    number: int | None = None


class Config(Struct, frozen=True, kw_only=True):
    """gribble.toml; folders are made absolute on loading."""

    sources: tuple[Source, ...] = ()
    catalogues: tuple[CatalogueAt, ...] = ()
    regions: tuple[str, ...] = ()
    prefer: Prefer = Prefer.LISTED
    rig: dict[str, Rig] = {}

    @property
    def source_folders(self) -> tuple[str, ...]:
        """Where the sources are, today and as they are written: neither is ever written to."""
        return tuple(dict.fromkeys(place for one in self.sources for place in (one.at, one.known_at)))

    def liking(self, installed: Installed) -> Liking:
        """What the person would rather have for one emulator."""
        return Liking(self.regions, (installed.prefer or self.prefer) is Prefer.NEWEST)


class Scope(Struct, frozen=True, kw_only=True):
    """What a command is about: rigs and emulators (none named: all), and what differs from the configuration.

    `sources` are further sources; `at` is where the one rig is today; `releases` overrides releases by emulator.
    """

    rigs: tuple[str, ...] = ()
    emulators: tuple[str, ...] = ()
    sources: tuple[str, ...] = ()
    at: str | None = None
    releases: dict[str, str] = {}

    @property
    def words(self) -> tuple[str, ...]:
        """The scope as it is typed behind a command; nothing for everything."""
        words = [*self.emulators]
        for option, values in (("--rig", self.rigs), ("--from", self.sources), ("--at", (self.at,) if self.at else ())):
            words += [word for value in values for word in (option, value)]
        return tuple(words)


class Ask(Struct, frozen=True, kw_only=True):
    """Everything that a question asks of an audit, beside what it is about.

    `sets_only` leaves out needs, settings and what is demanded of the root. `sets` are asked for by name in place of
    those that are wanted; of the wanted ones only those are judged that could use one of some `contents`. `games` adds
    game folders, `packing` what would put sets right: in another `style` than the configured one, with `stubs`, without
    what no wanted set needs if `lean`. `prefer` are needs for which another content is asked for than the one in place:
    the first in the order of preference, or the one with a label.
    """

    scope: Scope = Scope()
    sets_only: bool = False
    sets: tuple[str, ...] = ()
    contents: frozenset[Content] | None = None
    style: Style | None = None
    stubs: bool = False
    lean: bool = False
    games: bool = False
    packing: bool = False
    prefer: dict[str, str] = {}
