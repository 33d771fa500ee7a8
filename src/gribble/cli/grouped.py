"""The program's help: its commands in groups, in the order of the work."""

from __future__ import annotations

from typing import Any

import typer
from typer.core import TyperGroup

GROUPS = {
    "Know": ("words", "needs", "identify"),
    "Look": ("check", "why", "plan"),
    "Put right": ("place", "undo", "history", "attic", "mend"),
    "Arcade sets, discs, keys": ("sets", "discs", "keys"),
    "Set up": ("demo", "init", "catalogue", "doctor"),
    "Keep": ("watch", "scrub", "report"),
}
"""The commands by what they are for."""


class Program(TyperGroup):
    """The program, whose help has a section for each group of commands, and a word for Ctrl-C."""

    def invoke(self, ctx: Any) -> Any:
        """Carry out a command. Raises Abort on Ctrl-C, which the parser would make a bare exit status of."""
        try:
            return super().invoke(ctx)
        except KeyboardInterrupt:
            raise typer.Abort from None

    def format_commands(self, ctx: Any, formatter: Any) -> None:
        """Write the commands, group by group."""
        width = max(map(len, self.commands)) + 2
        for title, names in GROUPS.items():
            rows = [(name.ljust(width - 2), self._line(ctx, name)) for name in names if name in self.commands]
            with formatter.section(title):
                formatter.write_dl(rows)

    def _line(self, ctx: Any, name: str) -> str:
        command = self.get_command(ctx, name)
        return command.get_short_help_str(60) if command else ""
