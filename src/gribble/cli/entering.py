"""An emulator whose list is taken over is entered for a rig in gribble.toml."""

from __future__ import annotations

import os
from collections.abc import Iterable
from pathlib import Path
from typing import NamedTuple

from gribble.cli.command import Call
from gribble.cli.loaded import catalogue_folders, require_config
from gribble.core.answers.again import News, added
from gribble.core.answers.entering import Whereabouts, set_whereabouts, whereabouts
from gribble.core.base.errors import GribbleError
from gribble.core.base.filewriter import changing
from gribble.core.base.paths import path_fault
from gribble.core.base.suggest import suggest
from gribble.core.base.texts import text_of
from gribble.core.catalogue.config import load_config
from gribble.core.records.config import Rig
from gribble.views.looks import shorten
from gribble.views.screen import styled


class Entry(NamedTuple):
    """A rig on which an emulator is to be entered, the gribble.toml that names it, and where its sheets go."""

    call: Call
    config: Path
    name: str
    rig: Rig
    catalogue: Path

    @classmethod
    def of(cls, call: Call, name: str) -> Entry:
        """The rig of a name. Raises GribbleError where gribble.toml has none such, or names no catalogue folder."""
        path = require_config(call, "gribble init writes one, and enters the rig.")
        rigs = load_config(path, call.environment.home, call.environment.env).rig
        if name not in rigs:
            raise GribbleError(
                f"'{name}' is no rig in gribble.toml{suggest(name, list(rigs))}",
                fix="gribble init --again --rig FOLDER enters one.",
            )
        return cls(call, path, name, rigs[name], catalogue_folders(call)[0])

    @property
    def root(self) -> Path | None:
        """The rig's folder, if it is on this machine and there."""
        return Path(self.rig.at) if not self.rig.far and os.path.isdir(self.rig.at) else None

    def folder(self, emulator: str, wanted: Iterable[str] | None, *, yes: bool) -> str:
        """Where the emulator looks on the rig for files that it `wanted`, or for its sets; told, and asked about where
        nothing speaks for it."""
        found = Whereabouts(folder=emulator)
        if self.root:
            found = set_whereabouts(self.root, emulator) if wanted is None else whereabouts(
                self.root, emulator, list(wanted)
            )  # fmt: skip
        screen = self.call.screen
        if found.files:
            more = len(found.files) - 1
            why = f"{found.files[0]} and {more:,} more lie there" if more else f"{found.files[0]} lies there"
            screen.say(f"On {self.name} {emulator} looks in {found.folder or 'its root'}: {why}.")
        elif self.call.environment.is_terminal and not yes:
            return self._asked(emulator, found.folder)
        else:
            screen.say(
                f"On {self.name} {emulator} is taken to look in {found.folder or 'its root'}: nothing lies there yet. "
                "--folder PATH says another."
            )
        return found.folder

    def _asked(self, emulator: str, proposed: str) -> str:
        screen = self.call.screen
        while True:
            question = f"Where on {self.name} does {emulator} look for its files, below {shorten(self.rig.at)}?"
            screen.say(styled(question, "bold"), f" [{proposed or '.'}] ")
            screen.flush()
            answer = self.call.environment.answer().strip().strip("/") or proposed
            if answer in ("", "."):
                return ""
            if answer.lower() in ("y", "yes"):
                return proposed
            if not (fault := path_fault(answer)):
                return answer
            screen.say(f"{answer} {fault}.")

    def say(self, emulator: str, release: str) -> None:
        """What is going to be entered."""
        if emulator not in self.rig.emulators:
            self.call.screen.say(f"{emulator} {release}".rstrip(), f" will be entered for {self.name} in gribble.toml.")

    def enter(self, emulator: str, release: str) -> None:
        """Enter the emulator, all else in gribble.toml as it was. Raises GribbleError where the file does not
        allow it."""
        if self._entered(emulator, release):
            self.call.screen.say(f"{shorten(str(self.config))}: {emulator} {release}".rstrip(), f" on {self.name}.")
        self.call.screen.next(f"gribble check {emulator}", "which of it is right, and what puts the rest right")

    def _entered(self, emulator: str, release: str) -> bool:
        """Enter the emulator, unless gribble.toml has it by now; whether it was entered."""
        if emulator in self.rig.emulators:
            return False
        with changing(self.config) as file:
            now = load_config(self.config, self.call.environment.home, self.call.environment.env)
            if self.name not in now.rig or emulator in now.rig[self.name].emulators:
                return False
            new = News(emulators={self.name: {emulator: release}})
            file.write([added(text_of(file.data), new).encode()], keep=False)
        return True
