"""Lays rules (GROUND_RULES, between commas) over a process of its own, before anything of it runs."""

import importlib.util
import os
from pathlib import Path

_place = Path(__file__).parents[1] / "rules.py"
_found = importlib.util.spec_from_file_location("ground_rules", _place)
assert _found
assert _found.loader
_rules = importlib.util.module_from_spec(_found)
_found.loader.exec_module(_rules)
for _name in filter(None, os.environ.get("GROUND_RULES", "").split(",")):
    _rules.RULES[_name](_rules.Laid())
