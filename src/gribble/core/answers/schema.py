"""JSON Schemas of the formats, generated from the records."""

from __future__ import annotations

import inspect
from typing import Any

import msgspec

from gribble.core.answers.report import Report
from gribble.core.base.tables import MORE
from gribble.core.records.answers import ANSWERS
from gribble.core.records.config import Config
from gribble.core.records.imported import FieldMap
from gribble.core.records.roster import ArcadeSet, RosterHead
from gribble.core.records.sheet import Corrections, Sheet

FILES: dict[str, tuple[type, str]] = {
    "sheet": (Sheet, "what one emulator needs: <emulator>.sheet.toml"),
    "corrections": (Corrections, "what you correct in a sheet of somebody else: <name>.sheet.toml"),
    "config": (Config, "the user's configuration: gribble.toml"),
    "roster-head": (RosterHead, "the first line of a roster"),
    "roster-set": (ArcadeSet, "each further line of a roster"),
    "map": (FieldMap, "a field map for `gribble catalogue import`"),
}
SCHEMAS: dict[str, tuple[Any, str]] = {
    **FILES,
    **{kind: (record, inspect.cleandoc(record.__doc__).partition("\n")[0]) for kind, record in ANSWERS.items()},
    "report": (Report, "`gribble report`, beside the key gribble"),
}
"""Every kind of file and answer with its record and what it is."""


def schema(name: str) -> dict[str, Any]:
    """The JSON Schema of one format. Raises KeyError for an unknown one."""
    record, about = SCHEMAS[name]
    made = msgspec.json.schema(record)
    for part in made.get("$defs", {}).values():
        if "properties" in part and name in FILES:  # an answer may carry more keys one day
            part["additionalProperties"] = False  # every unknown key is a mistake
    for part in (one for one in made.get("$defs", {}).values() if MORE in one.get("properties", {})):
        text = part["properties"]["folders"]["additionalProperties"]
        part["properties"]["folders"]["additionalProperties"] = {
            "anyOf": [text, part["properties"].pop(MORE)["additionalProperties"]]
        }
    if name == "config":  # the short forms: sources = ["drawer"], sandpiper = "3.1"
        for key in ("sources", "catalogues"):
            places = made["$defs"]["Config"]["properties"][key]
            places["items"] = {"anyOf": [{"type": "string"}, places["items"]]}
        emulators = made["$defs"]["Rig"]["properties"]["emulators"]
        emulators["additionalProperties"] = {"anyOf": [{"type": "string"}, emulators["additionalProperties"]]}
    if name == "map":  # the short form: name = "@name"
        fields = made["$defs"]["FieldMap"]["properties"]["fields"]
        fields["additionalProperties"] = {"anyOf": [{"type": "string"}, fields["additionalProperties"]]}
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": f"gribble {name}",
        "description": about,
        **made,
    }
