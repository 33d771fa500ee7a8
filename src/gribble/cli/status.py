"""Bare `gribble`: the state of things in a few lines, and the next command."""

from __future__ import annotations

from gribble.cli.command import Call
from gribble.cli.environment import Environment
from gribble.cli.finding import find_config
from gribble.cli.session import Session
from gribble.cli.surveying import survey
from gribble.core.audit.scope import Scope
from gribble.core.base.errors import ExitCode
from gribble.views.status import show_start, show_state


def show_status(environment: Environment, config: str | None) -> int:
    """Each rig and emulator in a line; without a configuration, how to begin."""
    call = Call(environment, {"config": config})
    call.screen.activity.begin("Working")
    try:
        return _status(call)
    finally:
        call.end()


def _status(call: Call) -> int:
    if find_config(call.environment, call.config) is None:
        show_start(call.screen)
        return ExitCode.CLEAN
    with Session(call) as session:
        audits = survey(session, Scope()).audit(Scope())
        session.notes.nothing_lacks()  # what lacks is told by the commands that this one leads to
        show_state(session.screen, audits)
        return session.ended_for(audits)
