"""Which Gribble this is."""

VERSION = "0.2.0"
