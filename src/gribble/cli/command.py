"""How a command is declared: its name, the shared options it takes, and the one value in which it finds them."""

from __future__ import annotations

import functools
import inspect
from collections.abc import Callable
from functools import cached_property
from typing import Any, Concatenate, ParamSpec, get_type_hints

import typer

from gribble.cli.environment import Environment
from gribble.cli.options import MADE, SHARED, unseen
from gribble.core.base.addresses import parse_address
from gribble.core.base.errors import GribbleError
from gribble.core.records.config import Scope
from gribble.views.screen import Screen

P = ParamSpec("P")
LONG = ("verbose", "pager")
"""The shared options of every command whose answer can be long. The others still accept them, but do not show them."""


class Call:
    """One call of a command: its environment, and what the shared options say; those it does not take say nothing."""

    def __init__(self, environment: Environment, given: dict[str, Any], *, asks: bool = True) -> None:
        self.environment = environment
        self._given = given
        self.asks = asks
        """Whether the answer may need a rig for which one has to log in."""
        self.facts: dict[str, Any] | None = None
        """What a command that changes something has done, for its answer as JSON; None if it answers in words."""

    @cached_property
    def screen(self) -> Screen:
        """Where the answer goes."""
        environment = self.environment
        whole, paged = bool(self._given.get("verbose")), bool(self._given.get("pager"))
        return Screen(environment.stdout, environment.stderr, environment.env, whole=whole, paged=paged)

    def aside(self) -> Call:
        """The same call, but that all it says goes to standard error."""
        return Call(
            self.environment._replace(stdout=self.environment.stderr), {**self._given, "json": False}, asks=self.asks
        )

    def done_as(self, kind: str, act: Callable[[Call], int], **facts: Any) -> int:
        """Do something, and say it in words or, with `--json`, as one object of a kind, whose `facts` are what is so
        where nothing is done. The words go to standard error then, and nobody is asked."""
        if not self.json:
            return act(self)
        aside = self.aside()
        aside.facts = facts
        try:
            code = act(aside)
        finally:
            aside.end()
        self.screen.json({"gribble": kind, "status": int(code), **aside.facts})
        return code

    def did(self, key: str, fact: Any) -> None:
        """Note one of the things of a kind that were done."""
        if self.facts is not None:
            self.facts.setdefault(key, []).append(fact)

    def end(self) -> None:
        """The answer is complete."""
        if "screen" in self.__dict__:
            self.screen.end()

    @property
    def json(self) -> bool:
        """Whether the answer is to be one JSON object."""
        return bool(self._given.get("json"))

    @property
    def verbose(self) -> bool:
        """Whether everything is to be shown, however long."""
        return bool(self._given.get("verbose") or self._given.get("pager"))

    @property
    def wordy(self) -> bool:
        """Whether what it cost is to be told, too."""
        return bool(self._given.get("verbose"))

    @property
    def config(self) -> str | None:
        """The configuration that was named."""
        config: str | None = self._given.get("config")
        return config

    @cached_property
    def scope(self) -> Scope:
        """What the command is about. Raises GribbleError for an `--at` or `--as` that is none."""
        given, path = self._given, self.environment.path
        emulators: list[str] = given.get("emulators") or []
        at = given.get("at")
        return Scope(
            rigs=tuple(given.get("rig") or ()),
            emulators=tuple(emulators),
            sources=tuple(str(path(source)) for source in given.get("from_") or ()),
            at=self._place_today(at) if at else None,
            releases=dict(_release_of(text, emulators) for text in given.get("as_") or ()),
        )

    def _place_today(self, at: str) -> str:
        """Where a rig is today: a folder made absolute, or an address."""
        if "://" not in at:
            return str(self.environment.path(at))
        try:
            return str(parse_address(at))
        except ValueError as error:
            raise GribbleError(f"--at {error}", fix="For example: --at ftp://ada@driftwood.local:2121/data") from None


def _release_of(text: str, emulators: list[str]) -> tuple[str, str]:
    emulator, equals, release = text.partition("=")
    if not equals and len(emulators) == 1:
        emulator, release = emulators[0], text  # gribble check sandpiper --as 3.2
    if not (emulator and release):
        raise GribbleError(f"--as {text} is not EMULATOR=RELEASE", fix="For example: --as sandpiper=3.2")
    return emulator, release


def _options_of(parameter: inspect.Parameter) -> list[inspect.Parameter]:
    """A parameter of a command or, where it is a record of many options (`options`), one for each of them."""
    record: Any = parameter.annotation
    if not hasattr(record, "_fields"):
        return [parameter]
    hints, defaults, kind = get_type_hints(record, include_extras=True), record._field_defaults, parameter.kind
    return [
        inspect.Parameter(name, kind, annotation=hints[name], default=defaults.get(name, inspect.Parameter.empty))
        for name in record._fields
    ]


def command(
    name: str, *, takes: str = "", short: bool = False, asks: bool = False
) -> Callable[[Callable[Concatenate[Call, P], int]], Callable[P, None]]:
    """Declare a function as a command ("sets check" is one of a group); what it returns is the exit status.

    `takes` names the shared options, separated by blanks. They stand before and after the function's own in the help,
    and reach it by its first argument. A function of many options takes them as one record, a NamedTuple called
    `options`. The answer of a `short` one always fits on a screen, so there is nothing to unfold.
    Only a command that is about rigs, which is one that takes `at` or says that it `asks`, asks for passwords.
    """
    taken = [*takes.split(), *LONG]

    def declare(function: Callable[Concatenate[Call, P], int]) -> Callable[P, None]:
        whole: Callable[..., int] = function
        hints = get_type_hints(function, include_extras=True)
        first, *own = inspect.signature(function).parameters.values()
        record = next((hints[one.name] for one in own if hasattr(hints[one.name], "_fields")), None)
        own = [each for one in own for each in _options_of(one.replace(annotation=hints[one.name]))]
        own_names = {one.name for one in own}
        context = first.replace(name="context", annotation=typer.Context)
        shared = [one for one in SHARED if one.name in taken and one.name not in own_names]
        shared = [unseen(one) if short and one.name in LONG else one for one in shared]
        behind = [one for one in shared if one.name in ("verbose", "pager", "json", "config")]
        order = [context, *(one for one in shared if one not in behind), *own, *behind]
        keyword = [one.replace(kind=inspect.Parameter.KEYWORD_ONLY) for one in order]

        @functools.wraps(function)
        def wrapper(*_nothing: P.args, **given: P.kwargs) -> None:
            values: dict[str, Any] = dict(given)
            context: typer.Context = values.pop("context")
            shared_values = {one: values[one] if one in own_names else values.pop(one) for one in taken}
            if record:
                values["options"] = record(**{name: values.pop(name) for name in record._fields})
            call = Call(context.obj, shared_values, asks=asks or "at" in taken)
            call.screen.activity.begin("Working")
            try:
                raise typer.Exit(whole(call, **values))
            finally:
                call.end()

        wrapper.__signature__ = inspect.Signature(keyword)  # type: ignore[attr-defined]
        wrapper.__annotations__ = {one.name: one.annotation for one in keyword}
        MADE[name] = wrapper
        return wrapper

    return declare
