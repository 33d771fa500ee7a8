"""Runs of a rig, carried out and taken back by the core alone."""

from __future__ import annotations

import os
from pathlib import Path

from gribble.core.base.digests import Digests
from gribble.core.files.hashing import digest_blocks
from gribble.core.placing.journal import Seal
from gribble.core.records.steps import Copy, Rename, Step
from gribble.stores.rigs import AnyPlace, RigHome, local_rig
from tests.conftest import tree

SEAL = Seal(lambda: b"a secret of the tests")


def digests(data: bytes) -> Digests:
    return digest_blocks([data], ["sha1"])[1]


def rig_with(root: Path, files: dict[str, bytes]) -> RigHome:
    for name, data in files.items():
        (root / name).parent.mkdir(parents=True, exist_ok=True)
        (root / name).write_bytes(data)
        os.utime(root / name, (1_000_000_000, 1_000_000_000 + len(data)))
    root.mkdir(parents=True, exist_ok=True)
    return local_rig("den", root, "ext4", SEAL)


def step(kind: type[Copy | Rename], from_: Path | str, to: str, data: bytes = b"", replaces: str | None = None) -> Step:
    return kind(rig="den", from_=str(from_), to=to, bytes=len(data), digests=digests(data), replaces=replaces)


def carried(rig: RigHome, steps: tuple[Step, ...], number: int = 1) -> dict[int, str]:
    """Carry out steps; the reasons of those that were refused, by number."""
    with rig.locked() as held:
        run = held.start(number, "today", steps)
        held.runner(run, AnyPlace()).carry_out(run)
    return run.failed


def taken_back(rig: RigHome, number: int = 1) -> None:
    with rig.locked() as held:
        run = next(run for run in held.runs() if run.number == number)
        assert held.runner(run, AnyPlace()).changed_since(run) == []
        held.take_back(run, AnyPlace())
    assert next(run for run in rig.runs() if run.number == number).state == "undone"


def files_of(root: Path) -> dict[str, bytes]:
    return {name: data for name, (data, _) in tree(root).items() if not name.endswith("/")}
