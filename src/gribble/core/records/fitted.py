"""A sheet as it holds for one emulator on one rig."""

from __future__ import annotations

from msgspec import Struct

from gribble.core.base.style import Style
from gribble.core.records.config import Liking
from gribble.core.records.sheet import Accept, Arcade, Media, Need, Pair, Root, Setting, Unlock


class Fitted(Struct, frozen=True, kw_only=True):
    """A sheet fitted to one rig and release: folders as they lie there, only the needs that concern it.

    `unmeetable` are needs none of whose known contents works with the release; `other_releases` are the contents, by
    need, that work with other releases only. `asked` are sets that a command asks for in place of the `wanted` ones, of
    this emulator perhaps none; `among` are those to which a question is narrowed. `lean` leaves out of archives what
    no wanted set needs. Accepts stand in the order of `liking`, preferred first.
    """

    emulator: str
    title: str
    release: str | None
    folders: dict[str, str]
    needs: tuple[Need, ...]
    ignore: frozenset[str] = frozenset()
    unmeetable: frozenset[str] = frozenset()
    other_releases: dict[str, tuple[Accept, ...]] = {}
    unlock: tuple[Unlock, ...] = ()
    setting: tuple[Setting, ...] = ()
    media: tuple[Media, ...] = ()
    pair: tuple[Pair, ...] = ()
    root: Root = Root()
    arcade: Arcade | None = None
    wanted: tuple[str, ...] | None = None
    asked: tuple[str, ...] | None = None
    among: frozenset[str] | None = None
    style: Style | None = None
    stubs: bool = False
    variants: dict[str, str] = {}
    weights: dict[str, float] = {}
    liking: Liking = Liking()
    lean: bool = False
    order: tuple[str, ...] = ()
    note: str = ""
