"""The walk through the job on the made-up world: a short one, and the whole tour in chapters."""

from __future__ import annotations

from typing import NamedTuple

from gribble.demo import kiosk, loft, porch


class Stop(NamedTuple):
    """One stop of a walk."""

    question: str
    """What is asked."""
    words: str
    """The command that answers it, without the program's name; empty is the bare command."""
    event: str = ""
    """What happens before: a name in the EVENTS of the small worlds."""


class Chapter(NamedTuple):
    """A part of the whole tour. It leaves the rigs as it found them."""

    look: str
    """What to look at."""
    stops: tuple[Stop, ...]
    place: str = ""
    """The folder of the world in which it is walked: a small world of its own, which it changes."""


SHORT = (
    Stop("How do things stand?", ""),
    Stop("Dunlin does not start. Why?", "why dunlin"),
    Stop("Put it right. The plan comes first; --yes answers the question after it.", "place dunlin --yes"),
    Stop("Does it run now?", "why dunlin"),
    Stop("And take it back, to the last byte.", "undo --yes"),
)
"""What everybody sees first."""

CHAPTERS: dict[str, Chapter] = {
    "set-up": Chapter(
        "A visitor comes with a folder of files, three emulators, and lists from the web. Three commands to an answer.",
        (
            Stop("Where are the files, and where are the emulators?", "init --yes"),
            Stop(
                "A page on the web says what Plover needs.",
                "catalogue import lists/plover.html --rig emulators --yes",
            ),
            Stop("So what does it lack?", "check plover"),
            Stop("Put that right.", "place plover --yes"),
            Stop("And now?", "why plover"),
        ),
        place=porch.VISITOR,
    ),
    "know": Chapter(
        "Names prove nothing: look at what each file turns out to be, whatever it is called.",
        (
            Stop("What does Sandpiper need, and which of it is here?", "needs sandpiper"),
            Stop("What is in the drawer?", "identify drawer"),
            Stop("This file is wrong, but how?", "identify drawer/skerry/SKERRY.COPIER"),
        ),
    ),
    "look": Chapter(
        "Each row is one thing to do: what it is, then what puts it right.",
        (
            Stop("What is right and wrong on the rigs?", "check"),
            Stop("Why does Redshank not run? First things first.", "why redshank --rig lighthouse"),
        ),
    ),
    "put-right": Chapter(
        "Every step is shown before it is done, nothing is deleted, and all of it is taken back at the end.",
        (
            Stop("What would put it right? Nothing is written yet.", "plan"),
            Stop("Put it right. (--yes answers the question.)", "place --yes"),
            Stop("And now? Only what nobody here has is left.", "check"),
            Stop("Take it all back: the rigs are exactly as they were.", "undo --yes"),
        ),
    ),
    "arcade": Chapter(
        "A set is judged with its parents, its BIOS and its discs, for the release that shall play it.",
        (
            Stop("Which sets run, and what do the others lack?", "sets check"),
            Stop("What would the next release ask for?", "sets compare 1.6 1.8 --rig cabinet"),
        ),
    ),
    "evening": Chapter(
        "An arcade emulator is new in the loft: a pack from a friend, forty favourites, and soon a newer release.",
        (
            Stop("Where are the files, and where are the emulators?", "init --yes"),
            Stop(
                "The emulator has written down its sets.",
                "catalogue import lists/whimbrel-2.0.xml --rig emulators --yes",
            ),
            Stop(
                "These are the favourites, by their titles.", "sets wanted --list lists/favourites.txt --instead --yes"
            ),
            Stop("Pack them from what is here, and say which archives are still to be got.", "place --yes"),
            Stop(
                "A newer release has come, with its own list.",
                "catalogue import lists/whimbrel-2.1.xml --rig emulators --yes",
            ),
            Stop("What would it cost?", "sets compare 2.0 2.1"),
            Stop("Agreed.", "rigs enter whimbrel --rig emulators --release 2.1 --yes"),
            Stop("And now?", "sets check"),
        ),
        place=loft.FOLDER,
    ),
    "discs": Chapter(
        "Images are judged by their sheets and headers; what is beyond doubt can be mended.",
        (Stop("Do the discs on the shelf hold together?", "discs check discs"),),
    ),
    "devices": Chapter(
        "The handheld is behind an FTP server. It is a rig like the others. See how little is read from it.",
        (
            Stop("What is wrong on it?", "check --rig handheld"),
            Stop("Put it right: sent, read back and proven.", "place --rig handheld --yes"),
            Stop("And back.", "undo --rig handheld --yes"),
        ),
    ),
    "catalogue": Chapter(
        "A sheet says what an emulator needs. People make sheets from what they have.",
        (
            Stop("A page on the web says what Plover needs. What of it is understood?", "catalogue import plover.html"),
            Stop("A workbook does so in German.", "catalogue import phalarope.xlsx"),
            Stop("An export has the sets of Dotterel's next release.", "catalogue import dotterel-6.xml"),
        ),
    ),
    "share": Chapter(
        "Ada publishes her sheets, and Bo follows them. An update says beforehand what it does to his rig.",
        (
            Stop(
                "A copy for everybody: on the web, on a stick, or in a folder.",
                "catalogue publish ada/terns --out ada/public",
            ),
            Stop("Bo follows it.", "catalogue follow ada/public --name ada --yes"),
            Stop("What does it say of his emulator?", "check"),
            Stop(
                "Ada has learned that a file is needed more than she thought.",
                "catalogue publish ada/terns --out ada/public",
                "correct",
            ),
            Stop("What would her new version do?", "catalogue update --yes"),
            Stop("Rather not yet: back to the version before.", "catalogue update --undo"),
        ),
        place=kiosk.FOLDER,
    ),
    "keep": Chapter(
        "The years after: a NAS that is off is not a loss, and a byte that rots is noticed.",
        (
            Stop("On the porch, files come from a NAS. What lacks is there.", "check"),
            Stop(
                "The NAS is switched off for the night. What it holds is known, and nobody has to obtain it.",
                "check",
                "off",
            ),
            Stop("What would it bring?", "plan"),
            Stop("It is on again. Take what it has.", "place --yes", "on"),
            Stop("And now?", "check"),
            Stop("Weeks later a byte of a file has changed, and its date has not. Who notices?", "scrub", "rot"),
            Stop("The good copy takes its place.", "place --yes"),
            Stop("Every file is proven, and when it was read last.", "check -v"),
        ),
        place=porch.FOLDER,
    ),
}
"""The whole tour, in the order of the work."""
