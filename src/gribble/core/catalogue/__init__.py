"""Files to records and back: gribble.toml, sheets, rosters and lists, with every mistake told at once."""
