"""Options that several commands share."""

from __future__ import annotations

from collections.abc import Callable
from enum import StrEnum
from inspect import Parameter
from typing import Annotated, Any, get_args

import typer

from gribble.cli.completing import emulators, rigs, step_words

ConfigOption = Annotated[str | None, typer.Option("--config", metavar="FILE", help="Use this gribble.toml.")]
JsonOption = Annotated[bool, typer.Option("--json", help="One JSON object on standard output.")]
VerboseOption = Annotated[bool, typer.Option("--verbose", "-v", help="Show everything, and what was read.")]
PagerOption = Annotated[bool, typer.Option("--pager", help="The whole answer, page by page.")]
RigOption = Annotated[
    list[str] | None, typer.Option("--rig", metavar="RIG", help="Only this rig (may be repeated).", autocompletion=rigs)
]
FromOption = Annotated[
    list[str] | None, typer.Option("--from", metavar="PATH", help="One more source, for this time only.")
]
AtOption = Annotated[str | None, typer.Option("--at", metavar="PATH", help="The rig is here today.")]
AsOption = Annotated[
    list[str] | None,
    typer.Option("--as", metavar="EMULATOR=RELEASE", help="As if this release were installed; shows what changes."),
]
RereadOption = Annotated[bool, typer.Option("--reread", help="Read every file again, whatever the index says.")]
OnlyOption = Annotated[
    list[str] | None,
    typer.Option(
        "--only",
        metavar="WORD",
        help="Only steps of this rig, emulator, need, set or kind, or to a place like '*/boot/*'.",
        autocompletion=step_words,
    ),
]
SkipOption = Annotated[
    list[str] | None, typer.Option("--skip", metavar="WORD", help="Leave out these steps.", autocompletion=step_words)
]


RARE = "Rarely needed"
"""The heading under which a help has the options that hardly anybody needs."""


class Link(StrEnum):
    """How a file is put in place instead of being copied."""

    HARD = "hard"


LinkOption = Annotated[
    Link | None,
    typer.Option("--link", metavar="hard", help="Link to the source file instead of copying it (same disk only)."),
]
TrustOption = Annotated[
    bool,
    typer.Option(
        "--trust-size",
        help="Network rigs: compare only the size of sent files, do not read them back.",
        rich_help_panel=RARE,
    ),
]
GamesOption = Annotated[bool, typer.Option("--games", help="Look into the game folders, too.")]
ByNameOption = Annotated[bool, typer.Option("--by-name", help="Also use files that only their name speaks for.")]
QuietOption = Annotated[bool, typer.Option("--quiet", "-q", help="Only the answer, in one line.")]
YesOption = Annotated[bool, typer.Option("--yes", "-y", help="Do not ask.")]
HiddenOption = Annotated[
    bool, typer.Option("--hidden", help="Also write hidden files and folders, and where programs keep their settings.")
]
ReplaceOption = Annotated[
    bool, typer.Option("--replace", help="Replace a file that is there; the old one is kept next to it.")
]
EmulatorsArgument = Annotated[
    list[str] | None, typer.Argument(metavar="[EMULATOR]...", help="Only these emulators.", autocompletion=emulators)
]


def _shared(name: str, annotation: Any, default: object = None) -> Parameter:
    return Parameter(name, Parameter.KEYWORD_ONLY, default=default, annotation=annotation)


def unseen(option: Parameter) -> Parameter:
    """The same switch, but not shown in the help."""
    [kind, shown] = get_args(option.annotation)
    return option.replace(annotation=Annotated[kind, typer.Option(*shown.param_decls, hidden=True)])


SHARED = (
    _shared("emulators", EmulatorsArgument),
    _shared("rig", RigOption),
    _shared("from_", FromOption),
    _shared("at", AtOption),
    _shared("as_", AsOption),
    _shared("verbose", VerboseOption, False),
    _shared("pager", PagerOption, False),
    _shared("json", JsonOption, False),
    _shared("config", ConfigOption),
)
"""What many commands take alike."""

MADE: dict[str, Callable[..., None]] = {}
"""The commands of the modules imported so far, each as Typer takes it."""
