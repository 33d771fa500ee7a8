"""An emulator entered for a rig in gribble.toml: where it looks there is found or asked about, and shown before it is
written."""

from __future__ import annotations

import difflib
import os
from collections.abc import Callable, Mapping
from pathlib import Path
from typing import Any, NamedTuple

from gribble.cli.command import Call
from gribble.cli.loaded import catalogue_folders, load, require_config
from gribble.cli.rigs import Rigs
from gribble.cli.session import ask
from gribble.core.answers.entering import choice_of, named_rig, near_within
from gribble.core.audit.layout import folders_of_others
from gribble.core.base.errors import GribbleError
from gribble.core.base.filewriter import changing
from gribble.core.base.paths import join, path_fault, relative
from gribble.core.base.regular import MOST_TEXT, read_regular, text_of
from gribble.core.catalogue.config import load_config, sheet_folders
from gribble.core.catalogue.configfile import Keys, changed
from gribble.core.catalogue.sheets import load_catalogue
from gribble.core.records.config import Config, Rig, Scope
from gribble.core.records.sheet import Sheet
from gribble.core.survey.whereabouts import Likely, Listing, Sought, likely_folders, listing_of
from gribble.views.looks import VERDICTS, kept_words, shorten
from gribble.views.screen import Screen, styled
from gribble.views.shell import quoted

MOST_SETTINGS_BYTES = 64 << 10
"""A larger settings file is not looked into to see which folder it names."""
FOLDERS_SHOWN = 4


class Entry(NamedTuple):
    """A rig on which an emulator is to be entered, and the gribble.toml that names it."""

    call: Call
    path: Path
    config: Config
    name: str

    @classmethod
    def of(cls, call: Call, name: str) -> Entry:
        """The rig of a name. Raises GribbleError if gribble.toml has none such."""
        path = require_config(call, "gribble init writes one, and enters the rig.")
        config = load_config(path, call.environment.home, call.environment.env)
        return cls(call, path, config, named_rig(name, config.rig))

    @property
    def rig(self) -> Rig:
        """The rig as it is written."""
        return self.config.rig[self.name]

    @property
    def catalogue(self) -> Path:
        """Where sheets for it go. Raises GribbleError if there is no catalogue folder in gribble.toml."""
        return catalogue_folders(self.call)[0]

    def listing(self) -> Listing:
        """The folders of the rig with the files in them; none if it is not there now."""
        if not self.rig.far:
            return listing_of(Path(self.rig.at)) if os.path.isdir(self.rig.at) else {}
        rigs = Rigs(self.call, load(self.call, lenient=True))
        try:
            ground = rigs.grounds(Scope(rigs=(self.name,)))[self.name]
            if why := ground.away():
                self.call.screen.tell(f"note: {self.name} cannot be looked at: {why}")
                return {}
            return {one.path: [os.path.basename(file.path) for file in one.files] for one in ground.walk()}
        finally:
            rigs.close()

    def sheets(self) -> dict[str, Sheet]:
        """The sheets of the catalogue."""
        return load_catalogue([one for one in sheet_folders(self.config) if os.path.isdir(one)]).sheets

    def others(self, emulator: str) -> Mapping[str, str]:
        """The folders of the other emulators on the rig, with whose they are."""
        return folders_of_others(self.rig, self.sheets(), emulator)

    def folder(self, sought: Sought, said: str | None, *, yes: bool) -> str:
        """In which folder of the rig an emulator looks: the one that was `said`, else the one that is plainly the best;
        told with its reason, and asked about where two are as likely. Raises GribbleError if nobody can be asked."""
        emulator, screen, listing = sought.names[0], self.call.screen, self.listing()
        if said is not None:
            folder = self._within(said)
            if near := near_within(folder, listing) if listing and folder not in listing else "":
                screen.say(
                    f"{folder} is not there on {self.name}; {near} is. If you mean that one, write --in {quoted(near)}."
                )
            return folder
        found = likely_folders(listing, sought, os.path.basename(self.rig.at.rstrip("/")), self._settings)
        chosen, asks = choice_of(found), self.call.environment.is_terminal and not yes
        if chosen is None and not asks:
            ways = " or ".join(f"--in {quoted(one.folder or '.')}" for one in found[:FOLDERS_SHOWN])
            raise GribbleError(
                f"on {self.name} {emulator} could look in {' or in '.join(map(_words, found[:FOLDERS_SHOWN]))}",
                fix=f"Say which it is: {ways}",
            )
        if chosen is None or (chosen.weight < 2 and asks):
            return self._asked(emulator, found)
        screen.say(f"On {self.name} {emulator} looks in {_words(chosen)}. To choose another folder: --in FOLDER.")
        return chosen.folder

    def _within(self, said: str) -> str:
        """A folder of the rig as it was said: below its root, or with the root in front."""
        place = said.replace("\\", "/").rstrip("/") or said
        if not self.rig.far and os.path.isabs(place):
            place = relative(os.path.realpath(place), os.path.realpath(self.rig.at))
        folder = "" if place == "." else place
        if folder and (fault := path_fault(folder)):
            raise GribbleError(f'--in "{said}" {fault}', fix=f"Give a folder of {self.name}, such as system/bios.")
        return join(folder)

    def _settings(self, path: str) -> str:
        try:
            return text_of(read_regular(Path(self.rig.at, path), MOST_SETTINGS_BYTES), errors="replace")
        except OSError:
            return ""

    def _asked(self, emulator: str, found: list[Likely]) -> str:
        screen = self.call.screen
        screen.say(styled(f"In which folder of {self.name} does {emulator} look?", "bold"))
        screen.grid([(f"{number}", one.folder or "(the root)", one.why) for number, one in enumerate(found, 1)])
        while True:
            screen.say("A number, or a folder. Enter takes 1. ")
            screen.flush()
            answer = self.call.environment.answer().strip() or "1"
            if answer.isdigit() and 0 < int(answer) <= len(found):
                return found[int(answer) - 1].folder
            try:
                return self._within(answer)
            except GribbleError as error:
                screen.say(f"{error.what}.")


