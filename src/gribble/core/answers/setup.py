"""A setup that works, read so that a sheet can be written from it."""

from __future__ import annotations

import os
from pathlib import Path
from typing import NamedTuple

from gribble.core.answers.capture import FoundFile, why_left_out
from gribble.core.audit.judging.keys import read_keys
from gribble.core.base.budget import KEYS_BYTES
from gribble.core.base.digests import ALGORITHMS
from gribble.core.base.errors import GribbleError, reason_of
from gribble.core.base.regular import read_regular
from gribble.core.files.hashing import digest_file
from gribble.core.survey.walking import walk
from gribble.core.survey.watched import Listener


class Setup(NamedTuple):
    """The files that an emulator could need, and those that were left out, by the reason."""

    files: list[FoundFile]
    left_out: dict[str, list[str]]


def read_setup(root: Path, chosen: list[Path], listener: Listener) -> Setup:
    """Every file below a rig's root, or the `chosen` ones, with all digests. Raises GribbleError."""
    if not os.path.isdir(root):
        raise GribbleError(f"{root} is no folder", fix="Name the root of the rig, then the files in it.")
    for path in chosen:
        if not os.path.exists(path) or not path.is_relative_to(root):
            raise GribbleError(f"{path} is not in {root}", fix="Name files and folders of the setup.")
    entries = [entry for folder in walk(root) for entry in folder.files]
    if chosen:
        entries = [one for one in entries if any((root / one.path).is_relative_to(path) for path in chosen)]
    setup = Setup([], {})
    listener.expect(sum(entry.size for entry in entries))
    for entry in entries:
        place = root / entry.path
        why = "" if place in chosen else why_left_out(entry.path, entry.size)
        if why:
            setup.left_out.setdefault(why, []).append(entry.path)
            continue
        try:
            _, digests = digest_file(place, entry.size, ALGORITHMS, listener.advance)
            keys = read_keys(read_regular(place, KEYS_BYTES)) if entry.size <= KEYS_BYTES else None
        except OSError as error:
            raise GribbleError(
                f"{place} cannot be read: {reason_of(error)}", fix="Nothing was written. Check its permissions."
            ) from error
        good = keys is not None and not keys.fault and any(not one.fault for one in keys.entries.values())
        setup.files.append(FoundFile(path=entry.path, size=entry.size, digests=digests, keys=keys if good else None))
    if not setup.files:
        raise GribbleError(f"{root} has no file to capture", fix="Name the files to take.")
    return setup
