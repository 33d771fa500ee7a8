"""What a file that has come to rest is, in a line, and who wants it."""

from __future__ import annotations

from collections.abc import Iterable

from msgspec import Struct

from gribble.core.answers.identify import HeldSet, Identified, Match
from gribble.core.sayings.facts import mend_words


class Line(Struct, frozen=True):
    """One thing to say of a file, or of a `member` of it: verdict, words, and the command that leads on (in which
    `{path}` stands for the file); the needs that know it."""

    verdict: str
    words: str
    member: str | None
    next: str
    matches: tuple[Match, ...]


class Arrived(Struct, frozen=True):
    """A file that has come to rest, with what there is to say of it: nothing where no sheet knows it."""

    path: str
    lines: tuple[Line, ...]

    @property
    def needed(self) -> frozenset[str]:
        """The emulators that lack something of it."""
        return frozenset(match.emulator for line in self.lines for match in line.matches if match.needed)


def arrived(paths: Iterable[str], files: Iterable[Identified], sets: Iterable[HeldSet]) -> list[Arrived]:
    """Each path with what is to be said of it: what somebody lacks first."""
    by_path: dict[str, list[Identified]] = {}
    for file in files:
        by_path.setdefault(str(file.holding.place), []).append(file)
    whole = {str(one.holding.place): one for one in sets if not one.lacks}
    told = []
    for path in paths:
        there = by_path.get(path, [])
        alone = sum(bool(file.matches or file.mend) for file in there) == 1
        lines = [line for file in there if (line := _line(file, alone))]
        if path in whole and not any(match.needed for line in lines for match in line.matches):
            one = whole[path]
            title = f" ({one.title})" if one.title else ""
            lines = [Line("known", f"set {one.set}{title}, whole, for {one.emulator} {one.release}", None, "", ())]
        told.append(Arrived(path, tuple(sorted(lines, key=lambda line: not any(one.needed for one in line.matches)))))
    return told


def _line(file: Identified, alone: bool) -> Line | None:
    """What is to be said of one content, which may be `alone` in its file; nothing where nobody knows it."""
    member = file.holding.member
    inside = f"{member} in it is " if member is not None and not alone else ""
    if not file.matches:
        if file.mend is None or file.near is None:
            return None
        title = file.near.need.called
        words = f"{inside}{title} of {file.near.emulator}, damaged: it {mend_words(file.mend)}"
        return Line("damaged", words, member, "gribble mend {path}" if file.mend.mendable and not member else "", ())
    first = file.matches[0]
    title = f"{first.title}{f' ({first.accept})' if first.accept else ''}"
    if file.verdict == "rejected":
        return Line("rejected", f"{inside}{title}, known not to work: {first.why}", member, "", file.matches)
    wants: dict[str, list[str]] = {}
    for one in file.matches:
        if one.needed and one.rig not in wants.setdefault(one.emulator, []):
            wants[one.emulator].append(one.rig)
    if not wants:
        return Line("known", f"{inside}{title}; nobody lacks it", member, "", file.matches)
    who = ", ".join(f"{emulator} on {' and '.join(rigs)}" for emulator, rigs in wants.items())
    words = f"{inside}{title}; {who} {'lacks' if len(wants) == 1 else 'lack'} it"
    return Line("known", words, member, f"gribble place {' '.join(wants)}", file.matches)
