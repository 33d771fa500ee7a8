"""Whether a rig has the room that some steps take, in bytes and in files, on each volume that they reach."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator

from gribble.core.base.errors import ExitCode, GribbleError
from gribble.core.base.paths import fold, outside, parent
from gribble.core.files.volumes import WITHOUT_LINKS, whole_clusters
from gribble.core.placing.journal import BALLAST_BYTES, Run
from gribble.core.placing.store import Elsewhere, Free, Store, StoreError
from gribble.core.records.steps import Copy, Displace, Extract, Mend, Pack, Step

HEADER_BYTES = 256
"""What a zip takes for each member beside its content, at most: two headers, two names of usual length."""
JOURNAL_BYTES = 4096
JOURNAL_OF_STEP = 1024
"""What a journal takes at most, in bytes: its first line, and each step in it; a plan of many archives more."""
OWN_FILES = 8
"""What a run makes for itself at most: folders of `.gribble`, lock, journal, ballast."""


def check_room(
    store: Store, rig: str, steps: tuple[Step, ...], elsewhere: Elsewhere, volume: str = "", cluster: int = 1
) -> None:
    """Raise GribbleError where a rig does not have enough room for what the steps write, in whole clusters of bytes, or
    for its files.

    What is displaced stays in the attic, which takes room of its own on a volume without links. Each folder there takes
    a cluster. Folders of a rig can be volumes of their own.
    """
    attic = store.free_attic()
    free: dict[int, Free] = {}
    there: dict[str, Free | None] = {}
    makes: dict[str, Free | None] = {}
    sizes: Counter[int] = Counter()
    files: Counter[int] = Counter()

    def takes(where: Free | None, size: int, names: int) -> None:
        if where is not None:
            free.setdefault(where.device, where)
            sizes[where.device] += whole_clusters(size, cluster)
            files[where.device] += names

    takes(attic, BALLAST_BYTES + JOURNAL_BYTES + len(steps) * JOURNAL_OF_STEP, OWN_FILES)
    for step in steps:
        folder = parent(step.place)
        if folder not in there:
            there[folder] = _free(store, step.place)
        target = there[folder]
        for missing in _missing_folders(store, step):
            makes.setdefault(missing, target)
        takes(target, _written(store, step, elsewhere), not isinstance(step, Displace))
        folders = 0 if isinstance(step, Displace) else 1  # one that its undoing would fill
        if displaced := step.displaces:
            apart = target is None or attic is None or target.device != attic.device
            copied = apart or (volume in WITHOUT_LINKS and not isinstance(step, Displace))
            takes(attic, store.size(displaced) if copied else 0, 1)
            folders += 1 + displaced.count("/")
        takes(attic, folders * cluster, folders)
    for target in makes.values():
        takes(target, cluster, 1)
    for device, size in sizes.items():
        left = free[device]
        if size > left.bytes:
            lack = f"{size:,} bytes are to be written, {left.bytes:,} are free"
        elif left.files is not None and files[device] > left.files:
            lack = f"{files[device]:,} files and folders are to be made, and there is room for {left.files:,}"
        else:
            continue
        raise GribbleError(
            f"{rig} does not have enough room: {lack}",
            fix="Nothing was changed. Make room, or place fewer emulators.",
            code=ExitCode.FAILED,
        )


def _free(store: Store, path: str) -> Free | None:
    try:
        return store.free(path)
    except StoreError:
        return None  # its step will say why


def _missing_folders(store: Store, step: Step) -> list[str]:
    try:
        return [] if isinstance(step, Displace) else store.missing_folders(step.to)
    except StoreError:
        return []


def _written(store: Store, step: Step, elsewhere: Elsewhere) -> int:
    """At most how many bytes a step writes. Members of zips are taken over as they are there, packed."""
    if not isinstance(step, Pack):
        return step.bytes
    around = HEADER_BYTES * len(step.members)
    zips = {member.from_ for member in step.members if member.member is not None}
    if not all(path.lower().endswith(".zip") for path in zips):
        return step.bytes + around
    sizes = [elsewhere.size(path) if outside(path) else store.size(path) for path in zips]
    loose = sum(member.size for member in step.members if member.member is None)
    return min(step.bytes, sum(sizes) + loose if all(sizes) else step.bytes) + around


MOST_STEPS, MOST_BYTES = 32, 64 << 20
"""How much a batch has at most; Ctrl-C takes what is under way back, and a kill has it done again."""


def batches(run: Run, at_once: int) -> Iterator[list[int]]:
    """The steps of a run that are still to be done, in order: several together where each only takes something that
    is outside the rig, on this machine, and no two have to do with one place."""
    batch: list[int] = []
    places: set[str] = set()
    for number, step in enumerate(run.steps):
        if number in run.done or number in run.failed:
            continue
        alone = at_once == 1 or number in run.begun or not _only_takes(step)
        here = {fold(path) for path in (step.place, step.displaces) if path}
        size = sum(run.steps[one].bytes for one in batch)
        if batch and (alone or places & here or len(batch) == MOST_STEPS or size + step.bytes > MOST_BYTES):
            yield batch
            batch, places = [], set()
        batch.append(number)
        places |= here
        if alone:
            yield batch
            batch, places = [], set()
    if batch:
        yield batch


def _only_takes(step: Step) -> bool:
    if not isinstance(step, Copy | Extract | Mend | Pack):
        return False
    return bool(step.sources) and all(outside(path) and "://" not in path for path in step.sources)