def _words(one: Likely) -> str:
    return f"{one.folder or 'its root'} ({one.why})"


def change(call: Call, path: Path, make: Callable[[str], Mapping[Keys, Any]], *, yes: bool, keep: bool = True) -> bool:
    """Change a gribble.toml as `make` says for its text: the lines before and after are shown, the user is asked, and
    the former file is kept unless not told to. Whether it was changed, or says that already. Raises GribbleError."""
    text = text_of(read_regular(path, MOST_TEXT))
    new = changed(text, make(text))
    if new == text:
        call.screen.say(f"{shorten(str(path))} says that already.")
        return True
    _check(call, path, new)
    _show_lines(call.screen, path, text, new)
    if not ask(call, "Write it?", yes):
        return False
    with changing(path) as file:
        text = text_of(file.data)
        new = changed(text, make(text))
        _check(call, path, new)
        if new == text:
            return True
        kept = file.write([new.encode()], keep=keep)
    call.screen.say(f"{shorten(str(path))} is written{kept_words(kept)}.")
    return True


def _check(call: Call, path: Path, text: str) -> None:
    """Raise MistakesError where a gribble.toml would have mistakes."""
    load_config(path, call.environment.home, call.environment.env, text)


def _show_lines(screen: Screen, path: Path, before: str, after: str) -> None:
    """The lines of a file that change, before and after."""
    screen.say(f"In {shorten(str(path))}:")
    for line in difflib.unified_diff(before.splitlines(), after.splitlines(), lineterm="", n=0):
        if line[:3] not in ("---", "+++") and line[:2] != "@@" and line[1:].strip():
            screen.say(styled(f"  {line[0]} {line[1:]}", VERDICTS["sound" if line[0] == "+" else "missing"][1]))
