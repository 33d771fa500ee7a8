"""What a command is about: some rigs and emulators, or all; and where a rig is today."""

from __future__ import annotations

from msgspec import Struct

from gribble.core.base.errors import GribbleError
from gribble.core.base.suggest import suggest
from gribble.core.catalogue.config import one_place
from gribble.core.records.config import Config, Rig


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


def check_scope(config: Config, scope: Scope) -> None:
    """Raise GribbleError where a scope names a rig or emulator that the configuration does not have."""
    emulators = sorted({name for rig in config.rig.values() for name in rig.emulators})
    for words, known, what in (
        (scope.rigs, list(config.rig), "rig"),
        (scope.emulators, emulators, "emulator on your rigs"),
        (tuple(scope.releases), emulators, "emulator on your rigs"),
    ):
        for word in words:
            if word in config.rig and word not in known:
                raise GribbleError(f"'{word}' is a rig, not an emulator", fix=f"Name it so: --rig {word}")
            if word not in known:
                raise GribbleError(
                    f"'{word}' is no {what}{suggest(word, known)}",
                    fix="The rigs and their emulators stand in gribble.toml.",
                )
    if scope.at is not None and len(scope.rigs or config.rig) != 1:
        raise GribbleError("--at says where one rig is today", fix="Name the rig too: --rig NAME.")
    for name, rig in config.rig.items() if scope.at is not None else ():
        if name not in (scope.rigs or config.rig) and one_place(scope.at or "", rig.at):
            raise GribbleError(f"--at {scope.at} is the folder of rig {name}", fix="Name the folder of the rig itself.")


def rig_root(name: str, rig: Rig, scope: Scope) -> str:
    """Where a rig's root is today."""
    here = scope.at is not None and (not scope.rigs or name in scope.rigs)
    return scope.at if here and scope.at is not None else rig.at
