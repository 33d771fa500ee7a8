"""Which Gribble this is."""

VERSION = "0.1.0"
